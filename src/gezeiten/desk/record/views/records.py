"""The record of a series at a point: looked at through a view (`view.py`), which is rebuilt when
the record has changed; and the limits in force on it."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from gezeiten.archive.database import ArchiveSession
from gezeiten.archive.local_cache.changes import record_version
from gezeiten.archive.local_cache.layout import Layout, layout
from gezeiten.archive.local_cache.segments import load_segments
from gezeiten.archive.queries.corrections import chain_of
from gezeiten.archive.queries.limits import limits_of_series
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.record.views.calculated_view import computed
from gezeiten.desk.record.views.corrected_view import CorrectedView, corrected_view
from gezeiten.desk.record.views.record_view import ALWAYS, RecordView, Wanted, view_of
from gezeiten.domain.facts.stored import StoredLimit
from gezeiten.domain.limits.limits import InForce, LimitRule, in_turn
from gezeiten.domain.series.assignments import SeriesAssignment
from gezeiten.domain.series.series import Series
from gezeiten.domain.series.timeline import EVER_MS, Span
from gezeiten.errors import ArchiveDamagedError


class WatchedAssignment(NamedTuple):
    """What a mission feeds into a series, and the limits of its plan on that channel. mission: its
    key in this database."""

    series: str
    assignment: SeriesAssignment
    mission: int
    rules: tuple[LimitRule, ...]


def record(desk: Workspace, point_id: int, key: str, span: Span = ALWAYS) -> Series:
    """Return the readings of a series in [start, end).

    Raises:
        ArchiveDamagedError: some of them are damaged.
    """
    return read_around(desk, point_id, key, span).between(*span)


def read_where(desk: Workspace, point_id: int, key: str, span: Span, wanted: Wanted) -> Series:
    """Return the readings of a series in [start, end) that are wanted, and beside these; see
    `RecordView.where`. What is damaged is rebuilt first, if that can be."""
    return _read(desk, point_id, key, lambda seen, session: seen.read_where(session, span, wanted))


def read_around(
    desk: Workspace, point_id: int, key: str, span: Span, *, tolerant: bool = False
) -> Series:
    """Return the readings of a series in [start, end) with at least one more on either side, where
    there is one; see `RecordView.around`. What is damaged is rebuilt first, if that can be."""
    return _read(
        desk,
        point_id,
        key,
        lambda seen, session: seen.read_around(session, span, tolerant=tolerant),
    )


def _read(
    desk: Workspace, point_id: int, key: str, read: Callable[[RecordView, ArchiveSession], Series]
) -> Series:
    record_view: RecordView | None = None
    try:
        with desk.archive.reading() as session:
            record_view = _view(desk, session, point_id, key)
            series = read(record_view, session)
        if not _is_healed(desk, record_view):
            return series
    except ArchiveDamagedError:
        if record_view is None or not _is_healed(desk, record_view):
            raise
    with desk.archive.reading() as session:
        return read(_view(desk, session, point_id, key), session)


def view(desk: Workspace, point_id: int, key: str) -> RecordView:
    """Return the view of a series as it is now, ready to be drawn."""
    with desk.archive.reading() as session:
        return _drawable(desk, session, point_id, key)


def read_ahead(desk: Workspace, record_view: RecordView, span: Span) -> RecordView:
    """Read what a picture of a stretch needs into memory, and return the view of the series as it
    is now: the one that is shown as long as nothing changed, whatever else is kept in memory."""
    point_id, key = record_view.point_id, record_view.key
    with desk.archive.reading() as session:
        is_current = record_view.state == _state(session, layout(session), point_id, key)
        found = record_view if is_current else _drawable(desk, session, point_id, key)
        found.read_ahead(session, span)
    if _is_healed(desk, found):
        with desk.archive.reading() as session:
            found = _drawable(desk, session, point_id, key)
            found.read_ahead(session, span)
    return found


def uncorrected(desk: Workspace, point_id: int, key: str, span: Span) -> Series:
    """Return the measured readings of [start, end) of a series as its source gave them, before all
    corrections and fills.

    Raises:
        ArchiveDamagedError: some of them are damaged.
    """

    def read(record_view: RecordView, session: ArchiveSession) -> Series:
        own = (
            record_view.source.uncorrected
            if isinstance(record_view.source, CorrectedView)
            else record_view
        )
        series = own.read_around(session, span).between(*span)
        return series.subset(~series.estimated)

    return _read(desk, point_id, key, read)


def _drawable(desk: Workspace, session: ArchiveSession, point_id: int, key: str) -> RecordView:
    record_view = _view(desk, session, point_id, key)
    if record_view.cells is None:
        record_view.load_cells(session)
        desk.views.store((point_id, key), record_view, record_view.nbytes)
    return record_view


def _is_healed(desk: Workspace, record_view: RecordView) -> bool:
    """Whether something is damaged in a view and was rebuilt; it is tried once."""
    if not record_view.damaged or record_view.is_repair_tried:
        return False
    record_view.is_repair_tried = True
    healed = [desk.heal(point_id) for point_id in record_view.points]
    return any(healed)


def _state(session: ArchiveSession, made: Layout, point_id: int, key: str) -> object:
    how = made.calculated(point_id, key)
    own = record_version(session, point_id)
    if how is None:
        return (own, made.of_series(point_id, key))
    return (own, how.uid, *(_state(session, made, *one) for one in made.inputs_of(how)))


def _view(
    desk: Workspace, session: ArchiveSession, point_id: int, key: str, made: Layout | None = None
) -> RecordView:
    made = made or layout(session)
    state = _state(session, made, point_id, key)
    record_view: RecordView | None = desk.views.get((point_id, key))
    if record_view is not None and record_view.state == state:
        return record_view
    how = made.calculated(point_id, key)
    if how is None:
        of_blocks = load_segments(session, point_id, key)
        seen = view_of(session, point_id, key, of_blocks, desk.chunks)
        seen.points = (point_id,)
    else:
        inputs = tuple(_view(desk, session, *one, made) for one in made.inputs_of(how))
        of_inputs = computed(session, how, inputs, desk.computed)
        seen = view_of(session, point_id, key, of_inputs, desk.chunks)
        seen.points = tuple(dict.fromkeys(point for view in inputs for point in view.points))
    steps = tuple(correction for correction in chain_of(session, point_id, key) if correction.is_on)
    if steps:
        points, made_of = seen.points, corrected_view(session, seen, steps, desk.computed)
        seen = view_of(session, point_id, key, made_of, desk.chunks)
        seen.points = points
    seen.state = state
    desk.views.store((point_id, key), seen, seen.nbytes)
    return seen


def watched(desk: Workspace, point_id: int) -> list[WatchedAssignment]:
    """Return what feeds the series of a point, with the limits that its mission's plan had: what
    was in force then judges what happened then."""
    with desk.archive.reading() as session:
        made = layout(session)
    rules: dict[tuple[str, str], tuple[LimitRule, ...]] = {}  # plans are few
    found = []
    for assignment in made.at_point(point_id):
        mission = assignment.mission
        key = (made.plans[mission], assignment.channel)
        if key not in rules:
            rules[key] = tuple(made.plan_of(mission).rules_for(assignment.channel))
        found.append(
            WatchedAssignment(assignment.series, assignment, made.missions[mission], rules[key])
        )
    return found


def limits_at(desk: Workspace, point_id: int) -> dict[str, tuple[InForce, ...]]:
    """Return the limits of each series of a point that compare with a value, with the stretches in
    which they were in force."""
    found: dict[str, list[InForce]] = {}
    for period in watched(desk, point_id):
        rules = tuple(rule for rule in period.rules if rule.has_value)
        if rules:
            limit_period = InForce(rules, period.assignment.start_ms, period.assignment.end_ms)
            found.setdefault(period.series, []).append(limit_period)
    for limit in limits_set(desk, point_id):
        if limit.rule.has_value:
            found.setdefault(limit.series, []).append(in_force(limit))
    return {key: in_turn(listed) for key, listed in found.items()}


def limits_set(desk: Workspace, point_id: int) -> list[StoredLimit]:
    """Return the limits that were set for the series of a point."""
    with desk.archive.reading() as session:
        return limits_of_series(session, point_id)


def in_force(limit: StoredLimit) -> InForce:
    """Return from when to when a limit that was set is in force."""
    return InForce((limit.rule,), limit.start_ms, limit.end_ms or EVER_MS)


def extent(desk: Workspace, point_id: int, keys: list[str]) -> Span | None:
    """Return from the first to the last reading of any of the series; None without any."""
    with desk.archive.reading() as session:
        known = [_view(desk, session, point_id, key).span for key in keys]
    spans = [span for span in known if span is not None]
    if not spans:
        return None
    return min(a for a, _ in spans), max(b for _, b in spans)
