"""What was done about gaps, as actions make it: steps on a point's record."""

from __future__ import annotations

from typing import Any

from sqlalchemy import Connection, select, update

from gezeiten.archive.projection.deployments import ASSIGNMENTS
from gezeiten.archive.projection.rows import Authorship, Conflicts, Family, add, key_of, only
from gezeiten.archive.store.estimates import encode_estimates
from gezeiten.archive.store.tables import Offload, Point, SeriesAssignmentRow, Step
from gezeiten.domain.actions.deployments import SeriesAssigned
from gezeiten.domain.actions.gaps import (
    GapEstimated,
    GapFetched,
    GapFilledByAlternative,
    GapFilledByLine,
    GapFillWithdrawn,
    GapLeftOpen,
    GapRefilled,
)
from gezeiten.domain.series.gaps import Gap
from gezeiten.domain.series.series_keys import series_key
from gezeiten.domain.steps.fills import estimates_in, line_readings
from gezeiten.domain.steps.steps import ESTIMATE, FED, KINDS, LEFT_OPEN, LINE, REFETCH
from gezeiten.errors import InputError


def _filled_by_line(
    connection: Connection, action: GapFilledByLine, authorship: Authorship
) -> None:
    for line in action.lines:
        ends = (line.from_ms, line.from_value), (line.to_ms, line.to_value)
        fill = line_readings(action.gap, *ends)
        facts: dict[str, Any] = {
            "readings": len(fill),
            "rmse": line.rmse,
            "low": line.low,
            "high": line.high,
            "stretches": line.stretches,
        }
        if line.lows:
            facts |= {"lows": list(line.lows), "highs": list(line.highs)}
        if line.caution:
            facts["caution"] = line.caution
        _step(
            connection,
            action.point,
            line.step,
            action.gap,
            authorship,
            kind=LINE,
            channel=line.channel,
            data=encode_estimates(fill),
            facts=facts,
        )


def _estimated(connection: Connection, action: GapEstimated, authorship: Authorship) -> None:
    for estimate in action.estimates:
        fill = estimates_in(action.gap, estimate.values)
        _step(
            connection,
            action.point,
            estimate.step,
            action.gap,
            authorship,
            kind=ESTIMATE,
            channel=estimate.channel,
            data=encode_estimates(fill),
            facts={"readings": len(fill), **estimate.facts},
        )


def _fetched(connection: Connection, action: GapFetched, authorship: Authorship) -> None:
    of_these = select(Offload.id).where(Offload.sha256 == action.sha256).order_by(Offload.id)
    offload = only(connection, of_these.limit(1))[0]
    carried = {"by": action.by} if action.by else {}
    _step(
        connection,
        action.point,
        action.step,
        action.gap,
        authorship,
        kind=REFETCH,
        offload_id=offload,
        facts=carried,
    )


def _assign_source(
    connection: Connection, action: GapFilledByAlternative, authorship: Authorship
) -> None:
    """Say who feeds the series in the stretch, under the same id as the step: both are taken back
    together."""
    for part in action.parts:
        ASSIGNMENTS.state(
            connection,
            SeriesAssigned(
                action.point,
                part.step,
                part.channel,
                part.label,
                action.source,
                part.start_ms,
                part.end_ms,
            ),
            authorship,
        )
        gap = Gap(part.start_ms, part.end_ms, action.gap.interval_ms)
        series = series_key(part.channel, part.label)
        _step(
            connection,
            action.point,
            part.step,
            gap,
            authorship,
            kind=FED,
            channel=series,
            facts={"source": action.source},
        )


def _left_open(connection: Connection, action: GapLeftOpen, authorship: Authorship) -> None:
    of_some = {"series": list(action.series)} if action.series else {}
    _step(
        connection,
        action.point,
        action.step,
        action.gap,
        authorship,
        kind=LEFT_OPEN,
        facts={"reason": action.reason, **of_some},
    )


