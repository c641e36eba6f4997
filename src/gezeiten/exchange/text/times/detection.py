"""Finding the time of a text: one search, in which each way of writing is weighed against the rest.

It finds which columns are its time, and how it is written. Doubt is told, not guessed.

A few odd lines (a repeated head, a note) do not change what all others say.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace
from datetime import datetime, timedelta
from itertools import pairwise

import polars as pl

from gezeiten.errors import InputError
from gezeiten.exchange.text.form import TimeForm
from gezeiten.exchange.text.questions import FormatQuestion, period_value
from gezeiten.exchange.text.times.part_detection import (
    PART_WORDS,
    parts_by_column_names,
    parts_by_numbers,
    parts_from_patterns,
    yearless_parts,
)
from gezeiten.exchange.text.times.periods import split_period
from gezeiten.exchange.text.times.wall_clock import MIDNIGHT, in_english
from gezeiten.exchange.text.times.written_times import (
    YEARLESS,
    are_few,
    follows,
    moment_of,
    patterns_of,
)
from gezeiten.exchange.text.times.zone_names import offset_hours


def find_time(
    rows: list[list[str]], header: tuple[str, ...], known: tuple[int, ...] = ()
) -> tuple[TimeForm, list[FormatQuestion]]:
    """Return which columns are the time and how it is written; known: where somebody says which."""
    if known:
        return _in_columns(rows, known)
    for find in _WAYS:
        found = find(rows, header)
        if found is not None:
            found = _with_hours(rows, header, found)
            return _with_ends(rows, header, _with_zones(rows, found))
    sparse = _with_sparse_dates(rows, header)
    if sparse is not None:
        return sparse
    doubt = FormatQuestion(
        "time", "No time column was found; which one is it, and what is its format?"
    )
    return TimeForm((0,), "%Y-%m-%d %H:%M:%S"), [doubt]


_Found = tuple[TimeForm, list[FormatQuestion]]
_Way = Callable[[list[list[str]], tuple[str, ...]], _Found | None]


def _with_sparse_dates(rows: list[list[str]], header: tuple[str, ...]) -> _Found | None:
    """Return the time of lines whose day stands only where it changes, or in merged cells: an empty
    cell means the day above it. None of others."""
    for column in range(min(len(rows[0]), 12) if rows else 0):
        texts = [row[column] for row in rows if row[column]]
        if (
            not texts
            or len(texts) == len(rows)
            or not patterns_of(_texts([[one] for one in texts], (0,)))
        ):
            continue
        filled = _filled(rows, column)
        for find in (_written, _day_and_clock_columns):
            found = find(filled, header)
            if found is not None and column in found[0].columns and len(found[0].columns) > 1:
                time, doubts = _with_zones(filled, found)
                return replace(time, fills=(column,), rolls="day"), doubts
    return None


def _filled(rows: list[list[str]], column: int) -> list[list[str]]:
    """Return lines with the empty cells of a column filled by what stands above; those before the
    first one are left out."""
    filled, last = [], ""
    for row in rows:
        last = row[column] or last
        if last:
            filled.append([*row[:column], last, *row[column + 1 :]])
    return filled


def _in_columns(rows: list[list[str]], columns: tuple[int, ...]) -> _Found:
    """Return how the time in these columns is written."""
    if rows and max(columns) >= len(rows[0]):
        raise InputError(f"There is no column {max(columns) + 1}; the file has {len(rows[0])}.")
    if rows:
        texts = _texts(rows, columns)
        fits = patterns_of(texts)
        if fits:
            return _fitting_form(columns, fits, texts)
        parts = parts_from_patterns(rows, columns)
        if parts:
            return TimeForm(columns, " ".join(parts)), []
        counted = _counted_in(rows, columns[0], is_time=True)
        if counted is not None:
            return counted
    doubt = FormatQuestion("time", "The time format of these columns is not known; type it below.")
    return TimeForm(columns, "%Y-%m-%d %H:%M:%S"), [doubt]


# -- written: dates and clocks -----------------------------------------------------------------
def _written(rows: list[list[str]], _header: tuple[str, ...]) -> _Found | None:
    count = len(rows[0]) if rows else 0
    candidates: list[tuple[int, ...]] = [(i,) for i in range(min(count, 24))]
    candidates += [(i, i + 1) for i in range(min(count - 1, 12))]
    if count > 3:
        candidates.append((0, 1, 2))
    for columns in candidates:
        texts = _texts(rows, columns)
        fits = patterns_of(texts)
        if len(columns) < 3 and _rest_is_a_clock(rows, columns) and not _has_clock(fits):
            continue  # a date alone, with the time of day in the next column
        if fits and _clocks(rows, columns) and (len(columns) > 1 or not _has_clock(fits)):
            continue  # or in any other
        if fits:
            return _fitting_form(columns, fits, texts)
    return None


def _texts(rows: list[list[str]], columns: tuple[int, ...]) -> list[str]:
    """Return the cells of columns joined by a blank, in English, a clock's zeros put back."""
    last = [row[columns[-1]] for row in rows]
    if len(columns) > 1 and _is_hhmm(last):
        last = [cell.zfill(4) for cell in last]
    joined = [
        " ".join([*(row[c] for c in columns[:-1]), cell]).strip()
        for row, cell in zip(rows, last, strict=True)
    ]
    if any(re.search(r"[^\W\d_]{3}|[ap]\.?\s?m\b", text, re.IGNORECASE) for text in joined):
        joined = in_english(pl.Series(joined)).to_list()
    return [MIDNIGHT.sub(r"\g<1>00\g<2>00\g<3>\g<4>", text) for text in joined]


