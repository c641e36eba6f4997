"""Limits of a point's series: those of plans, and those set here with a reason, by when."""

from __future__ import annotations

from dataclasses import dataclass

from gezeiten.archive.local_cache.layout import layout
from gezeiten.archive.queries.missions import missions_by_id
from gezeiten.archive.queries.sites import stored_point
from gezeiten.archive.store.ids import fresh_id
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.record.views.records import limits_set, watched
from gezeiten.domain.actions.limits import LimitEnded, LimitSet, LimitWithdrawn
from gezeiten.domain.facts.stored import StoredLimit
from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.series_keys import channel_of
from gezeiten.domain.series.timeline import EVER_MS
from gezeiten.errors import InputError


@dataclass(frozen=True, slots=True)
class LimitView:
    """A limit on a series of a point: of a mission's plan (serial and number), or set here.
    start_ms and end_ms, None for no end: when it is in force."""

    series: str
    rule: LimitRule
    start_ms: int
    end_ms: int | None
    serial: str = ""
    mission: int = 0
    stored: StoredLimit | None = None


def limits_over_time(desk: Workspace, point_id: int) -> list[LimitView]:
    """Return all limits that were or are in force at a point, by series and begin."""
    watched_assignments = watched(desk, point_id)
    with desk.archive.reading() as session:
        made = layout(session)
        missions = missions_by_id(
            session, {period.assignment.mission for period in watched_assignments}
        )
        has_readings = {one.key for one in made.shown.get(made.points[point_id], ())}
    seen = [
        LimitView(
            period.series,
            rule,
            max(period.assignment.start_ms, period.assignment.deployment.stay.first_ms),
            None if period.assignment.end_ms == EVER_MS else period.assignment.end_ms,
            period.assignment.deployment.stay.source,
            missions[period.assignment.mission].number,
        )
        for period in watched_assignments
        if period.series in has_readings
        for rule in period.rules
    ]
    seen += [
        LimitView(
            stored.series,
            stored.rule,
            stored.start_ms,
            stored.end_ms,
            stored=stored,
        )
        for stored in limits_set(desk, point_id)
    ]
    return sorted(seen, key=lambda one: (one.series, one.start_ms, one.rule.key))


def set_limit(
    desk: Workspace,
    point_id: int,
    series: str,
    rule: LimitRule,
    start_ms: int,
    end_ms: int | None,
    words: str,
) -> None:
    """Set a limit on a series, in force in [start_ms, end_ms), None: until further notice. Rules
    without a value are the logger's own: nobody else knows what it had no sensor for.

    Raises:
        InputError: no words, no such series, a limit that contradicts another or is there already.
    """
    if not words.strip():
        raise InputError("Enter a reason; it is shown beside the limit.")
    if not rule.has_value:
        raise InputError("“No sensor” is monitored by the logger itself; set it in the plan.")
    if rule.mean_s and quantity(channel_of(series)).averages == "direction":
        raise InputError("A direction has no mean to compare with a limit; choose “each reading”.")
    with desk.archive.reading() as session:
        uid = stored_point(session, point_id).uid
        made = layout(session)
        if not (made.of_series(point_id, series) or made.calculated(point_id, series)):
            raise InputError("This point has no such series; choose one from the list.")
    plain = {**rule.as_dict(), "channel": series}
    action = LimitSet(uid, fresh_id(), series, plain, start_ms, end_ms, words.strip())
    desk.do(action)


def end_limit(desk: Workspace, limit: StoredLimit, end_ms: int, words: str) -> None:
    """Let a limit that was set be in force until an instant.

    Raises:
        InputError: no words, or it would end before it began.
    """
    if not words.strip():
        raise InputError("Enter a reason; it is recorded in the logbook.")
    action = LimitEnded(_uid(desk, limit.point_id), limit.uid, limit.end_ms, end_ms, words.strip())
    desk.do(action)


def withdraw_limit(desk: Workspace, limit: StoredLimit) -> None:
    """Take a limit back that was set: it never was in force."""
    desk.do(LimitWithdrawn(_uid(desk, limit.point_id), limit.uid))


def _uid(desk: Workspace, point_id: int) -> str:
    with desk.archive.reading() as session:
        return stored_point(session, point_id).uid
