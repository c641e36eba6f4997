"""Proposing how a text is to be read, by its beginning and end. Doubt is told, not guessed."""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import dataclass, replace
from itertools import pairwise
from pathlib import Path

from gezeiten.errors import InputError
from gezeiten.exchange.text.finding_times import Doubt, find_time
from gezeiten.exchange.text.form import (
    FIXED,
    SPACES,
    USUAL_MISSING,
    ColumnTie,
    TextForm,
    TimeForm,
)
from gezeiten.exchange.text.meaning import meaning, unit_behind, unit_named
from gezeiten.exchange.text.reading import split_line, text_pieces

SAMPLE_LINES = 400
_SAMPLE_BYTES = 256 << 10
_NUMBER = re.compile(r"[+-]?(\d+([.,]\d*)?|[.,]\d+)([eE][+-]?\d+)?$")
_DATE = re.compile(r"\d{1,4}[-./]\d{1,2}[-./]\d{1,4}")
_DELIMITERS = ((1.0, "\t"), (1.0, ";"), (0.98, ","), (0.9, SPACES))
"""With how much each is liked where several would do."""


@dataclass(frozen=True, slots=True)
class Proposal:
    """How the text seems to be written. lines: its first ones, as they are, numbered from 1."""

    form: TextForm
    lines: tuple[str, ...]
    columns: tuple[ColumnTie, ...]
    doubts: tuple[Doubt, ...]


@dataclass(frozen=True, slots=True)
class Known:
    """What somebody knows of a text; the rest is found out.

    delimiter: what stands between the columns, or "". starts: where columns of fixed width begin,
    counted from 0, or (). time_columns: which columns are the time, or ().
    """

    delimiter: str = ""
    starts: tuple[int, ...] = ()
    time_columns: tuple[int, ...] = ()


NOTHING_KNOWN = Known()


def propose(path: Path, known: Known = NOTHING_KNOWN) -> Proposal:
    """Return how a text is proposed to be read.

    Raises:
        InputError: it cannot be read, is no text, or has no columns with times and numbers.
    """
    encoding = sniff_encoding(_head(path))
    lines = _first_lines(path, encoding)
    tail = _last_lines(path, encoding)
    delimiter, first, count, widths = _shape(lines, known)
    draft = TextForm(encoding, delimiter, ".", first + 1, count, TimeForm((), ""), widths=widths)
    rows = [row for row in (split_line(line, draft) for line in lines[first:] + tail)
            if len(row) == count]  # fmt: skip
    header, units = _headings(lines[:first], draft)
    time, time_doubts = find_time(rows, header, known.time_columns)
    decimal, decimal_doubts = _decimal(rows, time.columns, delimiter)
    form = replace(draft, decimal=decimal, time=time, header=header, units=units)
    doubts = (*time_doubts, *decimal_doubts)
    if time.needs_zone:
        doubts = (*doubts, Doubt("zone", "In which time zone are the times?"))
    columns = _columns(rows, form)
    doubts = (*doubts, *_marks(rows, [one.column for one in columns], decimal))
    return Proposal(form, tuple(lines[:60]), columns, doubts)


# -- bytes to lines --------------------------------------------------------------------------------
def _head(path: Path) -> bytes:
    try:
        with path.open("rb") as file:
            return file.read(_SAMPLE_BYTES)
    except OSError as exc:
        raise InputError(f"{path.name} cannot be read; check its name and rights.") from exc


def sniff_encoding(head: bytes) -> str:
    """Return the encoding of bytes: by their mark, by zero bytes, by whether they are UTF-8.

    Raises:
        InputError: it is no text.
    """
    if head.startswith(b"\xff\xfe"):
        return "utf-16-le"
    if head.startswith(b"\xfe\xff"):
        return "utf-16-be"
    even, odd = head[0::2].count(0), head[1::2].count(0)
    if odd > len(head) // 4 and even == 0:
        return "utf-16-le"
    if even > len(head) // 4 and odd == 0:
        return "utf-16-be"
    if even or odd:
        raise InputError("This is no text; choose a file with lines of readings.")
    try:
        head.decode("utf-8")
    except UnicodeDecodeError as exc:
        if exc.start < len(head) - 4:  # not just a sign cut in two at the end
            return "cp1252"
    return "utf-8"


def _first_lines(path: Path, encoding: str) -> list[str]:
    for _, data, _ in text_pieces(path, encoding, _SAMPLE_BYTES):
        text = data.decode("utf-8", errors="replace").removeprefix("\ufeff")
        return text.split("\n")[:SAMPLE_LINES]
    raise InputError(f"{path.name} is empty; choose a file with lines of readings.")


