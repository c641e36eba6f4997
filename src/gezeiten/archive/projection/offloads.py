"""Bytes that arrived, as actions make them: offloads, texts, overviews. Their readings are made
from the bytes (`archive/intake/missions.py`), not here."""

from __future__ import annotations

from collections.abc import Iterable

from sqlalchemy import Connection, insert, select, update

from gezeiten.archive.projection.missions import (
    find_mission,
    find_or_add_logger,
    logger_key,
    mission_key,
    new_numbers,
    set_logger,
    set_mission,
    source_key,
)
from gezeiten.archive.projection.rows import Authorship, Conflicts, Family, add, only
from gezeiten.archive.store.ids import source_id
from gezeiten.archive.store.tables import Mission, Offload, OverviewRow
from gezeiten.domain.actions.offloads import (
    BytesReread,
    DamageNoted,
    MissionOffloaded,
    OverviewImported,
    ReadingsRescued,
    TextImported,
    TextRemoved,
)
from gezeiten.domain.series.coverage import Range

_OFFLOADS = Offload.__table__


def _offloaded(connection: Connection, action: MissionOffloaded, authorship: Authorship) -> None:
    logger = find_or_add_logger(
        connection, action.logger, action.mission.model, action.mission.firmware
    )
    mission = mission_key(connection, logger, action.mission)
    added = new_numbers(connection, mission, action.received)
    taken_by = action.taken or authorship
    add(
        connection,
        _OFFLOADS,
        mission_id=mission,
        at_ms=taken_by.at_ms,
        person=taken_by.person,
        route=action.raw.route,
        sha256=action.raw.sha256,
        size=action.raw.size,
        received=_listed(action.received),
        added=_listed(added),
        damaged=_listed(action.damaged),
        clock_difference_ms=action.clock_difference_ms,
        clock_uncertainty_ms=action.clock_uncertainty_ms,
        events=[list(event) for event in action.events],
        carried=action.raw.carried,
        reader=action.read.reader,
        read_as=action.read.readings,
    )
    if action.missed is not None:  # the logger itself was asked: it was seen then
        _update_last_seen(connection, logger, mission, action, authorship)


def _update_last_seen(
    connection: Connection,
    logger: int,
    mission: int,
    action: MissionOffloaded,
    authorship: Authorship,
) -> None:
    if action.clock_difference_ms is not None:
        set_logger(
            connection,
            logger,
            seen_ms=authorship.at_ms,
            clock_difference_ms=action.clock_difference_ms,
            clock_uncertainty_ms=action.clock_uncertainty_ms,
        )
    [known] = only(connection, select(Mission.readings).where(Mission.id == mission))
    held = max([known, *(end for _, end in action.received)])
    set_mission(connection, mission, damaged=_listed(action.missed or ()), readings=held)


def _damage_noted(connection: Connection, action: DamageNoted, _authorship: Authorship) -> None:
    logger = logger_key(connection, action.logger)
    mission = find_mission(connection, logger, action.number, action.launched_ms)
    if mission is not None:
        set_mission(connection, mission.id, damaged=_listed(action.missed))


def _apply_text_imported(
    connection: Connection, action: TextImported, authorship: Authorship
) -> None:
    logger = find_or_add_logger(
        connection, action.logger, action.mission.model, action.mission.firmware
    )
    mission = source_key(connection, logger, action)
    told = select(Mission.first_ms, Mission.readings).where(Mission.id == mission)
    first_ms, before = only(connection, told)
    first_ms = min(first_ms, action.earliest_ms) or action.earliest_ms
    numbers = [[before, before + action.readings]]
    set_mission(connection, mission, first_ms=first_ms, readings=before + action.readings)
    add(
        connection,
        _OFFLOADS,
        mission_id=mission,
        at_ms=authorship.at_ms,
        person=authorship.person,
        route=action.raw.route,
        sha256=action.raw.sha256,
        size=action.raw.size,
        received=numbers,
        added=numbers,
        damaged=[],
        events=[],
        reading=action.reading,
        reader=action.read.reader,
        read_as=action.read.readings,
    )


def _apply_text_removed(
    connection: Connection, action: TextRemoved, authorship: Authorship
) -> Conflicts:
    uid = source_id(action.logger, action.point)
    row = connection.execute(select(Mission.id).where(Mission.uid == uid)).first()
    if row is None:
        return ["nothing of it was imported"]
    its = (Offload.mission_id == row[0]) & Offload.taken_out_ms.is_(None)
    gone = connection.execute(
        update(Offload)
        .where(its, Offload.sha256 == action.sha256)
        .values(taken_out_ms=authorship.at_ms, taken_out_by=authorship.person)
    )
    if connection.execute(select(Offload.id).where(its).limit(1)).first() is None:
        # as before its first reading: its source stands nowhere
        set_mission(connection, int(row[0]), first_ms=0)
    return [] if gone.rowcount else ["it had already been removed"]


def _rescued(connection: Connection, action: ReadingsRescued, _authorship: Authorship) -> None:
    its = update(Offload).where(Offload.sha256 == action.lost)
    connection.execute(its.values(rescued=action.kept.sha256))


def _apply_reread(
    connection: Connection, action: BytesReread, _authorship: Authorship
) -> Conflicts:
    its = Offload.sha256 == action.sha256
    found = only(connection, select(Offload.reader, Offload.read_as).where(its).limit(1))
    connection.execute(
        update(Offload).where(its).values(reader=action.after.reader, read_as=action.after.readings)
    )
    is_as_said = tuple(found) == (action.before.reader, action.before.readings)
    return [] if is_as_said else ["the file was read again meanwhile"]


def _apply_overview(
    connection: Connection, action: OverviewImported, authorship: Authorship
) -> None:
    logger = find_or_add_logger(
        connection, action.logger, action.mission.model, action.mission.firmware
    )
    mission = mission_key(connection, logger, action.mission)
    connection.execute(
        insert(OverviewRow).values(
            mission_id=mission,
            at_ms=authorship.at_ms,
            person=authorship.person,
            route=action.raw.route,
            sha256=action.raw.sha256,
            size=action.raw.size,
            kind=action.thinned,
            every=action.every,
            came=_listed(action.came),
        )
    )


def _listed(ranges: Iterable[Range]) -> list[list[int]]:
    return [list(part) for part in ranges]


FAMILY = Family(
    {
        MissionOffloaded: _offloaded,
        DamageNoted: _damage_noted,
        TextImported: _apply_text_imported,
        OverviewImported: _apply_overview,
        ReadingsRescued: _rescued,
        BytesReread: _apply_reread,
        TextRemoved: _apply_text_removed,
    },
    {},
)
