"""Several loggers at once: one plan made to suit each, first readings together, one row each."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from math import lcm

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.logger.contact import LoggerCard
from gezeiten.desk.logger.launch.launch_checks import Check, launch_checks
from gezeiten.desk.logger.launch.launching import LaunchResult, launch
from gezeiten.desk.logger.launch.planning import pattern_name, usual_plan
from gezeiten.desk.logger.offloading import offload_logger
from gezeiten.domain.plan.fitting import fitted
from gezeiten.domain.plan.plan import Plan
from gezeiten.errors import GezeitenError
from gezeiten.link.transfer import UNWATCHED, Watch

SECONDS_A_LOGGER = 8
"""Time to allow for the launch of one logger before the common first reading."""
_SHORT_STEP_MS = 10_000
_LONGEST_WAIT_S = 3_600


@dataclass(frozen=True, slots=True)
class PreparedLaunch:
    """A logger with the plan meant for it; unsupported: what of the common plan it cannot do."""

    card: LoggerCard
    plan: Plan
    unsupported: tuple[str, ...]
    checks: tuple[Check, ...]

    @property
    def first_obstacle(self) -> str:
        """The first thing that keeps it from being launched, or ""."""
        if self._blocking:
            return self._blocking[0].sentence
        return next((check.sentence for check in self.checks if check.needs_reason), "")

    @property
    def needs_reason_only(self) -> bool:
        """Whether nothing but a word why is missing."""
        return not self._blocking and any(check.needs_reason for check in self.checks)

    @property
    def _blocking(self) -> list[Check]:
        return [c for c in self.checks if c.weight == "blocking"]


@dataclass(frozen=True, slots=True)
class LoggerResult:
    """What became of one logger: a sentence, and its launch (None where it failed)."""

    serial: str
    sentence: str
    launched: LaunchResult | None = None


def common_start_ms(plans: list[Plan], now_ms: int) -> int:
    """Return the instant of a first reading that loggers with these plans can be ready for.

    The next instant that is a full interval for all of them, after the time that the launches
    take; where that would be more than an hour apart, a full interval of the longest. If all start
    right away, the next full ten seconds.
    """
    ready_ms = now_ms + len(plans) * SECONDS_A_LOGGER * 1000
    intervals_s = [plan.interval_s for plan in plans if plan.start == "next_interval"]
    step = _SHORT_STEP_MS
    if intervals_s:
        common_s = lcm(*intervals_s)
        step = 1000 * (common_s if common_s <= _LONGEST_WAIT_S else max(intervals_s))
    return (ready_ms // step + 1) * step


def synchronised_plans(plans: list[Plan], now_ms: int) -> list[Plan]:
    """Return the plans with a start at which the first readings of several loggers fall together;
    those with a start of their own (a set time, the button) keep it."""
    free = [plan for plan in plans if plan.start in ("now", "next_interval")]
    if len(free) < 2:
        return plans
    start_ms = common_start_ms(free, now_ms)
    return [
        replace(plan, start="at", start_ms=start_ms) if plan in free else plan for plan in plans
    ]


def prepare_several(
    desk: Workspace, cards: list[LoggerCard], plan: Plan, accepted: Mapping[str, str]
) -> list[PreparedLaunch]:
    """Return the common plan as each logger can follow it; point, names and remark are its own."""
    prepared = []
    for card in cards:
        own = usual_plan(desk, card)
        suited = fitted(plan, card.identity.model)
        mine = replace(
            suited.plan,
            point_name=own.point_name,
            mission_name=pattern_name(desk, card, own.point_name),
            remark=own.remark,
        )
        prepared.append(_checked(desk, card, mine, suited.unsupported, accepted))
    return prepared


def prepare_with_last_plans(
    desk: Workspace, cards: list[LoggerCard], accepted: Mapping[str, str]
) -> list[PreparedLaunch]:
    """Return each logger with its own last plan: again, as it was."""
    plans = [(card, usual_plan(desk, card)) for card in cards]
    return [_checked(desk, card, plan, (), accepted) for card, plan in plans]


def _checked(
    desk: Workspace,
    card: LoggerCard,
    plan: Plan,
    lost: tuple[str, ...],
    accepted: Mapping[str, str],
) -> PreparedLaunch:
    return PreparedLaunch(card, plan, lost, tuple(launch_checks(desk, card, plan, accepted)))


def offload_and_launch(
    desk: Workspace,
    prepared: list[PreparedLaunch],
    accepted: Mapping[str, str],
    on_result: Callable[[LoggerResult], None],
    watch: Watch = UNWATCHED,
) -> list[LoggerResult]:
    """Offload every logger, then launch them all; one failing does not keep the others.

    Offloading comes first for all, so that the launches follow each other quickly and their first
    readings fall together.
    """
    results: list[LoggerResult] = []

    def ended(result: LoggerResult) -> None:
        results.append(result)
        on_result(result)

    ready = [
        prepared_launch
        for prepared_launch in prepared
        if _offloaded(desk, prepared_launch, watch, ended)
    ]
    plans = synchronised_plans([one.plan for one in ready], desk.now_ms())
    for one, plan in zip(ready, plans, strict=True):
        if watch.cancelled():
            ended(LoggerResult(one.card.serial, "Not launched; cancelled before."))
            continue
        try:
            done = launch(desk, one.card.address, one.card.serial, plan, accepted)
        except GezeitenError as exc:
            ended(LoggerResult(one.card.serial, str(exc)))
        else:
            words = f"Mission {done.mission} launched; plan read back, the same."
            ended(LoggerResult(one.card.serial, words, done))
    return results


def _offloaded(
    desk: Workspace, one: PreparedLaunch, watch: Watch, ended: Callable[[LoggerResult], None]
) -> bool:
    """Fetch what is not kept; False (and a result) where that, or anything else, is in the way."""
    serial = one.card.serial
    if one.first_obstacle:
        ended(LoggerResult(serial, one.first_obstacle))
        return False
    if watch.cancelled():
        ended(LoggerResult(serial, "Nothing was offloaded; cancelled before."))
        return False
    try:
        offloaded = offload_logger(desk, one.card.address, serial, watch)
    except GezeitenError as exc:
        ended(LoggerResult(serial, str(exc)))
        return False
    if offloaded.error:
        ended(LoggerResult(serial, offloaded.error))
        return False
    return True
