"""Which stretches of series are held, told from what is known of blocks; no reading is read.

Only where a fetch was undone, so that some readings of a block do not count, they are looked at.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive.local_cache.blocks import unpacked_runs
from gezeiten.archive.local_cache.layout import Layout, layout
from gezeiten.archive.local_cache.readings import active_fills, assignment_readings, unused_readings
from gezeiten.archive.local_cache.tables import Block
from gezeiten.archive.store.tables import Step
from gezeiten.domain.series.assignments import SeriesAssignment
from gezeiten.domain.series.clocks.clock_map import ClockMap
from gezeiten.domain.series.gaps import Gap
from gezeiten.domain.series.runs import Runs, cut_runs, joined_runs, runs_of, runs_of_series
from gezeiten.domain.steps.steps import KINDS

_Table = NDArray[np.int64]
_NONE = np.empty((0, 3), np.int64)
_CHANGING = tuple(key for key, kind in KINDS.items() if kind.changes_record)


@dataclass(frozen=True, slots=True)
class Coverage:
    """What is held of all series, or of those of some points. tables: runs of each block by mission
    and channel, int64 (n, 3); steps: those of each point that change what is held; cached: runs
    that were joined already."""

    session: Session
    layout: Layout
    tables: dict[tuple[str, str], _Table]
    steps: dict[int, list[Step]]
    cached: dict[tuple[int, str], Runs] = field(default_factory=dict)

    def runs(self, point_id: int, key: str) -> Runs:
        """Return the runs of a series, measured and filled.

        Raises:
            ArchiveDamagedError: a block is damaged.
        """
        if (point_id, key) not in self.cached:
            self.cached[point_id, key] = self._joined(point_id, key)
        return self.cached[point_id, key]

    def gaps(self, point_id: int, key: str) -> list[Gap]:
        """Return the gaps of a series, oldest first. Where its source feeds another series of the
        point instead, as where it fills a gap of that one, there is none.

        Raises:
            ArchiveDamagedError: a block is damaged.
        """
        found = self.runs(point_id, key).gaps()
        if not found:
            return found
        own = self.layout.of_series(point_id, key)
        at_other_points = [
            feed
            for feed in self.layout.at_point(point_id)
            if feed.series != key
            and any(
                feed.deployment == one.deployment and feed.channel == one.channel for one in own
            )
        ]
        return [
            gap for gap in found if not any(is_covered_by(gap, feed) for feed in at_other_points)
        ]

    def measured(self, point_id: int, key: str) -> Runs:
        """Return the runs of what was measured of a series, whatever was filled.

        Raises:
            ArchiveDamagedError: a block is damaged.
        """
        steps = self.steps.get(point_id, [])
        return _joined_runs(
            [self._assigned_runs(feed, steps) for feed in self.layout.of_series(point_id, key)]
        )

    def _joined(self, point_id: int, key: str) -> Runs:
        steps = self.steps.get(point_id, [])
        parts = [self._assigned_runs(feed, steps) for feed in self.layout.of_series(point_id, key)]
        parts += [runs_of_series(fill).as_table() for fill in active_fills(steps, key)]
        return _joined_runs(parts)

    def _assigned_runs(self, assignment: SeriesAssignment, steps: list[Step]) -> _Table:
        unused = unused_readings(self.session, steps) if steps else []
        mission = self.layout.missions[assignment.mission]
        table = _corrected_table(
            self.tables.get((assignment.mission, assignment.channel), _NONE), assignment.clock
        )
        is_cut = len(table) and (
            table[0, 0] < assignment.start_ms or table[-1, 1] >= assignment.end_ms
        )
        cuts_run = is_cut and cut_runs(table, assignment.start_ms, assignment.end_ms) is None
        if cuts_run or any(one.mission_id == mission for one in unused):
            times, values, intervals = assignment_readings(
                self.session, assignment, unused, mission
            )
            known = np.isfinite(values)
            return runs_of(times[known], intervals[known]).as_table()
        whole = cut_runs(table, assignment.start_ms, assignment.end_ms) if is_cut else table
        return _NONE if whole is None else whole


def coverage(session: Session, point_id: int | None = None) -> Coverage:
    """Return what is held of the series of a point, or of all."""
    made = layout(session)
    steps = select(Step).where(Step.kind.in_(_CHANGING))
    heads = select(
        Block.mission,
        Block.channel,
        Block.runs,
        Block.held_ms,
        Block.held_until_ms,
        Block.until_interval_ms,
    ).where(Block.held_ms.is_not(None))
    if point_id is not None:
        steps = steps.where(Step.point_id == point_id)
        heads = heads.where(
            Block.mission.in_({assignment.mission for assignment in made.at_point(point_id)})
        )
    rows: dict[tuple[str, str], list[Any]] = {}
    for mission, channel, runs, *one in session.execute(heads):
        mine = rows.setdefault((mission, channel), [])
        mine += [one] if runs is None else unpacked_runs(runs).tolist()
    held = {key: _sorted(listed) for key, listed in rows.items()}
    by_point: dict[int, list[Step]] = {}
    for step in session.scalars(steps):
        by_point.setdefault(step.point_id, []).append(step)
    return Coverage(session, made, held, by_point)


def _corrected_table(table: _Table, clock: ClockMap) -> _Table:
    """Return runs with their instants put right."""
    if not clock or not len(table):
        return table
    return np.column_stack(
        (clock.corrected_times(table[:, 0]), clock.corrected_times(table[:, 1]), table[:, 2])
    )


def is_covered_by(gap: Gap, assignment: SeriesAssignment) -> bool:
    """Whether all of a gap, but for a reading at either end, is what a feed takes."""
    near_ms = gap.interval_ms
    reaches = assignment.start_ms < gap.end_ms and assignment.end_ms > gap.start_ms
    return (
        reaches
        and assignment.start_ms <= gap.start_ms + near_ms
        and assignment.end_ms >= gap.end_ms - near_ms
    )


def _joined_runs(parts: list[_Table]) -> Runs:
    """Return the runs that those of several pieces make together."""
    parts = [part for part in parts if len(part)]
    if len(parts) == 1:
        return joined_runs(parts[0])
    return joined_runs(np.concatenate(parts) if parts else _NONE)


def _sorted(rows: list[Any]) -> _Table:
    return np.array(sorted(rows), np.int64).reshape(-1, 3)
