"""Whether a plan fits its logger: everything in the way, one sentence each, at its field."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from typing import Literal

from gezeiten.domain.base.intervals import interval_text
from gezeiten.domain.base.naming import name_fault
from gezeiten.domain.base.wording import figure, grouped
from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.plan.models import ChannelSpec, LoggerModel
from gezeiten.domain.plan.outlook import readings_that_fit
from gezeiten.domain.plan.plan import Plan
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.timeline import DAY_MS
from gezeiten.errors import InputError

FARTHEST_START_MS = 183 * DAY_MS
NAME_BYTES = 64
REMARK_BYTES = 400
LONGEST_BUTTON_DELAY_S = 86_400

Field = Literal[
    "channels",
    "interval",
    "start",
    "end",
    "limits",
    "mission_name",
    "point_name",
    "remark",
    "manners",
    "settings",
]


@dataclass(frozen=True, slots=True)
class PlanFault:
    """One thing about a plan: its field and a sentence. `blocking` ones keep it from its logger,
    the others are worth a look."""

    field: Field
    sentence: str
    blocking: bool = True


def check_plan(plan: Plan, model: LoggerModel, now_ms: int) -> list[PlanFault]:
    """Return everything about the plan on this model, blocking faults first; empty: it fits."""
    faults = (
        _check_channels(plan, model)
        + _check_interval(plan, model)
        + _check_start(plan, model, now_ms)
        + _check_end(plan, model, now_ms)
        + _check_limits(plan, model)
        + _check_device_options(plan, model)
        + _check_names(plan)
    )
    return sorted(faults, key=lambda fault: not fault.blocking)


def fits(plan: Plan, model: LoggerModel, now_ms: int) -> bool:
    """Whether nothing keeps the plan from this model."""
    return not any(fault.blocking for fault in check_plan(plan, model, now_ms))


def _check_channels(plan: Plan, model: LoggerModel) -> list[PlanFault]:
    known = {spec.key: spec for spec in model.channels}
    faults = []
    if not plan.channels:
        faults.append(PlanFault("channels", "No channel is on; switch on at least one."))
    for key in plan.channels:
        spec, name = known.get(key), quantity(key).name
        if spec is None:
            faults.append(PlanFault("channels", f"{model.name} has no {name}; remove it."))
        elif spec.needs and spec.needs not in plan.channels:
            needed = quantity(spec.needs).name
            faults.append(PlanFault("channels", f"{name} needs {needed}; switch it on too."))
    for setting in plan.settings:
        spec = known.get(setting.channel)
        try:
            if spec is not None:
                spec.sensor(setting.sensor)
        except InputError as exc:
            faults.append(PlanFault("settings", str(exc)))
        if setting.color and not re.fullmatch(r"#[0-9a-fA-F]{6}", setting.color):
            words = f"“{setting.color[:20]}” is not a colour; type it like #0E5A66."
            faults.append(PlanFault("settings", words))
        if len(setting.name.encode()) > NAME_BYTES:
            words = f"The name of {quantity(setting.channel).name} is too long; shorten it."
            faults.append(PlanFault("settings", words))
    return faults


def _check_interval(plan: Plan, model: LoggerModel) -> list[PlanFault]:
    if not model.shortest_interval_s <= plan.interval_s <= model.longest_interval_s:
        words = (
            f"{model.name} records every {interval_text(model.shortest_interval_s)} to "
            f"{interval_text(model.longest_interval_s)}; choose an interval in between."
        )
        return [PlanFault("interval", words)]
    faults = [_too_fast(plan, spec) for spec in model.channels if spec.key in plan.channels]
    return [fault for fault in faults if fault] + _check_outside_interval(plan, model)


def _too_fast(plan: Plan, spec: ChannelSpec) -> PlanFault | None:
    if plan.interval_s >= spec.settling_s:
        return None
    words = (
        f"{quantity(spec.key).name} needs {interval_text(spec.settling_s)} to "
        f"settle; every {interval_text(plan.interval_s)} is faster than the sensor "
        "can follow."
    )
    return PlanFault("interval", words, blocking=False)


def _check_outside_interval(plan: Plan, model: LoggerModel) -> list[PlanFault]:
    shorter = plan.outside_interval_s
    if not shorter:
        return []
    if not model.shorter_outside:
        words = f"{model.name} has no shorter interval outside limits; remove it."
    elif shorter < model.shortest_interval_s or shorter >= plan.interval_s:
        words = "The interval outside limits must be shorter than the normal interval."
    elif plan.interval_s % shorter:
        words = (
            f"{interval_text(shorter)} does not divide {interval_text(plan.interval_s)}; "
            "choose an interval outside limits that does."
        )
    elif not any(rule.level == "alarm" and rule.has_value for rule in plan.limits):
        words = (
            "A shorter interval outside limits needs an alarm limit; set one or "
            "remove the interval."
        )
    else:
        return []
    return [PlanFault("interval", words)]


def _check_start(plan: Plan, model: LoggerModel, now_ms: int) -> list[PlanFault]:
    if plan.start not in model.starts:
        return [PlanFault("start", f"{model.name} has no button to start it; choose a time.")]
    if plan.start == "at" and plan.start_ms <= now_ms:
        return [PlanFault("start", "The start time has passed; choose a later one.")]
    if plan.start == "at" and plan.start_ms > now_ms + FARTHEST_START_MS:
        words = "The start is more than six months away; choose an earlier one."
        return [PlanFault("start", words)]
    if plan.start == "button" and not 0 <= plan.start_delay_s <= LONGEST_BUTTON_DELAY_S:
        words = "The delay after the button is more than a day; choose a shorter one."
        return [PlanFault("start", words)]
    return []


def _check_end(plan: Plan, model: LoggerModel, now_ms: int) -> list[PlanFault]:
    if plan.end not in model.ends:
        return [PlanFault("end", f"{model.name} has no button to end it; choose another end.")]
    begin_ms = plan.start_ms if plan.start == "at" else now_ms
    if plan.end == "at" and plan.end_ms <= begin_ms + plan.interval_s * 1000:
        return [PlanFault("end", "The end comes before the second reading; choose a later one.")]
    if plan.end == "count":
        fit = readings_that_fit(model, plan)
        if plan.end_count < 2:
            return [PlanFault("end", "A mission has at least two readings; enter a larger number.")]
        if plan.end_count > fit > 0:
            return [PlanFault("end", f"Only {grouped(fit)} readings fit; enter a smaller number.")]
    return []


def _check_limits(plan: Plan, model: LoggerModel) -> list[PlanFault]:
    sentences = []
    for rule in plan.limits:
        spec = next((spec for spec in model.channels if spec.key == rule.channel), None)
        sentences += _rule_faults(plan, rule, spec)
    for channel in plan.channels:
        rules = plan.rules_for(channel)
        sentences += _crossed(rules, quantity(channel).name)
        if len(rules) > model.limits_per_channel:
            sentences.append(
                f"{model.name} has up to {model.limits_per_channel} limits per channel; "
                f"remove some of {quantity(channel).name}."
            )
    if len({rule.key for rule in plan.limits}) < len(plan.limits):
        sentences.append("The same limit is set twice; remove one.")
    return [PlanFault("limits", sentence) for sentence in sentences]


def _rule_faults(plan: Plan, rule: LimitRule, spec: ChannelSpec | None) -> list[str]:
    name = quantity(rule.channel).name
    if spec is None or rule.channel not in plan.channels:
        return [f"{name} has a limit but is off; switch the channel on or remove the limit."]
    texts = []
    try:
        low, high = spec.range_with(plan.setting(rule.channel).sensor)
    except InputError:
        low, high = spec.low, spec.high  # the sensor itself is the fault, said elsewhere
    if rule.has_value and not (math.isfinite(rule.value) and low <= rule.value <= high):
        texts.append(
            f"The limit {figure(rule.value)} of {name} lies outside the sensor's "
            f"range {figure(low)} to {figure(high)}; choose a value inside."
        )
    if rule.delay_s < 0:
        texts.append(f"The delay of {name} is negative; enter 0 or more.")
    if not (math.isfinite(rule.hysteresis) and 0 <= rule.hysteresis < high - low):
        texts.append(f"The hysteresis of {name} is out of range; enter 0 or more.")
    if not rule.has_value and rule.counting == "accumulated":
        texts.append(f"“No sensor” of {name} counts consecutive time only; choose “consecutive”.")
    return texts


def _crossed(rules: tuple[LimitRule, ...], name: str) -> list[str]:
    """Limits of one window against each other; other windows are other hours."""
    texts = []
    for key in dict.fromkeys(rule.window.key if rule.window else "" for rule in rules):
        same = [r for r in rules if (r.window.key if r.window else "") == key]
        above = {r.level: r for r in same if r.side == "above"}
        below = {r.level: r for r in same if r.side == "below"}
        if above and below:
            lowest = min(r.value - r.hysteresis for r in above.values())
            highest = max(r.value + r.hysteresis for r in below.values())
            if max(r.value for r in below.values()) >= min(r.value for r in above.values()):
                texts.append(f"The lower limit of {name} is not below the upper one; swap them.")
            elif highest > lowest:
                texts.append(f"The hystereses of {name} overlap; make them smaller.")
        if len(above) == 2 and above["warning"].value >= above["alarm"].value:
            texts.append(f"The warning of {name} is above its alarm; lower it.")
        if len(below) == 2 and below["warning"].value <= below["alarm"].value:
            texts.append(f"The warning of {name} is below its alarm; raise it.")
    return texts


def _check_device_options(plan: Plan, model: LoggerModel) -> list[PlanFault]:
    manners = plan.manners
    wanted = {
        "display": manners.display != "off",
        "sound": manners.sound,
        "key_tone": manners.key_tone,
        "light": manners.light,
        "reminders": manners.reminders,
        "event_memory": manners.event_bytes not in (0, model.event_bytes),
    }
    names = {
        "display": "display",
        "sound": "alarm sound",
        "key_tone": "key tone",
        "light": "alarm light",
        "reminders": "check reminders",
        "event_memory": "choice of event memory",
    }
    texts = [
        f"{model.name} has no {names[key]}; remove it."
        for key, on in wanted.items()
        if on and key not in model.manners
    ]
    if manners.event_bytes and manners.event_bytes not in model.event_choices:
        texts.append(
            f"{model.name} does not have that much memory for events; choose another size."
        )
    if manners.display == "press" and not 1 <= manners.display_min <= 60:
        texts.append("The display stays on for 1 to 60 minutes after a press.")
    return [PlanFault("manners", sentence) for sentence in dict.fromkeys(texts)]


def _check_names(plan: Plan) -> list[PlanFault]:
    faults = []
    names: tuple[tuple[Field, str, int], ...] = (
        ("mission_name", plan.mission_name, NAME_BYTES),
        ("point_name", plan.point_name, NAME_BYTES),
        ("remark", plan.remark, REMARK_BYTES),
    )
    for field, text, most in names:
        if len(text.encode()) > most:
            words = f"“{text[:20]}…” is longer than {most} bytes; shorten it."
            faults.append(PlanFault(field, words))
        if any(ord(char) < 32 and char != "\n" for char in text) or (
            "\n" in text and field != "remark"
        ):
            faults.append(PlanFault(field, "The name contains a control character; type it again."))
    at_fault = {fault.field for fault in faults}
    for field, text, _ in names[:2]:
        sentence = name_fault(text)
        if sentence and field not in at_fault:
            faults.append(PlanFault(field, sentence))
    return faults