def _is_hhmm(cells: list[str]) -> bool:
    """Whether cells are times of day like 5, 10, 355, 1200."""
    numbers = [int(cell) for cell in cells if re.fullmatch(r"\d{1,4}", cell)]
    return (
        are_few(len(cells) - len(numbers), len(cells))
        and max(numbers, default=0) > 99
        and all(number <= 2400 and number % 100 < 60 for number in numbers)
    )


def _has_clock(fits: dict[str, str]) -> bool:
    return any("%H" in p or "%I" in p for p in fits.values())


def _rest_is_a_clock(rows: list[list[str]], columns: tuple[int, ...]) -> bool:
    following = columns[-1] + 1
    if len(rows[0]) <= following:
        return False
    cells = [row[following] for row in rows[:40]]
    if all(re.match(r"\d{1,2}[:.h]\d{2}", cell) for cell in cells[:20]):
        return True
    return _is_hhmm(cells) and len(set(cells)) > 1


def _fitting_form(columns: tuple[int, ...], fits: dict[str, str], texts: list[str]) -> _Found:
    """Return the form where only one order fits; else ask which, by a day that tells."""
    orders = [order for order in ("ymd", "named", "doy", "dmy", "mdy") if order in fits]
    first = orders[0]
    if {"dmy", "mdy"} <= set(orders) and first not in ("ymd", "named"):
        settled = _settled(texts, fits)
        if settled is not None:
            return TimeForm(columns, fits[settled]), []
        telling = next((text for text in texts if _is_ambiguous(text, fits)), None)
        if telling is None:
            return TimeForm(columns, fits["dmy"]), []
        choices = tuple(
            (fits[order], _moment_text(telling, fits[order])) for order in ("dmy", "mdy")
        )
        doubt = FormatQuestion("order", f"“{telling}”: which day is that?", choices)
        return TimeForm(columns, fits["dmy"]), [doubt]
    return TimeForm(columns, fits[first]), []


_ORDER_WORDS = (
    ("mdy", re.compile(r"\b(?:mm?|mois|mes)[-./](?:dd?|tt?|jj?)[-./](?:yy|jj|aa)", re.IGNORECASE)),
    ("dmy", re.compile(r"\b(?:dd?|tt?|jj?|gg?)[-./](?:mm?)[-./](?:yy|jj|aa)", re.IGNORECASE)),
)
"""How a head says which comes first, the day or the month."""


