"""Texts in which one column, or a line of its own, tells what a line is of: a station, a name of
what is measured. Each of them is a series of its own."""

from __future__ import annotations

import re
from dataclasses import dataclass

from gezeiten.exchange.text.form import LineContext, Where
from gezeiten.exchange.text.layout.shapes import NUMBER, Shape, has_readings

MOST_NAMES = 400
_STATION_WORDS = re.compile(
    r"station|site|sensor|logger|device|gerät|geraet|messstelle|standort|\bort\b|location|"
    r"(?<!dew.)(?<!frost.)(?<!set.)(?<!melting.)\bpoint|"
    r"lieu|sitio|estaci|sito|locatie|serial|\bid\b|unit_?id|node|tag\b|probe(?!n)",
    re.IGNORECASE,
)
_NAME_WORDS = re.compile(
    r"parameter|variable|quantity|messgr|größe|groesse|channel|kanal|measur|grandeur|magnitud|"
    r"grandezza|\bname\b|series|merkmal|analyte|element|\btype\b|\btyp\b|what|component|item",
    re.IGNORECASE,
)
_CODE_WORDS = re.compile(
    r"source|qualifier|qualit|uncert|unsicher|incert|flag|\bqc\b|\bqf\b|\bcode|grade|approval|method",
    re.IGNORECASE,
)
"""Columns so called say something about values: where they come from, how good they are."""
_UNIT_WORDS = re.compile(r"unit|einheit|unité|unidad|unità|eenheid", re.IGNORECASE)
_REPEATED = 0.2
_TIME = re.compile(r"\d[:h]\d\d|\d{1,4}[-./]\d{1,2}[-./]\d{1,4}|\d{8}|^\W*\d{4}\W")
"""A line of readings without a value is no title."""
_TITLE = re.compile(r"^\W*([A-Za-zÄÖÜäöüß][^:=;,\t\d]{0,30}?)\s*[:=;,\t]\s*(\S.*)$")


@dataclass(frozen=True, slots=True)
class SeriesNaming:
    """names: by condition of lines, what it is called. name_column: says what is measured;
    station_column: where; unit_column: its unit; -1 without one. block: the line of its own."""

    names: dict[Where, tuple[str, str, str]]
    station_column: int = -1
    name_column: int = -1
    unit_column: int = -1
    block: LineContext | None = None


NO_INFORMATION = SeriesNaming({})


def names_a_place(words: str) -> bool:
    """Whether words of a head stand for a station, a site, a point."""
    return bool(_STATION_WORDS.search(words)) and not re.search(r"serial|\bid\b", words, re.I)


def describes_values(words: str) -> bool:
    """Whether a column so called holds codes or figures about the values of others."""
    return bool(_CODE_WORDS.search(words))


def names_lines(words: str) -> bool:
    """Whether a column so called says of which station a line is, or what it measures."""
    named = _STATION_WORDS.search(words) or _NAME_WORDS.search(words)
    return bool(named) and not describes_values(words)


def names_from_columns(
    rows: list[list[str]],
    header: tuple[str, ...],
    time: tuple[int, ...],
    station: int = -1,
    no_names: tuple[int, ...] = (),
) -> SeriesNaming:
    """Return what columns of words tell lines apart: those by which lines of one instant differ,
    and those that are called so.

    station: the column of which somebody says that it names the station; no_names: those of which
    somebody says that they do not.
    """
    if not rows:
        return NO_INFORMATION
    if station >= 0:
        return SeriesNaming(_names(rows, station, -1, -1), station)
    stamps = [tuple(row[column] for column in time if column < len(row)) for row in rows]
    repeats = 1 - len(set(stamps)) / len(stamps)
    candidates = [
        i
        for i in range(len(rows[0]))
        if i not in time and i not in no_names and _are_names(rows, i, repeats, header)
    ]
    unit = next((i for i in candidates if header and _UNIT_WORDS.search(header[i])), -1)
    candidates = [i for i in candidates if i != unit]
    telling = _distinguishing_columns(rows, header, candidates, stamps, repeats)
    if not telling:
        return NO_INFORMATION
    values = [
        i
        for i in range(len(rows[0]))
        if i not in time and i not in candidates and i != unit and _are_values(rows, i)
    ]
    name = _name_column(header, telling, len(values))
    stations = [i for i in telling if i != name]
    station = stations[0] if stations else -1
    if name < 0:
        unit = -1  # a unit that holds for a line, not for a name
    return SeriesNaming(_names(rows, station, name, unit), station, name, unit)


