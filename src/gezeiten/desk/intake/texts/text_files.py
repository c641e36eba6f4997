"""Text files from anything else: read by a tie and taken into the record, or tried first."""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from contextlib import ExitStack
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from gezeiten.archive.intake.missions import Circumstances
from gezeiten.archive.intake.texts import (
    READER,
    Readings,
    Source,
    TextIntake,
    TextPart,
    store_text,
)
from gezeiten.archive.store.faults import translated
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.intake.spool import Spool
from gezeiten.desk.intake.texts.import_templates import save_template
from gezeiten.desk.record.excursion_book import to_assess
from gezeiten.domain.actions.offloads import TEXT_MODEL
from gezeiten.domain.quantities.quantities import QUANTITIES, quantity
from gezeiten.domain.quantities.units import text_unit
from gezeiten.domain.series.timeline import Times, Values
from gezeiten.domain.steps.corrections.suspicion import spans_of_instants
from gezeiten.errors import CancelledError, InputError
from gezeiten.exchange.text.form import ColumnMapping, ImportTemplate, split_by_source, wheres
from gezeiten.exchange.text.reading import ReadingChunk, RejectedLine, read_text
from gezeiten.link.transfer import UNWATCHED, Meter, Watch

MOST_LISTED = 1_000
_STOPPED = "Import was cancelled; nothing of this file was saved."
PREVIEW_READINGS = 2_000


@dataclass(frozen=True, slots=True)
class Preview:
    """The first readings by a tie: instants, one array a tied column, the lines left out, those
    without a cell that is no number, and the numbers of the lines that are read. Of a column that
    holds for some lines only, values are NaN at the others."""

    times: Times
    values: list[Values]
    rejected: list[RejectedLine]
    spoilt: list[RejectedLine] = field(default_factory=list)
    lines: NDArray[np.int64] = field(default_factory=lambda: np.empty(0, np.int64))


@dataclass(slots=True)
class TextImport:
    """What a text file brought: for each of its sources. rejected: the first MOST_LISTED lines that
    were left out, and those without a cell that is no number; rejected_in_all, spoilt_in_all: how
    many there are."""

    parts: list[TextIntake]
    excursions_new: int = 0
    rejected: list[RejectedLine] = field(default_factory=list)
    rejected_in_all: int = 0
    spoilt_in_all: int = 0

    @property
    def readings(self) -> int:
        """How many instants are new, of all sources."""
        return sum(one.readings for one in self.parts)

    @property
    def repeated(self) -> int:
        """How many were kept already."""
        return sum(one.repeated for one in self.parts)

    @property
    def points(self) -> set[int]:
        """Where something is new."""
        return {one.point_id for one in self.parts if one.offload_id is not None}


def preview(path: Path, template: ImportTemplate) -> Preview:
    """Return the first readings of a text by a tie.

    Raises:
        InputError: the tie cannot be used.
    """
    columns = tuple(dict.fromkeys(column.column for column in template.columns))
    rows = wheres(template.columns)
    for piece in itertools.islice(read_text(path, template.form, columns, rows=rows), 1):
        values = [
            np.where(piece.of(column.where), piece.values[column.column], np.nan)[:PREVIEW_READINGS]
            for column in template.columns
        ]
        return Preview(
            piece.times[:PREVIEW_READINGS],
            values,
            piece.rejected[:MOST_LISTED],
            piece.spoilt[:MOST_LISTED],
            piece.lines[:PREVIEW_READINGS],
        )
    return Preview(np.empty(0, np.int64), [np.empty(0) for _ in template.columns], [])


def checked_template(template: ImportTemplate) -> ImportTemplate:
    """Return a tie that can be used, with the columns that are tied.

    Raises:
        InputError: with what is missing.
    """
    used = [column for column in template.columns if column.quantity]
    if not template.name.strip():
        raise InputError("The import template has no name; enter one.")
    if not used:
        raise InputError("No column has a quantity; choose at least one.")
    for one in used:
        _check_column(one, template)
    _check_doubled(used, template)
    if template.form.time.needs_zone and not template.form.time.zone:
        raise InputError("The time zone of the times is missing; choose one.")
    if any(not one.text for one in template.form.beside if one.kind != "line"):
        what = {"year": "year", "day": "day"}.get(template.form.time.rolls, "start")
        raise InputError(f"The {what} is in no line; answer the question about it.")
    return replace(
        template, name=template.name.strip(), point=template.point.strip(), columns=tuple(used)
    )