def _last_lines(path: Path, encoding: str) -> list[str]:
    """Return some lines of the file's end, so that dates of a long file are all known."""
    size = path.stat().st_size
    if size <= _SAMPLE_BYTES:
        return []
    with path.open("rb") as file:
        file.seek((size - _SAMPLE_BYTES // 4) // 2 * 2)
        text = file.read().decode(encoding, errors="replace").replace("\r", "")
    return text.split("\n")[1:-1][-SAMPLE_LINES:]


# -- columns ---------------------------------------------------------------------------------------
def _shape(lines: list[str], known: Known) -> tuple[str, int, int, tuple[int, ...]]:
    """Return delimiter, index of the first line of readings, number of columns, fixed widths."""
    wanted = FIXED if known.starts else known.delimiter
    best: tuple[float, str, int, int] = (0.0, "", 0, 0)
    for weight, delimiter in _DELIMITERS:
        if wanted not in ("", delimiter):
            continue
        draft = TextForm("utf-8", delimiter, ".", 1, 0, TimeForm((), ""))
        rows = [split_line(line, draft) if line.strip() else [] for line in lines]
        counts = Counter(len(row) for row in rows if len(row) > 1 and _has_readings(row))
        if not counts:
            continue
        count, often = counts.most_common(1)[0]
        first = next(i for i, r in enumerate(rows) if len(r) == count and _has_readings(r))
        after = sum(bool(row) for row in rows[first:])
        score = weight * often / max(after, 1)
        if delimiter == SPACES and _is_ragged(lines[first:]):
            score *= 0.5
        if score > best[0]:
            best = (score, delimiter, first, count)
    score, delimiter, first, count = best
    if score < 0.5 or wanted == FIXED:
        widths = _widths_from(known.starts, lines) if known.starts else _fixed_widths(lines)
        if widths:
            draft = TextForm("utf-8", FIXED, ".", 1, len(widths), TimeForm((), ""), widths=widths)
            for i, line in enumerate(lines):
                if _has_readings(split_line(line, draft)):
                    return FIXED, i, len(widths), widths
        raise InputError(
            "No columns with times and numbers are found in this text; choose another file."
        )
    return delimiter, first, count, ()


def _has_readings(row: list[str]) -> bool:
    """Whether a line could be one of readings: something like a time first, and a number."""
    cells = [cell for cell in row if cell]
    has_digit_first = any(re.match(r"\d", cell) for cell in cells[:3]) or any(
        _DATE.match(cell) for cell in cells
    )
    numbers = sum(bool(_NUMBER.match(cell)) or cell in USUAL_MISSING for cell in cells)
    return has_digit_first and len(cells) > 1 and numbers > 0


def _is_ragged(lines: list[str]) -> bool:
    """Whether empty cells of a table in fixed columns would shift columns split at blanks."""
    counts = {len(line.split()) for line in lines if line.strip()}
    lengths = {len(line) for line in lines if line.strip()}
    return len(counts) > 1 and len(lengths) == 1


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


def _headings(before: list[str], form: TextForm) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """Return the words above the columns and the row of units below them, where there are."""
    rows = [split_line(line.lstrip("#% "), form) for line in before]
    fitting = [row for row in rows if len(row) == form.columns and any(row)]
    if not fitting:
        return (), ()
    last = fitting[-1]
    looks_like_units = len(fitting) > 1 and all(len(cell) <= 10 for cell in last) and any(
        unit_named(cell.strip("()[]")) for cell in last
    )  # fmt: skip
    if looks_like_units:
        return tuple(fitting[-2]), tuple(cell.strip("()[]") for cell in last)
    units = [unit_behind(cell) for cell in last]
    return tuple(last), tuple(units) if any(units) else ()


# -- numbers, quantities ---------------------------------------------------------------------------
def _decimal(
    rows: list[list[str]], time: tuple[int, ...], delimiter: str
) -> tuple[str, list[Doubt]]:
    """Return the decimal sign, and a doubt where 1,234 could be either."""
    cells = [cell for row in rows for i, cell in enumerate(row) if i not in time]
    commas = [cell for cell in cells if re.fullmatch(r"[+-]?\d+,\d+", cell)]
    points = [cell for cell in cells if re.fullmatch(r"[+-]?\d*\.\d+", cell)]
    if delimiter == "," or not commas:
        return ".", []
    if points or all(re.fullmatch(r"[+-]?\d{1,3},\d{3}", cell) for cell in commas):
        choices = ((",", "a decimal sign"), (".", "a sign between thousands"))
        return ",", [Doubt("decimal", f"“{commas[0]}”: what is the comma?", choices)]
    return ",", []


_FAR = 3.0
"""How many times as far as all others lie apart a number lies from them that may mean nothing."""


def _marks(rows: list[list[str]], columns: list[int], decimal: str) -> list[Doubt]:
    """Ask about numbers that come again exactly and lie far from all others: -8888, 99.99, 1e20."""
    found: dict[str, int] = {}
    for column in columns:
        cells = [row[column] for row in rows
                 if _NUMBER.match(row[column]) and row[column] not in USUAL_MISSING]  # fmt: skip
        values = {cell: float(cell.replace(decimal, ".")) for cell in set(cells)
                  if cell.count(",") <= (decimal == ",")}  # fmt: skip
        for mark, often in Counter(cells).items():
            others = [value for cell, value in values.items() if cell != mark]
            if often > 1 and mark in values and _is_far(values[mark], others):
                found[mark] = found.get(mark, 0) + often
    if not found:
        return []
    listed = ", ".join(f"“{mark}” ({often} times)" for mark, often in found.items())
    question = f"{listed} in the lines looked at, far from all other numbers: what does it mean?"
    return [Doubt("missing", question, (("\n".join(found), "no value"), ("", "a value")))]


def _is_far(value: float, others: list[float]) -> bool:
    if len(others) < 3:
        return False
    low, high = min(others), max(others)
    return max(low - value, value - high) > _FAR * (high - low)


def _columns(rows: list[list[str]], form: TextForm) -> tuple[ColumnTie, ...]:
    """Return what the columns of numbers seem to measure; "" where nothing tells."""
    ties = []
    taken: set[str] = set()
    for column in range(form.columns):
        cells = [row[column] for row in rows]
        numbers = [c for c in cells if _NUMBER.match(c)]
        usable = [c for c in cells if c not in USUAL_MISSING]
        if column in form.time.columns or not usable or len(numbers) < 0.5 * len(usable):
            continue
        words = form.header[column] if form.header else ""
        unit = form.units[column] if form.units else ""
        quantity, told = meaning(words, unit)
        if quantity in taken:
            quantity = ""
        taken.add(quantity)
        ties.append(ColumnTie(column, quantity, told))
    return tuple(ties)
