"""What all lines of a text hold, column by column: counted while they are read, so that nothing
that the first lines do not show passes unseen."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, field

import numpy as np
import polars as pl
from numpy.typing import NDArray

from gezeiten.domain.series.timeline import Values
from gezeiten.exchange.text.form import Where

MOST_WORDS = 400
"""A column with more words than these holds no names and no flags."""
_EACH_END = 16
_MOST_APART = 3
"""So many numbers at either end may lie apart from all others."""
_FAR = 3.0
"""How many times the spread of all others a number lies away that may mean nothing."""
_FAR_OF_SUMS = 30.0
"""The same for sums over an interval: rain is nothing most of the time."""
_FEWEST = 3


@dataclass(frozen=True, slots=True)
class NumberSeen:
    """A number of a column: how often it stands there, and in which line first."""

    value: float
    count: int
    line: int


@dataclass(slots=True)
class NumberCensus:
    """The numbers of a series: how many, their sum, the lowest and the highest ones. low, high:
    between which they can be; beyond: how many are not."""

    low: float = float("-inf")
    high: float = float("inf")
    count: int = 0
    total: float = 0.0
    beyond: int = 0
    _seen: dict[float, NumberSeen] = field(default_factory=dict)
    _is_trimmed: bool = False

    def add(self, values: Values, lines: NDArray[np.int64]) -> None:
        """Count numbers (n,), NaN where there is none, of these lines (n,)."""
        known = ~np.isnan(values)
        values, lines = values[known], lines[known]
        if not len(values):
            return
        self.count += len(values)
        self.total += float(values.sum())
        self.beyond += int(np.count_nonzero((values < self.low) | (values > self.high)))
        distinct, first, counts = np.unique(values, return_index=True, return_counts=True)
        if len(distinct) > 2 * _EACH_END:
            self._is_trimmed = True
            ends = np.r_[0:_EACH_END, len(distinct) - _EACH_END : len(distinct)]
            distinct, first, counts = distinct[ends], first[ends], counts[ends]
        for value, at, many in zip(distinct.tolist(), first, counts.tolist(), strict=True):
            before = self._seen.get(value)
            line = int(lines[at]) if before is None else before.line
            self._seen[value] = NumberSeen(value, many + (before.count if before else 0), line)
        if len(self._seen) > 2 * _EACH_END:
            self._is_trimmed = True
            ordered = sorted(self._seen)
            extremes = {*ordered[:_EACH_END], *ordered[-_EACH_END:]}
            self._seen = {value: self._seen[value] for value in extremes}

    @property
    def ends(self) -> list[NumberSeen]:
        """The lowest and the highest numbers, in order; all of them where there are few."""
        return [self._seen[value] for value in sorted(self._seen)]

    @property
    def lowest(self) -> float | None:
        """The lowest number, None without one."""
        return min(self._seen, default=None)

    @property
    def highest(self) -> float | None:
        """The highest number, None without one."""
        return max(self._seen, default=None)

    @property
    def mean(self) -> float | None:
        """The mean of all numbers, None without one."""
        return self.total / self.count if self.count else None

    @property
    def is_constant(self) -> bool:
        """Whether there is one number alone."""
        return len(self._seen) == 1 and not self._is_trimmed

    def outside(self) -> list[NumberSeen]:
        """Return numbers that cannot be, as far as they are among the ends."""
        return [one for one in self.ends if not self.low <= one.value <= self.high]

    def far(self, *, sums: bool = False) -> list[NumberSeen]:
        """Return the numbers at either end that lie far from all others. sums: they are sums over
        an interval."""
        ends, factor = self.ends, _FAR_OF_SUMS if sums else _FAR
        best: list[NumberSeen] = []
        for below in range(_MOST_APART + 1):
            for above in range(_MOST_APART + 1):
                rest = ends[below : len(ends) - above]
                if len(rest) < _FEWEST or below + above <= len(best):
                    continue
                low, high = rest[0].value, rest[-1].value
                apart = [*ends[:below], *ends[len(ends) - above :]]
                reach = factor * (high - low)
                if all(max(low - one.value, one.value - high) > reach for one in apart):
                    best = apart
        return best


@dataclass(slots=True)
class WordCensus:
    """The words of columns that are neither time nor value, and the lines of other names.

    words: by column, each with how many lines say it; a column with over MOST_WORDS of them is
    dropped. unwanted: how many lines are of each name that nothing is wanted of.
    """

    words: dict[int, Counter[str]] = field(default_factory=dict)
    unwanted: Counter[Where] = field(default_factory=Counter)
    _dropped: set[int] = field(default_factory=set)

    def count_words(self, column: int, text: pl.Series) -> None:
        """Count the words of some cells of a column."""
        if column in self._dropped:
            return
        counts = self.words.setdefault(column, Counter())
        said = text.str.strip_chars().fill_null("").alias("word").value_counts()
        counts.update(dict(zip(said["word"].to_list(), said["count"].to_list(), strict=True)))
        if len(counts) > MOST_WORDS:
            self._dropped.add(column)
            del self.words[column]

    def add_unwanted(self, content: dict[int, pl.Series]) -> None:
        """Count lines of names that nothing is wanted of; content: what they say, by column."""
        frame = pl.DataFrame({str(column): text.fill_null("") for column, text in content.items()})
        for *words, many in frame.group_by(frame.columns).len().iter_rows():
            where = tuple(zip(content, (str(word) for word in words), strict=True))
            self.unwanted[where] += int(many)
