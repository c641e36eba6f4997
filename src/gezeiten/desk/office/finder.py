"""What can be gone to by its name: points, sites, loggers, documents, kept plans."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.logger.launch.planning import stored_plans
from gezeiten.desk.office.issuing import issued_documents
from gezeiten.desk.office.logger_history import loggers
from gezeiten.desk.sites.places import sites
from gezeiten.domain.series.timeline import Span, from_ms

Kind = Literal["point", "site", "logger", "document", "plan"]


@dataclass(frozen=True, slots=True)
class Thing:
    """Something with a name. more: what tells it from others of that name.

    key: a point's id, a site's name, a logger's serial, a kept plan's name, the fingerprint of a
    document. point_id and span: of a document.
    """

    kind: Kind
    name: str
    more: str
    key: str | int
    point_id: int = 0
    span: Span = (0, 0)

    def matches(self, texts: list[str]) -> bool:
        """Whether its name, or what stands beside it, holds all the words (casefolded)."""
        said = f"{self.name} {self.more} {self.kind}".casefold()
        return all(word in said for word in texts)


def findable_things(desk: Workspace) -> list[Thing]:
    """Return everything that can be gone to by its name."""
    found: list[Thing] = []
    zones: dict[int, tuple[str, str]] = {}
    for site in sites(desk):
        found.append(Thing("site", site.name, site.kind, site.name))
        for point in site.points:
            zones[point.id] = (point.full_name, point.zone)
            found.append(Thing("point", point.full_name, point.serial, point.id))
    found += [
        Thing("logger", serial, f"{model} {place}".strip(), serial)
        for serial, model, place in loggers(desk)
    ]
    for document in issued_documents(desk):
        name, zone = zones.get(document.point_id, ("", "UTC"))
        more = f"{name} {from_ms(document.at_ms, zone):%Y-%m-%d}".strip()
        found.append(
            Thing(
                "document",
                Path(document.file_name).name,
                more,
                document.sha256,
                document.point_id,
                document.span,
            )
        )
    found += [
        Thing("plan", stored.name, stored.model, stored.name) for stored in stored_plans(desk)
    ]
    return found
