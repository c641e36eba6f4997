"""Excursions detected again where readings changed: from the run before a changed stretch to the
end of the one after it, never the whole record."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from gezeiten.archive.local_cache.excursion_store import DetectionState, FoundNow, SearchScope
from gezeiten.archive.local_cache.layout import layout
from gezeiten.archive.local_cache.readings import has_missing_values, load_recorded
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.record.views.means import moving_means_around
from gezeiten.desk.record.views.records import (
    WatchedAssignment,
    in_force,
    limits_set,
    read_around,
    read_where,
    watched,
)
from gezeiten.domain.facts.stored import StoredLimit
from gezeiten.domain.limits.basis import Basis, basis_line, changed_span, parse_basis
from gezeiten.domain.limits.excursions import (
    Excursion,
    concerned,
    concerns,
    counted_from,
    find_absences,
    find_excursions,
    in_a_run,
)
from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.series.series import Series, hold_times_ms
from gezeiten.domain.series.timeline import DAY_MS, EVERYTHING, Span


@dataclass(frozen=True, slots=True)
class DetectedExcursions:
    """found: excursions by mission, rule and begin; scopes: where they were looked for, None:
    everywhere; basis: on which they were found, as it is kept (`domain/limits/basis.py`)."""

    excursions: FoundNow
    scopes: list[SearchScope] | None
    basis: str


@dataclass(frozen=True, slots=True)
class _Detector:
    """What excursions of a point are found by."""

    desk: Workspace
    at: DetectionState
    assignments: list[WatchedAssignment]
    limits: list[StoredLimit]
    changed: Span

    def detect(self, basis: str) -> DetectedExcursions:
        found: FoundNow = {}
        scopes = [SearchScope(None, None, self.changed)]
        for span in self._near():
            for rule in span.rules:
                whole = (span.assignment.start_ms, span.assignment.end_ms)
                begins, listed = (
                    self._with_value(span.series, whole, rule)
                    if rule.has_value
                    else self._absent(span, rule)
                )
                scopes.append(SearchScope(span.mission, rule.key, begins))
                found |= {(span.mission, rule.key, one.start_ms): one for one in listed}
        for limit in self.limits:
            force = in_force(limit)
            whole = (force.start_ms, force.end_ms)
            begins, listed = self._with_value(limit.series, whole, limit.rule)
            scopes.append(SearchScope(None, limit.rule.key, begins))
            found |= dict(self._by_mission(limit, listed))
        return DetectedExcursions(found, None if self.changed == EVERYTHING else scopes, basis)

    def _near(self) -> list[WatchedAssignment]:
        """Return what may have other excursions; `concerns` looks closer."""
        begin_ms, end_ms = self.changed[0] - 2 * DAY_MS, self.changed[1]  # no local day is as long
        return [
            one
            for one in self.assignments
            if one.assignment.end_ms >= begin_ms and one.assignment.start_ms <= end_ms
        ]

    def _by_mission(
        self, limit: StoredLimit, excursions: list[Excursion]
    ) -> Iterator[tuple[tuple[int, str, int], Excursion]]:
        """Yield what a limit that was set finds, under the mission whose readings it begins in; of
        a calculated series under that of its first input."""
        with self.desk.archive.reading() as session:
            root = layout(session).root_of(self.at.point_id, limit.series)
        assignments = [one for one in self.assignments if one.series == root]
        for excursion in excursions:
            missions = (
                feed.mission
                for feed in assignments
                if feed.assignment.start_ms <= excursion.start_ms < feed.assignment.end_ms
            )
            mission = next(missions, None)
            if mission is not None:
                yield (mission, limit.rule.key, excursion.start_ms), excursion

    def _with_value(
        self, series: str, whole: Span, rule: LimitRule
    ) -> tuple[Span, list[Excursion]]:
        """Return what a rule finds in its stretch where that may be something else than before, and
        between which instants that begins."""
        if not concerns(rule, whole, self.changed, self.at.zone):
            return (whole[0], whole[0]), []
        reach = concerned(rule, self._extended_by_hold(series, rule), self.at.zone)
        if reach[0] <= whole[0] and reach[1] >= whole[1]:
            readings = self._read_completely(series, rule, whole)
            return whole, find_excursions(readings, rule, self.at.zone, alarmed_only=True)
        reach = (max(reach[0], whole[0]), min(reach[1], whole[1]))
        if self.changed[0] >= whole[1] and not self._continues_after(series, whole, rule):
            return (whole[1], whole[1]), []
        begins = (
            self._last_quiet_before(series, whole, rule, reach[0]),
            self._first_quiet_after(series, whole, rule, reach[1]),
        )
        since = counted_from(rule, begins[0], self.at.zone)
        span = (max(since, whole[0]), begins[1] + 1)
        read = self._read(series, rule, span).between(*whole)
        excursions = find_excursions(read, rule, self.at.zone, alarmed_only=True)
        return begins, [
            excursion for excursion in excursions if begins[0] <= excursion.start_ms < begins[1]
        ]

    def _extended_by_hold(self, series: str, rule: LimitRule) -> Span:
        """Return what changed; to the end of the hold of its last reading where that may count in
        the local day after it."""
        if not rule.daily or self.changed == EVERYTHING:
            return self.changed
        end_ms = self.changed[1]
        last = read_around(self.desk, self.at.point_id, series, (end_ms - 1, end_ms))
        until = last.times_utc_ms + hold_times_ms(last.times_utc_ms, last.interval_ms)
        held = until[last.times_utc_ms < end_ms]
        return (self.changed[0], max(end_ms, int(held[-1])) if len(held) else end_ms)

    def _read_completely(self, series: str, rule: LimitRule, whole: Span) -> Series:
        """Return what a rule compares with its limit in all of its stretch: where readings are in
        runs, and beside them."""
        if rule.mean_s:
            return self._read(series, rule, whole).between(*whole)
        place = (self.desk, self.at.point_id, series)
        return read_where(*place, whole, lambda values: in_a_run(values, rule))

    def _read(self, series: str, rule: LimitRule, span: Span) -> Series:
        """Return what a rule compares with its limit, in a stretch and at least one on either
        side."""
        place = (self.desk, self.at.point_id, series)
        if not rule.mean_s:
            return read_around(*place, span)
        return moving_means_around(*place, rule.mean_s, span)

    def _continues_after(self, series: str, whole: Span, rule: LimitRule) -> bool:
        """Whether a run goes on where a stretch ends: only that may be another one where nothing
        but what comes after it changed."""
        before = self._read(series, rule, (whole[1], whole[1] + 1)).between(*whole)
        return bool(in_a_run(before.values[-1:], rule).any())

    def _last_quiet_before(self, series: str, whole: Span, rule: LimitRule, at_ms: int) -> int:
        """Return the last instant before one at which no run goes on: the first of all, else."""
        while True:
            read = self._read(series, rule, (at_ms, at_ms + 1))
            before = read.between(whole[0], at_ms)
            if not len(before):
                return whole[0]
            quiet = before.times_utc_ms[~in_a_run(before.values, rule)]
            if len(quiet):
                return int(quiet[-1])
            at_ms = int(before.times_utc_ms[0])

    def _first_quiet_after(self, series: str, whole: Span, rule: LimitRule, at_ms: int) -> int:
        """Return the first instant from one on at which no run goes on: the last of all, else."""
        while True:
            read = self._read(series, rule, (at_ms - 1, at_ms))
            after = read.between(at_ms, whole[1])
            if not len(after):
                return whole[1]
            quiet = after.times_utc_ms[~in_a_run(after.values, rule)]
            if len(quiet):
                return int(quiet[0])
            at_ms = int(after.times_utc_ms[-1]) + 1

    def _absent(
        self, watched_assignment: WatchedAssignment, rule: LimitRule
    ) -> tuple[Span, list[Excursion]]:
        """Return the stretches without a sensor; a mission that never lacked a value has none."""
        whole = (watched_assignment.assignment.start_ms, watched_assignment.assignment.end_ms)
        if not concerns(rule, whole, self.changed, self.at.zone):
            return (whole[0], whole[0]), []
        with self.desk.archive.reading() as session:
            if not has_missing_values(session, watched_assignment.assignment):
                return whole, []
            recorded = load_recorded(session, self.at.point_id, watched_assignment.assignment)
        return whole, find_absences(*recorded, rule)


def detect_excursions(
    desk: Workspace, at: DetectionState, *, all_of_it: bool = False
) -> DetectedExcursions:
    """Find the excursions of a point where they may be others than those that are kept: where
    readings changed, and where other limits or other sources are in force than when they were
    found; everywhere on request."""
    spans, limits = watched(desk, at.point_id), limits_set(desk, at.point_id)
    now = _basis(at.zone, spans, limits)
    changed = EVERYTHING
    if not all_of_it:
        changed = _hull(at.changed, changed_span(parse_basis(at.found_by), now))
    return _Detector(desk, at, spans, limits, changed).detect(now.text())


def _basis(
    zone: str, watched_assignments: list[WatchedAssignment], limits: list[StoredLimit]
) -> Basis:
    plans = [
        basis_line(
            period.series,
            period.assignment.mission,
            (period.assignment.start_ms, period.assignment.end_ms),
            period.rules,
        )
        for period in watched_assignments
    ]
    by_hand = [
        basis_line(one.series, "", (force.start_ms, force.end_ms), force.rules)
        for one, force in ((limit, in_force(limit)) for limit in limits)
    ]
    return Basis(zone, frozenset(plans + by_hand))


def _hull(changed: Span, different: Span | None) -> Span:
    """Return from where to where one of two stretches reaches; the first may be empty."""
    if different is None or changed[0] >= changed[1]:
        return different or changed
    return (min(changed[0], different[0]), max(changed[1], different[1]))
