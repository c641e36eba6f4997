"""Actions on sources: where one was, and which series it feeds. Readings never change by them."""

from __future__ import annotations

from dataclasses import dataclass

from gezeiten.domain.actions.base import Action, Subject, instant_text
from gezeiten.domain.actions.scope import Scope, point_scope
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.series_keys import series_key


def _deployed_scope(action: SourceDeployed) -> Scope:
    here = (action.point,) if action.point else ()
    return Scope(tuple(dict.fromkeys((*action.left, *here))))


def _withdrawn_scope(action: DeploymentWithdrawn) -> Scope:
    return Scope(action.points)


@dataclass(frozen=True, slots=True)
class SourceDeployed(
    Action, kind="source placed", word="deployment", about="logger", affects=_deployed_scope
):
    """Where a logger, text or live line was in [start_ms, end_ms), None: until further notice.
    placing: its id; point: None where it was at no point (on the bench, in the car); left: the
    points whose readings these were before, the records of which change as well."""

    logger: str
    placing: str
    point: str | None
    start_ms: int
    end_ms: int | None
    words: str
    left: tuple[str, ...] = ()

    def describe(self, subject: Subject) -> str:
        where = f"was at {subject.place}" if self.point else "was at no point"
        return (
            f"{subject.name} {where} {_period_text(self.start_ms, self.end_ms, subject.zone)}"
            f"{_because(self.words)}."
        )


@dataclass(frozen=True, slots=True)
class DeploymentWithdrawn(
    Action, kind="placing taken back", word="deployment", about="logger", affects=_withdrawn_scope
):
    """What was said of where a source was has no effect any more. points: those it concerned."""

    logger: str
    placing: str
    points: tuple[str, ...]

    def describe(self, subject: Subject) -> str:
        return f"A change to the deployment of {subject.name} was withdrawn."


@dataclass(frozen=True, slots=True)
class SeriesAssigned(Action, kind="series fed", word="series", about="point", affects=point_scope):
    """Which source feeds a series of a point in [start_ms, end_ms). feeding: its id; label: "" for
    the main series of the channel."""

    point: str
    feeding: str
    channel: str
    label: str
    source: str
    start_ms: int
    end_ms: int | None

    def describe(self, subject: Subject) -> str:
        name = quantity(series_key(self.channel, self.label)).name
        span = _period_text(self.start_ms, self.end_ms, subject.zone)
        return f"{name} is supplied by {self.source} {span}."


@dataclass(frozen=True, slots=True)
class AssignmentWithdrawn(
    Action, kind="feeding taken back", word="series", about="point", affects=point_scope
):
    """What was said of who feeds a series has no effect any more."""

    point: str
    feeding: str

    def describe(self, subject: Subject) -> str:
        return f"A series assignment of {subject.name} was withdrawn."


def _period_text(start_ms: int, end_ms: int | None, zone: str) -> str:
    since = f"from {instant_text(start_ms, zone)}" if start_ms > 0 else "from its first reading"
    return since if end_ms is None else f"{since} to {instant_text(end_ms, zone)}"


def _because(words: str) -> str:
    return f": {words}" if words else ""
