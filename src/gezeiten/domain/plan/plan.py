"""A plan: what a logger is told to do, and when its readings fall due.

A plan travels as a plain dict (CBOR on the line, JSON in the archive). Fields that older plans
lack take their defaults. Whether a plan fits a logger: `plan_check`.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Literal

from gezeiten.domain.base.untrusted import InstantMs, WholeNumber, plain, validated
from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.plan.models import End, Start
from gezeiten.errors import PlanError

Display = Literal["off", "on", "press"]


@dataclass(frozen=True, slots=True)
class DeviceOptions:
    """How the logger behaves towards people; only what its model has has any effect.

    display "press": on for display_min minutes after a press of its button. light: blinks while
    outside limits. reminders: asks twice a day to be looked at. event_bytes: memory kept for
    events, 0 is the model's usual.
    """

    display: Display = "off"
    display_min: WholeNumber = 5
    sound: bool = False
    key_tone: bool = False
    light: bool = False
    reminders: bool = False
    event_bytes: WholeNumber = 0


@dataclass(frozen=True, slots=True)
class ChannelSetting:
    """What is special about one channel: sensor type of the model, name, colour #rrggbb, unit in
    which it is shown. Empty texts mean the usual."""

    channel: str
    sensor: str = ""
    name: str = ""
    color: str = ""
    unit: str = ""

    @property
    def is_usual(self) -> bool:
        """Whether nothing about the channel differs from its model."""
        return not (self.sensor or self.name or self.color or self.unit)


@dataclass(frozen=True, slots=True)
class Plan:
    """channels: keys of those that are on. start_ms, end_ms: UTC, only for start/end "at".

    start "button": the first reading comes start_delay_s after the press. end "full" stops when
    the memory is full, "wrap" lets the newest overwrite the oldest, "count" stops after end_count
    readings, "button" stops at a press (or when full); restart: a further press begins again.
    outside_interval_s: shorter interval while a reading is outside an alarm limit, 0 for none.
    """

    channels: tuple[str, ...]
    interval_s: WholeNumber
    start: Start = "next_interval"
    start_ms: InstantMs = 0
    end: End = "full"
    end_ms: InstantMs = 0
    limits: tuple[LimitRule, ...] = ()
    mission_name: str = ""
    point_name: str = ""
    remark: str = ""
    start_delay_s: WholeNumber = 0
    end_count: WholeNumber = 0
    restart: bool = False
    outside_interval_s: WholeNumber = 0
    settings: tuple[ChannelSetting, ...] = ()
    manners: DeviceOptions = field(default_factory=DeviceOptions)

    def as_dict(self) -> dict[str, Any]:
        """The plan as JSON keeps it; `plan_from_dict` reads it back."""
        return {**plain(self), "limits": [rule.as_dict() for rule in self.limits]}

    def rules_for(self, channel: str) -> tuple[LimitRule, ...]:
        """The limits on one channel, in the order of the plan."""
        return tuple(rule for rule in self.limits if rule.channel == channel)

    def setting(self, channel: str) -> ChannelSetting:
        """Return what is special about a channel."""
        usual = ChannelSetting(channel)
        return next((s for s in self.settings if s.channel == channel), usual)


_ALWAYS_WRITTEN = ("channels", "interval_s", "start", "end", "limits")


def plan_from_dict(data: dict[str, Any]) -> Plan:
    """Return the plan of a dict made by `Plan.as_dict`, by this version or an older one.

    Raises:
        PlanError: a field is missing or of another kind.
    """
    try:
        missing = [name for name in _ALWAYS_WRITTEN if name not in data]
        if missing:
            raise ValueError(f"it lacks {missing[0]}")
        return validated(data, Plan)
    except (TypeError, ValueError) as exc:
        raise PlanError(f"This is not a plan ({exc}); create it again on the Field desk.") from exc


def waits_for_button(plan: Plan) -> bool:
    """Whether the first reading waits for somebody to press the logger's button."""
    return plan.start == "button"


def first_due_ms(plan: Plan, from_ms: int) -> int:
    """Return the logger-clock instant of the first reading of a plan taken at `from_ms`.

    "now" is the next whole second; "next_interval" the next multiple of the interval since
    1970 (00:00 UTC for all intervals that divide a day), strictly after the launch. For "button"
    `from_ms` is the press: the next whole second after the delay.
    """
    if plan.start == "at":
        return plan.start_ms
    if plan.start == "next_interval":
        step = plan.interval_s * 1000
        return (from_ms // step + 1) * step
    delay_ms = plan.start_delay_s * 1000 if plan.start == "button" else 0
    return ((from_ms + delay_ms) // 1000 + 1) * 1000


def last_reading_number(plan: Plan, first_ms: int) -> int | None:
    """Return how many readings the plan's own end allows; None when it sets no such end."""
    if plan.end == "count":
        return plan.end_count
    if plan.end == "at":  # the end itself is not recorded any more
        return max(-(-(plan.end_ms - first_ms) // (plan.interval_s * 1000)), 0)
    return None


def due_readings(plan: Plan, first_ms: int, until_ms: int) -> int:
    """Return how many readings fall due from the first one up to and including `until_ms`.

    The shorter interval outside limits is not counted in: it depends on what is measured.
    """
    if until_ms < first_ms:
        return 0
    due = (until_ms - first_ms) // (plan.interval_s * 1000) + 1
    most = last_reading_number(plan, first_ms)
    return due if most is None else min(due, most)


def differences(plan: Plan, other: Plan) -> list[str]:
    """Return the names of the fields in which two plans differ."""
    mine, theirs = plan.as_dict(), other.as_dict()
    return [name for name in mine if mine[name] != theirs[name]]
