"""Launches that are not known to have ended, out of the archive."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive.store.tables import LaunchIntent, Logger


@dataclass(frozen=True, slots=True)
class LaunchNote:
    """A launch that was begun. owner: computer and token of the program that launches; old_mission:
    the number before; accepted: what was waved through. at_ms: UTC ms."""

    at_ms: int
    person: str
    owner: str
    plan: dict[str, Any]
    old_mission: int
    accepted: dict[str, Any]


def launch_note(session: Session, serial: str) -> LaunchNote | None:
    """Return the launch of a logger that is not known to have ended."""
    query = select(LaunchIntent).join(Logger, Logger.id == LaunchIntent.logger_id)
    row = session.scalars(query.where(Logger.serial == serial)).first()
    if row is None:
        return None
    return LaunchNote(row.at_ms, row.person, row.owner, row.plan, row.old_mission, row.accepted)


def others_at(session: Session, point_id: int, serial: str) -> list[str]:
    """Return the serials of the other loggers in use at a point."""
    query = select(Logger.serial).where(
        Logger.point_id == point_id, Logger.serial != serial, Logger.retired_ms.is_(None)
    )
    return list(session.scalars(query.order_by(Logger.serial)))