def with_order(
    time: TimeForm, doubts: tuple[FormatQuestion, ...], more: list[list[str]], head: list[str]
) -> tuple[TimeForm, tuple[FormatQuestion, ...]]:
    """Return a time, and what is asked, once the head or any other line of the text has told
    whether the day comes first.

    Args:
        more: lines beside those by which the time was found; head: lines before readings, and the
            words above columns.
    """
    asked = next(
        (doubt for doubt in doubts if doubt.kind == "order" and len(doubt.choices) == 2), None
    )
    if asked is None or not time.columns or not time.pattern.count("%m"):
        return time, doubts
    patterns = dict(zip(("dmy", "mdy"), (value for value, _ in asked.choices), strict=True))
    said = {order for order, shape in _ORDER_WORDS if any(shape.search(line) for line in head)}
    rows = [row for row in more if max(time.columns) < len(row)]
    settled = _settled(_texts(rows, time.columns), patterns) if rows else None
    settled = settled or (said.pop() if len(said) == 1 else None)
    if settled is None:
        return time, doubts
    rest = tuple(doubt for doubt in doubts if doubt is not asked)
    return replace(time, pattern=patterns[settled]), rest


def _settled(texts: list[str], fits: dict[str, str]) -> str | None:
    """Return the order that a day beyond the twelfth tells; None without one, or where they
    differ."""
    only = {
        order: any(follows(text, fits[order]) and not follows(text, fits[other]) for text in texts)
        for order, other in (("dmy", "mdy"), ("mdy", "dmy"))
    }
    informative = [order for order, is_unambiguous in only.items() if is_unambiguous]
    return informative[0] if len(informative) == 1 else None


def _is_ambiguous(text: str, fits: dict[str, str]) -> bool:
    """Whether a date means two days by the two orders; 05/05 does not."""
    both = [moment_of(text, fits[order]) for order in ("dmy", "mdy")]
    return None not in both and both[0] != both[1]


def _moment_text(text: str, pattern: str) -> str:
    moment = moment_of(text, pattern)
    assert moment is not None  # it tells
    return _day_text(moment)


def _day_text(moment: datetime) -> str:
    return f"{moment.day} {moment:%B %Y}"


def _with_hours(rows: list[list[str]], header: tuple[str, ...], found: _Found) -> _Found:
    """Return a time that is a day alone with the column of its hours: one that is called so, or in
    which whole numbers rise from line to line of a day."""
    time, doubts = found
    is_day = "%d" in time.pattern or "%j" in time.pattern
    if not is_day or any(sign in time.pattern for sign in ("%H", "%I", "epoch")) or time.period:
        return found
    for column in range(min(len(rows[0]), 12)):
        if column in time.columns or not _are_hours(rows, time.columns, column, header):
            continue
        whole = replace(time, columns=(*time.columns, column), pattern=f"{time.pattern} %H")
        return whole, [_offset_question(doubt, " %H") for doubt in doubts]
    return found


def _are_hours(
    rows: list[list[str]], days: tuple[int, ...], column: int, header: tuple[str, ...]
) -> bool:
    whole = [
        row for row in rows if re.fullmatch(r"\d{1,2}", row[column]) and int(row[column]) <= 24
    ]
    if not are_few(len(rows) - len(whole), len(rows)):
        return False
    words = re.sub(r"[\[(].*", "", header[column]).strip().lower() if header else ""
    if re.fullmatch(PART_WORDS["%H"], words):
        return True
    keys = [tuple(row[day] for day in days) for row in whole]
    hours = [int(row[column]) for row in whole]
    same_day = [
        b - a
        for a, b, one, other in zip(hours, hours[1:], keys, keys[1:], strict=False)
        if one == other
    ]
    return len(same_day) > len(whole) // 2 and all(step == same_day[0] > 0 for step in same_day)


def _day_and_clock_columns(rows: list[list[str]], _header: tuple[str, ...]) -> _Found | None:
    """Return the time of a day in one column and a clock in another that is not its neighbour."""
    if not rows:
        return None
    clocks = _clocks(rows)
    days = [
        i
        for i in range(min(len(rows[0]), 12))
        if i not in clocks and patterns_of(_texts(rows, (i,)))
    ]
    for day in days:
        for clock in clocks:
            texts = _texts(rows, (day, clock))
            fits = patterns_of(texts)
            if fits and _has_clock(fits):
                return _fitting_form((day, clock), fits, texts)
    return None


