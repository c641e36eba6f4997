"""Finding the time of a text in columns of numbers: year, month, day or day of the year, hour,
minute. Where several ways are possible, the one that makes instants even and in order counts."""

from __future__ import annotations

import re
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import polars as pl
from numpy.typing import NDArray

from gezeiten.exchange.text.form import TimeForm
from gezeiten.exchange.text.questions import FormatQuestion, columns_value
from gezeiten.exchange.text.times.parts_of_time import clock_from_parts
from gezeiten.exchange.text.times.written_times import are_few

PART_WORDS = {
    "%Y": r"year|yyyy|yr|jahr|ann[ée]e|año|ano|anno|jaar",
    "%j": r"doy|jday|julian( day)?|day of( the)? year|yday|tag (im|des) jahre?s?",
    "%m": r"month|mon|mo|mm|monat|mois|mes|mese|maand",
    "%d": r"day|dd|dy|tag|jour|d[íi]a|giorno|dag",
    "%H%M": r"hhmm|hh:?mm|time \(?hhmm\)?",
    "%H": r"hour|hr|hh|stunde|std|heure|hora|ora|uur",
    "%M": r"minute|min|mn|mi|minuto|minuut",
    "%S": r"second|sec|ss|sek|sekunde|seconde|segundo|secondo",
}
"""What stands above columns of parts of a time, in six languages."""
_RANGES = {"%Y": (1900, 2100), "%j": (1, 366), "%m": (1, 12), "%d": (1, 31), "%H": (0, 24),
           "%M": (0, 59), "%S": (0, 60), "%H%M": (0, 2400)}  # fmt: skip
_WITH_BOTH = tuple(
    ("%Y", *day, *clock)
    for day in (("%j", "%m", "%d"), ("%m", "%d", "%j"))
    for clock in (("%H", "%M", "%S"), ("%H", "%M"), ("%H%M",), ("%H",))
)
"""Columns with the day of the year beside month and day."""
_LAYOUTS = (
    *_WITH_BOTH,
    ("%Y", "%m", "%d", "%H", "%M", "%S"),
    ("%Y", "%m", "%d", "%H", "%M"),
    ("%Y", "%m", "%d", "%H%M"),
    ("%Y", "%j", "%H", "%M"),
    ("%Y", "%j", "%H%M"),
    ("%d", "%m", "%Y", "%H", "%M"),
    ("%Y", "%m", "%d", "%H"),
)
"""Columns beside each other, as they stand where nothing is written above them."""
_WHERE_SAID = (*_LAYOUTS, ("%Y", "%j", "%H", "%M", "%S"), ("%d", "%m", "%Y", "%H", "%M", "%S"))
"""What columns may be of which somebody says that they are the time."""
_YEARLESS = (("%j", "%H%M"), ("%j", "%H", "%M"))
_EVEN_ENOUGH = 0.8
_MOST_FIRST = 4


@dataclass(frozen=True, slots=True)
class _Candidate:
    """One way to read the time: which columns are which parts, how even and in order the instants
    are (0 to 1 each), and the instants themselves, ms since 1970."""

    columns: tuple[int, ...]
    patterns: tuple[str, ...]
    order: float
    evenness: float
    instants: NDArray[np.int64]

    @property
    def score(self) -> tuple[float, float, float]:
        """In order, with few lines that share an instant, even: the larger the better."""
        distinct = len(np.unique(self.instants)) / len(self.instants)
        return round(self.order, 4), round(distinct, 4), round(self.evenness, 4)

    @property
    def time(self) -> TimeForm:
        return TimeForm(self.columns, " ".join(self.patterns))


def parts_by_column_names(
    rows: list[list[str]], header: tuple[str, ...]
) -> tuple[TimeForm, list[FormatQuestion]] | None:
    """Return the time of columns that are called year, month, day and so on, in any order."""
    named = _named(header)
    has_day = "%j" in named or {"%m", "%d"} <= named.keys()
    if "%Y" not in named or not has_day:
        return None
    day = ["%m", "%d"] if {"%m", "%d"} <= named.keys() else ["%j"]
    parts = ("%Y", *day, *_clock_of(named))
    columns = tuple(named[part] for part in parts)
    return (TimeForm(columns, " ".join(parts)), []) if _are_parts(rows, columns, parts) else None


