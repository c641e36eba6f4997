"""Texts made such that a line holds the readings of one instant: tables whose columns are the hours
of a day or the days of a month are unfolded, cells with line breaks in quotes are joined."""

from __future__ import annotations

import csv
import re
from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import date

from gezeiten.exchange.text.form import ACROSS, COMMAS, QUOTED, Opening
from gezeiten.exchange.text.times.wall_clock import MONTH_NAMES

_SIGNS = "\t;,|"
_LABEL = re.compile(
    r"(?i)^(?:h|hr|hour|std|stunde|uhr|heure|hora|ora|uur|day|tag)?[\s_.]?"
    r"(\d{1,2})(?:[:.h](\d\d))?(?:[:.]00)?\s?(?:h|hr|hrs|uhr|std)?\.?$"
)
_DATE = re.compile(r"\d{1,4}[-./]\d{1,2}[-./]\d{1,4}|(?:19|20)\d{6}$")
_MIDNIGHT = re.compile(r"(?<=\d)[ T]00:00(?::00)?$")
_YEAR_AND_MONTH = re.compile(r"((?:19|20)\d\d)[-./](\d\d?)$|(\d\d?)[-./]((?:19|20)\d\d)$")
_DAY_MINUTES = 1_440
_LEAST = 8
"""Columns of a day; fewer might be anything."""
_MONTH_DAYS = 31
_LONGEST_CELL = 20
"""Lines that one cell in quotes may have."""


@dataclass(frozen=True, slots=True)
class HourColumns:
    """A line above columns that are hours of a day, or days of a month.

    sign: between cells; first, count: of these columns; step_min: minutes from one to the next, 0
    where they are days; from_zero: whether the first hour is called 0, else hours are called by
    their ends.
    """

    sign: str
    first: int
    count: int
    step_min: int
    from_zero: bool

    @property
    def labels(self) -> list[str]:
        """What of the time each of the columns says."""
        if not self.step_min:
            return [str(i + 1) for i in range(self.count)]
        begins = [_clock(i * self.step_min) for i in range(self.count)]
        if self.from_zero:
            return begins
        ends = [_clock((i + 1) * self.step_min) for i in range(self.count)]
        return [f"{a} - {b}" for a, b in zip(begins, ends, strict=True)]


def _clock(minutes: int) -> str:
    return f"{minutes // 60:02}:{minutes % 60:02}"


def cells_of(line: str, sign: str) -> list[str]:
    """Return the cells of a line, quotes and blanks around them taken off."""
    if '"' not in line:
        return [cell.strip() for cell in line.split(sign)]
    try:
        return [cell.strip() for cell in next(csv.reader([line], delimiter=sign), [])]
    except csv.Error:
        return [line]


def arranged(lines: list[str]) -> Opening:
    """Return what has to be done with lines before they can be read, () with most."""
    found: Opening = ()
    if has_broken_cells(lines):
        found, lines = ((QUOTED, ""),), list(joined(lines))
    if any(map(_halves_below, lines, lines[1:], lines[2:])):
        found, lines = (*found, (COMMAS, "")), list(join_decimal_commas(lines))
    return (*found, (ACROSS, "")) if has_across(lines) else found


# -- hours or days across --------------------------------------------------------------------------
def across_of(line: str) -> HourColumns | None:
    """Return what a line above hours or days across says, None of any other line."""
    for sign in _SIGNS:
        cells = cells_of(line, sign) if sign in line else []
        if len(cells) > _LEAST:
            hour_columns = _hours_or_days(cells, sign)
            if hour_columns is not None:
                return hour_columns
    return None


def _hours_or_days(cells: list[str], sign: str) -> HourColumns | None:
    minutes = [_minutes(cell) for cell in cells]
    first, count, step = max(
        ((i, *_evenly(minutes, i)) for i in range(1, len(cells))), key=lambda one: one[1]
    )
    begin = minutes[first]
    if count < _LEAST:
        return None
    if step * count == _DAY_MINUTES and begin in (0, step):
        return HourColumns(sign, first, count, step, from_zero=begin == 0)
    if count == _MONTH_DAYS and begin == step == 60:  # 1 to 31: as hours more than a day has
        return HourColumns(sign, first, count, 0, from_zero=False)
    return None


