"""What documents say of days: by verdicts of `domain/limits/verdicts.py`, on the whole record."""

from __future__ import annotations

from gezeiten.archive.local_cache.layout import layout
from gezeiten.archive.queries.missions import missions_by_id
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.record.views.means import moving_means_around
from gezeiten.desk.record.views.records import read_around
from gezeiten.desk.sites.places import PointPlace
from gezeiten.domain.facts.stored import GOING_ON
from gezeiten.domain.limits.limits import InForce
from gezeiten.domain.limits.verdicts import DayVerdict, KnownUntil, day_verdicts
from gezeiten.domain.series.series import Series
from gezeiten.domain.series.timeline import EVER_MS, Span, local_days


def judged(
    desk: Workspace, point: PointPlace, series: str, span: Span, limits: tuple[InForce, ...]
) -> tuple[tuple[DayVerdict, ...], tuple[tuple[int, Series], ...]]:
    """Return the verdicts of the days of a stretch, and what limits of means compare."""
    whole = _local_days(span, point.zone)
    lengths = {rule.mean_s for limit in limits for rule in limit.rules if rule.mean_s}
    means = {
        mean_s: moving_means_around(desk, point.id, series, mean_s, whole)
        for mean_s in sorted(lengths)
    }
    until = KnownUntil(desk.now_ms(), undelivered_since(desk, point, series))
    readings = read_around(desk, point.id, series, whole)
    verdicts = day_verdicts(readings, limits, span, point.zone, until, means)
    shown = tuple((mean_s, one.between(*span)) for mean_s, one in means.items())
    return tuple(verdicts), shown


def undelivered_since(desk: Workspace, point: PointPlace, series: str) -> int | None:
    """Return from when on readings of a series wait on a logger that goes on recording, None where
    none does."""
    with desk.archive.reading() as session:
        made = layout(session)
        assignments = made.of_series(point.id, made.root_of(point.id, series))
        if (
            not assignments
            or assignments[-1].end_ms < EVER_MS
            or not assignments[-1].deployment.stay.is_logger
        ):
            return None
        mission = missions_by_id(session, {assignments[-1].mission})[assignments[-1].mission]
    if mission.state not in GOING_ON:
        return None
    last = read_around(desk, point.id, series, (EVER_MS - 1, EVER_MS))
    if not len(last):
        return mission.first_ms or None
    return int(last.times_utc_ms[-1]) + int(last.interval_ms[-1])


def _local_days(span: Span, zone: str) -> Span:
    """Return the local days that a stretch touches, whole."""
    days = [whole for _, whole in local_days(*span, zone)]
    return (days[0][0], days[-1][1]) if days else span
