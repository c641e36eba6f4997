"""Which columns a text has: what stands between them, where readings begin, what stands above."""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import dataclass, replace
from itertools import pairwise

from gezeiten.errors import InputError
from gezeiten.exchange.text.form import FIXED, MIXED, SPACES, USUAL_MISSING, TextForm, TimeForm
from gezeiten.exchange.text.layout.lines import split_line
from gezeiten.exchange.text.meaning import trailing_unit, unit_named
from gezeiten.exchange.text.times.wall_clock import WEEKDAY

NUMBER = re.compile(
    r"[+\-−]?(\d{1,3}(?:[.,'’ \u00a0\u202f]\d{3})+(?:[.,]\d*)?|\d+(?:[.,]\d*)?|[.,]\d+)"
    r"([eE][+-]?\d+)?$"
)
"""A number in any writing."""
GLUED = re.compile(
    r"([<>~≈=]{0,2})\s?([+\-−]?[\d.,'’]*\d[.,]*(?:[eE][+-]?\d+)?)\s?([^\d\s.,:;/\-]{0,6}(?:/[a-z]+)?)$"
)
"""A number with what stands before and behind it."""
_AFTER_NAME = re.compile(r"[^\W\d][\w./]{0,15}\s?[=:]\s?[-+−]?[\d.,]+")
_DATE = re.compile(r"\d{1,4}[-./]\d{1,2}[-./]\d{1,4}")
_CLOCK_WITH_POINTS = re.compile(r"(?:[01]?\d|2[0-4])\.[0-5]\d(?:\.[0-5]\d)?")
_DELIMITERS = ((1.0, "\t"), (1.0, ";"), (0.98, ","), (0.98, "|"), (0.9, SPACES), (0.8, MIXED))
"""With how much each is liked where several would do."""
_OFTEN = 0.1
"""Lines of another length are no mistakes where at least so many have it."""
_HEAD_ROWS = 4
_MOST_BEGINS = 5


@dataclass(frozen=True, slots=True)
class Shape:
    """first: index of the first line of readings; columns: how many a line has; widths: of fixed
    ones; ragged: whether some lines lack their last ones."""

    delimiter: str
    first: int
    columns: int
    widths: tuple[int, ...] = ()
    ragged: bool = False

    @property
    def draft(self) -> TextForm:
        """A form that splits lines so."""
        return TextForm(
            "utf-8",
            self.delimiter,
            ".",
            self.first + 1,
            self.columns,
            TimeForm((), ""),
            widths=self.widths,
            ragged=self.ragged,
        )


def shape_of(lines: list[str], delimiter: str = "", starts: tuple[int, ...] = ()) -> Shape:
    """Return the columns of a text. delimiter, starts: what somebody knows better.

    Raises:
        InputError: it has no columns with times and numbers.
    """
    wanted = FIXED if starts else delimiter
    best, best_score = None, 0.0
    for weight, sign in _DELIMITERS:
        if wanted in ("", sign):
            shape, score = _by(sign, lines)
            if shape is not None and (wanted or weight * score > best_score):
                best, best_score = shape, 1.0 if wanted else weight * score
    if best is None or best_score < 0.4 or wanted == FIXED:
        fixed = _in_fixed_width(lines, starts)
        if fixed is not None:
            return fixed
    if best is None or best_score < 0.25:
        raise InputError(
            "No columns with times and numbers are found in this text; choose another file."
        )
    return best


def later(shape: Shape, lines: list[str]) -> list[Shape]:
    """Return shapes of which readings begin further down: in the next line, or where a line that is
    none stands before one that may be one (a head of numbers looks like readings)."""
    rows = [split_line(line, shape.draft) for line in lines]
    fits = [len(row) == shape.columns and has_readings(row) for row in rows]
    begins = [
        i
        for i in range(shape.first + 1, len(lines))
        if fits[i] and (i == shape.first + 1 or not fits[i - 1])
    ]
    return [replace(shape, first=i) for i in begins[:_MOST_BEGINS] if sum(fits[i:]) > 1]


