"""What an archive keeps beside records: plans under names, what was done to a logger, bytes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

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


@dataclass(frozen=True, slots=True)
class NamedRaw:
    """One raw offload and what people call it. from_ms, until_ms: of its readings."""

    sha256: str
    size: int
    site: str
    point: str
    serial: str
    mission: int
    at_ms: int
    person: str
    route: str
    from_ms: int | None
    until_ms: int | None
    clock_difference_ms: float | None
    clock_uncertainty_ms: float | None
    carried: dict[str, Any] | None
    reading: dict[str, Any] | None