def _clocks(rows: list[list[str]], but: tuple[int, ...] = ()) -> list[int]:
    return [
        i
        for i in range(min(len(rows[0]), 12))
        if i not in but and _are_clocks([row[i] for row in rows])
    ]


def _number_columns_with_clock(rows: list[list[str]], header: tuple[str, ...]) -> _Found | None:
    """Return the time of a day in columns of numbers, and a clock written with its signs."""
    return _with_clock_as_number(rows, header, (parts_by_column_names, parts_by_numbers))


def _with_clock_as_number(
    rows: list[list[str]], header: tuple[str, ...], methods: tuple[_Way, ...]
) -> _Found | None:
    """Return the time that is found where a clock like 8:05 stands as 0805 does."""
    for column in _clocks(rows) if rows else ():
        cells = [row[column] for row in rows]
        clock = _clock_pattern(cells)
        if clock is None or "%I" in clock:
            continue
        digits = ["".join(re.findall(r"\d+", f"{cell:0>5}")[:2]) for cell in cells]
        changed = [
            [*row[:column], cell, *row[column + 1 :]]
            for row, cell in zip(rows, digits, strict=True)
        ]
        words = (*header[:column], "hhmm", *header[column + 1 :]) if header else ()
        for find in methods:
            found = find(changed, words)
            if found is not None and column in found[0].columns:
                time, doubts = found
                return replace(time, pattern=time.pattern.replace("%H%M", clock)), [
                    replace(
                        doubt,
                        choices=tuple(
                            (value.replace("%H%M", clock), said) for value, said in doubt.choices
                        ),
                    )
                    for doubt in doubts
                ]
    return None


def _clock_pattern(cells: list[str]) -> str | None:
    """Return how clocks are written, None where each is written otherwise."""
    texts = [f"2000-01-01 {text}" for text in _texts([[cell] for cell in cells], (0,))]
    fits = patterns_of(texts, {"ymd": ("%Y-%m-%d",)})
    return fits["ymd"].removeprefix("%Y-%m-%d").strip() if fits else None


def _are_clocks(cells: list[str]) -> bool:
    good = sum(
        bool(re.fullmatch(r"\d{1,2}[:.h]\d\d(?:[:.]\d\d)?(?:\.\d+)?(?: ?[AaPp]\.?[Mm]\.?)?", cell))
        for cell in cells
    )
    in_colons = any(":" in cell or "h" in cell for cell in cells)
    return in_colons and are_few(len(cells) - good, len(cells))


# -- begins and ends ---------------------------------------------------------------------------
def _in_periods(rows: list[list[str]], _header: tuple[str, ...]) -> _Found | None:
    """Return the time of a column whose cells hold a begin and an end, and ask which counts."""
    for column in range(min(len(rows[0]), 12) if rows else 0):
        pairs = [split_period(row[column]) for row in rows]
        halves = [pair for pair in pairs if pair is not None]
        if not halves or not are_few(len(pairs) - len(halves), len(pairs)):
            continue
        begins = _texts([[begin] for begin, _ in halves], (0,))
        fits = patterns_of(begins)
        if fits:
            time, doubts = _fitting_form((column,), fits, begins)
            choices = tuple(
                (period_value(part, (column,)), f"the {part}: {halves[0][i]}")
                for i, part in enumerate(("begin", "end"))
            )
            question = f"“{rows[0][column]}”: which of the two is the time of the values?"
            doubts = [*doubts, FormatQuestion("period", question, choices)]
            return replace(time, period="begin"), doubts
    return None


