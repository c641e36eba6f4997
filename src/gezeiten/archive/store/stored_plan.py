"""Plans as they are stored; each text is read once: missions mostly have the plan of the one
before."""

from __future__ import annotations

from functools import lru_cache

from gezeiten.archive.store.stored import stored_value
from gezeiten.domain.plan.plan import Plan, plan_from_dict


@lru_cache(512)
def stored_plan(text: str) -> Plan:
    """Return the plan of a stored JSON text.

    Raises:
        ArchiveDamagedError: it is no JSON.
        PlanError: it is no plan.
    """
    return plan_from_dict(stored_value(text))
