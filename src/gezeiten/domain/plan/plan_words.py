"""A plan in words, field by field: for comparing two of them side by side, and for sheets."""

from __future__ import annotations

from dataclasses import dataclass

from gezeiten.domain.base.intervals import interval_text
from gezeiten.domain.base.wording import counted, figure, readings_text
from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.limits.windows import window_choice
from gezeiten.domain.plan.models import EVENT_BYTES
from gezeiten.domain.plan.plan import Plan
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.timeline import from_ms

_NONE = "—"


@dataclass(frozen=True, slots=True)
class PlanLine:
    """One field of two plans in words."""

    name: str
    mine: str
    other: str

    @property
    def differs(self) -> bool:
        """Whether the two plans differ in this field."""
        return self.mine != self.other


def rule_text(rule: LimitRule) -> str:
    """Return a rule: "alarm above 60 % for 2 h, accumulated daily, in working hours"."""
    unit = quantity(rule.channel).unit
    if rule.side == "absent":
        words = f"{rule.level} without a sensor"
    else:
        compared = f"{rule.side} {figure(rule.value)} {unit}".rstrip()
        words = f"{rule.level} {compared}"
        if rule.mean_s:
            words = f"{rule.level}, {compared_value_text(rule)} {compared}"
    if rule.delay_s:
        words += f" for {interval_text(rule.delay_s)}"
    if rule.counting == "accumulated":
        words += ", accumulated daily" if rule.daily else ", accumulated"
    if rule.hysteresis:
        words += f", hysteresis {figure(rule.hysteresis)} {unit}".rstrip()
    if rule.window:
        selected = window_choice(rule.window)
        words += f", {selected}" if selected.startswith("outside") else f", in {selected}"
    return words


def compared_value_text(rule: LimitRule) -> str:
    """Return what a limit of means compares: "mean of 24 h", "sum of 1 h"."""
    kind = "sum" if quantity(rule.channel).averages == "sum" else "mean"
    return f"{kind} of {interval_text(rule.mean_s)}"


def start_text(plan: Plan, zone: str) -> str:
    """Return when the first reading comes, in words."""
    if plan.start == "at":
        return f"at {from_ms(plan.start_ms, zone):%Y-%m-%d %H:%M}"
    if plan.start == "button":
        delay = f", {interval_text(plan.start_delay_s)} later" if plan.start_delay_s else ""
        return f"by its button{delay}"
    return {"now": "immediately", "next_interval": "on the next full interval"}[plan.start]


def end_text(plan: Plan, zone: str) -> str:
    """Return when the mission ends, in words."""
    if plan.end == "at":
        return f"at {from_ms(plan.end_ms, zone):%Y-%m-%d %H:%M}"
    if plan.end == "count":
        return f"after {readings_text(plan.end_count)}"
    if plan.end == "button":
        return "by its button" + (", restart allowed" if plan.restart else "")
    return {"full": "when memory is full", "wrap": "never (overwrite oldest)"}[plan.end]


def device_option_texts(plan: Plan) -> list[tuple[str, str]]:
    """Return the device manners by name."""
    manners = plan.manners
    display = {
        "off": "off",
        "on": "on",
        "press": f"{manners.display_min} min after a press",
    }[manners.display]
    switches = [
        (name, "on" if on else "off")
        for name, on in (
            ("Alarm sound", manners.sound),
            ("Key tone", manners.key_tone),
            ("Alarm light", manners.light),
            ("Check reminders", manners.reminders),
        )
    ]
    count = manners.event_bytes // EVENT_BYTES
    events = counted(count, "event", "events") if count else "usual"
    return [("Display", display), *switches, ("Memory for events", events)]


def plan_fields(plan: Plan, zone: str) -> dict[str, str]:
    """Return every field of a plan in words, in the order in which people ask for them."""
    fields = {
        "Point": plan.point_name or _NONE,
        "Mission": plan.mission_name or _NONE,
        "Remark": plan.remark or _NONE,
        "Interval": interval_text(plan.interval_s),
        "Interval outside limits": (
            interval_text(plan.outside_interval_s) if plan.outside_interval_s else _NONE
        ),
        "First reading": start_text(plan, zone),
        "Ends": end_text(plan, zone),
    }
    for key in plan.channels:
        fields[quantity(key).name] = _channel_text(plan, key)
    fields.update(device_option_texts(plan))
    return fields


def _channel_text(plan: Plan, key: str) -> str:
    setting = plan.setting(key)
    parts = [part for part in (setting.name, setting.sensor, setting.unit, setting.color) if part]
    parts += [rule_text(rule) for rule in plan.rules_for(key)]
    return "; ".join(["on", *parts])


def compared(plan: Plan, other: Plan, zone: str) -> list[PlanLine]:
    """Return both plans side by side; a channel that one of them lacks is "off" there."""
    mine, theirs = plan_fields(plan, zone), plan_fields(other, zone)
    names = list(mine) + [name for name in theirs if name not in mine]
    return [PlanLine(name, mine.get(name, "off"), theirs.get(name, "off")) for name in names]
