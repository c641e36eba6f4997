"""Loggers and missions as actions name them: found, or made where they are new."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, NamedTuple

from sqlalchemy import Connection, bindparam, insert, select

from gezeiten.archive.projection.rows import key_of, only, require_row, update_by_key
from gezeiten.archive.store.ids import mission_id, source_id
from gezeiten.archive.store.prepared import PreparedStatement
from gezeiten.archive.store.tables import Logger, Mission, Offload, Point
from gezeiten.domain.actions.offloads import StatedMission, TextImported
from gezeiten.domain.series.coverage import Range, merged, missing

_LOGGERS, _MISSIONS, _OFFLOADS = Logger.__table__, Mission.__table__, Offload.__table__
_LOGGER = PreparedStatement(
    select(_LOGGERS.c.id, _LOGGERS.c.firmware).where(_LOGGERS.c.serial == bindparam("its_serial"))
)
_MISSION = PreparedStatement(
    select(_MISSIONS.c.id, _MISSIONS.c.first_ms).where(
        _MISSIONS.c.logger_id == bindparam("its_logger"),
        _MISSIONS.c.number == bindparam("its_number"),
        _MISSIONS.c.launched_ms == bindparam("its_launch"),
    )
)
_ADDED = PreparedStatement(
    select(_OFFLOADS.c.added).where(_OFFLOADS.c.mission_id == bindparam("its_id"))
)


def find_or_add_logger(connection: Connection, serial: str, model: str, firmware: str) -> int:
    """Return this database's key of a logger, made where it is new; its firmware as it says now."""
    row = _LOGGER.first_row(connection, its_serial=serial)
    if row is None:
        fresh = {"serial": serial, "model": model, "firmware": firmware, "practice": False}
        return _added(connection, _LOGGERS, fresh)
    if row[1] != firmware:
        set_logger(connection, row[0], firmware=firmware)
    return int(row[0])


def logger_key(connection: Connection, serial: str) -> int:
    """Return this database's key of a logger.

    Raises:
        ArchiveDamagedError: the archive does not hold it.
    """
    return int(require_row(_LOGGER.first_row(connection, its_serial=serial))[0])


def set_logger(connection: Connection, logger: int, **values: Any) -> None:
    """Set columns of a logger."""
    update_by_key(connection, _LOGGERS, logger, **values)


class MissionKey(NamedTuple):
    """A mission's key in this database, and when it began (0: it waits for its button)."""

    id: int
    first_ms: int


def find_mission(
    connection: Connection, logger: int, number: int, launched_ms: int
) -> MissionKey | None:
    """Return a logger's mission of that number and launch, None where there is none."""
    row = _MISSION.first_row(
        connection, its_logger=logger, its_number=number, its_launch=launched_ms
    )
    return None if row is None else MissionKey(*row)


def mission_key(connection: Connection, logger: int, mission: StatedMission, **more: Any) -> int:
    """Return this database's key of a mission that bytes tell of, made where it is new; when it
    began is taken where it had waited for its button."""
    row = find_mission(connection, logger, mission.number, mission.launched_ms)
    if row is None:
        return add_mission(
            connection,
            logger_id=logger,
            point_id=key_of(connection, Point.__table__, mission.point),
            number=mission.number,
            launched_ms=mission.launched_ms,
            first_ms=mission.first_ms,
            interval_ms=mission.interval_ms,
            plan=mission.plan,
            **more,
        )
    if not row.first_ms and mission.first_ms:
        set_mission(connection, row.id, first_ms=mission.first_ms)
    return int(row.id)


def source_key(connection: Connection, logger: int, action: TextImported) -> int:
    """Return this database's key of what stands for a source of texts at a point, made where it is
    new."""
    uid, said = source_id(action.logger, action.mission.point), action.mission
    row = connection.execute(select(_MISSIONS.c.id).where(_MISSIONS.c.uid == uid)).first()
    if row is not None:
        return int(row[0])
    return add_mission(
        connection,
        uid=uid,
        logger_id=logger,
        point_id=key_of(connection, Point.__table__, said.point),
        number=said.number,
        launched_ms=said.launched_ms,
        first_ms=said.first_ms,
        interval_ms=said.interval_ms,
        plan=said.plan,
        state="ended",
    )


def add_mission(connection: Connection, **values: Any) -> int:
    """Add a mission; returns its key. Its id is that of a logger's mission unless another is
    given."""
    if "uid" not in values:
        its = select(_LOGGERS.c.serial).where(_LOGGERS.c.id == values["logger_id"])
        serial = str(only(connection, its)[0])
        values["uid"] = mission_id(serial, values["number"], values["launched_ms"])
    usual = {"readings": 0, "first_held": 0, "state": ""}
    return _added(connection, _MISSIONS, {**usual, **values})


def set_mission(connection: Connection, mission: int, **values: Any) -> None:
    """Set columns of a mission."""
    update_by_key(connection, _MISSIONS, mission, **values)


def stored_numbers(connection: Connection, mission: int) -> list[Range]:
    """Return the reading numbers of a mission that offloads before brought."""
    rows = _ADDED.all(connection, its_id=mission)
    return merged((first, end) for (added,) in rows for first, end in added)


def new_numbers(connection: Connection, mission: int, received: Iterable[Range]) -> list[Range]:
    """Return what of the numbers that came no offload before brought."""
    stored = stored_numbers(connection, mission)
    return merged(part for got in received for part in missing(got, stored))


def _added(connection: Connection, table: Any, values: dict[str, Any]) -> int:
    done = connection.execute(insert(table).values(values))
    assert done.inserted_primary_key is not None
    return int(done.inserted_primary_key[0])