def _check_column(mapping: ColumnMapping, template: ImportTemplate) -> None:
    if not (mapping.point.strip() or template.point.strip()):
        its = f" of “{mapping.where[0][1]}”" if mapping.where else ""
        raise InputError(f"The point is missing; choose where this{its} was measured.")
    if mapping.quantity not in QUANTITIES:
        raise InputError(f"“{mapping.quantity}” is not a quantity; choose one from the list.")
    name, recorded = quantity(mapping.quantity).name, quantity(mapping.quantity).unit
    if recorded and not mapping.unit:
        raise InputError(f"The unit of {name} is missing; choose one.")
    if text_unit(quantity(mapping.quantity), mapping.unit).name != mapping.unit:
        raise InputError(f"{name} has no unit “{mapping.unit}”; choose another unit.")


def _check_doubled(used: list[ColumnMapping], template: ImportTemplate) -> None:
    """No two columns go into one series."""
    seen: set[tuple[str, str, str]] = set()
    for mapping in used:
        key = (
            mapping.quantity,
            mapping.point.strip() or template.point.strip(),
            mapping.label.strip(),
        )
        if key in seen:
            name = quantity(mapping.quantity).name
            raise InputError(
                f"Two columns are assigned to {name}{f' “{key[2]}”' if key[2] else ''} "
                f"at {key[1]}; give them different labels, or skip one."
            )
        seen.add(key)


def import_text(
    desk: Workspace, path: Path, template: ImportTemplate, watch: Watch = UNWATCHED
) -> TextImport:
    """Take a text file into the archive by a tie, and keep the tie.

    Raises:
        InputError: the tie or the file cannot be used; nothing was kept.
        CancelledError: as wished; nothing was kept.
        SurroundingsError: disk or database; nothing was kept.
    """
    imported = import_with_template(
        desk, path, checked_template(template), TEXT_MODEL, "text file", watch
    )
    save_template(desk, replace(template, name=template.name.strip(), point=template.point.strip()))
    return imported


def import_with_template(
    desk: Workspace,
    path: Path,
    template: ImportTemplate,
    model: str,
    route: str,
    watch: Watch = UNWATCHED,
) -> TextImport:
    """Take a text in by a tie that was checked; see `import_text`.

    It is copied and read before the archive is held: others go on working meanwhile, and what is
    kept are the bytes that were read.
    """
    circumstances = Circumstances(desk.now_ms(), desk.person, route)
    with ExitStack() as stack:
        with translated(desk.archive.folder):
            fresh = stack.enter_context(desk.archive.vault.copy_in(path))
        reader = _PartReader(desk, fresh.path, path.name, fresh.size, watch)
        templates = split_by_source(template)
        made = [
            reader.read(stack, import_template, model, template.name, len(templates))
            for import_template in templates
        ]
        intakes = store_text(desk.archive, fresh, path.name, made, circumstances)
    imported = TextImport(intakes, 0, reader.listed[:MOST_LISTED], reader.rejected, reader.spoilt)
    imported.excursions_new = to_assess(desk, imported.points, found_since_ms=circumstances.at_ms)
    return imported