def _apply_withdrawn(
    connection: Connection, action: GapFillWithdrawn, authorship: Authorship
) -> Conflicts:
    standing = update(Step).where(Step.uid.in_(action.steps), Step.undone_ms.is_(None))
    undone = {"undone_ms": authorship.at_ms, "undone_by": authorship.person}
    done = connection.execute(standing.values(undone))
    assigned = update(SeriesAssignmentRow).where(
        SeriesAssignmentRow.uid.in_(action.steps), SeriesAssignmentRow.undone_ms.is_(None)
    )
    connection.execute(assigned.values(undone))
    missed = len(action.steps) - done.rowcount
    return [f"{missed} of the steps had already been undone"] if missed else []


def _apply_refilled(
    connection: Connection, action: GapRefilled, _authorship: Authorship
) -> Conflicts:
    """They stand as they were made, by whom and when."""
    undone = update(Step).where(Step.uid.in_(action.steps), Step.undone_ms.is_not(None))
    done = connection.execute(undone.values(undone_ms=None, undone_by=None))
    missed = len(action.steps) - done.rowcount
    return [f"{missed} of the steps were already in place"] if missed else []


def _step(
    connection: Connection, point: str, step: str, gap: Gap, authorship: Authorship, **values: Any
) -> None:
    usual = {"channel": "", "facts": {}}
    add(
        connection,
        Step.__table__,
        uid=step,
        point_id=key_of(connection, Point.__table__, point),
        start_ms=gap.start_ms,
        end_ms=gap.end_ms,
        interval_ms=gap.interval_ms,
        made_ms=authorship.at_ms,
        made_by=authorship.person,
        **{**usual, **values},
    )


def _refuse_left_open(_connection: Connection, action: GapLeftOpen) -> None:
    if not action.reason:
        raise InputError("Enter a reason; it is shown beside the gap.")


_OF_A_SERIES = tuple(
    key for key, kind in KINDS.items() if kind.has_estimates or kind.assigns_source
)


def _refuse_filled(connection: Connection, action: GapFilledByLine | GapEstimated) -> None:
    """Refuse a fill over another one: somebody was quicker."""
    parts = action.lines if isinstance(action, GapFilledByLine) else action.estimates
    _refuse_over(connection, action.point, action.gap, [one.channel for one in parts])


def _refuse_if_assigned(connection: Connection, action: GapFilledByAlternative) -> None:
    """The same of readings of another source."""
    series = [series_key(one.channel, one.label) for one in action.parts]
    _refuse_over(connection, action.point, action.gap, series)


def _refuse_refill(connection: Connection, action: GapRefilled) -> None:
    """Only what was estimated and taken back, and where nothing else fills the gap by now."""
    columns = Step.channel, Step.kind, Step.undone_ms
    known = connection.execute(select(*columns).where(Step.uid.in_(action.steps))).all()
    if len(known) < len(action.steps) or any(
        not KINDS[kind].has_estimates or undone_ms is None for _, kind, undone_ms in known
    ):
        raise InputError("Somebody filled this gap meanwhile; reload it.")
    _refuse_over(connection, action.point, action.gap, [channel for channel, _, _ in known])


def _refuse_over(connection: Connection, at: str, gap: Gap, series: list[str]) -> None:
    point = key_of(connection, Point.__table__, at)
    standing = (
        select(Step.id)
        .where(
            Step.point_id == point,
            Step.undone_ms.is_(None),
            Step.kind.in_(_OF_A_SERIES),
            Step.channel.in_(series),
            Step.start_ms < gap.end_ms,
            Step.end_ms > gap.start_ms,
        )
        .limit(1)
    )
    if connection.execute(standing).first() is not None:
        raise InputError("Somebody filled this gap meanwhile; reload it.")


FAMILY = Family(
    {
        GapFilledByLine: _filled_by_line,
        GapEstimated: _estimated,
        GapFetched: _fetched,
        GapFilledByAlternative: _assign_source,
        GapLeftOpen: _left_open,
        GapFillWithdrawn: _apply_withdrawn,
        GapRefilled: _apply_refilled,
    },
    {
        GapLeftOpen: _refuse_left_open,
        GapFilledByLine: _refuse_filled,
        GapEstimated: _refuse_filled,
        GapFilledByAlternative: _refuse_if_assigned,
        GapRefilled: _refuse_refill,
    },
)
