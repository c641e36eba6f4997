"""A plan: what a logger is told to do; and whether it fits the logger.

A plan travels as a plain dict (CBOR on the line, JSON in the archive).
"""

from __future__ import annotations

import math
import re
from dataclasses import asdict, dataclass
from typing import Any, Literal

from gezeiten.domain.limits import LimitRule, limit_rule
from gezeiten.domain.models import LoggerModel
from gezeiten.domain.quantities import quantity
from gezeiten.domain.timeline import DAY_MS
from gezeiten.errors import PlanError

Start = Literal["now", "next_interval", "at"]
End = Literal["full", "wrap", "at"]
FARTHEST_START_MS = 183 * DAY_MS
NAME_BYTES = 64


@dataclass(frozen=True, slots=True)
class Plan:
    """channels: keys of those that are on. start_ms, end_ms: UTC, only for start/end "at".

    end "full" stops when the memory is full, "wrap" lets the newest overwrite the oldest.
    """

    channels: tuple[str, ...]
    interval_s: int
    start: Start = "next_interval"
    start_ms: int = 0
    end: End = "full"
    end_ms: int = 0
    limits: tuple[LimitRule, ...] = ()
    mission_name: str = ""
    point_name: str = ""

    def as_dict(self) -> dict[str, Any]:
        data = asdict(self)
        data["channels"] = list(self.channels)
        data["limits"] = [rule.as_dict() for rule in self.limits]
        return data

    def rules_for(self, channel: str) -> tuple[LimitRule, ...]:
        return tuple(rule for rule in self.limits if rule.channel == channel)


def plan_from_dict(data: dict[str, Any]) -> Plan:
    """Return the plan of a dict made by `Plan.as_dict`.

    Raises:
        PlanError: a field is missing or of another kind.
    """
    try:
        start, end = data["start"], data["end"]
        if start not in ("now", "next_interval", "at") or end not in ("full", "wrap", "at"):
            raise ValueError(f"start {start}, end {end}")
        return Plan(
            channels=tuple(str(key) for key in data["channels"]),
            interval_s=int(data["interval_s"]),
            start=start,
            start_ms=int(data["start_ms"]),
            end=end,
            end_ms=int(data["end_ms"]),
            limits=tuple(limit_rule(rule) for rule in data["limits"]),
            mission_name=str(data["mission_name"]),
            point_name=str(data["point_name"]),
        )
    except (KeyError, TypeError, ValueError) as exc:
        raise PlanError(f"This is no plan ({exc}); make it anew on the Field desk.") from exc


@dataclass(frozen=True, slots=True)
class PlanFault:
    """One thing that keeps a plan from its logger: the field and a sentence for it."""

    field: str
    sentence: str


def check_plan(plan: Plan, model: LoggerModel, now_ms: int) -> list[PlanFault]:
    """Return everything that keeps the plan from this model; an empty list means it fits."""
    return (
        _check_channels(plan, model)
        + _check_times(plan, model, now_ms)
        + _check_limits(plan, model)
        + _check_names(plan)
    )


def _check_channels(plan: Plan, model: LoggerModel) -> list[PlanFault]:
    known = {spec.key: spec for spec in model.channels}
    faults = []
    if not plan.channels:
        faults.append(PlanFault("channels", "No channel is on; switch on at least one."))
    for key in plan.channels:
        spec = known.get(key)
        if spec is None:
            faults.append(
                PlanFault("channels", f"{model.name} has no {quantity(key).name}; take it out.")
            )
        elif spec.needs and spec.needs not in plan.channels:
            faults.append(
                PlanFault(
                    "channels",
                    f"{quantity(key).name} needs {quantity(spec.needs).name}; switch it on too.",
                )
            )
    return faults


def _check_times(plan: Plan, model: LoggerModel, now_ms: int) -> list[PlanFault]:
    faults = []
    if not model.shortest_interval_s <= plan.interval_s <= model.longest_interval_s:
        faults.append(
            PlanFault(
                "interval",
                f"{model.name} records every {interval_text(model.shortest_interval_s)} to "
                f"{interval_text(model.longest_interval_s)}; choose an interval in between.",
            )
        )
    if plan.start == "at" and plan.start_ms <= now_ms:
        faults.append(PlanFault("start", "The start has passed; choose a later one."))
    if plan.start == "at" and plan.start_ms > now_ms + FARTHEST_START_MS:
        faults.append(
            PlanFault("start", "The start is over six months away; choose an earlier one.")
        )
    begin_ms = plan.start_ms if plan.start == "at" else now_ms
    if plan.end == "at" and plan.end_ms <= begin_ms + plan.interval_s * 1000:
        faults.append(
            PlanFault("end", "The end comes before the second reading; choose a later one.")
        )
    return faults


