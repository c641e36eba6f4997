"""What a calculated series is made of: the pieces of its first input, each calculated where it is
asked for.

What is known of a piece without calculating it again (its cells, its ends, what of it is estimated)
stays in memory under what it follows from; so after a late fetch only what changed is calculated.
"""

from __future__ import annotations

from collections.abc import Hashable, Iterable
from dataclasses import dataclass, field, replace

import numpy as np

from gezeiten.archive.database import ArchiveSession
from gezeiten.desk.base.memory_cache import MemoryCache
from gezeiten.desk.record.views.record_view import RecordView
from gezeiten.domain.series.drawing.cells import Cells, cells_of_series
from gezeiten.domain.series.series import Series, empty_series, gaps_after, join_series
from gezeiten.domain.series.series_keys import channel_of
from gezeiten.domain.series.timeline import Span
from gezeiten.domain.steps.calculated_series import CalculatedSeries
from gezeiten.domain.steps.calculation import derive
from gezeiten.domain.steps.missing_values import MissingPeriod, missing_periods
from gezeiten.errors import ArchiveDamagedError


@dataclass(frozen=True, slots=True)
class ComputedPiece:
    """A piece of a calculated series; see `view.ViewPiece`. cells: None where it could not be
    calculated; estimated: readings of it that rest on an estimate; missing: where measured readings
    of the first input have no value here."""

    span: Span
    ends: Span | None
    valid: int
    low: float
    high: float
    stamp: Hashable
    cells: Cells | None
    estimated: Series
    missing: tuple[MissingPeriod, ...] = ()


@dataclass(frozen=True, slots=True)
class CalculatedView:
    """A calculated series; see `view.ViewSource`. inputs: views by role; listed: the pieces of the
    first one in order of time."""

    calculated: CalculatedSeries
    inputs: tuple[RecordView, ...]
    listed: list[ComputedPiece] = field(default_factory=list)
    fills: list[Series] = field(default_factory=list)

    def read(self, session: ArchiveSession, at: int) -> Series:
        """Return what is calculated of a piece of the first input from measured readings alone.

        Raises:
            ArchiveDamagedError: what it follows from is damaged.
        """
        made = self.of(session, self.inputs[0].chunk(session, at))
        return made.subset(~made.estimated)

    def cells(self, _session: ArchiveSession) -> dict[int, Cells]:
        """Return the cells of the pieces that could be calculated, by their place."""
        return {at: one.cells for at, one in enumerate(self.listed) if one.cells is not None}

    def of(self, session: ArchiveSession, first: Series) -> Series:
        """Return what is calculated of readings of the first input."""
        if not len(first):
            return first
        if self.calculated.window_ms:
            span = (int(first.times_utc_ms[0]), int(first.times_utc_ms[-1]) + 1)
            return self._with_window_before(session, first, span)
        return self._derived(self._aligned_inputs(session, first))

    def with_missing(
        self, session: ArchiveSession, first: Series
    ) -> tuple[Series, tuple[MissingPeriod, ...]]:
        """Return what is calculated of readings of the first input, and where there is none; what
        looks back over a window lacks nothing that its input does not, nor a value typed for a
        period what lies outside it."""
        if (
            not len(first)
            or self.calculated.window_ms
            or self.calculated.formula_in_force.is_of_any
        ):
            return self.of(session, first), ()
        inputs = self._aligned_inputs(session, first)
        made = self._derived(inputs)
        return made, missing_periods(self.calculated.formula_in_force, inputs, made.times_utc_ms)

    def _aligned_inputs(self, session: ArchiveSession, first: Series) -> list[tuple[Series, str]]:
        """Return readings of the first input, with those of the others beside them."""
        span = (int(first.times_utc_ms[0]), int(first.times_utc_ms[-1]) + 1)
        series = [first, *(view.read_around(session, span) for view in self.inputs[1:])]
        return list(zip(series, [channel_of(view.key) for view in self.inputs], strict=True))

    def _derived(self, inputs: list[tuple[Series, str]]) -> Series:
        return derive(
            self.calculated.formula_in_force,
            self.calculated.parameters,
            inputs,
            channel_of(self.calculated.series),
            self.calculated.sensor_depths,
        )

    def _with_window_before(self, session: ArchiveSession, first: Series, span: Span) -> Series:
        before = (span[0] - self.calculated.window_ms, span[1])
        whole = [(self.inputs[0].read_around(session, before), channel_of(self.inputs[0].key))]
        series = derive(
            self.calculated.formula_in_force,
            self.calculated.parameters,
            whole,
            channel_of(self.calculated.series),
        )
        return series.subset(np.isin(series.times_utc_ms, first.times_utc_ms))


