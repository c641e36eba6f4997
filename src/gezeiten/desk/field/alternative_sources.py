"""What was measured in a gap beside its logger: by another source at the same point, or by the
logger itself, carried on a courier or drive that is at hand and not taken yet."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import TypeAlias

import numpy as np

from gezeiten.archive.intake.missions import stored_ranges
from gezeiten.archive.local_cache.layout import layout
from gezeiten.archive.queries.corrections import chain_of
from gezeiten.archive.queries.missions import mission_due_at
from gezeiten.archive.queries.sites import stored_point
from gezeiten.archive.store.ids import fresh_id
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.gap_filling import book_fetched, numbers_in
from gezeiten.desk.field.gaps import BookedGap
from gezeiten.desk.intake.carriers.carried_records import CarriedRecord
from gezeiten.desk.intake.carriers.couriers import CourierCard, offload_courier
from gezeiten.desk.intake.carriers.drives import DriveCard, import_from_drive
from gezeiten.desk.logger.offloading import Offloaded
from gezeiten.desk.record.views.records import read_around
from gezeiten.domain.actions.gaps import AssignedPart, GapFilledByAlternative
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.coverage import missing, size
from gezeiten.domain.series.quality import Quality
from gezeiten.domain.series.series import Series
from gezeiten.domain.series.series_keys import channel_of, is_derived, own_label
from gezeiten.domain.series.timeline import DAY_MS
from gezeiten.domain.steps.calculation import at_instants
from gezeiten.domain.steps.formulas.formula import Role
from gezeiten.errors import ArchiveDamagedError, InputError
from gezeiten.link.transfer import UNWATCHED, Watch

CarrierCard: TypeAlias = CourierCard | DriveCard
_COMPARED_MS = 7 * DAY_MS
_LEAST_COMPARED = 20


@dataclass(frozen=True, slots=True)
class SeriesComparison:
    """How two series compare around a gap, theirs minus own, in the series' unit: the median of the
    differences, their standard deviation, of how many readings."""

    median: float
    spread: float
    readings: int


@dataclass(frozen=True, slots=True)
class AlternativeReadings:
    """Readings that could fill a gap. name: by whom; readings: how many of them lie in it; refusal:
    why they cannot serve, "" where they can."""

    name: str
    readings: int
    refusal: str = ""


@dataclass(frozen=True, slots=True)
class AlternativeSource(AlternativeReadings):
    """Of another source at the point. parts: which series it would feed, from when to when; fills:
    its readings there, by series; comparisons: how it compares with each, where both measured."""

    parts: tuple[AssignedPart, ...] = ()
    fills: tuple[tuple[str, Series], ...] = ()
    comparisons: tuple[tuple[str, SeriesComparison], ...] = ()


@dataclass(frozen=True, slots=True)
class CarriedReadings(AlternativeReadings):
    """Of the logger itself, on a courier or drive."""

    card: CarrierCard | None = None
    key: str = ""


def find_alternatives(
    desk: Workspace, booked: BookedGap, cards: Iterable[CarrierCard] = ()
) -> list[AlternativeReadings]:
    """Return all that was measured in a gap beside what its logger can still give: first what is
    the logger's own.

    Raises:
        ArchiveDamagedError: readings of its own series are damaged.
    """
    return [*carried(desk, booked, cards), *by_others(desk, booked)]


# -- another source at the point -------------------------------------------------------------------
def by_others(desk: Workspace, booked: BookedGap) -> list[AlternativeSource]:
    """Return what other sources measured in a gap at its point, that with most readings first.

    Raises:
        ArchiveDamagedError: readings of its own series are damaged.
    """
    found: dict[str, dict[str, str]] = {}
    gap = booked.gap
    with desk.archive.reading() as session:
        assigned = layout(session).at_point(booked.point.id)
    for key in booked.channels:
        for feed in assigned:
            is_other = feed.channel == channel_of(key) and feed.series != key
            reaches = feed.start_ms < gap.end_ms and feed.end_ms > gap.start_ms
            if is_other and reaches and not is_derived(key):
                found.setdefault(feed.deployment.stay.source, {}).setdefault(key, feed.series)
    offers = [_by_other(desk, booked, source, keys) for source, keys in found.items()]
    listed = [offer for offer in offers if offer is not None]
    return sorted(listed, key=lambda one: (bool(one.refusal), -one.readings))


def _by_other(
    desk: Workspace, booked: BookedGap, source: str, keys: dict[str, str]
) -> AlternativeSource | None:
    """Return what a source could give. keys: which of its series for which of the gap's."""
    gap, fills, parts, apart = booked.gap, [], [], []
    for key, theirs in keys.items():
        try:
            wide = read_around(
                desk,
                booked.point.id,
                theirs,
                (gap.start_ms - _COMPARED_MS, gap.end_ms + _COMPARED_MS),
            )
        except ArchiveDamagedError:
            continue  # it is told elsewhere
        wide = wide.subset(wide.quality == Quality.GOOD)
        inside = wide.between(gap.start_ms, gap.end_ms)
        if not len(inside):
            continue
        until = int(inside.times_utc_ms[-1] + inside.interval_ms[-1])
        fills.append((key, inside))
        begin = int(inside.times_utc_ms[0])
        parts.append(
            AssignedPart(fresh_id(), channel_of(key), own_label(key), begin, min(until, gap.end_ms))
        )
        compared = _compared(desk, booked, key, wide)
        if compared is not None:
            apart.append((key, compared))
    if not fills:
        return None
    reason = _refusal(desk, booked, keys)
    return AlternativeSource(
        source, min(len(one) for _, one in fills), reason, tuple(parts), tuple(fills), tuple(apart)
    )


