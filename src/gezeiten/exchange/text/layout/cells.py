"""How the cells of values are written: decimal signs, thousands, marks for no value, flags."""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import replace

from gezeiten.exchange.text.form import USUAL_MISSING, Flags, TextForm
from gezeiten.exchange.text.layout.numbers import missing_numbers, number_of
from gezeiten.exchange.text.layout.shapes import GLUED, NUMBER
from gezeiten.exchange.text.meaning import unit_named
from gezeiten.exchange.text.questions import FormatQuestion
from gezeiten.exchange.text.stations import describes_values

_FAR = 3.0
"""How many times as far as all others lie apart a number lies from them that may mean nothing."""
_MOST_FLAGS = 12
_FLAG_LETTERS = 3
_FLAG_WORDS = re.compile(
    r"flag|qual|source|status|valid|\bqc\b|\bqf\b|code|güte|guete|bemerk|remark|error",
    re.IGNORECASE,
)
_GROUPS = r"[+\-−]?\d{1,3}(?:%s\d{3})+"


def number_signs(
    rows: list[list[str]], columns: list[int]
) -> tuple[str, str, list[FormatQuestion]]:
    """Return the decimal sign, the sign between thousands ("" without one), and a doubt where 1,234
    could be either."""
    cells = [_bare(row[i]) for row in rows for i in columns]
    apart = _thousands_sign(cells)
    if any(re.fullmatch(_GROUPS % r"\." + r",\d*", cell) for cell in cells):
        return ",", ".", []
    if any(re.fullmatch(_GROUPS % "," + r"\.\d*", cell) for cell in cells):
        return ".", ",", []
    commas = [
        cell
        for cell in cells
        if re.fullmatch(r"[+\-−]?[\d '’\u00a0\u202f]*\d,\d+", cell)
        or re.fullmatch(r"[+\-−]?,\d+", cell)
    ]
    points = [cell for cell in cells if re.fullmatch(r"[+\-−]?[\d '’\u00a0\u202f]*\.\d+", cell)]
    in_threes = [cell for cell in commas if re.fullmatch(r"[+\-−]?\d{1,3},\d{3}", cell)]
    twice = [cell for cell in cells if re.fullmatch(_GROUPS % ",", cell) and cell.count(",") > 1]
    if twice and len(in_threes) == len(commas):
        return ".", ",", []
    if any(re.fullmatch(_GROUPS % r"\.", cell) and cell.count(".") > 1 for cell in cells):
        return ",", ".", []
    if not commas:
        return ".", apart, []
    if len(in_threes) < len(commas):
        if points and len(points) > len(commas):
            return ".", apart, []
        are_thousands = bool(points) and all(
            re.fullmatch(r"[+\-−]?\d{1,3}\.\d{3}", cell) for cell in points
        )
        return ",", apart or ("." if are_thousands else ""), []
    others = {cell for cell in points if not re.fullmatch(r"[+\-−]?\d{1,3}\.\d{3}", cell)}
    if len(others) > 1:  # one alone, time and again, may be a mark for no value
        return ".", ",", []
    choices = ((",", "a decimal separator"), (".", "a thousands separator"))
    return ",", apart, [FormatQuestion("decimal", f"“{commas[0]}”: what is the comma?", choices)]


def _thousands_sign(cells: list[str]) -> str:
    """Return a blank or an apostrophe that stands between thousands."""
    for sign, shape in ((" ", r"[ \u00a0\u202f]"), ("’", "’"), ("'", "'")):
        if any(re.fullmatch(_GROUPS % shape + r"(?:[.,]\d*)?", cell) for cell in cells):
            return sign
    return ""


def _bare(cell: str) -> str:
    found = GLUED.match(cell)
    return found[2] if found and not NUMBER.match(cell) else cell


# -- what stands at numbers ------------------------------------------------------------------------
_NAMED = re.compile(r"([^\W\d][\w./]{0,15}\s?[=:]\s?)[-+−]?[\d.,]+\S{0,6}$")


def named_cells(rows: list[list[str]], columns: list[int]) -> dict[int, str]:
    """Return by column the name that stands in front of most of its numbers: "T=" of "T=4.5"."""
    names: dict[int, str] = {}
    for column in columns:
        found = Counter(match[1] for row in rows if (match := _NAMED.match(row[column])))
        if found and found.most_common(1)[0][1] > 0.5 * len(rows):
            names[column] = found.most_common(1)[0][0]
    return names


def glued_units(rows: list[list[str]], columns: list[int]) -> dict[int, str]:
    """Return by column the unit that is written behind most of its numbers."""
    units: dict[int, str] = {}
    for column in columns:
        behind = Counter(
            found[3] for row in rows if (found := GLUED.match(row[column])) and found[3]
        )
        if not behind:
            continue
        word, often = behind.most_common(1)[0]
        numbers = sum(bool(GLUED.match(row[column])) for row in rows)
        if unit_named(word) and often > 0.5 * numbers and word.lower() not in "efk":
            units[column] = word
    return units


def glued_marks(
    rows: list[list[str]], columns: list[int], units: dict[int, str]
) -> list[FormatQuestion]:
    """Ask about letters and signs at some numbers: "<0.5", "12.3*"."""
    found: Counter[str] = Counter()
    example: dict[str, str] = {}
    for column in columns:
        for row in rows:
            cell = row[column]
            match = GLUED.match(cell)
            if match is None or NUMBER.match(cell) or cell in USUAL_MISSING:
                continue
            for mark in (match[1], match[3]):
                if mark and mark != units.get(column):
                    found[mark] += 1
                    example.setdefault(mark, cell)
    if not found:
        return []
    listed = ", ".join(f"“{example[mark]}” ({_times(many)})" for mark, many in found.items())
    choices = (("\n".join(found), "the number that stands there"), ("", "no value"))
    return [FormatQuestion("glued", f"{listed}: what do such cells mean?", choices)]