def _with_ends(rows: list[list[str]], header: tuple[str, ...], found: _Found) -> _Found:
    """Ask which counts where other columns hold times as well: the begin or the end."""
    time, doubts = found
    if time.period or not rows or "%" not in time.pattern or "%H %M" in time.pattern:
        return found
    wide = len(time.columns)
    for first in range(min(len(rows[0]) - wide + 1, 12)):
        columns = tuple(range(first, first + wide))
        if set(columns) & set(time.columns):
            continue
        texts = _texts(rows, columns)
        if not are_few(sum(not follows(text, time.pattern) for text in texts), len(texts)):
            continue
        if _is_same_instant(_texts(rows, time.columns), texts, time.pattern):
            continue
        return time, [*doubts, _time_column_question(rows, header, (time.columns, columns))]
    return found


def _is_same_instant(first: list[str], second: list[str], pattern: str) -> bool:
    """Whether two times are one, written with two offsets."""
    pairs = [
        (moment_of(a, pattern), moment_of(b, pattern)) for a, b in zip(first, second, strict=True)
    ]
    return all(a == b for a, b in pairs)


def _with_zones(rows: list[list[str]], found: _Found) -> _Found:
    """Return a time with the column whose cells name its zone, where there is one."""
    time, doubts = found
    if not time.needs_zone or time.period or "%" not in time.pattern:
        return found
    for column in range(min(len(rows[0]), 12) if rows else 0):
        cells = [row[column] for row in rows]
        named = sum(map(_names_a_zone, cells))
        if column not in time.columns and are_few(len(cells) - named, len(cells)):
            whole = replace(time, columns=(*time.columns, column), pattern=f"{time.pattern} %Z")
            return whole, [_offset_question(doubt, " %Z") for doubt in doubts]
    return found


_FARTHEST_H = 14.0


def _names_a_zone(cell: str) -> bool:
    """Whether a cell names a zone or says an offset; a negative number is none."""
    hours = offset_hours(cell)
    is_written_so = re.search(r"[^\W\d]|:", cell) or re.fullmatch(r"[+-][01]\d[0-5]\d", cell)
    return (
        hours is not None
        and abs(hours) <= _FARTHEST_H
        and not cell[:1].isdigit()
        and bool(is_written_so)
    )


def _offset_question(doubt: FormatQuestion, sign: str) -> FormatQuestion:
    if doubt.kind != "order":
        return doubt
    return replace(doubt, choices=tuple((f"{one}{sign}", said) for one, said in doubt.choices))


def _time_column_question(
    rows: list[list[str]], header: tuple[str, ...], both: tuple[tuple[int, ...], ...]
) -> FormatQuestion:
    texts = [" ".join(rows[0][column] for column in columns) for columns in both]
    words = [header[columns[0]] if header else f"column {columns[0] + 1}" for columns in both]
    choices = tuple(
        (period_value("", columns), f"“{word}”: {text}")
        for columns, word, text in zip(both, words, texts, strict=True)
    )
    return FormatQuestion(
        "period", "There are two times: which one belongs to the values?", choices
    )


# -- without a day or a year -------------------------------------------------------------------
def yearless_time(rows: list[list[str]], header: tuple[str, ...]) -> _Found | None:
    """Return the time of lines that say a day and a clock without a year; its pattern has the year
    in front. None of others."""
    in_parts = yearless_parts(rows, header)
    if in_parts is not None:
        return in_parts
    in_parts = _with_clock_as_number(rows, header, (yearless_parts,))
    if in_parts is not None:
        return in_parts
    count = min(len(rows[0]), 6) if rows else 0
    for columns in [*((i,) for i in range(count)), *((i, i + 1) for i in range(count - 1))]:
        texts = [f"2000 {text}" for text in _texts(rows, columns)]
        fits = patterns_of(texts, YEARLESS)
        if fits and _has_clock(fits):
            time, doubts = _fitting_form(columns, fits, texts)
            return time, [_without_the_year(doubt) for doubt in doubts]
    return None


def _without_the_year(doubt: FormatQuestion) -> FormatQuestion:
    choices = tuple((value, words.removesuffix(" 2000")) for value, words in doubt.choices)
    return replace(doubt, question=doubt.question.replace("“2000 ", "“"), choices=choices)