def _named(header: tuple[str, ...]) -> dict[str, int]:
    """Return by part of a time the column that is called so."""
    named: dict[str, int] = {}
    for column, words in enumerate(header):
        bare = re.sub(r"[\[(].*", "", words).strip().lower()
        for part, pattern in PART_WORDS.items():
            if part not in named and re.fullmatch(pattern, bare):
                named[part] = column
                break
    return named


def _clock_of(named: dict[str, int]) -> list[str]:
    return ["%H%M"] if "%H%M" in named else [p for p in ("%H", "%M", "%S") if p in named]


def parts_by_numbers(
    rows: list[list[str]], _header: tuple[str, ...]
) -> tuple[TimeForm, list[FormatQuestion]] | None:
    """Return the time of columns beside each other whose numbers are those of a date and clock;
    asked is where two ways to read them are as good."""
    found = [candidate for parts in _LAYOUTS for candidate in _candidates(rows, parts)]
    if not found:
        return None
    best = max(found, key=lambda one: (*one.score, len(one.patterns)))
    others = [one for one in found if one.score == best.score and not _agree(one, best)]
    if not others:
        return best.time, []
    choices = {
        _example(one): columns_value(one.columns, " ".join(one.patterns)) for one in (best, *others)
    }
    question = f"“{' '.join(rows[0][: max(best.columns) + 1])}”: which time is that?"
    doubt = FormatQuestion(
        "columns", question, tuple((value, words) for words, value in choices.items())
    )
    return best.time, [doubt] if len(choices) > 1 else []


def _agree(one: _Candidate, best: _Candidate) -> bool:
    """Whether a way to read the time says nothing else than the best one: a coarser one of the same
    day, or the same instants."""
    if np.array_equal(one.instants, best.instants):
        return True
    return (
        one.columns == best.columns[: len(one.columns)]
        and one.patterns == best.patterns[: len(one.patterns)]
    )


def _example(one: _Candidate) -> str:
    first = np.datetime64(int(one.instants[0]), "ms").astype("datetime64[s]")
    return str(first).replace("T", " ")


def _candidates(rows: list[list[str]], parts: tuple[str, ...]) -> list[_Candidate]:
    """Return the places at which columns can be these parts."""
    count = len(rows[0]) if rows else 0
    found = []
    for first in range(min(_MOST_FIRST, count - len(parts) + 1)):
        columns = tuple(range(first, first + len(parts)))
        if not _are_parts(rows, columns, parts) or not _increase(rows, columns, parts):
            continue
        candidate = _candidate(rows, columns, parts)
        if candidate is not None:
            found.append(candidate)
    return found


def _candidate(
    rows: list[list[str]], columns: tuple[int, ...], parts: tuple[str, ...]
) -> _Candidate | None:
    """Return a way to read the time, None where the day of the year is another one than that of
    month and day."""
    if {"%j", "%m"} <= set(parts):
        others = [i for i, part in enumerate(parts) if part not in ("%m", "%d")]
        of_year = _instants(rows, [columns[i] for i in others], [parts[i] for i in others])
        selected = [i for i, part in enumerate(parts) if part != "%j"]
        columns, parts = tuple(columns[i] for i in selected), tuple(parts[i] for i in selected)
        instants = _instants(rows, list(columns), list(parts))
        if not np.array_equal(of_year, instants):
            return None
    else:
        instants = _instants(rows, list(columns), list(parts))
    if len(instants) < 2:
        return None
    return _Candidate(columns, parts, *_order_and_evenness(instants), instants)


def _instants(rows: list[list[str]], columns: list[int], parts: list[str]) -> NDArray[np.int64]:
    """Return what a clock shows in those lines that say it, ms since 1970."""
    cells = [pl.Series([row[column] for row in rows], dtype=pl.String) for column in columns]
    return clock_from_parts(cells, parts).drop_nulls().to_numpy().astype(np.int64)


def _order_and_evenness(instants: NDArray[np.int64]) -> tuple[float, float]:
    """Return the share of steps in the usual direction, and of those as long as the usual one;
    lines of one instant (several stations) count as one."""
    steps = np.diff(instants)
    steps = steps[steps != 0]
    if not len(steps):
        return 0.0, 0.0
    forward = float(np.count_nonzero(steps > 0)) / len(steps)
    _, counts = np.unique(np.abs(steps), return_counts=True)
    return max(forward, 1 - forward), float(counts.max()) / len(steps)


