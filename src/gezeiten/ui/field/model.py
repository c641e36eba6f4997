"""What the Field desk knows, and what follows from it: who is at hand, who is chosen, what is done
and what comes next. Knows no widget and no word that is shown.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from typing import Literal

from gezeiten.desk.field.arrival import Arrival
from gezeiten.desk.field.readiness import LoggerWithStart, Readiness, Start
from gezeiten.desk.intake.overviews import ImportedOverview
from gezeiten.desk.logger.contact import LoggerCard
from gezeiten.desk.logger.launch.launch_checks import BEGUN_KEY, Check
from gezeiten.desk.logger.launch.launching import LaunchResult
from gezeiten.desk.sites.places import PointPlace, zone_at
from gezeiten.domain.plan.plan import Plan
from gezeiten.domain.series.timeline import Span
from gezeiten.ui.field.logger.edited_plans import EditedPlans

Kind = Literal["launch", "accept", "pin", "next", "several", "done", "blocked", ""]


@dataclass(frozen=True, slots=True)
class NextAction:
    """What comes next. kind: "blocked" while something is in the way of a launch, "" where nothing
    can be done at all. serial: of the logger it is about. readings: that a launch offloads before;
    repeats_last: it goes by the plan of the last mission. loggers: how many are launched
    together."""

    kind: Kind
    serial: str = ""
    readings: int = 0
    repeats_last: bool = False
    loggers: int = 0


@dataclass(slots=True)
class FieldModel:
    """home_zone: where a point is not known yet. cards: by serial, in the order shown; chosen: a
    serial; ticks: serials; wanted: a serial that is chosen as soon as it answers. starts: what
    loggers start from; labels: what was typed from their cases; launched, arrivals: what was
    launched here and what came last. typed: the plan in the editor, None where it is none; ready:
    of the chosen logger, None until it is known. is_touched: a hand was at the desk.
    finished: those of several that were launched together and are still shown with their results.
    """

    home_zone: str
    cards: dict[str, LoggerCard] = field(default_factory=dict)
    chosen: str | None = None
    ticks: dict[str, None] = field(default_factory=dict)
    wanted: str | None = None
    zones: dict[str, str] = field(default_factory=dict)
    point_ids: dict[str, int] = field(default_factory=dict)
    starts: dict[str, Start] = field(default_factory=dict)
    labels: dict[str, str] = field(default_factory=dict)
    launched: dict[str, LaunchResult] = field(default_factory=dict)
    arrivals: dict[str, Arrival | ImportedOverview] = field(default_factory=dict)
    plans: EditedPlans = field(default_factory=EditedPlans)
    typed: Plan | None = None
    ready: Readiness | None = None
    is_touched: bool = False
    finished: dict[str, None] = field(default_factory=dict)

    # -- who is at hand --------------------------------------------------------------------------
    @property
    def card(self) -> LoggerCard | None:
        """The chosen logger."""
        return self.cards.get(self.chosen or "")

    @property
    def ticked(self) -> list[LoggerCard]:
        """The ticked loggers, in the order shown."""
        return [card for serial, card in self.cards.items() if serial in self.ticks]

    @property
    def is_group(self) -> bool:
        """Whether several loggers are worked on at once."""
        return len(self.ticked) >= 2 or bool(self.finished)

    def add_card(self, logger_with_start: LoggerWithStart) -> bool:
        """Take in a logger as it answered; returns whether it is new."""
        card, is_new = logger_with_start.card, logger_with_start.card.serial not in self.cards
        self.starts[card.serial] = logger_with_start.start
        self.cards[card.serial] = card
        if is_new:
            self.cards = dict(sorted(self.cards.items()))
        return is_new

    def leave(self, stays: Iterable[str]) -> None:
        """Forget the loggers that no longer answer, all but these."""
        remaining = set(stays)
        self.cards = {serial: card for serial, card in self.cards.items() if serial in remaining}
        self.ticks = {serial: None for serial in self.ticks if serial in remaining}

    def set_points(self, points: Iterable[PointPlace]) -> None:
        """Take in the points that there are."""
        listed = list(points)
        self.zones = {point.full_name: point.zone for point in listed}
        self.point_ids = {point.full_name: point.id for point in listed}

    def zone_of(self, card: LoggerCard) -> str:
        """Return the zone of the site a logger measures at."""
        return self.zones.get(card.point, self.home_zone)

    def zone_at(self, point_name: str) -> str:
        """Return the zone of a point, of its site where that is new."""
        return zone_at(self.zones, point_name, self.home_zone)

    def serial_to_select(self, card: LoggerCard) -> str | None:
        """Return which logger is to be chosen now that one was card: the one that was wanted, or as
        long as no hand was at the desk the top one, not whoever answers first; None: stay."""
        if self.wanted == card.serial:
            return card.serial
        if self.wanted is not None or not self._is_free():
            return None
        top = next(iter(self.cards))
        return top if top != self.chosen else None

    def _is_free(self) -> bool:
        is_typed = self.typed is not None and self.typed != self.plans.usual
        return self.card is None or not (self.is_touched or is_typed)

    # -- what is done, what comes next -----------------------------------------------------------
    @property
    def checks(self) -> list[Check]:
        """What is checked before the launch of the chosen logger."""
        return list(self.ready.checks) if self.ready else []

    def is_done(self, card: LoggerCard) -> bool:
        """Whether this desk has launched a logger and nothing else is meant for it since."""
        launched = self.launched.get(card.serial)
        if launched is None or launched.mission != card.state.mission_number:
            return False
        is_shown = self.plans.serial == card.serial and self.typed is not None
        return not is_shown or self.typed == self.plans.usual

    def next_serial(self) -> str:
        """Return the first logger below the chosen one, then from the top, that is not launched
        yet; "" where all are."""
        cards = list(self.cards.values())
        at = next((i for i, card in enumerate(cards) if card.serial == self.chosen), 0)
        rest = (card for card in [*cards[at + 1 :], *cards[:at]] if not self.is_done(card))
        return next((card.serial for card in rest), "")

    def next_action(self, group: NextAction, *, is_busy: bool) -> NextAction:
        """Return what the large button does next. group: what it does where several are ticked."""
        card = self.card
        if card is None or is_busy:
            return NextAction("")
        if self.is_group:
            return self._onward() if all(map(self.is_done, self.ticked)) else group
        if self.ready is None:
            return NextAction("")
        return self._onward() if self.is_done(card) else self.launch_action(card)

    def _onward(self) -> NextAction:
        serial = self.next_serial()
        return NextAction("next" if serial else "done", serial)

    def launch_action(self, card: LoggerCard) -> NextAction:
        """Return what leads to a launch of the chosen logger by the plan in the editor."""
        start = self.starts[card.serial]
        as_last = start.last_plan is not None and self.typed == start.usual
        kind = launch_kind(self.checks)
        return NextAction(kind, card.serial, card.readings_to_offload, as_last)

    def checks_shown(self) -> list[Check] | None:
        """Return the checks of the chosen logger that are worth a look once it is launched, None as
        long as it is not: then all are."""
        card = self.card
        if card is None or not self.is_done(card):
            return None
        return [check for check in self.checks if check.weight == "look" and check.key != BEGUN_KEY]

    def last_offload_span(self, serial: str) -> Span | None:
        """Return the stretch that the last offload of a logger brought, None without one."""
        received = self.arrivals.get(serial)
        return received.span if isinstance(received, Arrival) else None

    def forget_typed(self, serial: str) -> None:
        """A logger was launched: what was typed for it is done with, its plan is the new start."""
        self.plans.drop(serial)
        if self.plans.serial == serial:
            self.plans.start_over()


def launch_kind(checks: Sequence[Check]) -> Kind:
    """Return what checks leave to be done before a launch."""
    blocking = [check for check in checks if check.weight == "blocking"]
    if [check.key for check in blocking] == ["pin"]:
        return "pin"
    if blocking:
        return "blocked"
    return "accept" if any(check.needs_reason for check in checks) else "launch"