def clock_columns(rows: list[list[str]]) -> TimeForm | None:
    """Return the column with a clock, of lines that say no day; its pattern is that of the clock
    alone. None without one."""
    for column in range(min(len(rows[0]), 12) if rows else 0):
        cells = [row[column] for row in rows]
        clock = _clock_pattern(cells) if _are_clocks(cells) else None
        if clock is not None:
            return TimeForm((column,), clock)
    return None


def date_pattern(days: list[str], clock: str) -> tuple[str, list[FormatQuestion]]:
    """Return the pattern of days that stand apart from clocks, both joined by a blank; which order
    it is is asked where days leave it open."""
    texts = [f"{day} 12:34" for day in _texts([[day] for day in days], (0,))]
    fits = patterns_of(texts)
    if not fits:
        return f"%Y-%m-%d {clock}", []
    time, doubts = _fitting_form((0,), fits, texts)

    def pattern(of: str) -> str:
        return of.removesuffix("%H:%M").rstrip() + f" {clock}"

    def of_day(doubt: FormatQuestion) -> FormatQuestion:
        choices = tuple((pattern(value), words) for value, words in doubt.choices)
        return replace(doubt, question=doubt.question.replace(" 12:34", ""), choices=choices)

    return pattern(time.pattern), [of_day(doubt) for doubt in doubts]


# -- counted -----------------------------------------------------------------------------------
_COUNTS: tuple[tuple[str, float, float], ...] = (
    ("epoch_s", 2.0e8, 5.0e9),
    ("epoch_ms", 2.0e11, 5.0e12),
    ("epoch_us", 2.0e14, 5.0e15),
    ("year", 1900.0, 2100.0),
    ("day_1900", 20_000.0, 75_000.0),
)
_DAY_WORDS = re.compile(r"date|time|zeit|datum|day|tag|serial|fecha|heure|data|tijd|jour")


def _counted(rows: list[list[str]], header: tuple[str, ...]) -> _Found | None:
    """Return the time of a column of seconds, days or years that are counted."""
    for column in range(len(rows[0]) if rows else 0):
        words = header[column].lower() if header else ""
        found = _counted_in(rows, column, is_time=column == 0 or bool(_DAY_WORDS.search(words)))
        if found is not None:
            return found
    return None


def _counted_in(rows: list[list[str]], column: int, *, is_time: bool) -> _Found | None:
    cells = [row[column].replace(",", ".") for row in rows]
    numbers = [float(cell) for cell in cells if re.fullmatch(r"\d{4,16}(\.\d+)?", cell)]
    if not numbers or not are_few(len(cells) - len(numbers), len(cells)):
        return None
    rises = [b - a for a, b in pairwise(numbers)]
    goes_on = all(step > 0 for step in rises) or all(step < 0 for step in rises)
    for pattern, low, high in _COUNTS:
        if not all(low <= number <= high for number in numbers):
            continue
        if pattern.startswith("epoch"):
            return TimeForm((column,), pattern), []
        has_fraction = any(number % 1 for number in numbers)
        if not (goes_on and is_time and rises and (has_fraction or pattern == "day_1900")):
            return None
        return (TimeForm((column,), pattern), []) if pattern == "year" else _days(column, numbers)
    return None


def _days(column: int, numbers: list[float]) -> _Found:
    """Return a spreadsheet's count of days; from which year on it counts is asked."""
    first = numbers[0]
    begun = {
        "day_1900": datetime(1899, 12, 30),  # noqa: DTZ001 - of a wall
        "day_1904": datetime(1904, 1, 1),  # noqa: DTZ001
    }
    choices = tuple(
        (name, _day_text(begin + timedelta(days=first))) for name, begin in begun.items()
    )
    doubt = FormatQuestion("order", f"“{first:g}”: which day is that?", choices)
    return TimeForm((column,), "day_1900"), [doubt]


_WAYS = (
    _number_columns_with_clock,
    parts_by_column_names,
    parts_by_numbers,
    _written,
    _day_and_clock_columns,
    _in_periods,
    _counted,
)
"""How times are looked for, the surest first."""