def computed(
    session: ArchiveSession,
    calculated: CalculatedSeries,
    inputs: tuple[RecordView, ...],
    cache: MemoryCache[ComputedPiece],
) -> CalculatedView:
    """Return what a calculated series is made of, as its inputs are now.

    Args:
        cache: pieces by what they follow from, of all series.
    """
    made, first = CalculatedView(calculated, inputs), inputs[0]
    estimated: list[Series] = []
    for at in range(len(first.places)):
        span = (int(first.first_ms[at]), int(first.last_ms[at]) + 1)
        stamp = _stamp(made, at, span)
        piece = cache.get(stamp) if stamp is not None else None
        if piece is None:
            piece = replace(_piece(session, made, at, span), stamp=stamp)
            if stamp is not None and piece.cells is not None:
                cache.store(stamp, piece, _nbytes(piece.cells, piece))
        made.listed.append(piece)
        estimated.append(piece.estimated)
    estimated += [made.of(session, fill) for fill in first.source.fills]
    made.fills.extend(_continuous_parts(join_series(estimated)))
    return made


def _stamp(calculated_view: CalculatedView, at: int, span: Span) -> Hashable:
    """Return what a piece follows from: its formula and the readings of all inputs."""
    first = calculated_view.inputs[0]
    own = first.source.listed[first.places[at]].stamp
    others = tuple(view.stamp(span) for view in calculated_view.inputs[1:])
    if calculated_view.calculated.window_ms:
        others = (first.stamp((span[0] - calculated_view.calculated.window_ms, span[1])),)
    known = (
        calculated_view.calculated.uid,
        calculated_view.calculated.sensor_depths
        if calculated_view.calculated.formula_in_force.uses_sensor_depth
        else (),
    )
    return None if own is None or None in others else (*known, own, others)


def _piece(
    session: ArchiveSession, calculated_view: CalculatedView, at: int, span: Span
) -> ComputedPiece:
    """Calculate a piece; of a damaged one that it cannot be, and is looked at again."""
    try:
        whole, lacking = calculated_view.with_missing(
            session, calculated_view.inputs[0].chunk(session, at)
        )
    except ArchiveDamagedError:
        return unknown(span)
    return replace(piece_of(whole, span), missing=lacking)


def _nbytes(cells: Cells, piece: ComputedPiece) -> int:
    return cells.nbytes + 25 * len(piece.estimated) + 200 * len(piece.missing) + 500


def unknown(span: Span) -> ComputedPiece:
    """Return a piece whose readings are damaged."""
    return ComputedPiece(span, None, 0, -np.inf, np.inf, None, None, empty_series())


def piece_of(series: Series, span: Span) -> ComputedPiece:
    """Return what is known of a piece of these readings."""
    is_estimated = series.estimated
    measured = series.subset(~is_estimated)
    if not len(measured):
        return ComputedPiece(
            span,
            None,
            0,
            np.inf,
            -np.inf,
            None,
            cells_of_series(measured),
            series.subset(is_estimated),
        )
    ends = int(measured.times_utc_ms[0]), int(measured.times_utc_ms[-1])
    return ComputedPiece(
        span,
        ends,
        len(measured),
        float(measured.values.min()),
        float(measured.values.max()),
        None,
        cells_of_series(measured),
        series.subset(is_estimated),
    )


def _continuous_parts(series: Series) -> Iterable[Series]:
    """Yield the stretches of a series between which there is a gap, or something measured."""
    times = series.times_utc_ms
    apart = gaps_after(times, series.interval_ms) + 1
    for a, b in zip([0, *apart.tolist()], [*apart.tolist(), len(times)], strict=True):
        if b > a:
            yield series.between(int(times[a]), int(times[b - 1]) + 1)
