"""The actions that change an archive: one module for each family, one class for each kind.

An action carries all that it changed and nothing else. The truth of an archive is its actions and
its bytes; the tables are made from them (`archive/projection`). A new kind is a class here, a
function in the module of the same name there, and a line in the test that describes all of them.
"""

from __future__ import annotations

# each makes its kinds known
from gezeiten.domain.actions import (  # noqa: F401
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
from gezeiten.domain.actions.base import BY_KIND, Action, Change, Subject

KINDS: tuple[type[Action], ...] = tuple(BY_KIND.values())
"""Every kind of action."""

__all__ = ["KINDS", "Action", "Change", "Subject"]
