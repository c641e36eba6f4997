"""The fills of a series' chain: which there are, switched off and on, what that does."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from gezeiten.archive.queries.sites import stored_point
from gezeiten.archive.queries.steps import estimates_of
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.record.views.records import read_around
from gezeiten.desk.sites.places import PointPlace
from gezeiten.domain.actions.gaps import GapFillWithdrawn, GapRefilled
from gezeiten.domain.series.gaps import Gap
from gezeiten.domain.series.series import Series, join_series
from gezeiten.domain.series.timeline import Span
from gezeiten.domain.steps.steps import RecordStep
from gezeiten.errors import InputError


def fills_of_series(steps: Iterable[RecordStep], series: str) -> list[RecordStep]:
    """Return the fills of a series, in order of time: those that stand, and of those that were
    taken back the last of each stretch in which none stands, which can stand again. steps: oldest
    first."""
    its = [step for step in steps if step.does.has_estimates and step.channel == series]
    found = [one for one in its if one.undone_ms is None]
    for one in sorted(its, key=lambda one: one.undone_ms or 0, reverse=True):
        if not any(one.touches(other.start_ms, other.end_ms) for other in found):
            found.append(one)
    return sorted(found, key=lambda one: one.start_ms)


def switch_fill(desk: Workspace, point: PointPlace, step: RecordStep, words: str = "") -> None:
    """Switch a fill off: the gap is open again; or on: its estimates stand as they were made.

    Raises:
        InputError: somebody did so meanwhile, or the gap was filled by something else, or measured.
        ArchiveDamagedError: readings there are damaged.
    """
    if step.undone_ms is not None:
        _refuse_measured(desk, point, step)
    gap = Gap(step.start_ms, step.end_ms, step.interval_ms)
    with desk.archive.writing() as session:
        at = stored_point(session, point.id).uid
        action = (
            GapFillWithdrawn(at, gap, (step.id,), "estimated")
            if step.undone_ms is None
            else GapRefilled(at, gap, (step.id,), words.strip())
        )
        desk.do_within(session, action)


def _refuse_measured(desk: Workspace, point: PointPlace, step: RecordStep) -> None:
    """What was measured meanwhile is not filled; where a part is still missing that is."""
    series = read_around(desk, point.id, step.channel, (step.start_ms, step.end_ms))
    with desk.archive.reading() as session:
        wanted = estimates_of(session, step.id).times_utc_ms
    if np.isin(wanted, series.times_utc_ms[~series.estimated]).all():
        raise InputError(
            "Readings of this gap have arrived meanwhile; there is nothing left to fill."
        )


def with_fill_switched(
    desk: Workspace, point: PointPlace, step: RecordStep, span: Span
) -> tuple[Series, Series]:
    """Return the readings of a fill's series in a stretch as they stand, and as they would."""
    before = read_around(desk, point.id, step.channel, span).between(*span)
    if step.undone_ms is None:
        at = before.times_utc_ms
        gone = before.estimated & (at >= step.start_ms) & (at < step.end_ms)
        return before, before.subset(~gone)
    with desk.archive.reading() as session:
        fill = estimates_of(session, step.id)
    free = fill.subset(~np.isin(fill.times_utc_ms, before.times_utc_ms))
    return before, join_series([before, free])