def _are_names(rows: list[list[str]], column: int, repeats: float, header: tuple[str, ...]) -> bool:
    cells = [row[column] for row in rows]
    distinct = set(cells)
    if "" in distinct or len(distinct) > MOST_NAMES or len(distinct) > max(0.5 * len(cells), 1):
        return False
    words = header[column] if header else ""
    if describes_values(words):
        return False
    are_numbers = all(NUMBER.match(cell) for cell in distinct)
    if are_numbers:  # numbers of stations
        whole = all(re.fullmatch(r"\d+", cell) for cell in distinct)
        named = bool(_STATION_WORDS.search(words))
        return whole and named and (repeats > _REPEATED or len(distinct) == 1)
    return not any(":" in cell and NUMBER.match(cell[:2]) for cell in distinct)


def _are_values(rows: list[list[str]], column: int) -> bool:
    return sum(bool(NUMBER.match(row[column])) for row in rows) > 0.5 * len(rows)


def _distinguishing_columns(
    rows: list[list[str]],
    header: tuple[str, ...],
    words: list[int],
    stamps: list[tuple[str, ...]],
    repeats: float,
) -> list[int]:
    """Return the fewest columns of words with which lines of one instant differ; where none do,
    those that are called stations and hold several."""
    called = [
        i
        for i in words
        if header and (_STATION_WORDS.search(header[i]) or _NAME_WORDS.search(header[i]))
    ]
    if repeats <= _REPEATED:
        return [
            i
            for i in called
            if len({row[i] for row in rows}) > 1 or _STATION_WORDS.search(header[i])
        ][:2]
    selected: list[int] = []
    best = len(set(stamps))
    for column in [*called, *(i for i in words if i not in called)]:
        keys = {
            (stamp, *(row[i] for i in [*selected, column]))
            for stamp, row in zip(stamps, rows, strict=True)
        }
        if len(keys) > best:
            selected.append(column)
            best = len(keys)
    return selected[:2]


def _name_column(header: tuple[str, ...], telling: list[int], values: int) -> int:
    """Return which of the columns says what is measured: with one column of values there is one."""
    if header:
        named = [
            i
            for i in telling
            if _NAME_WORDS.search(header[i]) and not _STATION_WORDS.search(header[i])
        ]
        if named:
            return named[0]
        if all(_STATION_WORDS.search(header[i]) for i in telling):
            return -1
    return telling[-1] if values == 1 else -1


def _names(
    rows: list[list[str]], station: int, name: int, unit: int
) -> dict[Where, tuple[str, str, str]]:
    """Return by condition: station, name, unit."""
    columns = [column for column in (station, name) if column >= 0]
    found: dict[Where, tuple[str, str, str]] = {}
    for row in rows:
        where = tuple((column, row[column]) for column in columns)
        informative = (
            row[station] if station >= 0 else "",
            row[name] if name >= 0 else "",
            row[unit] if unit >= 0 else "",
        )
        found.setdefault(where, informative)
    return found


# -- blocks ----------------------------------------------------------------------------------------
def names_from_blocks(lines: list[str], shape: Shape, split: list[list[str]]) -> SeriesNaming:
    """Return what lines of their own tell of the blocks of readings after them: where words come
    again with something else behind them ("Station: A", "Station: B")."""
    groups = 0
    titles: dict[str, list[str]] = {}
    was_reading = False
    for line, row in zip(lines, split, strict=True):
        is_reading = len(row) == shape.columns and has_readings(row)
        groups += is_reading and not was_reading
        was_reading = is_reading or (was_reading and not line.strip())
        may_be = not is_reading and (len(row) != shape.columns or not _TIME.search(line))
        found = _TITLE.match(line.rstrip("; ,\t")) if may_be else None
        if found:
            titles.setdefault(found[1].strip(), []).append(found[2].strip())
    if groups < 2:
        return NO_INFORMATION
    telling = {
        words: said
        for words, said in titles.items()
        if 2 <= len(said) <= groups and len(set(said)) > 1
    }
    if not telling:
        return NO_INFORMATION
    words = max(telling, key=lambda one: (bool(_STATION_WORDS.search(one)), len(set(telling[one]))))
    shape_ = rf"^\W*{re.escape(words)}\s*[:=;,\t]\s*(\S(?:.*[^\s;,])?)[\s;,]*$"
    # words above columns that change from block to block are no stations
    are_heads = any(row[0] == words for row in split if len(row) == shape.columns)
    names: dict[Where, tuple[str, str, str]] = {
        ((shape.columns, text),): ("", text, "") if are_heads else (text, "", "")
        for text in dict.fromkeys(telling[words])
    }
    return SeriesNaming(names, shape.columns, block=LineContext("line", shape_))
