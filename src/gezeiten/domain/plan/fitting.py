"""One plan for loggers of several models: what each of them can do of it, and what it cannot."""

from __future__ import annotations

from dataclasses import dataclass, replace

from gezeiten.domain.base.intervals import interval_text, neat_interval_s
from gezeiten.domain.base.wording import figure, grouped
from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.plan.models import LoggerModel, Manner
from gezeiten.domain.plan.outlook import readings_that_fit
from gezeiten.domain.plan.plan import ChannelSetting, DeviceOptions, Plan
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.errors import InputError


@dataclass(frozen=True, slots=True)
class FittedPlan:
    """The plan as a model can follow it, and in sentences what could not be applied."""

    plan: Plan
    unsupported: tuple[str, ...]


def fitted(plan: Plan, model: LoggerModel) -> FittedPlan:
    """Return the plan with everything taken out or moved that the model does not have.

    A plan none of whose channels the model has turns all of the model's channels on; a channel
    that another one needs is switched on with it.
    """
    lost: list[str] = []
    plan = _with_channels(plan, model, lost)
    plan = _with_interval(plan, model, lost)
    plan = _with_ends(plan, model, lost)
    plan = _with_limits(plan, model, lost)
    plan = replace(plan, settings=_settings(plan, model, lost))
    return FittedPlan(
        replace(plan, manners=_fitting_options(plan.manners, model, lost)), tuple(lost)
    )


def _with_channels(plan: Plan, model: LoggerModel, lost: list[str]) -> Plan:
    known = {spec.key: spec for spec in model.channels}
    wanted = [key for key in plan.channels if key in known]
    missing = [quantity(key).name for key in plan.channels if key not in known]
    if missing:
        lost.append(f"{model.name} has no {', '.join(missing)}.")
    if not wanted:
        lost.append(f"All channels of {model.name} are on instead.")
        wanted = list(known)
    for key in list(wanted):
        needed = known[key].needs
        if needed and needed not in wanted:
            wanted.append(needed)
    return replace(plan, channels=tuple(key for key in known if key in wanted))


def _with_interval(plan: Plan, model: LoggerModel, lost: list[str]) -> Plan:
    interval_s = min(max(plan.interval_s, model.shortest_interval_s), model.longest_interval_s)
    if interval_s < plan.interval_s or interval_s > plan.interval_s:
        interval_s = min(neat_interval_s(interval_s), model.longest_interval_s)
        lost.append(
            f"{model.name} cannot record every {interval_text(plan.interval_s)}; "
            f"every {interval_text(interval_s)} instead."
        )
    shorter = plan.outside_interval_s
    if shorter and not model.shorter_outside:
        lost.append(f"{model.name} has no shorter interval outside limits.")
        shorter = 0
    if shorter and (shorter >= interval_s or interval_s % shorter):
        lost.append("The shorter interval outside limits does not fit the interval.")
        shorter = 0
    return replace(plan, interval_s=interval_s, outside_interval_s=shorter)


def _with_ends(plan: Plan, model: LoggerModel, lost: list[str]) -> Plan:
    if plan.start not in model.starts:
        lost.append(f"{model.name} has no button; it starts on the next full interval.")
        plan = replace(plan, start="next_interval", start_delay_s=0)
    if plan.end not in model.ends:
        lost.append(f"{model.name} has no button; it ends when its memory is full.")
        plan = replace(plan, end="full", restart=False)
    fit = readings_that_fit(model, plan)
    if plan.end == "count" and plan.end_count > fit:
        lost.append(f"Only {grouped(fit)} readings fit into {model.name}; it ends after these.")
        plan = replace(plan, end_count=fit)
    return plan


def _with_limits(plan: Plan, model: LoggerModel, lost: list[str]) -> Plan:
    limit_rules: list[LimitRule] = []
    for rule in plan.limits:
        name = quantity(rule.channel).name
        if rule.channel not in plan.channels:
            lost.append(
                f"{model.name} has no {name}, so its limit {_limit_text(rule)} is left out."
            )
            continue
        spec = model.channel(rule.channel)
        if rule.has_value and not spec.low <= rule.value <= spec.high:
            lost.append(
                f"The limit {figure(rule.value)} of {name} is beyond the sensor of {model.name}."
            )
        elif sum(k.channel == rule.channel for k in limit_rules) >= model.limits_per_channel:
            lost.append(f"{model.name} has only {model.limits_per_channel} limits for {name}.")
        else:
            limit_rules.append(rule)
    shorter = plan.outside_interval_s
    if shorter and not any(rule.level == "alarm" and rule.has_value for rule in limit_rules):
        shorter = 0
    return replace(plan, limits=tuple(limit_rules), outside_interval_s=shorter)


def _limit_text(rule: LimitRule) -> str:
    """Return "above 1,500", or what a limit without a value watches."""
    return f"{rule.side} {figure(rule.value)}" if rule.has_value else "“no sensor”"


def _settings(plan: Plan, model: LoggerModel, lost: list[str]) -> tuple[ChannelSetting, ...]:
    stored = []
    for setting in plan.settings:
        if setting.channel not in plan.channels:
            continue
        try:
            model.channel(setting.channel).sensor(setting.sensor)
        except InputError:
            name = quantity(setting.channel).name
            lost.append(f"{name} of {model.name} uses its default sensor.")
            setting = replace(setting, sensor="")
        if not setting.is_usual:
            stored.append(setting)
    return tuple(stored)


def _fitting_options(manners: DeviceOptions, model: LoggerModel, lost: list[str]) -> DeviceOptions:
    usual = DeviceOptions()
    words: tuple[tuple[Manner, str, str], ...] = (
        ("display", "display", "display"),
        ("sound", "sound", "alarm sound"),
        ("key_tone", "key_tone", "key tone"),
        ("light", "light", "alarm light"),
        ("reminders", "reminders", "check reminders"),
    )
    for key, field, name in words:
        if key not in model.manners and getattr(manners, field) != getattr(usual, field):
            lost.append(f"{model.name} has no {name}.")
            manners = replace(manners, **{field: getattr(usual, field)})
    if manners.event_bytes and manners.event_bytes not in model.event_choices:
        lost.append(f"{model.name} uses its default memory for events.")
        manners = replace(manners, event_bytes=0)
    return manners
