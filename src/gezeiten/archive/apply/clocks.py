"""Clocks of missions put right, as acts make it."""

from __future__ import annotations

from sqlalchemy import Connection

from gezeiten.archive.apply.rows import Family, Misfits, Said, add, key_of, take_back
from gezeiten.archive.store.tables import ClockRow, Mission
from gezeiten.domain.acts.clocks import ClockCorrected, ClockTakenBack

_TABLE = ClockRow.__table__


def _corrected(connection: Connection, act: ClockCorrected, said: Said) -> None:
    add(connection, _TABLE, uid=act.clock, way=act.way, pairs=[list(one) for one in act.pairs],
        mission_id=key_of(connection, Mission.__table__, act.mission), u_ms=act.u_ms,
        words=act.words, said_ms=said.at_ms, said_by=said.person)  # fmt: skip


def _taken_back(connection: Connection, act: ClockTakenBack, said: Said) -> Misfits:
    return take_back(connection, _TABLE, act.clock, said)


FAMILY = Family({ClockCorrected: _corrected, ClockTakenBack: _taken_back}, {})
