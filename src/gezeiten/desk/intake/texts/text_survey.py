"""What importing a text would bring, found in all of its lines before anything is imported: how
many readings from when to when, what is left out and why, and what is to be asked."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np

from gezeiten.domain.series.timeline import Times
from gezeiten.exchange.text.census import NumberCensus, WordCensus
from gezeiten.exchange.text.form import AcceptedAnswer, ColumnMapping, ImportTemplate, Where, wheres
from gezeiten.exchange.text.questions import FormatQuestion, accepting
from gezeiten.exchange.text.reading import read_text
from gezeiten.exchange.text.review import SeriesCensus, bounds_of, future_question, questions_about

_MANY = 0.2
"""Of the lines, so many on instants of others say that the time was understood wrongly."""
_QUOTED = re.compile(r"“.*?”")
_MOST_STEPS = 1_000
_FEW_WORDS = 12


@dataclass(slots=True)
class SeriesSurvey:
    """One series of a text: its numbers in the text's unit, and its instants.

    count: readings with a number; first_ms, last_ms: UTC ms, None without any.
    """

    column: ColumnMapping
    numbers: NumberCensus
    first_ms: int | None = None
    last_ms: int | None = None

    def add_times(self, times: Times) -> None:
        """Take the instants of some readings, in order."""
        if not len(times):
            return
        first, last = int(times.min()), int(times.max())
        self.first_ms = first if self.first_ms is None else min(self.first_ms, first)
        self.last_ms = last if self.last_ms is None else max(self.last_ms, last)


@dataclass(slots=True)
class Survey:
    """readings: lines that would give one; doubled: lines whose instant is that of a line before of
    the same station, in the same piece of the text; rejected: other lines, by reason; spoilt: lines
    that would be imported without a cell of theirs. first_ms, last_ms: from when to when, UTC ms,
    None without any. interval_ms: the usual distance of readings, None of a single one. doubts:
    what is to be asked before it is imported. answers: what its other columns say, where these are
    few words.
    """

    readings: int = 0
    doubled: int = 0
    spoilt: int = 0
    rejected: Counter[str] = field(default_factory=Counter)
    first_ms: int | None = None
    last_ms: int | None = None
    interval_ms: int | None = None
    series: list[SeriesSurvey] = field(default_factory=list)
    doubts: list[FormatQuestion] = field(default_factory=list)
    answers: tuple[AcceptedAnswer, ...] = ()

    @property
    def lines(self) -> int:
        """How many lines it has that are no head and not empty."""
        return self.readings + self.doubled + self.rejected.total()

    @property
    def has_many_duplicates(self) -> bool:
        """Whether so many lines fall together that the time must be another one."""
        return self.doubled > _MANY * max(self.lines, 1)


def survey(
    path: Path,
    template: ImportTemplate,
    now_ms: int,
    cancelled: Callable[[], bool] = lambda: False,
    seen_words: dict[int, set[str]] | None = None,
) -> Survey:
    """Return what a text would bring by a tie; stops where that is wished.

    now_ms: UTC ms; readings more than a day after it are asked about. seen_words: by column, what
    the lines say by which it was proposed how the text is read.

    Raises:
        InputError: the tie cannot be used.
    """
    found, words = Survey(), WordCensus()
    used = tuple(one for one in template.columns if one.quantity) or template.columns
    columns = tuple(dict.fromkeys(one.column for one in used))
    rows = wheres(used)
    found.series = [SeriesSurvey(one, NumberCensus(*bounds_of(one))) for one in used]
    steps: Counter[int] = Counter()
    last: dict[Where, int] = {}
    for piece in read_text(path, template.form, columns, cancelled, rows=rows, census=words):
        for where in rows or ((),):
            own = piece.times[piece.of(where)]
            times = np.unique(own)
            found.readings += len(times)
            found.doubled += len(own) - len(times)
            _count_steps(steps, times, last.get(where))
            if len(times):
                last[where] = int(times[-1])
        for one in found.series:
            its = piece.of(one.column.where)
            values = piece.values[one.column.column][its]
            one.numbers.add(values, piece.lines[its])
            one.add_times(piece.times[its][~np.isnan(values)])
        found.spoilt += len(piece.spoilt)
        found.rejected.update(
            _QUOTED.sub("“…”", rejected_line.reason) for rejected_line in piece.rejected
        )
        if len(piece.times):
            first, final = int(piece.times.min()), int(piece.times.max())
            found.first_ms = first if found.first_ms is None else min(found.first_ms, first)
            found.last_ms = final if found.last_ms is None else max(found.last_ms, final)
    found.interval_ms = steps.most_common(1)[0][0] if steps else None
    for where, many in words.unwanted.most_common():
        name = " · ".join(text for _, text in where)
        found.rejected[f"it belongs to “{name}”, which is skipped"] += many
    series = [SeriesCensus(one.column, one.numbers) for one in found.series]
    names = {one.where for one in template.columns}
    found.doubts = questions_about(template.form, series, words, names, seen_words or {})
    found.doubts += future_question(template.form, found.last_ms, now_ms)
    found.answers = tuple(
        AcceptedAnswer("words", column, tuple(sorted(said)))
        for column, said in words.words.items()
        if len(said) <= _FEW_WORDS and all(flags.column != column for flags in template.form.flags)
    )
    return found


def _count_steps(steps: Counter[int], times: Times, before: int | None) -> None:
    """Count the distances of instants in order; before: the last one of the lines before."""
    if before is not None:
        times = np.concatenate(([before], times))
    distances, counts = np.unique(np.abs(np.diff(times)), return_counts=True)
    for distance, many in zip(distances.tolist(), counts.tolist(), strict=True):
        if distance and (distance in steps or len(steps) < _MOST_STEPS):
            steps[distance] += many


def with_values_seen(template: ImportTemplate, found: Survey | None) -> ImportTemplate:
    """Return a tie that holds which words its other columns say, so that the next file of its kind
    raises a question only by other ones."""
    form = template.form
    for one in found.answers if found else ():
        form = accepting(form, one)
    return replace(template, form=form)
