"""Clocks of missions that were put right, out of the archive."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive.store.tables import ClockRow, Logger, Mission, Offload
from gezeiten.domain.kept import ClockKept
from gezeiten.domain.series.clock_map import ClockMap, clock_map


def clocks_kept(session: Session) -> list[ClockKept]:
    """Return all that stand, those said earlier first."""
    rows = session.execute(
        select(ClockRow, Mission.uid, Mission.number, Logger.serial)
        .join(Mission, Mission.id == ClockRow.mission_id)
        .join(Logger, Logger.id == Mission.logger_id)
        .where(ClockRow.undone_ms.is_(None))
        .order_by(ClockRow.said_ms, ClockRow.uid)
    )
    return [
        ClockKept(row.uid, serial, uid, number, row.way,
                  tuple((shown, true) for shown, true in row.pairs), row.u_ms, row.words,
                  row.said_ms, row.said_by)
        for row, uid, number, serial in rows
    ]  # fmt: skip


def clock_maps(session: Session) -> dict[str, ClockMap]:
    """Return the maps in force, by mission (its id): of several the one said last."""
    return {one.mission: clock_map(one.pairs) for one in clocks_kept(session)}


def measured_differences(session: Session, mission: str) -> list[tuple[int, float, float]]:
    """Return when the clock of a mission's logger was read at an offload, how far it was ahead, and
    how sure that is; ms, oldest first."""
    query = (
        select(Offload.at_ms, Offload.clock_difference_ms, Offload.clock_uncertainty_ms,
               Offload.carried)
        .join(Mission, Mission.id == Offload.mission_id)
        .where(Mission.uid == mission, Offload.clock_difference_ms.is_not(None))
        .order_by(Offload.at_ms)
    )  # fmt: skip
    # what a courier brought was read by the courier's clock
    return [(at_ms, float(off or 0.0), float(u or 0.0))
            for at_ms, off, u, carried in session.execute(query) if not carried]  # fmt: skip
