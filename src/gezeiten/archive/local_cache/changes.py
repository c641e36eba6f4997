"""How often the record of each point changed on this computer, in which stretch, and whether its
excursions were found since. The counts lie beside the readings, so both come and go together; which
entry of the logbook they know of lies there too, so that no count is trusted beside another
database."""

from __future__ import annotations

from collections.abc import Iterable

from sqlalchemy import Connection, bindparam, delete, func, select, update
from sqlalchemy.orm import Session

from gezeiten.archive.local_cache.tables import AppliedRow, RecordRow
from gezeiten.archive.queries.calculated_series import stated_calculations
from gezeiten.archive.store.prepared import PreparedStatement, insertion
from gezeiten.archive.store.tables import ClockRow, DeploymentRow, LogbookRow, Mission, Point
from gezeiten.domain.series.clocks.clock_map import clock_map
from gezeiten.domain.series.timeline import EVER_MS, EVERYTHING, Span
from gezeiten.domain.steps.calculated_series import in_force, spread
from gezeiten.errors import ArchiveDamagedError

_RECORDS, _APPLIED = RecordRow.__table__, AppliedRow.__table__
_COUNTED = PreparedStatement(
    update(RecordRow)
    .where(RecordRow.point == bindparam("its_uid"))
    .values(changes=RecordRow.changes + 1)
)
_CHANGED = PreparedStatement(
    update(RecordRow)
    .where(RecordRow.point == bindparam("its_uid"))
    .values(
        changes=RecordRow.changes + 1,
        changed_ms=func.min(func.coalesce(RecordRow.changed_ms, EVER_MS), bindparam("since_ms")),
        changed_until_ms=func.max(
            func.coalesce(RecordRow.changed_until_ms, -EVER_MS), bindparam("until_ms")
        ),
    )
)
_FOUND = PreparedStatement(
    update(RecordRow)
    .where(RecordRow.point == bindparam("its_uid"))
    .values(found_in=bindparam("new_version"), found_by=bindparam("new_state"))
)
_NOTHING_SINCE = PreparedStatement(
    update(RecordRow)
    .where(RecordRow.point == bindparam("its_uid"), RecordRow.changes == bindparam("version"))
    .values(changed_ms=None, changed_until_ms=None)
)
_FIRST = insertion(
    _RECORDS, ("point", "changes", "found_in", "found_by", "changed_ms", "changed_until_ms")
)
_VERSION = PreparedStatement(
    select(RecordRow.changes)
    .join(Point, Point.uid == RecordRow.point)
    .where(Point.id == bindparam("its_id"))
)
_POINT_OF = PreparedStatement(
    select(Point.uid)
    .join(Mission, Mission.point_id == Point.id)
    .where(Mission.uid == bindparam("its_uid"))
)
_PLACED = PreparedStatement(
    select(Point.uid)
    .join(DeploymentRow, DeploymentRow.point_id == Point.id)
    .join(Mission, Mission.logger_id == DeploymentRow.logger_id)
    .where(Mission.uid == bindparam("its_uid"))
)
_PUT_RIGHT = PreparedStatement(
    select(ClockRow.pairs, ClockRow.rate_beyond)
    .join(Mission, Mission.id == ClockRow.mission_id)
    .where(Mission.uid == bindparam("its_uid"), ClockRow.undone_ms.is_(None))
    .order_by(ClockRow.said_ms.desc(), ClockRow.uid.desc())
    .limit(1)
)
"""The one said last stands, as in `archive/queries/clocks.py`."""
_MOVE_ON = PreparedStatement(update(AppliedRow).values(hash=bindparam("new_hash")))
_FIRST_ENTRY = insertion(_APPLIED, ("hash",))
_KNOWN = PreparedStatement(select(AppliedRow.hash))
_NEWEST = PreparedStatement(select(LogbookRow.hash).order_by(LogbookRow.seq.desc()).limit(1))