def _minutes(cell: str) -> int | None:
    found = _LABEL.match(cell.strip())
    return None if found is None else int(found[1]) * 60 + int(found[2] or 0)


def _evenly(minutes: list[int | None], first: int) -> tuple[int, int]:
    """Return how many minutes from the first on are evenly apart, and how far."""
    count, step = int(minutes[first] is not None), 0
    for i in range(first + 1, len(minutes)):
        before, here = minutes[i - 1], minutes[i]
        if before is None or here is None or here <= before or step not in (0, here - before):
            break
        count, step = count + 1, here - before
    return count, step


def has_across(lines: list[str]) -> bool:
    """Whether lines have one above hours or days across, and such lines below it."""
    for i, line in enumerate(lines):
        hour_columns = across_of(line)
        if hour_columns is not None:
            below = [_unfolded(one, hour_columns) for one in lines[i + 1 :]]
            return sum(bool(one) for one in below) > 1
    return False


def unfolded(lines: Iterable[str]) -> Iterator[str]:
    """Yield lines with one hour, or one day, in each, tabs between their cells; others as they are,
    but for those above such columns."""
    across: HourColumns | None = None
    for line in lines:
        hour_columns = across_of(line)
        if hour_columns is not None:
            across = hour_columns
            continue  # its words are about columns that are gone
        yield from (across and _unfolded(line, across)) or [line]


def _unfolded(line: str, across: HourColumns) -> list[str]:
    """Return the lines that a line of a table becomes, [] where it is none of the table."""
    cells = cells_of(line, across.sign)
    before = [_MIDNIGHT.sub("", cell) for cell in cells[: across.first]]
    values = cells[across.first : across.first + across.count]
    is_of_table = any(re.search(r"\d", value) for value in values)
    if not is_of_table or any(re.search(r"\d:\d\d", cell) for cell in before):
        return []  # where lines say a clock, the columns are no hours
    if not across.step_min:
        days = [_with_date([*_split_cells(before), label]) for label in across.labels]
        return [
            "\t".join([*day, value])
            for day, value in zip(days, values, strict=False)
            if day is not None
        ]
    head = before if any(_DATE.match(cell) for cell in before) else _with_date(before)
    if head is None:
        return []
    at = next(i for i, cell in enumerate(head) if _DATE.match(cell))
    return [
        "\t".join([*head[:at], f"{head[at]} {label}", *head[at + 1 :], value])
        for label, value in zip(across.labels, values, strict=False)
    ]


def _split_cells(cells: list[str]) -> list[str]:
    """Return cells with year and month apart where one holds both: "2024-05"."""
    parted: list[str] = []
    for cell in cells:
        found = _YEAR_AND_MONTH.match(cell)
        parted += [cell] if found is None else [found[1] or found[4], found[2] or found[3]]
    return parted


def _with_date(cells: list[str]) -> list[str] | None:
    """Return cells of which three are a year, a month and a day, these as one date; None where
    none are, as on 31 February."""
    numbers = [_number(cell) for cell in cells]
    for at in range(len(cells) - 2):
        for order in ((0, 1, 2), (2, 1, 0)):
            year, month, day = (numbers[at + i] for i in order)
            if year is None or month is None or day is None or not 1800 <= year <= 2200:
                continue
            try:
                whole = date(year, month, day).isoformat()
            except ValueError:
                return None
            return [*cells[:at], whole, *cells[at + 3 :]]
    return None


def _number(cell: str) -> int | None:
    if cell.isdecimal():
        return int(cell)
    english = MONTH_NAMES.get(cell.lower().rstrip("."))
    return None if english is None else list(dict.fromkeys(MONTH_NAMES.values())).index(english) + 1