def parts_from_patterns(rows: list[list[str]], columns: tuple[int, ...]) -> tuple[str, ...]:
    """Return of which parts of a time columns are that somebody says are the time, () of none."""
    fitting = [
        parts
        for parts in _WHERE_SAID
        if len(parts) == len(columns) and _are_parts(rows, columns, parts)
    ]
    found = [(parts, _candidate(rows, columns, parts)) for parts in fitting]
    scored = [(one.score, parts) for parts, one in found if one is not None]
    return max(scored, key=lambda one: one[0])[1] if scored else ()


def yearless_parts(
    rows: list[list[str]], header: tuple[str, ...]
) -> tuple[TimeForm, list[FormatQuestion]] | None:
    """Return the time of lines that say the day of the year and a clock, but no year: its pattern
    has the year in front. None of others."""
    named = _named(header)
    if "%j" in named and "%Y" not in named and _clock_of(named):
        parts = ("%j", *_clock_of(named))
        columns = tuple(named[part] for part in parts)
        if _are_parts(rows, columns, parts):
            return TimeForm(columns, " ".join(("%Y", *parts))), []
    count = len(rows[0]) if rows else 0
    best: tuple[int, TimeForm] | None = None
    for parts in _YEARLESS:
        for first in range(min(_MOST_FIRST, count - len(parts))):
            columns = tuple(range(first, first + len(parts)))
            if not _are_parts(rows, columns, parts) or _count_lines(rows, columns):
                continue
            instants = _in_2000(rows, columns, parts)
            different = len(np.unique(instants))
            if _are_even(instants) and (best is None or different > best[0]):
                best = different, TimeForm(columns, " ".join(("%Y", *parts)))
    return (best[1], []) if best is not None else None


def _in_2000(
    rows: list[list[str]], columns: tuple[int, ...], parts: tuple[str, ...]
) -> NDArray[np.int64]:
    with_year = [["2000", *(row[column] for column in columns)] for row in rows]
    return _instants(with_year, list(range(len(parts) + 1)), ["%Y", *parts])


def _are_even(instants: NDArray[np.int64]) -> bool:
    order, evenness = _order_and_evenness(instants) if len(instants) > 1 else (0.0, 0.0)
    return order > _EVEN_ENOUGH and evenness > _EVEN_ENOUGH


def _count_lines(rows: list[list[str]], columns: tuple[int, ...]) -> bool:
    """Whether the first column counts lines while the clock beside it goes on: no days."""
    pairs = list(pairwise(rows))
    both = sum(a[columns[0]] != b[columns[0]] and a[columns[1]] != b[columns[1]] for a, b in pairs)
    return both > 0.5 * len(pairs)


def _are_parts(rows: list[list[str]], columns: tuple[int, ...], parts: tuple[str, ...]) -> bool:
    odd = sum(not _is_date(row, columns, parts) for row in rows)
    return bool(rows) and are_few(odd, len(rows))


def _is_date(row: list[str], columns: tuple[int, ...], parts: tuple[str, ...]) -> bool:
    for column, part in zip(columns, parts, strict=True):
        if not re.fullmatch(r"\d{1,4}", row[column]):
            return False
        low, high = _RANGES[part]
        number = int(row[column])
        if not low <= number <= high or (part == "%H%M" and number % 100 > 59):
            return False
    return True


def _increase(rows: list[list[str]], columns: tuple[int, ...], parts: tuple[str, ...]) -> bool:
    """Whether the dates go one way: numbers that only look like one do not."""
    order = sorted(range(len(parts)), key=lambda i: "%Y %j %m %d %H%M %H %M %S".find(parts[i]))
    keys = [
        tuple(int(row[columns[i]]) for i in order) for row in rows if _is_date(row, columns, parts)
    ]
    # lines of several stations come at one instant
    steps = [(b > a) - (b < a) for a, b in pairwise(keys) if a != b]
    return len(steps) >= 0.1 * len(keys) and abs(sum(steps)) >= 0.8 * len(steps)
