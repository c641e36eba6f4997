"""Steps out of the archive, without the estimates that they hold."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session, defer

from gezeiten.archive.store.estimates import estimated_series
from gezeiten.archive.store.tables import Step
from gezeiten.domain.series.series import Series, empty_series
from gezeiten.domain.steps.steps import RecordStep

_QUERY = select(Step).order_by(Step.id).options(defer(Step.data))


def all_steps(session: Session, point_id: int) -> list[RecordStep]:
    """Return every step on a point's record, undone ones too, oldest first."""
    return [_step(row) for row in session.scalars(_QUERY.filter_by(point_id=point_id))]


def active_steps(session: Session, point_id: int | None = None) -> dict[int, list[RecordStep]]:
    """Return the steps that have an effect, of one point or all, by point, oldest first."""
    query = _QUERY.filter_by(undone_ms=None)
    steps: dict[int, list[RecordStep]] = {}
    for row in session.scalars(query if point_id is None else query.filter_by(point_id=point_id)):
        steps.setdefault(row.point_id, []).append(_step(row))
    return steps


def estimates_of(session: Session, step: str) -> Series:
    """Return the estimates of a step (its id), whether it stands or not; none of another kind."""
    row = session.scalars(select(Step).filter_by(uid=step)).first()
    return empty_series() if row is None else estimated_series(row)


def _step(row: Step) -> RecordStep:
    return RecordStep(
        row.uid,
        row.point_id,
        row.channel,
        row.kind,
        row.start_ms,
        row.end_ms,
        row.interval_ms,
        row.facts,
        row.made_ms,
        row.made_by,
        row.undone_ms,
        row.undone_by or "",
    )