def _check_limits(plan: Plan, model: LoggerModel) -> list[PlanFault]:
    faults = []
    for rule in plan.limits:
        name = quantity(rule.channel).name
        spec = next((spec for spec in model.channels if spec.key == rule.channel), None)
        if spec is None or rule.channel not in plan.channels:
            faults.append(
                PlanFault("limits", f"{name} has a limit but is off; switch it on or drop it.")
            )
        elif not math.isfinite(rule.value) or not spec.low <= rule.value <= spec.high:
            faults.append(
                PlanFault(
                    "limits",
                    f"The limit {rule.value:g} of {name} lies outside the sensor's range "
                    f"{spec.low:g} to {spec.high:g}; choose one inside.",
                )
            )
        if rule.delay_s < 0:
            faults.append(PlanFault("limits", f"The delay of {name} is negative; give 0 or more."))
    for channel in plan.channels:
        faults.extend(_crossed(plan.rules_for(channel), quantity(channel).name))
    if len({rule.key for rule in plan.limits}) < len(plan.limits):
        faults.append(PlanFault("limits", "A limit is given twice; keep one of the two."))
    return faults


def _crossed(rules: tuple[LimitRule, ...], name: str) -> list[PlanFault]:
    above = [rule.value for rule in rules if rule.side == "above"]
    below = [rule.value for rule in rules if rule.side == "below"]
    if above and below and max(below) >= min(above):
        return [
            PlanFault("limits", f"The lower limit of {name} is not below the upper one; swap them.")
        ]
    return []


def _check_names(plan: Plan) -> list[PlanFault]:
    faults = []
    for field, text in (("mission_name", plan.mission_name), ("point_name", plan.point_name)):
        if len(text.encode()) > NAME_BYTES:
            faults.append(
                PlanFault(field, f"“{text[:20]}…” is longer than {NAME_BYTES} bytes; shorten it.")
            )
        if any(ord(char) < 32 for char in text):
            faults.append(PlanFault(field, "The name holds a control character; type it anew."))
    return faults


def first_due_ms(plan: Plan, launch_ms: int) -> int:
    """Return the logger-clock instant of the first reading of a plan taken at `launch_ms`.

    "now" is the next whole second; "next_interval" the next multiple of the interval since
    1970 (00:00 UTC for all intervals that divide a day), strictly after the launch.
    """
    if plan.start == "at":
        return plan.start_ms
    step = 1000 if plan.start == "now" else plan.interval_s * 1000
    return (launch_ms // step + 1) * step


def due_readings(plan: Plan, first_ms: int, until_ms: int) -> int:
    """Return how many readings fall due from the first one up to and including `until_ms`."""
    last_ms = until_ms
    if plan.end == "at":
        last_ms = min(until_ms, plan.end_ms - 1)  # the end itself is not recorded any more
    if last_ms < first_ms:
        return 0
    return (last_ms - first_ms) // (plan.interval_s * 1000) + 1


def differences(plan: Plan, other: Plan) -> list[str]:
    """Return the names of the fields in which two plans differ."""
    mine, theirs = plan.as_dict(), other.as_dict()
    return [name for name in mine if mine[name] != theirs[name]]


_UNITS_S = {"s": 1, "sec": 1, "min": 60, "m": 60, "h": 3600, "d": 86_400}


def parse_interval_s(text: str) -> int:
    """Return the seconds of "6 min", "0:06" (h:mm), "1 h 30 min", "360" or "90 s".

    Raises:
        PlanError: the text is no length of time.
    """
    cleaned = text.strip().lower().replace(",", ".")
    problem = PlanError(f"“{text.strip()}” is no length of time; type it like 6 min, 0:06 or 360.")
    clock = re.fullmatch(r"(\d{1,4}):([0-5]\d)(?::([0-5]\d))?", cleaned)
    if clock:
        hours, minutes, seconds = clock.groups(default="0")
        return int(hours) * 3600 + int(minutes) * 60 + int(seconds)
    if re.fullmatch(r"\d{1,9}", cleaned):
        return int(cleaned)
    if not re.fullmatch(r"(\d+(\.\d+)?\s*[a-z]+\s*)+", cleaned):
        raise problem
    total = 0.0
    for number, unit in re.findall(r"(\d+(?:\.\d+)?)\s*([a-z]+)", cleaned):
        if unit not in _UNITS_S:
            raise problem
        total += float(number) * _UNITS_S[unit]
    if total != int(total) or total > 1e9:
        raise problem
    return int(total)


def interval_text(interval_s: int) -> str:
    """Return an interval as people say it, exactly: "6 min", "1 h 30 min", "45 s"."""
    parts = []
    rest = interval_s
    for size, unit in ((86_400, "d"), (3600, "h"), (60, "min"), (1, "s")):
        count, rest = divmod(rest, size)
        if count:
            parts.append(f"{count} {unit}")
    return " ".join(parts) or "0 s"
