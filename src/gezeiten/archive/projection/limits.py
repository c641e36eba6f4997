"""Limits that were set for series, as actions make them."""

from __future__ import annotations

from sqlalchemy import Connection, select

from gezeiten.archive.projection.rows import (
    Authorship,
    Conflicts,
    Family,
    only,
    update_by_uid,
)
from gezeiten.archive.projection.statements import StatementTable, refuse_reversed
from gezeiten.archive.store.tables import Point, SeriesLimit
from gezeiten.domain.actions.limits import LimitEnded, LimitSet, LimitWithdrawn
from gezeiten.domain.limits.limits import LimitRule, limit_rule
from gezeiten.domain.series.timeline import EVER_MS
from gezeiten.errors import InputError

_LIMITS = StatementTable(SeriesLimit.__table__, "limit")
_TABLE = _LIMITS.table


def _apply_ended(connection: Connection, action: LimitEnded, _authorship: Authorship) -> Conflicts:
    [found] = only(connection, select(_TABLE.c.end_ms).where(_TABLE.c.uid == action.limit))
    update_by_uid(connection, _TABLE, action.limit, end_ms=action.end_ms)
    return [] if found == action.before_ms else ["it ended at another time before"]


# -- refusing --------------------------------------------------------------------------------------
def _refuse_set(connection: Connection, action: LimitSet) -> None:
    refuse_reversed(action.start_ms, action.end_ms)
    end_ms = EVER_MS if action.end_ms is None else action.end_ms
    rule = limit_rule(action.rule)
    refusal = connection.execute(
        select(_TABLE.c.rule, _TABLE.c.start_ms, _TABLE.c.end_ms)
        .join(Point, Point.id == _TABLE.c.point_id)
        .where(
            Point.uid == action.point,
            _TABLE.c.series == action.series,
            _TABLE.c.undone_ms.is_(None),
        )
    )
    for other, start_ms, until_ms in refusal:
        its = limit_rule(other)
        overlaps = start_ms < end_ms and action.start_ms < (
            EVER_MS if until_ms is None else until_ms
        )
        if overlaps and _kind(its) == _kind(rule):
            raise InputError(
                f"A limit “{rule.level} {rule.side}” is already valid here at that time; "
                "end it first, or choose another time."
            )
        compares_alike = its.mean_s == rule.mean_s
        if overlaps and compares_alike and _contradict(rule.side, rule.value, its.side, its.value):
            raise InputError(
                "Every value would be outside this limit or another one valid then; "
                "correct its value or its time."
            )


def _kind(rule: LimitRule) -> tuple[object, ...]:
    """Return of what there may be one at a time."""
    return (rule.side, rule.level, rule.window, rule.mean_s)


def _contradict(side: str, value: float, other_side: str, other: float) -> bool:
    if {side, other_side} != {"above", "below"}:
        return False
    top, bottom = (value, other) if side == "above" else (other, value)
    return top < bottom


def _refuse_ended(connection: Connection, action: LimitEnded) -> None:
    [start_ms] = only(connection, select(_TABLE.c.start_ms).where(_TABLE.c.uid == action.limit))
    if action.end_ms <= start_ms:
        raise InputError("A limit ends after it starts; withdraw it if it was never valid.")


FAMILY = Family(
    {**_LIMITS.applying(LimitSet, LimitWithdrawn), LimitEnded: _apply_ended},
    {LimitSet: _refuse_set, LimitEnded: _refuse_ended},
)
