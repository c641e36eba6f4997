"""Proposing how a text is to be read, by its beginning and end. Doubt is told, not guessed."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from pathlib import Path

from gezeiten.errors import InputError
from gezeiten.exchange.text.columns import (
    explained,
    facts_of,
    number_columns,
    propose_columns,
    unit_hints,
)
from gezeiten.exchange.text.form import ARRANGED, PLAIN, QUOTED, ColumnMapping, Opening, TextForm
from gezeiten.exchange.text.layout.arrangement import arranged
from gezeiten.exchange.text.layout.cells import (
    code_columns,
    find_flags,
    glued_marks,
    glued_units,
    marks,
    named_cells,
    number_signs,
    with_signs,
)
from gezeiten.exchange.text.layout.lines import split_line
from gezeiten.exchange.text.layout.opening import opening_text, openings
from gezeiten.exchange.text.layout.sample import TextSample, sample_of
from gezeiten.exchange.text.layout.shapes import Headings, Shape, headings_of, later, shape_of
from gezeiten.exchange.text.questions import KINDS, FormatQuestion
from gezeiten.exchange.text.stations import SeriesNaming, names_from_blocks, names_from_columns
from gezeiten.exchange.text.times.detection import find_time, with_order
from gezeiten.exchange.text.times.implicit_dates import find_implicit_date, zone_of

_SHOWN = 120


@dataclass(frozen=True, slots=True)
class Proposal:
    """How the text seems to be written. lines: its first ones, as they are, numbered from 1.

    facts: what the lines before readings say. explained, hints: by column, what the head says about
    its name, and the unit that its values suggest. head_rows: lines with words or units above the
    columns, from 0. others: further texts in the file, with what they are called. words_by_column:
    by column, what the lines say by which it was made.
    """

    form: TextForm
    lines: tuple[str, ...]
    columns: tuple[ColumnMapping, ...]
    doubts: tuple[FormatQuestion, ...]
    facts: tuple[tuple[str, str], ...] = ()
    explained: dict[int, str] = field(default_factory=dict)
    hints: dict[int, str] = field(default_factory=dict)
    head_rows: tuple[int, ...] = ()
    others: tuple[tuple[Opening, str], ...] = ()
    words_by_column: dict[int, set[str]] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class KnownFacts:
    """What somebody knows of a text; the rest is found out.

    delimiter: what stands between the columns, or "". starts: where columns of fixed width begin,
    counted from 0, or (). time_columns: which columns are the time, or (). opening: what of a
    packed file, or None. station: the column that names the station of a line, or -1; no_names:
    columns that name none.
    """

    delimiter: str = ""
    starts: tuple[int, ...] = ()
    time_columns: tuple[int, ...] = ()
    opening: Opening | None = None
    station: int = -1
    no_names: tuple[int, ...] = ()


NOTHING_KNOWN = KnownFacts()


def propose(path: Path, facts: KnownFacts = NOTHING_KNOWN) -> Proposal:
    """Return how a text is proposed to be read.

    Raises:
        InputError: it cannot be read, is no text, or has no columns with times and numbers.
    """
    methods = openings(path)
    if not methods:
        raise InputError(f"{path.name} has no sheet with cells; choose another file.")
    if facts.opening is not None or len(methods) == 1:
        selected = methods[0] if facts.opening is None else facts.opening
        return _with_others(_proposed(path, selected, facts), methods)
    return _first_with_readings(path, methods, facts)


def _first_with_readings(path: Path, methods: list[Opening], facts: KnownFacts) -> Proposal:
    """Return the proposal for the first of several texts that has readings."""
    refusal: InputError | None = None
    for opening in methods:
        try:
            return _with_others(_proposed(path, opening, facts), methods)
        except InputError as exc:
            refusal = refusal or exc
    assert refusal is not None  # there were several
    raise refusal


def _with_others(proposal: Proposal, methods: list[Opening]) -> Proposal:
    """Return a proposal with what else of the file can be read, and how else."""
    here = proposal.form.opening
    changed = [one for one in here if one[0] in ARRANGED or one[0] == PLAIN]
    if any(kind != QUOTED for kind, _ in changed):
        own = here[: len(here) - len(changed)]
        stays = (*own, (PLAIN, ""))
        more = (here, stays) if here != stays else (own, stays)
        methods = [two for opening in methods for two in (more if opening == own else (opening,))]
    if len(methods) == 1:
        return proposal
    return replace(proposal, others=tuple((opening, opening_text(opening)) for opening in methods))


def _proposed(path: Path, opening: Opening, facts: KnownFacts) -> Proposal:
    sample = sample_of(path, opening)
    if not any(kind in ARRANGED or kind == PLAIN for kind, _ in opening):
        more = arranged(sample.lines)
        if more:
            return _proposed(path, (*opening, *more), facts)
    shape = shape_of(sample.lines, facts.delimiter, facts.starts)
    first = _of_shape(sample, shape, facts)
    if _has_time(first) or facts.time_columns:
        return first
    others = (_of_shape(sample, one, facts) for one in later(shape, sample.lines))
    return next((one for one in others if _has_time(one)), first)


def _has_time(proposal: Proposal) -> bool:
    return all(doubt.kind != "time" for doubt in proposal.doubts)


def _of_shape(sample: TextSample, shape: Shape, facts: KnownFacts) -> Proposal:
    lines = sample.lines
    split = [split_line(line, shape.draft) for line in lines]
    blocks = names_from_blocks(lines, shape, split)
    tail = [split_line(line, shape.draft) for line in sample.tail]
    rows = _rows([*split[shape.first :], *tail], shape)
    head = lines[: shape.first]
    heads = headings_of(lines, shape)
    form = replace(
        shape.draft,
        encoding=sample.encoding,
        opening=sample.opening,
        header=heads.words,
        units=heads.units,
    )
    if blocks.block is not None:
        form = replace(form, beside=(blocks.block,))
    form, doubts = _timed(form, rows, sample, shape, heads, facts)
    unusual = _rows([split_line(line, shape.draft) for line in sample.unusual], shape)
    if unusual or head:
        time, doubts = with_order(form.time, doubts, unusual, [*head, *heads.words])
        form = replace(form, time=time)
    return _with_values(form, [*rows, *unusual], blocks, head, heads, sample, doubts, facts)


def _rows(split: list[list[str]], shape: Shape) -> list[list[str]]:
    """Return the lines that are whole; of those that may lack columns, made whole."""
    rows = []
    for row in split:
        if len(row) == shape.columns:
            rows.append(row)
        elif shape.ragged and 1 < len(row) < shape.columns:
            rows.append([*row, *[""] * (shape.columns - len(row))])
    return rows


def _timed(
    form: TextForm,
    rows: list[list[str]],
    sample: TextSample,
    shape: Shape,
    heads: Headings,
    facts: KnownFacts,
) -> tuple[TextForm, tuple[FormatQuestion, ...]]:
    """Return a form with its time, and what is asked about that."""
    head, body = sample.lines[: shape.first], sample.lines[shape.first :]
    time, doubts = find_time(rows, heads.words, facts.time_columns)
    if any(doubt.kind == "time" for doubt in doubts) and not facts.time_columns:
        behind = form.columns + len(form.beside)
        implicit = find_implicit_date(rows, heads.words, head, body, sample, behind)
        if implicit is not None:
            form = replace(form, beside=(*form.beside, implicit.beside))
            time, doubts = implicit.time, list(implicit.doubts)
    time, zone_doubts = zone_of(time, heads.words, head)
    return replace(form, time=time), (*doubts, *zone_doubts)


def _without_names(form: TextForm, rows: list[list[str]]) -> tuple[TextForm, list[list[str]]]:
    """Return lines without the names that stand in front of their numbers: these are the words
    above the columns where there are none."""
    others = [column for column in range(form.columns) if column not in form.time.columns]
    names = named_cells(rows, others)
    if not names:
        return form, rows
    above = list(form.header) or [""] * form.columns
    for column, name in names.items():
        above[column] = above[column] or name.rstrip(" =:")
    bare = [[cell.removeprefix(names.get(i, "")) for i, cell in enumerate(row)] for row in rows]
    glued = tuple(dict.fromkeys([*form.glued, *names.values()]))
    return replace(form, header=tuple(above), glued=glued), bare


def _with_values(
    form: TextForm,
    rows: list[list[str]],
    blocks: SeriesNaming,
    head: list[str],
    heads: Headings,
    sample: TextSample,
    doubts: tuple[FormatQuestion, ...],
    known: KnownFacts,
) -> Proposal:
    time = form.time.columns
    form, rows = _without_names(form, rows)
    numbers = number_columns(rows, form.columns, time)
    informative = (
        blocks
        if blocks.block is not None
        else names_from_columns(rows, form.header, time, known.station, known.no_names)
    )
    telling = (informative.station_column, informative.name_column, informative.unit_column)
    codes = code_columns(rows, form.header, [c for c in numbers if c not in telling])
    numbers = [column for column in numbers if column not in codes]
    values = [column for column in numbers if column not in telling]
    decimal, thousands, sign_doubts = number_signs(rows, values)
    units = glued_units(rows, values)
    form = with_signs(form, decimal, thousands, units)
    spoken_for = {*numbers, *time, *telling}
    others = [c for c in range(form.columns) if c not in spoken_for]
    flags, flag_doubts = find_flags(rows, form.header, values, others)
    form = replace(form, flags=flags)
    facts = facts_of([line for i, line in enumerate(head) if i not in heads.rows])
    said = explained(form.header, facts)
    mappings = propose_columns(rows, values, form, informative, said)
    about = [
        *doubts,
        *sign_doubts,
        *glued_marks(rows, values, units),
        *marks(rows, values, form),
        *flag_doubts,
    ]
    about.sort(key=lambda doubt: KINDS.index(doubt.kind))
    return Proposal(
        form,
        tuple(sample.lines[:_SHOWN]),
        mappings,
        tuple(about),
        facts,
        said,
        unit_hints(rows, mappings, form),
        heads.rows,
        words_by_column=_words_by_column(rows, [*others, informative.unit_column]),
    )


def _words_by_column(rows: list[list[str]], columns: list[int]) -> dict[int, set[str]]:
    """Return by column what lines say there; columns that a line does not have are left out."""
    return {c: {row[c] for row in rows} for c in columns if rows and 0 <= c < len(rows[0])}
