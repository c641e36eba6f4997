"""Gaps and what is done about them: filled from the logger, by a straight line, or left open.

Every act is a step that can be undone; what was measured is never touched.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from gezeiten.archive.database import ArchiveSession
from gezeiten.archive.intake.missions import stored_ranges
from gezeiten.archive.local_cache.layout import layout
from gezeiten.archive.queries.missions import mission_due_at, newest_number
from gezeiten.archive.queries.offloads import fingerprint_of, undone_fetch
from gezeiten.archive.queries.sites import stored_point
from gezeiten.archive.queries.steps import all_steps
from gezeiten.archive.store.ids import fresh_id
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.estimates import line_error
from gezeiten.desk.field.gaps import BookedGap
from gezeiten.desk.logger.contact import LoggerCard, find_serial
from gezeiten.desk.logger.offloading import Offloaded, offload_logger
from gezeiten.desk.record.views.records import read_around
from gezeiten.domain.actions import Action
from gezeiten.domain.actions.gaps import (
    GapFetched,
    GapFilledByLine,
    GapFillWithdrawn,
    GapLeftOpen,
    LineFill,
)
from gezeiten.domain.base.wording import grouped
from gezeiten.domain.facts.stored import KnownMission
from gezeiten.domain.series.clocks.clock_map import ClockMap
from gezeiten.domain.series.coverage import Range, missing, size
from gezeiten.domain.series.gaps import Gap
from gezeiten.domain.series.timeline import duration_text
from gezeiten.domain.steps.fills import (
    ExpectedError,
    line_ends,
    straight_line,
)
from gezeiten.domain.steps.steps import RecordStep
from gezeiten.errors import InputError
from gezeiten.link.lines.address import Endpoint
from gezeiten.link.transfer import UNWATCHED, Watch

_NO_ENDS = "no reading before or after it"


# -- what could fill a gap -----------------------------------------------------------------------
@dataclass(frozen=True, slots=True)
class LoggerOffer:
    """What the logger could still give for a gap. undone_offload: fetched already, and undone."""

    serial: str
    mission: int
    ranges: tuple[Range, ...]
    undone_offload: int | None
    sentence: str

    @property
    def readings(self) -> int:
        """How many readings the logger could still give."""
        return size(self.ranges)


@dataclass(frozen=True, slots=True)
class LineOffer:
    """A straight line over a gap, with its expected error a channel; refusal says why not; left:
    channels that it cannot fill, with the reason: they stay open."""

    readings: int
    errors: dict[str, ExpectedError]
    refusal: str
    left: dict[str, str] = field(default_factory=dict)


def logger_offer(desk: Workspace, booked: BookedGap, card: LoggerCard | None = None) -> LoggerOffer:
    """Return what the logger of the gap's mission holds of it, from a card or the last contact."""
    with desk.archive.reading() as session:
        mission = mission_due_at(session, booked.point.id, booked.gap.start_ms)
        if mission is None:
            return LoggerOffer("", 0, (), None, "no mission covers it")
        serial = mission.logger.serial
        clock = layout(session).clock_of(mission.id)
        wanted = numbers_in(mission, booked.gap, clock)
        hidden = undone_fetch(session, mission, wanted)
        if hidden is not None:
            offload, got = hidden
            return LoggerOffer(
                serial, mission.number, (got,), offload, "offloaded before, disabled"
            )
        stored = stored_ranges(session, mission.id)
        held = _numbers_in_memory(session, mission, card)
    ranges = tuple(missing(wanted, stored))
    ranges = tuple((max(a, held[0]), min(b, held[1])) for a, b in ranges)
    ranges = tuple(part for part in ranges if part[1] > part[0])
    count = size(ranges)
    if count:
        words = f"holds {grouped(count)} of {grouped(booked.gap.missing)}"
    elif held == (0, 0):
        words = "memory has since been erased by a new mission"
    elif wanted[0] < held[0]:
        words = "memory has been overwritten"
    else:
        words = "recorded no value then"
    return LoggerOffer(serial, mission.number, ranges, None, words)


