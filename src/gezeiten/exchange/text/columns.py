"""What the columns of a text seem to measure, and what the head says about them."""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import replace

from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.quantities.units import text_units
from gezeiten.exchange.text.form import USUAL_MISSING, ColumnMapping, TextForm, Where
from gezeiten.exchange.text.layout.cells import values_of
from gezeiten.exchange.text.layout.shapes import GLUED, NUMBER
from gezeiten.exchange.text.meaning import meaning, trailing_unit
from gezeiten.exchange.text.stations import SeriesNaming, describes_values

_ABOUT_VALUES = re.compile(
    r"\bstd\b|st\.? ?dev|deviation|standardabw|varian|\bcount\b|samples|anzahl|number of",
    re.IGNORECASE,
)
"""Columns that say something about values are none."""
_FACT = re.compile(r"^\W*([^\W\d][^:=;,\t]{1,40}?)\s*(?:(?<!\d):|:(?!\d)|[=;,\t])\s*(\S.*)$")
_MOST_FACTS = 30


def number_columns(rows: list[list[str]], columns: int, time: tuple[int, ...]) -> list[int]:
    """Return the columns at least half of whose cells are numbers, but those of the time."""
    found = []
    for column in range(columns):
        cells = [row[column] for row in rows]
        usable = [c for c in cells if c not in USUAL_MISSING]
        numbers = sum(bool(NUMBER.match(c)) or _is_number_with_more(c) for c in usable)
        if column not in time and usable and numbers >= 0.5 * len(usable):
            found.append(column)
    return found


def _is_number_with_more(cell: str) -> bool:
    found = GLUED.match(cell)
    return found is not None and len(found[1] + found[3]) <= 6


def facts_of(head: list[str]) -> tuple[tuple[str, str], ...]:
    """Return what the lines before readings say: ("Serial", "1234"), in their order."""
    found: dict[str, str] = {}
    for line in head:
        match = _FACT.match(line.rstrip("; ,\t"))
        if match:
            found.setdefault(match[1].strip(), match[2].strip()[:80])
    return tuple(list(found.items())[:_MOST_FACTS])


def explained(header: tuple[str, ...], facts: tuple[tuple[str, str], ...]) -> dict[int, str]:
    """Return by column what the head says about its name ("channel 2: coarse particles")."""
    by_name = {_plain(key): text for key, text in facts}
    found = {}
    for column, words in enumerate(header):
        bare = _plain(re.sub(r"[(\[].*", "", words))
        text = by_name.get(bare, "") or by_name.get(_full_word(bare), "")
        if bare and text:
            found[column] = text
    return found


def _plain(words: str) -> str:
    return re.sub(r"[\s_.\-]+", "", words.lower())


def _full_word(bare: str) -> str:
    found = re.fullmatch(r"(ch|k|col|s|sp|kan|chan)(\d+)", bare)
    long = {
        "ch": "channel",
        "k": "kanal",
        "kan": "kanal",
        "chan": "channel",
        "col": "column",
        "s": "sensor",
        "sp": "spalte",
    }
    return long[found[1]] + found[2] if found else ""


def propose_columns(
    rows: list[list[str]],
    columns: list[int],
    form: TextForm,
    series_naming: SeriesNaming,
    explanations: dict[int, str],
) -> tuple[ColumnMapping, ...]:
    """Return what columns of numbers seem to measure, "" where nothing tells; of lines that are of
    several stations or names, for each of them."""
    values = [
        c for c in columns if c not in (series_naming.station_column, series_naming.name_column)
    ]
    wheres: list[tuple[Where, tuple[str, str, str]]] = list(series_naming.names.items()) or [
        ((), ("",) * 3)
    ]
    templates = []
    for where, (station, name, unit) in wheres:
        for column in values:
            above = form.header[column] if form.header else ""
            words = _of_column(name, column, form) or above
            its_unit = unit or (trailing_unit(words) if name else "")
            if not its_unit and form.units and not (name and series_naming.block):
                its_unit = form.units[column]  # a block's own words say its own units
            mapping = _propose_column(column, words, its_unit, explanations.get(column, ""))
            templates.append(replace(mapping, where=where, point="", label=station))
    return _labelled(templates, form, series_naming)


def _of_column(name: str, column: int, form: TextForm) -> str:
    """Return which of the words above a block's columns are those of one of them: the first words
    are those of the times."""
    parts = name.split(form.delimiter) if form.delimiter.strip() else [name]
    return parts[column - 1].strip() if 0 < column <= len(parts) > 1 else name


def _propose_column(column: int, words: str, unit: str, explanation: str) -> ColumnMapping:
    if _ABOUT_VALUES.search(words) or describes_values(words):
        return ColumnMapping(column, "", "")
    found = meaning(words, unit)
    if not found[0] and explanation:
        found = meaning(f"{words} {explanation}", unit or trailing_unit(explanation))
    return ColumnMapping(column, *found)


def _labelled(
    mappings: list[ColumnMapping], form: TextForm, series_naming: SeriesNaming
) -> tuple[ColumnMapping, ...]:
    """Return ties with labels where several are of one quantity: the words above each, or what
    their lines are called."""
    many = Counter((mapping.quantity, mapping.label) for mapping in mappings if mapping.quantity)
    made = []
    for mapping in mappings:
        words = form.header[mapping.column].strip() if form.header else f"{mapping.column + 1}"
        name = (
            dict(mapping.where).get(series_naming.name_column, "")
            if series_naming.name_column >= 0
            else ""
        )
        own = name or words
        label = " ".join(part for part in (mapping.label, own) if part)
        is_one_of_many = bool(mapping.quantity) and many[(mapping.quantity, mapping.label)] > 1
        made.append(replace(mapping, label=label) if is_one_of_many else mapping)
    return tuple(made)


def unit_hints(
    rows: list[list[str]], mappings: tuple[ColumnMapping, ...], form: TextForm
) -> dict[int, str]:
    """Return by column the one unit in which its values can be, where the text says none."""
    found = {}
    for mapping in mappings:
        if not mapping.quantity or mapping.unit:
            continue
        values = values_of(rows, mapping.column, form)
        hint = unit_hint(mapping.quantity, values) if values else ""
        if hint:
            found[mapping.column] = hint
    return found


def unit_hint(key: str, values: list[float]) -> str:
    """Return the only unit in which values of a quantity lie within what can be, "" of several."""
    known = quantity(key)
    fitting: dict[tuple[float, float], str] = {}  # two names of one unit are no two
    for unit in text_units(known):
        can_be = all(known.low <= unit.recorded(value) <= known.high for value in values)
        if can_be and _is_plausible_mean(known.key, unit.recorded(sum(values) / len(values))):
            fitting.setdefault((unit.factor, unit.offset), unit.name)
    return next(iter(fitting.values())) if len(fitting) == 1 else ""


_USUAL = {
    "air_pressure": (50.0, 110.0),
    "air_temperature": (-30.0, 45.0),
    "water_temperature": (-2.0, 40.0),
    "soil_temperature": (-15.0, 45.0),
}
"""Between what means usually lie, in the recorded unit."""


def _is_plausible_mean(key: str, mean: float) -> bool:
    low, high = _USUAL.get(key, (float("-inf"), float("inf")))
    return low <= mean <= high
