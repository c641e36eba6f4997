"""What a series with corrections is made of: the pieces of what its source gave, each corrected
where it is asked for. Pieces that no correction touches stay as they are, unread."""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from dataclasses import dataclass, field, replace

from gezeiten.archive.database import ArchiveSession
from gezeiten.desk.base.memory_cache import MemoryCache
from gezeiten.desk.record.views.calculated_view import (
    CalculatedView,
    ComputedPiece,
    piece_of,
    unknown,
)
from gezeiten.desk.record.views.record_view import RecordView, ViewPiece
from gezeiten.domain.series.drawing.cells import Cells
from gezeiten.domain.series.series import Series
from gezeiten.domain.series.timeline import Span
from gezeiten.domain.steps.chain import Correction, corrected
from gezeiten.errors import ArchiveDamagedError


@dataclass(frozen=True, slots=True)
class CorrectedView:
    """A series with corrections; see `view.ViewSource`. uncorrected: as its source gave it; steps:
    those that are on; listed: its pieces in order of time; fills: as they were made, after all
    corrections."""

    uncorrected: RecordView
    steps: tuple[Correction, ...]
    listed: list[ViewPiece] = field(default_factory=list)
    own_cells: dict[int, Cells] = field(default_factory=dict)

    @property
    def fills(self) -> Sequence[Series]:
        """Estimated readings, by stretch. Of a measured series they were made on its corrected
        record; of a calculated one they follow from those of its inputs, and are corrected here."""
        listed = self.uncorrected.source.fills
        if not isinstance(self.uncorrected.source, CalculatedView):
            return listed
        return [series for one in listed if len(series := corrected(one, self.steps))]

    def read(self, session: ArchiveSession, at: int) -> Series:
        """Return the corrected readings of a piece.

        Raises:
            ArchiveDamagedError: those it follows from are damaged.
        """
        touched = self.touching(at)
        return corrected(self.uncorrected.chunk(session, at, keeps=not touched), touched)

    def cells(self, session: ArchiveSession) -> dict[int, Cells]:
        """Return the cells that are known, by the place of their piece."""
        given = self.uncorrected.source.cells(session)
        known = {
            at: given[place]
            for at, place in enumerate(self.uncorrected.places)
            if place in given and not self.touching(at)
        }
        return known | self.own_cells

    def touching(self, at: int) -> tuple[Correction, ...]:
        """Return the steps that change readings of a piece."""
        span = (int(self.uncorrected.first_ms[at]), int(self.uncorrected.last_ms[at]) + 1)
        return tuple(step for step in self.steps if step.touches(*span))


def corrected_view(
    session: ArchiveSession,
    record_view: RecordView,
    steps: tuple[Correction, ...],
    cache: MemoryCache[ComputedPiece],
) -> CorrectedView:
    """Return what a series is made of once it is corrected.

    Args:
        cache: pieces by what they follow from, of all series.
    """
    made = CorrectedView(record_view, steps)
    for at, place in enumerate(record_view.places):
        span = (int(record_view.first_ms[at]), int(record_view.last_ms[at]) + 1)
        own, touched = record_view.source.listed[place], made.touching(at)
        if not touched and own.ends is not None:
            made.listed.append(own)
            continue
        stamp = _stamp(own, touched)
        piece = cache.get(stamp) if stamp is not None else None
        if piece is None:
            piece = replace(_piece(session, made, at, span), stamp=stamp)
            if stamp is not None and piece.cells is not None:
                cache.store(stamp, piece, piece.cells.nbytes + 500)
        made.listed.append(piece)
        if piece.cells is not None:
            made.own_cells[at] = piece.cells
    return made


def _stamp(own: ViewPiece, touched: tuple[Correction, ...]) -> Hashable:
    if own.stamp is None:
        return None
    return (
        "corrected",
        own.stamp,
        *((correction.uid, correction.is_stale) for correction in touched),
    )


def _piece(session: ArchiveSession, made: CorrectedView, at: int, span: Span) -> ComputedPiece:
    try:
        return piece_of(made.read(session, at), span)
    except ArchiveDamagedError:
        return unknown(span)