def record_changed(
    connection: Connection, points: Iterable[str], span: Span | None = EVERYTHING
) -> list[str]:
    """Count that the records of points (ids) changed, and of those where something is calculated
    from them; their excursions have to be detected again in a stretch, or, where that is None,
    where something says so besides. Returns all of them."""
    changed = dict.fromkeys(points, span or EVERYTHING)
    standing = in_force(stated_calculations(connection)) if changed else {}
    affected = spread(changed, standing)
    for point, its in affected.items():
        if not _count(connection, point, span and its):
            since_ms, until_ms = its
            _FIRST.run(
                connection,
                point=point,
                changes=1,
                found_in=0,
                found_by="",
                changed_ms=since_ms,
                changed_until_ms=until_ms,
            )
    return list(affected)


def _count(connection: Connection, point: str, span: Span | None) -> int:
    if span is None:
        return _COUNTED.run(connection, its_uid=point)
    return _CHANGED.run(connection, its_uid=point, since_ms=span[0], until_ms=span[1])


def mission_changed(connection: Connection, mission: str, span: Span = EVERYTHING) -> None:
    """Count that the readings of a mission changed in a stretch by its logger's clock, at whatever
    points they are."""
    standing = _PUT_RIGHT.all(connection, its_uid=mission)
    its = _corrected_span(span, *standing[0]) if standing else span
    record_changed(connection, points_of(connection, mission), its)


def _corrected_span(span: Span, pairs: list[list[int]], rate_beyond: float | None) -> Span:
    """Return a stretch in which all of one by a clock lies, which pairs put right."""
    try:
        return clock_map(pairs, rate_beyond).corrected_span(span)
    except (ArchiveDamagedError, ValueError, TypeError):
        return EVERYTHING


def points_of(connection: Connection, mission: str) -> list[str]:
    """Return the points (ids) that the readings of a mission may be at: the one it was launched
    for, and those where somebody said that its source was."""
    rows = (*_POINT_OF.all(connection, its_uid=mission), *_PLACED.all(connection, its_uid=mission))
    return list(dict.fromkeys(row[0] for row in rows))


def all_changed(connection: Connection) -> None:
    """Count that the record of every point may have changed."""
    since_ms, until_ms = EVERYTHING
    connection.execute(
        update(RecordRow).values(
            changes=RecordRow.changes + 1, changed_ms=since_ms, changed_until_ms=until_ms
        )
    )
    unknown = select(Point.uid).where(Point.uid.not_in(select(RecordRow.point)))
    record_changed(connection, connection.execute(unknown).scalars().all())


def record_version(session: Session, point_id: int) -> int:
    """Return how often the record of a point has changed."""
    return _VERSION.value(session.connection(), its_id=point_id) or 0


def stale_points(session: Session) -> list[int]:
    """Return the points whose record changed since their excursions were found."""
    query = select(Point.id).join(RecordRow, RecordRow.point == Point.uid)
    return list(session.scalars(query.where(RecordRow.found_in != RecordRow.changes)))


def note_detection(session: Session, point: str, version: int, state: str) -> None:
    """Note in which state of a point's record its excursions were found, and by what."""
    connection = session.connection()
    _FOUND.run(connection, its_uid=point, new_version=version, new_state=state)
    _NOTHING_SINCE.run(connection, its_uid=point, version=version)


# -- beside which database ------------------------------------------------------------------------
def note_entry(connection: Connection, entry_hash: str) -> None:
    """Note the newest entry that the counts know of."""
    if not _MOVE_ON.run(connection, new_hash=entry_hash):
        _FIRST_ENTRY.run(connection, hash=entry_hash)


def matches_archive(connection: Connection) -> bool:
    """Whether the counts know of the newest entry: else one of the two files was put back, made
    anew, or cut off from the other by a power cut."""
    return bool(_KNOWN.value(connection) == newest_entry(connection))


def newest_entry(connection: Connection) -> str | None:
    """Return the hash of the newest entry, of whatever chain; None before the first."""
    newest: str | None = _NEWEST.value(connection)
    return newest


def start_over(connection: Connection) -> None:
    """Take every record as changed, beside the database as it is now."""
    all_changed(connection)
    connection.execute(delete(AppliedRow))
    newest = newest_entry(connection)
    if newest is not None:
        note_entry(connection, newest)