def _times(many: int) -> str:
    return "once" if many == 1 else f"{many} times"


# -- numbers that mean nothing ---------------------------------------------------------------------
def marks(rows: list[list[str]], columns: list[int], form: TextForm) -> list[FormatQuestion]:
    """Ask about numbers that come again exactly and lie far from all others: -8888, 99.99, 1e20."""
    found: dict[str, int] = {}
    for column in columns:
        cells = [
            row[column]
            for row in rows
            if NUMBER.match(row[column]) and row[column] not in USUAL_MISSING
        ]
        values = {
            cell: value for cell in set(cells) if (value := number_of(cell, form)) is not None
        }
        usual = set(missing_numbers(USUAL_MISSING, form))
        for mark, often in Counter(cells).items():
            if values.get(mark) in usual:
                continue  # known, however it is written
            others = [value for cell, value in values.items() if cell != mark]
            if often > 1 and mark in values and _is_far(values[mark], others):
                found[mark] = found.get(mark, 0) + often
    if not found:
        return []
    listed = ", ".join(f"“{mark}” ({_times(often)})" for mark, often in found.items())
    question = f"{listed} in the lines read so far, far from all other numbers: what does it mean?"
    return [FormatQuestion("missing", question, (("\n".join(found), "no value"), ("", "a value")))]


def values_of(rows: list[list[str]], column: int, form: TextForm) -> list[float]:
    """Return the numbers of a column."""
    cells = (_bare(row[column]) for row in rows if row[column] not in form.missing)
    return [value for cell in cells if (value := number_of(cell, form)) is not None]


def _is_far(value: float, others: list[float]) -> bool:
    if len(others) < 3:
        return False
    low, high = min(others), max(others)
    return max(low - value, value - high) > _FAR * (high - low)


# -- flags -----------------------------------------------------------------------------------------
def code_columns(rows: list[list[str]], header: tuple[str, ...], columns: list[int]) -> list[int]:
    """Return of columns of numbers those that hold codes about the values of others: few whole
    numbers below words that say so."""
    found = []
    for column in columns:
        said = {row[column] for row in rows}
        whole = all(re.fullmatch(r"\d{0,3}", cell) for cell in said)
        if header and whole and len(said) <= _MOST_FLAGS and describes_values(header[column]):
            found.append(column)
    return found


def find_flags(
    rows: list[list[str]], header: tuple[str, ...], values: list[int], others: list[int]
) -> tuple[tuple[Flags, ...], list[FormatQuestion]]:
    """Return the columns of flags beside values, and what is asked about them.

    Args:
        values: columns of numbers that may be readings; others: the rest, but those of the time.
    """
    found, doubts = [], []
    for column in others:
        said = Counter(row[column] for row in rows)
        words = header[column] if header else ""
        if not are_flags(said, words):
            continue
        of = flagged_columns(column, header, values)
        if not of:
            continue
        found.append(Flags(column, of, (), () if len(said) > 1 else tuple(said)))
        if len(said) > 1:
            doubts += flag_questions(column, words, said)
    return tuple(found), doubts


def are_flags(said: Counter[str], words: str) -> bool:
    """Return whether the words of a column are flags, by their number and length or by what stands
    above them."""
    short = all(len(flag) <= _FLAG_LETTERS for flag in said)
    by_words = bool(_FLAG_WORDS.search(words))
    return len(said) <= _MOST_FLAGS and (by_words or (short and any(said)))


def flagged_columns(column: int, header: tuple[str, ...], values: list[int]) -> tuple[int, ...]:
    """Return of which columns a column of flags speaks: those that its words name, else the one
    before it; of all, where there is one for several."""
    if header:
        words = _FLAG_WORDS.sub("", header[column].lower()).strip(" _-.()")
        named = [value for value in values if words and header[value].lower().startswith(words)]
        if named:
            return tuple(named[:1])
    before = [value for value in values if value == column - 1]
    return tuple(before) if before else tuple(value for value in values if value < column)[-1:]


def flag_questions(column: int, words: str, said: Counter[str]) -> list[FormatQuestion]:
    """Ask which of the flags in a column say that there is no value, and which that one is suspect;
    words: above it."""
    title = f"“{words}”" if words else f"Column {column + 1}"
    choices = tuple(
        (flag, f"{flag or 'nothing'} ({_times(many)})") for flag, many in said.most_common()
    )
    none = f"{title} holds flags. Which of them say that there is no value?"
    suspect = f"And which of the flags in {title} say that a value is suspect?"
    return [
        FormatQuestion(kind, question, choices, many=True, about=column)
        for kind, question in (("flags", none), ("suspects", suspect))
    ]


def with_signs(form: TextForm, decimal: str, thousands: str, units: dict[int, str]) -> TextForm:
    """Return a form with the signs that were found, and with units that stand behind numbers."""
    glued = tuple(dict.fromkeys([*form.glued, *units.values()]))
    if not units:
        return replace(form, decimal=decimal, thousands=thousands)
    above = list(form.units) or [""] * form.columns
    for column, unit in units.items():
        above[column] = above[column] or unit
    return replace(form, decimal=decimal, thousands=thousands, glued=glued, units=tuple(above))
