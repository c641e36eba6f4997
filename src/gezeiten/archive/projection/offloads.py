"""Bytes that arrived, as acts make them: offloads, texts, overviews. Their readings are made from
the bytes (`archive/intake/missions.py`), not here."""

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
from gezeiten.archive.projection.rows import Authorship, Family, Misfits, add, only
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


def _offloaded(connection: Connection, act: MissionOffloaded, said: Authorship) -> None:
    logger = find_or_add_logger(connection, act.logger, act.mission.model, act.mission.firmware)
    mission = mission_key(connection, logger, act.mission)
    added = new_numbers(connection, mission, act.received)
    taken = act.taken or said
    add(
        connection,
        _OFFLOADS,
        mission_id=mission,
        at_ms=taken.at_ms,
        person=taken.person,
        route=act.raw.route,
        sha256=act.raw.sha256,
        size=act.raw.size,
        received=_listed(act.received),
        added=_listed(added),
        damaged=_listed(act.damaged),
        clock_difference_ms=act.clock_difference_ms,
        clock_uncertainty_ms=act.clock_uncertainty_ms,
        events=[list(event) for event in act.events],
        carried=act.raw.carried,
        reader=act.read.reader,
        read_as=act.read.readings,
    )
    if act.missed is not None:  # the logger itself was asked: it was seen then
        _update_last_seen(connection, logger, mission, act, said)


def _update_last_seen(
    connection: Connection, logger: int, mission: int, act: MissionOffloaded, said: Authorship
) -> None:
    if act.clock_difference_ms is not None:
        set_logger(
            connection,
            logger,
            seen_ms=said.at_ms,
            clock_difference_ms=act.clock_difference_ms,
            clock_uncertainty_ms=act.clock_uncertainty_ms,
        )
    [known] = only(connection, select(Mission.readings).where(Mission.id == mission))
    held = max([known, *(end for _, end in act.received)])
    set_mission(connection, mission, damaged=_listed(act.missed or ()), readings=held)


def _damage_noted(connection: Connection, act: DamageNoted, _said: Authorship) -> None:
    logger = logger_key(connection, act.logger)
    mission = find_mission(connection, logger, act.number, act.launched_ms)
    if mission is not None:
        set_mission(connection, mission.id, damaged=_listed(act.missed))


def _apply_text_imported(connection: Connection, act: TextImported, said: Authorship) -> None:
    logger = find_or_add_logger(connection, act.logger, act.mission.model, act.mission.firmware)
    mission = source_key(connection, logger, act)
    told = select(Mission.first_ms, Mission.readings).where(Mission.id == mission)
    first_ms, before = only(connection, told)
    first_ms = min(first_ms, act.earliest_ms) or act.earliest_ms
    numbers = [[before, before + act.readings]]
    set_mission(connection, mission, first_ms=first_ms, readings=before + act.readings)
    add(
        connection,
        _OFFLOADS,
        mission_id=mission,
        at_ms=said.at_ms,
        person=said.person,
        route=act.raw.route,
        sha256=act.raw.sha256,
        size=act.raw.size,
        received=numbers,
        added=numbers,
        damaged=[],
        events=[],
        reading=act.reading,
        reader=act.read.reader,
        read_as=act.read.readings,
    )


def _apply_text_removed(connection: Connection, act: TextRemoved, said: Authorship) -> Misfits:
    uid = source_id(act.logger, act.point)
    row = connection.execute(select(Mission.id).where(Mission.uid == uid)).first()
    if row is None:
        return ["nothing of it was taken"]
    its = (Offload.mission_id == row[0]) & Offload.taken_out_ms.is_(None)
    gone = connection.execute(
        update(Offload)
        .where(its, Offload.sha256 == act.sha256)
        .values(taken_out_ms=said.at_ms, taken_out_by=said.person)
    )
    if connection.execute(select(Offload.id).where(its).limit(1)).first() is None:
        # as before its first reading: its source stands nowhere
        set_mission(connection, int(row[0]), first_ms=0)
    return [] if gone.rowcount else ["it was taken out before"]


def _rescued(connection: Connection, act: ReadingsRescued, _said: Authorship) -> None:
    its = update(Offload).where(Offload.sha256 == act.lost)
    connection.execute(its.values(rescued=act.kept.sha256))


def _apply_reread(connection: Connection, act: BytesReread, _said: Authorship) -> Misfits:
    its = Offload.sha256 == act.sha256
    found = only(connection, select(Offload.reader, Offload.read_as).where(its).limit(1))
    connection.execute(
        update(Offload).where(its).values(reader=act.after.reader, read_as=act.after.readings)
    )
    is_as_said = tuple(found) == (act.before.reader, act.before.readings)
    return [] if is_as_said else ["its bytes were read anew meanwhile"]


def _apply_overview(connection: Connection, act: OverviewImported, said: Authorship) -> None:
    logger = find_or_add_logger(connection, act.logger, act.mission.model, act.mission.firmware)
    mission = mission_key(connection, logger, act.mission)
    connection.execute(
        insert(OverviewRow).values(
            mission_id=mission,
            at_ms=said.at_ms,
            person=said.person,
            route=act.raw.route,
            sha256=act.raw.sha256,
            size=act.raw.size,
            kind=act.thinned,
            every=act.every,
            came=_listed(act.came),
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
