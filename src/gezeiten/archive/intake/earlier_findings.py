"""When the excursions of an older version's database were found: recorded as actions, once."""

from __future__ import annotations

from itertools import groupby

from sqlalchemy import inspect, text

from gezeiten.archive.actions.execution import do_by_itself
from gezeiten.archive.database import Archive
from gezeiten.archive.projection import Authorship, apply
from gezeiten.archive.store.stored import stored_value
from gezeiten.domain.actions.assessments import DetectedExcursion, ExcursionsFound
from gezeiten.domain.actions.missions import MissionName

_OLD = text(
    "SELECT point.uid AS point, serial, number, launched_ms, rule, start_ms, end_ms, found_ms "
    "FROM old_excursion JOIN point ON point.id = old_excursion.point_id "
    "JOIN mission ON mission.id = old_excursion.mission_id "
    "JOIN logger ON logger.id = mission.logger_id ORDER BY old_excursion.point_id, start_ms"
)


def record_earlier_findings(archive: Archive, at_ms: int) -> None:
    """Record as actions when excursions were found, then drop that version's table."""
    with archive.reading() as session:
        if not inspect(session.connection()).has_table("old_excursion"):
            return
    with archive.writing() as session:
        rows = session.execute(_OLD).all()
        for point, listed in groupby(rows, key=lambda row: row.point):
            found = [
                DetectedExcursion(
                    MissionName(row.serial, row.number, row.launched_ms),
                    stored_value(row.rule),
                    row.start_ms,
                    row.end_ms,
                    row.found_ms,
                )
                for row in listed
            ]
            action = ExcursionsFound(point, tuple(found))
            if archive.is_looked_at:  # a copy for looking: no action is done
                apply(session.connection(), action, Authorship(at_ms, ""))
            else:
                do_by_itself(session, action, at_ms)
        session.execute(text("DROP TABLE old_excursion"))