def _compared(
    desk: Workspace, booked: BookedGap, key: str, theirs: Series
) -> SeriesComparison | None:
    """Compare two series where both measured around a gap, None where that was too seldom."""
    gap, its = booked.gap, quantity(key)
    wide = (gap.start_ms - _COMPARED_MS, gap.end_ms + _COMPARED_MS)
    own = read_around(desk, booked.point.id, key, wide).between(*wide)
    own = own.subset(own.quality == Quality.GOOD)
    there, _ = at_instants(theirs, own.times_utc_ms, Role(its.name, its.unit), its.averages)
    off = (there - own.values)[np.isfinite(there)]
    if len(off) < _LEAST_COMPARED:
        return None
    return SeriesComparison(float(np.median(off)), float(off.std(ddof=1)), len(off))


def _refusal(desk: Workspace, booked: BookedGap, keys: dict[str, str]) -> str:
    """Corrections are said of a series, whoever feeds it: they would hold for readings for which
    they were not meant, or no longer for those for which they were."""
    gap = booked.gap
    with desk.archive.reading() as session:
        for one in (part for pair in keys.items() for part in pair):
            steps = chain_of(session, booked.point.id, one)
            if any(step.is_on and step.touches(gap.start_ms, gap.end_ms) for step in steps):
                return f"{quantity(one).name} is corrected there; disable these corrections first"
    return ""


def fill_by_other(desk: Workspace, booked: BookedGap, offer: AlternativeSource) -> None:
    """Fill a gap by what another source measured; its readings are in the gap's series from then on
    and no longer in that of their own name.

    Raises:
        InputError: they cannot serve, or somebody was quicker.
    """
    if offer.refusal:
        raise InputError(f"{offer.name} cannot fill this gap ({offer.refusal}).")
    with desk.archive.writing() as session:
        desk.do_within(
            session, alternative_action(booked, offer, stored_point(session, booked.point.id).uid)
        )


def alternative_action(
    booked: BookedGap, offer: AlternativeSource, point: str
) -> GapFilledByAlternative:
    """Return the action that fills a gap so, for its point (its id)."""
    return GapFilledByAlternative(point, booked.gap, offer.name, offer.parts)


def fill_by_measured(
    desk: Workspace, booked: BookedGap, offer: AlternativeReadings
) -> list[Offloaded]:
    """Fill a gap by what was measured beside its logger; returns what was taken of it.

    Raises:
        InputError: it cannot serve, or somebody was quicker.
        DeviceError: the courier or drive is away, or another one.
    """
    if isinstance(offer, CarriedReadings):
        return fill_from_carried(desk, booked, offer)
    if isinstance(offer, AlternativeSource):
        fill_by_other(desk, booked, offer)
    return []


# -- the logger itself, carried --------------------------------------------------------------------
def carried(
    desk: Workspace, booked: BookedGap, cards: Iterable[CarrierCard]
) -> list[CarriedReadings]:
    """Return what couriers and drives that were looked at hold of a gap and the archive lacks."""
    with desk.archive.reading() as session:
        mission = mission_due_at(session, booked.point.id, booked.gap.start_ms)
        if mission is None:
            return []
        wanted = numbers_in(mission, booked.gap, layout(session).clock_of(mission.id))
        lacking = missing(wanted, stored_ranges(session, mission.id))
    found = []
    for card in cards:
        for one in card.new:
            if (one.serial, one.mission, one.launched_ms) == (
                mission.logger.serial,
                mission.number,
                mission.launched_ms,
            ):
                holds = _common(one, lacking)
                if holds:
                    found.append(CarriedReadings(carrier_name(card), holds, "", card, one.key))
    return sorted(found, key=lambda one: -one.readings)


def _common(carried_record: CarriedRecord, lacking: Iterable[tuple[int, int]]) -> int:
    parts = [(max(a, c), min(b, d)) for a, b in lacking for c, d in carried_record.stored_ranges]
    return size([part for part in parts if part[1] > part[0]])


def carrier_name(card: CarrierCard) -> str:
    """Return how a courier or drive is called in a sentence."""
    if isinstance(card, CourierCard):
        return f"courier {card.serial}"
    return f"drive {card.drive.label}"


def fill_from_carried(
    desk: Workspace, booked: BookedGap, offer: CarriedReadings, watch: Watch = UNWATCHED
) -> list[Offloaded]:
    """Take a record from a courier or drive, all of it; that it filled this gap is kept.

    Raises:
        DeviceError: the courier or drive is away, or another one.
    """
    card = offer.card
    if isinstance(card, CourierCard):
        results = offload_courier(desk, card, {offer.key}, watch)
    elif isinstance(card, DriveCard):
        results = import_from_drive(desk, card, {offer.key}, watch).results
    else:
        raise InputError("No courier or drive with it is connected; search again.")
    for result in results:
        for offload_id in result.offload_ids:
            book_fetched(desk, booked, offload_id, offer.name)
    return results
