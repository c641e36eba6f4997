"""What an archive keeps beside records: plans under names, what was done to a logger, bytes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from gezeiten.domain.actions.loggers import ServiceKind
from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.plan.plan import Plan
from gezeiten.domain.series.clocks.clock_map import ClockMap
from gezeiten.domain.series.clocks.clock_uncertainty import ClockUncertainty
from gezeiten.domain.series.coverage import Range
from gezeiten.domain.steps.sensor_depth import SensorDepth

GOING_ON = ("logging", "waiting", "")
"""States of a mission that goes on, "": nobody has asked since its launch."""


@dataclass(frozen=True, slots=True)
class KnownLogger:
    """A logger, or a source, as it was seen last (UTC ms). state: its state registers as they were
    then; ids: of this database."""

    id: int
    serial: str
    model: str
    practice: bool
    seen_ms: int | None
    state: dict[str, Any] | None
    clock_difference_ms: float | None


@dataclass(frozen=True, slots=True)
class KnownMission:
    """A mission as of the last contact with its logger. plan: as it is stored; first_ms: 0 while it
    waits for its button; first_held, readings: the numbers in the logger's memory. Instants are UTC
    ms by the logger's clock."""

    id: int
    point_id: int | None
    logger: KnownLogger
    number: int
    launched_ms: int
    first_ms: int
    interval_ms: int
    plan: dict[str, Any]
    state: str
    first_held: int
    readings: int


@dataclass(frozen=True, slots=True)
class KnownOffload:
    """Bytes that came. mission: its id for ever; added: which reading numbers were new."""

    id: int
    mission: str
    at_ms: int
    person: str
    route: str
    sha256: str
    added: tuple[Range, ...]
    clock_difference_ms: float | None


@dataclass(frozen=True, slots=True)
class StoredRaw:
    """Bytes in the vault, and how they are read: by which version of their reader, a text by its
    tie. read_as: the fingerprint of the readings that came out, "" where nobody noted it; rescued:
    fingerprint of the readings that were left of lost bytes."""

    sha256: str
    reading: dict[str, Any] | None
    reader: int
    read_as: str
    rescued: str | None


@dataclass(frozen=True, slots=True)
class StoredPlan:
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
    note: str
    due_ms: int | None
    certificate_name: str
    certificate_sha256: str


@dataclass(frozen=True, slots=True)
class StoredReport:
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


@dataclass(frozen=True, slots=True)
class SourceStatement:
    """What somebody said of a source and that stands. uid: its id; point: full name, "" where it
    was at none; channel: "" where the source itself was placed, else whose series of `label` it
    feeds. Instants are UTC ms, end_ms None: until further notice."""

    uid: str
    source: str
    point_uid: str
    point: str
    zone: str
    channel: str
    label: str
    start_ms: int
    end_ms: int | None
    reason: str
    stated_ms: int
    stated_by: str


@dataclass(frozen=True, slots=True)
class StoredLimit:
    """A limit that was set for a series of a point (its key) and stands, in force in [start_ms,
    end_ms), None: until further notice. reason: why. Instants are UTC ms."""

    uid: str
    point_id: int
    series: str
    rule: LimitRule
    start_ms: int
    end_ms: int | None
    reason: str
    stated_ms: int
    stated_by: str


@dataclass(frozen=True, slots=True)
class StoredClockCorrection:
    """The clock of a mission (its id, its number) put right by a map; uncertainty: of its
    instants. method: how it is known; reason: why."""

    uid: str
    serial: str
    mission: str
    number: int
    method: str
    map: ClockMap
    uncertainty: ClockUncertainty
    reason: str
    stated_ms: int
    stated_by: str


@dataclass(frozen=True, slots=True)
class StoredSensorDepth:
    """How a sensor hangs at a point (its id) from an instant on, and who said so; reason: why."""

    uid: str
    point: str
    depth: SensorDepth
    reason: str
    stated_ms: int
    stated_by: str


@dataclass(frozen=True, slots=True)
class Remark:
    """A note on [start_ms, end_ms), an instant where both are one. point: id of the one that it was
    written at; series: "" for all of its; whole_site: for all points of its site."""

    uid: str
    point: str
    series: str
    whole_site: bool
    start_ms: int
    end_ms: int
    text: str
    stated_ms: int
    stated_by: str

    def touches(self, start_ms: int, end_ms: int) -> bool:
        """Whether it says something of a stretch."""
        return self.start_ms < end_ms and max(self.end_ms, self.start_ms + 1) > start_ms