def _by(sign: str, lines: list[str]) -> tuple[Shape | None, float]:
    """Return how lines are split at a sign, and how well that does, from 0 to 1."""
    draft = TextForm("utf-8", sign, ".", 1, 0, TimeForm((), ""))
    rows = [split_line(line, draft) if line.strip() else [] for line in lines]
    readings = [has_readings(row) for row in rows]
    counts = Counter(
        len(row) for row, has in zip(rows, readings, strict=True) if len(row) > 1 and has
    )
    if not counts:
        return None, 0.0
    in_all = counts.total()
    count, often = counts.most_common(1)[0]
    ragged = False
    if sign not in (SPACES, MIXED):
        usual = [one for one, many in counts.items() if many >= _OFTEN * in_all]
        if len(usual) > 1:
            ragged, count = True, max(usual)
            often = sum(many for one, many in counts.items() if one <= count)
    fitting = [1 < len(row) <= count if ragged else len(row) == count for row in rows]
    first = next(i for i, row in enumerate(rows) if fitting[i] and readings[i])
    while first and fitting[first - 1] and _is_without_value(rows[first - 1], rows[first]):
        first -= 1
    after = sum(bool(row) for row in rows[first:])
    body = [row for i, row in enumerate(rows) if i >= first and fitting[i]]
    score = often / max(after, 1) * _cleanness(body)
    if sign in (SPACES, MIXED) and _is_ragged(lines[first:]):
        score *= 0.5
    return Shape(sign, first, count, ragged=ragged), score


def has_readings(row: list[str]) -> bool:
    """Whether a line could be one of readings: something like a time first, and a number."""
    cells = [cell for cell in row if cell]
    clocks = [re.sub(WEEKDAY, "", cell) if cell[0].isalpha() else cell for cell in cells]
    has_digit_first = any(re.match(r"[+\-−]?\d", cell) for cell in clocks[:3]) or any(
        _DATE.match(cell) for cell in clocks
    )
    return (
        has_digit_first
        and len(cells) > 1
        and any(
            NUMBER.match(cell)
            or cell in USUAL_MISSING
            or _is_glued(cell)
            or _AFTER_NAME.match(cell)
            for cell in cells
        )
    )


def _is_without_value(row: list[str], below: list[str]) -> bool:
    """Whether a line is one of readings without a value: what it has is written as below it."""
    if len(row) != len(below):
        return False
    cells = [(_drawn(cell), _drawn(other)) for cell, other in zip(row, below, strict=True) if cell]
    return any("0" in drawn for drawn, _ in cells) and all(a == b for a, b in cells)


def _drawn(cell: str) -> str:
    """Return a cell with 0 for its digits and a for its words."""
    return re.sub(r"[^\W\d_]+", "a", re.sub(r"\d", "0", cell))


def _is_glued(cell: str) -> bool:
    found = GLUED.match(cell)
    return found is not None and len(found[3]) < 6


def _cleanness(rows: list[list[str]]) -> float:
    """Return the share of cells that are one thing each, squared: one wrong column says more than
    many right ones."""
    cells = [cell for row in rows[:60] for cell in row if cell]
    if not cells:
        return 0.0
    return (sum(not _holds_two_values(cell) for cell in cells) / len(cells)) ** 2


def _holds_two_values(cell: str) -> bool:
    """Whether a cell holds two things, or a sign that stands between things: split wrongly."""
    if NUMBER.match(cell):
        return False
    if cell[-1] == "," or cell[0] == "," or any(sign in cell for sign in ';|\t"'):
        return True
    parts = cell.split()
    if len(parts) == 2 and _DATE.fullmatch(parts[0]) and _CLOCK_WITH_POINTS.fullmatch(parts[1]):
        return False
    has_clock = [":" in part for part in parts]
    return any(
        re.fullmatch(r"[+\-]?\d+[.,]\d+", part) is not None
        or (any(has_clock[:i]) and part.isdigit())
        for i, part in enumerate(parts)
        if i
    )


def _is_ragged(lines: list[str]) -> bool:
    """Whether empty cells of a table in fixed columns would shift columns split at blanks."""
    counts = {len(line.split()) for line in lines if line.strip()}
    lengths = {len(line) for line in lines if line.strip()}
    return len(counts) > 1 and len(lengths) == 1


# -- fixed width -----------------------------------------------------------------------------------
def _in_fixed_width(lines: list[str], starts: tuple[int, ...]) -> Shape | None:
    widths = _widths_from(starts, lines) if starts else _fixed_widths(lines)
    if not widths:
        return None
    draft = TextForm("utf-8", FIXED, ".", 1, len(widths), TimeForm((), ""), widths=widths)
    for i, line in enumerate(lines):
        if has_readings(split_line(line, draft)):
            return Shape(FIXED, i, len(widths), widths)
    return None