class _PartReader:
    """Reads the parts of one text, each into a spool; gathers what is left out."""

    def __init__(self, desk: Workspace, path: Path, name: str, size: int, watch: Watch) -> None:
        """path: of the copy that is read; name: of the file."""
        self._desk, self._path, self._name, self._size = desk, path, name, size
        self._watch = watch
        self._meter: Meter | None = None
        self._lines: set[int] = set()
        self.listed: list[RejectedLine] = []
        self.rejected = self.spoilt = 0

    def read(
        self, stack: ExitStack, template: ImportTemplate, model: str, kind: str, many: int
    ) -> TextPart:
        """Return a part that was read. kind: the name of its kind; many: of how many parts."""
        if self._meter is None:
            self._meter = Meter(self._watch, self._size * many, None, _STOPPED)
        spool = stack.enter_context(Spool(self._desk.archive.incoming))
        rejected = spoilt = heard = 0
        suspect: list[list[list[int]]] = [[] for _ in template.columns]
        for piece, readings in read_pieces(self._path, template, self._watch):
            rejected += len(piece.rejected)
            spoilt += len(piece.spoilt)
            self._note(piece)
            for listed, found in zip(suspect, _suspect(piece, template.columns), strict=True):
                listed += found
            self._meter.settled(len(readings.times))
            self._meter.count_bytes(max(piece.done_bytes - heard, 0))
            heard = max(piece.done_bytes, heard)
            spool.append(readings)
        reading = {
            **template.as_dict(),
            "kind": kind,
            "file": self._name,
            "rejected": rejected,
            "spoilt": spoilt,
        }
        pieces = spool.pieces(self._watch.cancelled)
        return TextPart(source_of(template, model), pieces, reading, suspect)

    def _note(self, piece: ReadingChunk) -> None:
        """Note lines that are left out, once each, whatever parts they are left out of."""
        for listed, is_spoilt in ((piece.rejected, False), (piece.spoilt, True)):
            for one in listed:
                if one.line in self._lines:
                    continue
                self._lines.add(one.line)
                self.spoilt += is_spoilt
                self.rejected += not is_spoilt
                if len(self.listed) < MOST_LISTED:
                    self.listed.append(one)
        self.listed.sort(key=lambda one: one.line)


def source_of(template: ImportTemplate, model: str) -> Source:
    """Return what a tie names."""
    channels = tuple(
        (column.quantity, quantity(column.quantity).unit) for column in template.columns
    )
    return Source(template.name, template.point, model, channels)


def read_pieces(
    path: Path, template: ImportTemplate, watch: Watch = UNWATCHED, version: int = READER
) -> Iterator[tuple[ReadingChunk, Readings]]:
    """Yield the readings of a text in recorded units; each piece in order, no instant twice (but of
    lines that hold one quantity each, whose values at an instant stand together).

    Raises:
        CancelledError: as wished.
    """
    columns = tuple(dict.fromkeys(column.column for column in template.columns))
    rows = wheres(template.columns)
    for piece in read_text(path, template.form, columns, watch.cancelled, version, rows):
        times, values, doubled = _joined(piece, template.columns)
        piece.rejected.extend(
            RejectedLine(int(piece.lines[i]), "", "its time is that of an earlier line")
            for i in doubled
        )
        recorded = [_recorded(one, template.columns[i]) for i, one in enumerate(values)]
        yield piece, Readings(times, recorded)
    if watch.cancelled():
        raise CancelledError(_STOPPED)


def _suspect(piece: ReadingChunk, columns: tuple[ColumnMapping, ...]) -> Iterator[list[list[int]]]:
    """Yield for each column from which of its readings to which a flag says that they are
    suspect."""
    for column in columns:
        marks = piece.suspect.get(column.column)
        if marks is None:
            yield []
            continue
        its = np.flatnonzero(piece.of(column.where))
        times, first = np.unique(piece.times[its], return_index=True)
        yield spans_of_instants(times, marks[its[first]])


def _recorded(values: Values, mapping: ColumnMapping) -> Values:
    unit = text_unit(quantity(mapping.quantity), mapping.unit)
    is_recorded = unit.factor == 1.0 and unit.offset == 0.0
    return values if is_recorded else (values - unit.offset) / unit.factor


def _joined(
    piece: ReadingChunk, columns: tuple[ColumnMapping, ...]
) -> tuple[Times, list[Values], NDArray[np.int64]]:
    """Return the instants of a piece in order, the values of each column there, and which lines say
    once more what one before said."""
    times = np.unique(piece.times)
    values, doubled = [], []
    for where in dict.fromkeys(one.where for one in columns):
        its = np.flatnonzero(piece.of(where))
        _, first = np.unique(piece.times[its], return_index=True)
        doubled.append(np.delete(its, first))
    for one in columns:
        its = np.flatnonzero(piece.of(one.where))
        at, first = np.unique(piece.times[its], return_index=True)
        column = np.full(len(times), np.nan)
        column[np.searchsorted(times, at)] = piece.values[one.column][its[first]]
        values.append(column)
    again = np.unique(np.concatenate(doubled)) if doubled else np.empty(0, np.int64)
    return times, values, again