def numbers_in(mission: KnownMission, gap: Gap, clock: ClockMap) -> Range:
    """Return the numbers that lie in a gap, by the logger's own clock. A clock that was put right
    is known to a part of an interval."""
    near_ms = mission.interval_ms // 10 if clock else 0
    start_ms, end_ms = clock.shown_span((gap.start_ms, gap.end_ms))
    first = -(-(start_ms - near_ms - mission.first_ms) // mission.interval_ms)
    end = -(-(end_ms - near_ms - mission.first_ms) // mission.interval_ms)
    return (first, end)


def _numbers_in_memory(
    session: ArchiveSession, mission: KnownMission, card: LoggerCard | None
) -> Range:
    """Reading numbers in the logger's memory: (0, 0) once it has another mission."""
    if card is not None:
        for entry in card.directory:
            if entry.mission == mission.number and entry.launched_ms == mission.launched_ms:
                return entry.numbers_in_memory
        return (0, 0)
    is_newest = newest_number(session, mission.logger.id) == mission.number
    return (mission.first_held, mission.readings) if is_newest else (0, 0)


def line_offer(desk: Workspace, booked: BookedGap) -> LineOffer:
    """Return the straight line over a gap with its expected error, or why it is not offered."""
    errors: dict[str, ExpectedError] = {}
    left: dict[str, str] = {}
    count, gap = 0, booked.gap
    for channel in booked.channels:
        error, why = line_error(desk, booked, channel)
        if error is None:
            left[channel] = why
            continue
        errors[channel] = error
        series = read_around(desk, booked.point.id, channel, (gap.start_ms, gap.end_ms))
        count = max(count, len(straight_line(series, gap)))
    refusal = "" if errors else next(iter(left.values()), _NO_ENDS)
    limit_ms = booked.point.fill_limit_s * 1000
    if gap.length_ms > limit_ms:
        refusal = f"too long: the rule here allows {duration_text(limit_ms)}"
    elif not refusal and not count:
        refusal = _NO_ENDS
    return LineOffer(count, errors, refusal, left)


# -- acts ----------------------------------------------------------------------------------------
def fill_by_line(desk: Workspace, booked: BookedGap) -> None:
    """Fill a gap by a straight line in each of its channels, coded estimate.

    Raises:
        InputError: the gap is over the point's limit, or the error cannot be measured.
    """
    _do(desk, booked, line_action(desk, booked, line_offer(desk, booked)))


def line_action(desk: Workspace, booked: BookedGap, offer: LineOffer) -> Callable[[str], Action]:
    """Return the action that fills a gap by a straight line, for its point (its id).

    Raises:
        InputError: the line is not offered.
    """
    if offer.refusal:
        raise InputError(f"A straight line cannot fill this gap ({offer.refusal}).")
    lines = tuple(_line(desk, booked, channel, error) for channel, error in offer.errors.items())
    return lambda point: GapFilledByLine(point, booked.gap, lines)


def _line(desk: Workspace, booked: BookedGap, channel: str, error: ExpectedError) -> LineFill:
    gap = booked.gap
    ends = line_ends(read_around(desk, booked.point.id, channel, (gap.start_ms, gap.end_ms)), gap)
    if ends is None:
        raise InputError(f"A straight line cannot fill this gap ({_NO_ENDS}).")
    (from_ms, from_value), (to_ms, to_value) = ends
    return LineFill(
        fresh_id(),
        channel,
        from_ms,
        from_value,
        to_ms,
        to_value,
        error.rmse,
        error.low,
        error.high,
        error.stretches,
        error.lows,
        error.highs,
        error.caution,
    )


def fill_from_logger(
    desk: Workspace, booked: BookedGap, address: Endpoint | None = None, watch: Watch = UNWATCHED
) -> Offloaded | None:
    """Fetch the missing readings of a gap from the logger; measured, code good.

    Readings that were fetched before and switched off are switched on again (returns None).

    Args:
        address: where the logger answers; None looks for it.

    Raises:
        InputError: the logger holds nothing of it.
        DeviceError: it is away or is another one.
    """
    offer = logger_offer(desk, booked)
    if offer.undone_offload is not None:
        book_fetched(desk, booked, offer.undone_offload)
        return None
    if not offer.readings:
        raise InputError(f"{offer.serial or 'No logger'} cannot fill this gap: {offer.sentence}.")
    only = {offer.mission: list(offer.ranges)}
    address = address or find_serial(desk, offer.serial)
    result = offload_logger(desk, address, offer.serial, watch, only)
    for offload_id in result.offload_ids:
        book_fetched(desk, booked, offload_id)
    return result


def book_fetched(desk: Workspace, booked: BookedGap, offload_id: int, by: str = "") -> None:
    """Keep that an offload filled a gap. by: what carried it, "" where the logger gave it."""
    with desk.archive.reading() as session:
        sha256 = fingerprint_of(session, offload_id)
    _do(desk, booked, lambda point: GapFetched(point, fresh_id(), booked.gap, sha256, by))


def leave_open(desk: Workspace, booked: BookedGap, reason: str) -> None:
    """Leave a gap open for good, with a reason.

    Raises:
        InputError: no reason was given.
    """
    words, series = reason.strip(), booked.channels
    _do(desk, booked, lambda point: GapLeftOpen(point, fresh_id(), booked.gap, words, series))


def undo(desk: Workspace, booked: BookedGap) -> None:
    """Undo what was done about a gap; the record is again what it was before."""
    if not booked.steps:
        raise InputError("This gap has not been changed, so there is nothing to undo.")
    _do(desk, booked, lambda at: GapFillWithdrawn(at, booked.gap, booked.steps, booked.state))


def _do(desk: Workspace, booked: BookedGap, run: Callable[[str], Action]) -> None:
    """Do an action on a gap; it is told the id of the gap's point."""
    with desk.archive.writing() as session:
        desk.do_within(session, run(stored_point(session, booked.point.id).uid))


def steps_of(desk: Workspace, point_id: int) -> list[RecordStep]:
    """Return all steps of a point, undone ones too, oldest first."""
    with desk.archive.reading() as session:
        return all_steps(session, point_id)
