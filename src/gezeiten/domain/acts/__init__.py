"""What is done to an archive, in the words of the trade: one module a family, one class a kind.

An act carries all that it changed and nothing else. What is true of an archive is its acts and its
bytes; the tables are made from them (`archive/apply`). A kind is added by a class here, a function
in the module of the same name there, and a line in the test that tells all of them.
"""

from __future__ import annotations

# each makes its kinds known
from gezeiten.domain.acts import (  # noqa: F401
    archives,
    assessments,
    carriers,
    checks,
    clocks,
    contacts,
    corrections,
    derived,
    documents,
    gaps,
    hanging,
    launches,
    limits,
    loggers,
    offloads,
    people,
    plans,
    quantities,
    remarks,
    sites,
    sources,
    visits,
)
from gezeiten.domain.acts.base import BY_KIND, Act, Change, Subject

KINDS: tuple[type[Act], ...] = tuple(BY_KIND.values())
"""Every kind of act there is."""

__all__ = ["KINDS", "Act", "Change", "Subject"]
