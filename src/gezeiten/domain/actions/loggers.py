"""Actions in the life of a logger: serviced, out of use, its PIN's group, a report it wrote
itself."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from gezeiten.domain.actions.base import Action, Subject, day_text
from gezeiten.domain.actions.scope import no_scope

ServiceKind = Literal["battery", "calibration", "repair", "note"]
_SERVICE_WORDS = {
    "battery": "battery changed",
    "calibration": "calibrated",
    "repair": "repaired",
    "note": "noted",
}


@dataclass(frozen=True, slots=True)
class ServiceNoted(Action, kind="service noted", word="service", about="logger", affects=no_scope):
    """Something done to a logger on a day; due_ms: until when a calibration holds. The certificate
    lies in the vault by its SHA-256."""

    logger: str
    service: str
    service_kind: ServiceKind
    at_ms: int
    words: str
    due_ms: int | None = None
    certificate_name: str | None = None
    certificate_sha256: str | None = None

    def describe(self, subject: Subject) -> str:
        parts = [f"{self.logger}: {_SERVICE_WORDS[self.service_kind]}", self.words]
        if self.due_ms is not None:
            parts.append(f"valid until {day_text(self.due_ms, subject.zone)}")
        return ", ".join(part for part in parts if part) + "."


@dataclass(frozen=True, slots=True)
class LoggerRetired(Action, kind="logger retired", word="logger", about="logger", affects=no_scope):
    """A logger put out of use, and away from its point, or taken up again."""

    logger: str
    retired: bool

    def describe(self, subject: Subject) -> str:
        return f"Logger {self.logger} {'retired' if self.retired else 'reactivated'}."


@dataclass(frozen=True, slots=True)
class PinGroupSet(Action, kind="PIN group set", word="PIN group", about="logger", affects=no_scope):
    """The loggers that a logger shares its PIN with; "" is its site's."""

    logger: str
    before: str
    after: str

    def describe(self, subject: Subject) -> str:
        group = self.after or "its site's"
        return f"{self.logger} shares the PIN of: {group}."


@dataclass(frozen=True, slots=True)
class ReportStored(
    Action, kind="report kept", word="report kept", about="logger", affects=no_scope
):
    """A document that a logger wrote by itself; its bytes lie in the vault. mission: None where
    its name does not tell."""

    logger: str
    name: str
    sha256: str
    size: int
    mission: int | None = None

    def describe(self, subject: Subject) -> str:
        return f"The report {self.name} that {self.logger} wrote was saved."
