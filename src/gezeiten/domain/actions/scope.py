"""Which records an action may change: each kind declares its scope, the archive resolves it to
points (`archive/actions/affected_points.py`), and what rests on their records follows."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from gezeiten.domain.series.timeline import EVER_MS, EVERYTHING, Span


@dataclass(frozen=True, slots=True)
class Scope:
    """Which records an action may change: those of points, of the points that missions' readings
    are at (ids), of all points of a site, of those that the readings of bytes (their SHA-256) are
    at, and of those that have a channel.

    period: in which their readings changed, UTC ms; None where the bytes say so themselves, when
    their readings are put into blocks.
    """

    points: tuple[str, ...] = ()
    missions: tuple[str, ...] = ()
    site: str = ""
    sha256: str = ""
    channel: str = ""
    period: Span | None = EVERYTHING


NOTHING = Scope()


def no_scope(_action: object) -> Scope:
    """Return the scope of an action that changes no record."""
    return NOTHING


def point_scope(action: Any) -> Scope:
    """Return the whole record of the point that an action names."""
    return Scope((action.point,))


def gap_scope(action: Any) -> Scope:
    """Return the record of a point in the gap that an action is about."""
    return Scope((action.point,), period=(action.gap.start_ms, action.gap.end_ms))


def period_scope(action: Any) -> Scope:
    """Return the record of a point from when to when an action is in force."""
    end_ms = EVER_MS if action.end_ms is None else action.end_ms
    return Scope((action.point,), period=(action.start_ms, end_ms))


def open_ended_scope(action: Any) -> Scope:
    """Return the record of a point from when on an action is in force."""
    return Scope((action.point,), period=(action.since_ms, EVER_MS))


def mission_scope(action: Any) -> Scope:
    """Return the readings of the mission that an action is about."""
    return Scope(missions=(action.mission,))


def raw_bytes_scope(action: Any) -> Scope:
    """Return the readings of the bytes that an action brings."""
    return Scope(sha256=action.raw.sha256, period=None)