def _fixed_widths(lines: list[str]) -> tuple[int, ...]:
    """Return column widths where blanks stand one above the other in all lines of readings."""
    body = [line for line in lines if re.match(r"\s*\d", line)]
    if len(body) < 3:
        return ()
    length = max(len(line) for line in body)
    padded = [line.ljust(length) for line in body]
    blank = [all(line[i] == " " for line in padded) for i in range(length)]
    starts = [i for i in range(length) if not blank[i] and (i == 0 or blank[i - 1])]
    if len(starts) < 2:
        return ()
    edges = [0, *starts[1:], length + 64]
    return tuple(b - a for a, b in pairwise(edges))


def _widths_from(starts: tuple[int, ...], lines: list[str]) -> tuple[int, ...]:
    """Return widths of columns that begin where somebody says; the last one takes the rest."""
    longest = max((len(line) for line in lines), default=0)
    edges = [0, *(start for start in sorted(set(starts)) if start > 0)]
    return tuple(b - a for a, b in pairwise([*edges, max(longest, edges[-1]) + 64]))


# -- words above columns ---------------------------------------------------------------------------
@dataclass(frozen=True, slots=True)
class Headings:
    """Words and units above the columns, () where there are none; rows: the lines they stand in,
    counted from 0."""

    words: tuple[str, ...] = ()
    units: tuple[str, ...] = ()
    rows: tuple[int, ...] = ()


def headings_of(lines: list[str], shape: Shape) -> Headings:
    """Return the words above the columns and the units below or behind them, where there are."""
    rows = [
        (
            i,
            _fitted(
                split_line(line.lstrip("#% ") if line[:1] in "#%" else line, shape.draft), shape
            ),
        )
        for i, line in enumerate(lines[: shape.first])
    ]
    fitting = [(i, row) for i, row in rows if row and any(row)][-_HEAD_ROWS:]
    fitting = [
        (i, row) for i, row in fitting if sum(bool(NUMBER.match(c)) for c in row) <= len(row) // 2
    ]
    if not fitting:
        return Headings()
    units_at = next((k for k, (_, row) in enumerate(fitting) if k and _are_units(row)), None)
    if units_at is not None:
        named = fitting[:units_at]
        units = tuple(cell.strip("()[] ") for cell in fitting[units_at][1])
    else:
        named, units = _without_asides(fitting), ()
    words = _joined([row for _, row in named])
    if not units:
        found = tuple(trailing_unit(cell) for cell in words)
        units = found if any(found) else ()
    return Headings(words, units, tuple(i for i, _ in fitting))


def _fitted(row: list[str], shape: Shape) -> list[str]:
    """Return the cells of a line above the columns, [] where it is none."""
    if len(row) == shape.columns:
        return row
    if len(row) == shape.columns + 1 and not row[-1]:
        return row[:-1]
    lacks = shape.columns - len(row)
    if len(row) > 1 and (shape.ragged or (lacks == 1 and shape.delimiter not in (SPACES, MIXED))):
        return [*row, *[""] * lacks] if lacks > 0 else []
    return []


def _are_units(row: list[str]) -> bool:
    """Whether most cells of a row, but those above times, are units."""
    texts = [cell.strip("()[] ") for cell in row if cell.strip("()[] -")]
    units = sum(bool(unit_named(cell)) for cell in texts)
    return units > 0 and units >= 0.5 * (len(texts) - 1)


def _without_asides(rows: list[tuple[int, list[str]]]) -> list[tuple[int, list[str]]]:
    """Return the rows that name columns: the last one, or those above one that only says how."""
    last = rows[-1][1]
    short = {cell.lower() for cell in last if cell}
    if len(rows) > 1 and short <= _ASIDES:
        return rows[:-1]
    return rows if _repeats(last) else rows[-1:]


_ASIDES = {
    "avg",
    "average",
    "min",
    "max",
    "mean",
    "total",
    "inst",
    "std",
    "median",
    "sum",
    "mittel",
    "float",
    "int",
    "double",
    "datetime",
    "string",
    "text",
}
"""Words that say how a value came about, or of which type it is."""


def _repeats(cells: list[str]) -> bool:
    texts = [cell for cell in cells if cell]
    return len(set(texts)) < len(texts)


def _joined(rows: list[list[str]]) -> tuple[str, ...]:
    """Return the words of one row, with those of the rows above where alone they are the same."""
    words = rows[-1]
    for above in reversed(rows[:-1]):
        if not _repeats(words):
            break
        filled, last = [], ""
        for cell in above:
            last = cell or last
            filled.append(last)
        words = [f"{a} {b}".strip() for a, b in zip(filled, words, strict=True)]
    return tuple(words)
