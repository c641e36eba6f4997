"""Actions put into tables: one module a family. All that an action decided stands in it; nothing
here asks a clock, a default, a setting or a name."""

from __future__ import annotations

from sqlalchemy import Connection

from gezeiten.archive.projection import (
    archives,
    assessments,
    calculated_series,
    carriers,
    check_readings,
    clocks,
    contacts,
    corrections,
    deployments,
    documents,
    gaps,
    launches,
    limits,
    loggers,
    offloads,
    people,
    plans,
    quantities,
    remarks,
    sensor_depths,
    sites,
    visits,
)
from gezeiten.archive.projection.rows import Applying, Authorship, Conflicts, Refusing
from gezeiten.domain.actions import Action

_FAMILIES = (
    sites.FAMILY,
    plans.FAMILY,
    loggers.FAMILY,
    visits.FAMILY,
    documents.FAMILY,
    gaps.FAMILY,
    assessments.FAMILY,
    contacts.FAMILY,
    launches.FAMILY,
    offloads.FAMILY,
    carriers.FAMILY,
    people.FAMILY,
    deployments.FAMILY,
    limits.FAMILY,
    quantities.FAMILY,
    calculated_series.FAMILY,
    corrections.FAMILY,
    remarks.FAMILY,
    check_readings.FAMILY,
    clocks.FAMILY,
    sensor_depths.FAMILY,
    archives.FAMILY,
)
APPLYING: dict[type[Action], Applying] = {
    kind: applying for family in _FAMILIES for kind, applying in family.applying.items()
}
"""How each kind of action is put into tables."""
_REFUSING: dict[type[Action], Refusing] = {
    kind: refusing for family in _FAMILIES for kind, refusing in family.refusing.items()
}

__all__ = ["APPLYING", "Authorship", "Conflicts", "apply", "refuse"]


def apply(connection: Connection, action: Action, authorship: Authorship) -> Conflicts:
    """Put an action into the tables; returns what it found otherwise than it says."""
    return APPLYING[type(action)](connection, action, authorship) or []


def refuse(connection: Connection, action: Action) -> None:
    """Raise InputError where an action cannot be done on the archive as it is now."""
    refusing = _REFUSING.get(type(action))
    if refusing is not None:
        refusing(connection, action)