# -- decimal commas between commas -----------------------------------------------------------------
_HALVES = re.compile(r"[+\-−]?\d+$")


def _halves_below(head: str, first: str, second: str) -> int:
    """Return how many numbers a line has that commas cut in two, 0 where they do not: the line
    above has a word for each, at the end of as many as there are in all."""
    words, cells = cells_of(head, ","), cells_of(first, ",")
    halves = len(cells) - len(words)
    whole = len(words) - halves
    if not 0 < halves < len(words) or len(cells_of(second, ",")) != len(cells):
        return 0
    if any(_HALVES.match(word) for word in words[whole:]) or '"' in first:
        return 0
    are_cut = all(_are_halves(cells_of(line, ","), whole) for line in (first, second))
    return halves if are_cut and not any(_HALVES.match(cell) for cell in cells[:whole]) else 0


def _are_halves(cells: list[str], whole: int) -> bool:
    return all(
        _HALVES.match(a) and b.isdecimal()
        for a, b in zip(cells[whole::2], cells[whole + 1 :: 2], strict=True)
    )


def join_decimal_commas(lines: Iterable[str]) -> Iterator[str]:
    """Yield lines with semicolons between columns where commas stood there and in numbers; those
    that have other columns as they are."""
    recent: list[str] = []
    words = halves = 0
    for line in lines:
        recent = [*recent[-2:], line]
        if len(recent) < 3:
            continue
        below = _halves_below(*recent)
        if below:
            halves, words = below, len(cells_of(recent[0], ","))
        yield _joined_line(recent[0], words, halves)
    yield from (
        _joined_line(line, words, halves) for line in (recent if len(recent) < 3 else recent[1:])
    )


def _joined_line(line: str, words: int, halves: int) -> str:
    cells = cells_of(line, ",")
    whole = words - halves
    if halves and len(cells) == words:
        return ";".join(cells)
    if not halves or len(cells) != words + halves or not _are_halves(cells, whole):
        return line
    numbers = [f"{a},{b}" for a, b in zip(cells[whole::2], cells[whole + 1 :: 2], strict=True)]
    return ";".join([*cells[:whole], *numbers])


# -- line breaks in quotes -------------------------------------------------------------------------
def has_broken_cells(lines: list[str]) -> bool:
    """Whether some cells in quotes go on in the line below."""
    return any(line.count('"') % 2 for line in lines) and len(list(joined(lines))) < len(lines)


def joined(lines: Iterable[str]) -> Iterator[str]:
    """Yield lines with those joined that a cell in quotes goes over. One whose quotes are not
    closed soon, or would then have other columns than the lines around it, stays as it is."""
    waiting: list[str] = []
    usual: Counter[tuple[str, int]] = Counter()
    for line in lines:
        waiting.append(line)
        if sum(one.count('"') for one in waiting) % 2 == 0:
            yield from _joined_lines(waiting, usual)
            waiting = []
        elif len(waiting) > _LONGEST_CELL:
            yield from waiting
            waiting = []
    yield from waiting


def _joined_lines(waiting: list[str], usual: Counter[tuple[str, int]]) -> list[str]:
    whole = " ".join(one.strip() for one in waiting)
    if len(waiting) == 1:
        usual.update((sign, len(cells_of(whole, sign))) for sign in _SIGNS if sign in whole)
        return waiting
    columns = {(sign, len(cells_of(whole, sign))) for sign in _SIGNS if sign in whole}
    alone = {
        (sign, len(cells_of(one, sign))) for one in waiting[1:] for sign in _SIGNS if sign in one
    }
    is_known = not usual or any(usual[column] for column in columns)
    are_lines = any(usual[one] for one in alone) or _split_alike(waiting[1:-1])
    return [whole] if is_known and not are_lines else waiting


def _split_alike(lines: list[str]) -> bool:
    """Whether lines are split alike by some sign: they are lines, not parts of a cell."""
    counts = [{line.count(sign) for line in lines} for sign in _SIGNS]
    return len(lines) > 1 and any(len(one) == 1 and one != {0} for one in counts)
