"""What people keep beside records: plans under names, and what was done to a logger."""

from __future__ import annotations

from dataclasses import dataclass

from gezeiten.domain.acts.loggers import ServiceKind
from gezeiten.domain.plan import Plan


@dataclass(frozen=True, slots=True)
class Kept:
    """A plan kept under a name; model: of the logger it was made for. uid: its name for ever."""

    uid: str
    name: str
    model: str
    plan: Plan
    changed_ms: int
    changed_by: str


@dataclass(frozen=True, slots=True)
class ServiceEntry:
    """Something done to a logger."""

    id: int
    at_ms: int
    person: str
    kind: ServiceKind
    words: str
    due_ms: int | None
    certificate_name: str
    certificate_sha256: str


@dataclass(frozen=True, slots=True)
class KeptReport:
    """A document that a logger wrote by itself onto its drive. mission: None where its name does
    not tell."""

    at_ms: int
    person: str
    mission: int | None
    name: str
    sha256: str
