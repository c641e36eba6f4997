"""A logger as it stands before its launch: the plan it starts from, checks, outlook, battery.

All that touches disk, database or keyring, in two looks, so that a window can ask for them off its
main thread: `starting` once a contact, `readiness` for every change of the plan.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.rounds import Round, open_round
from gezeiten.desk.logger.contact import LoggerCard
from gezeiten.desk.logger.launch.launch_checks import (
    Check,
    launch_checks,
    mission_outlook,
    next_visit_ms,
    present_temp_c,
)
from gezeiten.desk.logger.launch.planning import latest_plan, usual_plan
from gezeiten.desk.logger.pins import is_locked, pin_group
from gezeiten.domain.plan.outlook import Outlook, battery_assumption, battery_days
from gezeiten.domain.plan.plan import Plan
from gezeiten.errors import GezeitenError

Origin = Literal["round", "last", "fresh"]


@dataclass(frozen=True, slots=True)
class Start:
    """What a logger starts from.

    plan: for the next mission, and where it comes from. usual: as the last mission here, or all
    channels. last_plan: the last mission's plan as it was, None without one. pin: "open", "known"
    or "wanted". pin_group: whose PIN it shares.
    """

    plan: Plan
    origin: Origin
    usual: Plan
    last_plan: Plan | None
    pin: Literal["open", "known", "wanted"]
    pin_group: str


@dataclass(frozen=True, slots=True)
class Readiness:
    """Whether a logger can be launched by a plan, and how long that would last.

    outlook: None where the plan makes none. battery_days: under this plan; assumption: in words.
    """

    checks: tuple[Check, ...]
    outlook: Outlook | None
    visit_ms: int | None
    battery_days: float | None
    assumption: str


@dataclass(frozen=True, slots=True)
class LoggerWithStart:
    """A logger as just seen, with what it starts from."""

    card: LoggerCard
    start: Start


def starting(desk: Workspace, card: LoggerCard) -> Start:
    """Return what a logger starts from: what the round has ready, else as the last mission here."""
    last, usual = latest_plan(desk, card), usual_plan(desk, card)
    group = pin_group(desk, card.serial)
    pin: Literal["open", "known", "wanted"] = "open"
    if is_locked(card.state):
        pin = "wanted" if desk.pins.get(group) is None else "known"
    ready = _plan_of_round(open_round(desk), card.serial)
    origin: Origin = "round" if ready else "fresh" if last is None else "last"
    return Start(ready or usual, origin, usual, last, pin, group)


def _plan_of_round(under_way: Round | None, serial: str) -> Plan | None:
    for task in under_way.tasks if under_way else ():
        if task.serial == serial and task.plan is not None and not task.is_done:
            return task.plan
    return None


def readiness(
    desk: Workspace, card: LoggerCard, plan: Plan, accepted: Mapping[str, str], label: str = ""
) -> Readiness:
    """Return the checks and the outlook of a plan; see `launch_checks`."""
    try:
        temp_c, model = present_temp_c(card), card.identity.model
        assumption = battery_assumption(model, plan, temp_c)
        return Readiness(
            tuple(launch_checks(desk, card, plan, accepted, label)),
            mission_outlook(desk, card, plan),
            next_visit_ms(desk, plan.point_name),
            battery_days(model, plan, card.state.battery_permille / 1000, temp_c),
            assumption,
        )
    except GezeitenError as exc:
        return Readiness((Check("blocking", str(exc)),), None, None, None, "")
