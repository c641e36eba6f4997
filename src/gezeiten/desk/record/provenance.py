"""The whole story of one reading: the bytes it came in, its number, its logger's clock, what every
step of the chain made of it, how sure it is."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from gezeiten.archive.database import ArchiveSession
from gezeiten.archive.local_cache.layout import layout
from gezeiten.archive.local_cache.readings import recorded_at
from gezeiten.archive.queries.clocks import clocks_in_force
from gezeiten.archive.queries.missions import missions_by_id
from gezeiten.archive.queries.offloads import offloads_in
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.record.statements.calculated_series import formula_texts
from gezeiten.desk.record.statements.corrections import chain, fitted_on_another_state
from gezeiten.desk.record.uncertainty import reading_uncertainty
from gezeiten.desk.record.views.records import read_around, uncorrected
from gezeiten.desk.sites.places import PointPlace, points
from gezeiten.domain.facts.stored import KnownMission, KnownOffload, StoredClockCorrection
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.assignments import SeriesAssignment
from gezeiten.domain.series.clocks.clock_uncertainty import clock_u_ms
from gezeiten.domain.series.quality import Quality
from gezeiten.domain.series.series import Series
from gezeiten.domain.series.series_keys import channel_of
from gezeiten.domain.steps.calculated_series import CalculatedSeries
from gezeiten.domain.steps.chain import Correction, corrected
from gezeiten.domain.steps.steps import RecordStep
from gezeiten.domain.steps.uncertainty import Uncertainty
from gezeiten.errors import InputError


@dataclass(frozen=True, slots=True)
class Bytes:
    """What a reading came in: of which source and mission, its number and value there (NaN: no
    sensor), and every offload whose bytes hold it, oldest first. clock: what puts its instant
    right, None where nothing does; shown_ms: what its logger wrote; clock_u_ms: how sure its
    instant is then (k = 2)."""

    source: str
    is_logger: bool
    mission: KnownMission
    number: int
    value: float
    offloads: tuple[KnownOffload, ...]
    clock: StoredClockCorrection | None
    shown_ms: int
    clock_u_ms: float = 0.0


@dataclass(frozen=True, slots=True)
class AppliedStep:
    """A step of the chain that a reading passed: value and quality after it, value None where the
    step took it out."""

    step: Correction
    value: float | None
    quality: Quality


@dataclass(frozen=True, slots=True)
class ProvenanceInput:
    """What a calculated reading rests on: of which series, and its value at that instant, None
    where it is interpolated between two."""

    point: PointPlace
    series: str
    value: float | None


@dataclass(frozen=True, slots=True)
class Provenance:
    """A reading and how it came about. value: None where a step took it out; bytes: None of what is
    calculated or estimated; formula_text: of a calculated one in words; fill: the step that
    estimated it; is_old_fill: its readings were corrected otherwise
    since; uncertainty: of the value."""

    point: PointPlace
    series: str
    at_ms: int
    value: float | None
    quality: Quality
    bytes: Bytes | None
    passed: tuple[AppliedStep, ...]
    formula_text: str = ""
    inputs: tuple[ProvenanceInput, ...] = ()
    fill: RecordStep | None = None
    is_old_fill: bool = False
    uncertainty: Uncertainty | None = None


def provenance(desk: Workspace, point: PointPlace, series: str, at_ms: int) -> Provenance:
    """Return the story of the reading of a series (its key) that stands nearest to an instant.

    Raises:
        InputError: the series has none.
        ArchiveDamagedError: it is damaged.
    """
    at_ms = _nearest(desk, point, series, at_ms)
    source = uncorrected(desk, point.id, series, (at_ms, at_ms + 1))
    links = chain(desk, point, series)
    if not len(source):
        fill = next((one for one in links.fills if one.touches(at_ms, at_ms + 1)), None)
        stands = read_around(desk, point.id, series, (at_ms, at_ms + 1)).between(at_ms, at_ms + 1)
        is_old = fill is not None and fitted_on_another_state(fill, links.corrections)
        return Provenance(
            point,
            series,
            at_ms,
            *_of(stands),
            None,
            (),
            links.formula_text,
            fill=fill,
            is_old_fill=is_old,
            uncertainty=reading_uncertainty(desk, point, series, at_ms),
        )
    passed, standing = [], source
    for i, step in enumerate(links.corrections):
        if step.is_on and step.touches(at_ms, at_ms + 1):
            standing = corrected(source, links.corrections[: i + 1])
            passed.append(AppliedStep(step, *_of(standing)))
    with desk.archive.reading() as session:
        how = layout(session).calculated(point.id, series)
        its_bytes = None if how else _bytes(session, point.id, series, at_ms)
    inputs = () if how is None else _inputs(desk, how, at_ms)
    return Provenance(
        point,
        series,
        at_ms,
        *_of(standing),
        its_bytes,
        tuple(passed),
        formula_texts(desk, point).get(series, ""),
        inputs,
        uncertainty=reading_uncertainty(desk, point, series, at_ms),
    )


def _nearest(desk: Workspace, point: PointPlace, series: str, at_ms: int) -> int:
    span = (at_ms, at_ms + 1)
    stands = read_around(desk, point.id, series, span)
    instants = np.union1d(
        stands.times_utc_ms, uncorrected(desk, point.id, series, span).times_utc_ms
    )
    if not len(instants):
        raise InputError(
            f"{quantity(channel_of(series)).name} has no reading here; choose another series."
        )
    return int(instants[np.argmin(np.abs(instants - at_ms))])


def _of(series: Series) -> tuple[float | None, Quality]:
    if not len(series):
        return None, Quality.MISSING
    return float(series.values[0]), Quality(int(series.quality[0]))


def _bytes(session: ArchiveSession, point_id: int, series: str, at_ms: int) -> Bytes | None:
    for feed in layout(session).of_series(point_id, series):
        if feed.start_ms <= at_ms < feed.end_ms:
            return _source_bytes(session, feed, at_ms)
    return None


def _source_bytes(
    session: ArchiveSession, assignment: SeriesAssignment, at_ms: int
) -> Bytes | None:
    found = recorded_at(session, assignment, at_ms)
    if found is None:
        return None
    mission = missions_by_id(session, {assignment.mission})[assignment.mission]
    offloads = offloads_in(session, mission.id, (at_ms, at_ms + 1))
    stay = assignment.deployment.stay
    clock = clocks_in_force(session).get(assignment.mission)
    number, value, shown_ms = found
    u_ms = clock_u_ms(clock.map, clock.uncertainty, at_ms) if clock is not None else 0.0
    return Bytes(
        stay.source, stay.is_logger, mission, number, value, tuple(offloads), clock, shown_ms, u_ms
    )


def _inputs(
    desk: Workspace, calculated: CalculatedSeries, at_ms: int
) -> tuple[ProvenanceInput, ...]:
    places = {point.uid: point for point in points(desk)}
    found = []
    for uid, series in calculated.inputs:
        stands = read_around(desk, places[uid].id, series, (at_ms, at_ms + 1)).between(
            at_ms, at_ms + 1
        )
        found.append(ProvenanceInput(places[uid], series, _of(stands)[0]))
    return tuple(found)
