"""Mission outlook: how long memory, battery and calibration last, and what is at risk.

Source: docs/calculations.md, "How long a mission lasts". The assumptions behind the battery figure
are said with it (`battery_assumption`).
"""

from __future__ import annotations

from dataclasses import dataclass

from gezeiten.domain.base.intervals import neat_interval_s
from gezeiten.domain.plan.models import LoggerModel
from gezeiten.domain.plan.plan import Plan, due_readings, last_reading_number
from gezeiten.domain.series.timeline import HOUR_MS

REFERENCE_TEMP_C = 20.0
PRESSES_PER_DAY = 4
BLINKS_PER_DAY = 24
SOUND_MIN_PER_DAY = 1


def reading_bytes(model: LoggerModel, channels: tuple[str, ...]) -> int:
    """Return the bytes of one reading set of the channels that are on."""
    return sum(spec.count_bytes for spec in model.channels if spec.key in channels)


def event_bytes(model: LoggerModel, plan: Plan) -> int:
    """Return the memory that a plan keeps for events."""
    return plan.manners.event_bytes or model.event_bytes


def readings_that_fit(model: LoggerModel, plan: Plan) -> int:
    """Return floor((memory - header - events) / bytes per reading set); 0 without channels."""
    size = reading_bytes(model, plan.channels)
    if not size:
        return 0
    return (model.memory_bytes - model.header_bytes - event_bytes(model, plan)) // size


def draw_uah_per_day(model: LoggerModel, plan: Plan, interval_s: int) -> float:
    """Return what a day under a plan takes from the battery, µAh."""
    cell, manners = model.battery, plan.manners
    total = cell.idle_ua * 24
    if interval_s > 0:
        total += cell.reading_uah * len(plan.channels) * 86_400 / interval_s
    if "display" in model.manners:
        lit_h = {"off": 0.0, "on": 24.0, "press": PRESSES_PER_DAY * manners.display_min / 60}
        total += cell.display_ua * lit_h[manners.display]
    if manners.light and "light" in model.manners:
        total += cell.light_uah * BLINKS_PER_DAY
    if manners.sound and "sound" in model.manners:
        total += cell.sound_uah * SOUND_MIN_PER_DAY
    return total


def battery_days(
    model: LoggerModel,
    plan: Plan,
    charge: float,
    temp_c: float = REFERENCE_TEMP_C,
    *,
    worst: bool = False,
) -> float:
    """Return the days a charge lasts under a plan.

    Args:
        charge: share of the full charge, 0..1.
        temp_c: temperature the usable charge is derated for (never above 20 °C's).
        worst: as if every reading were outside its limits, at the shorter interval.
    """
    cell = model.battery
    derate = 1 - cell.derate_per_k * max(REFERENCE_TEMP_C - temp_c, 0)
    usable_uah = cell.capacity_mah * 1000 * charge * max(derate, 0)
    interval_s = plan.outside_interval_s if worst and plan.outside_interval_s else plan.interval_s
    return usable_uah / draw_uah_per_day(model, plan, interval_s)


def battery_assumption(model: LoggerModel, plan: Plan, temp_c: float) -> str:
    """Return what the battery figure takes for granted, for people: "at 8 °C, display off"."""
    parts = [f"at {temp_c:.0f} °C" if temp_c < REFERENCE_TEMP_C else "at 20 °C"]
    if "display" in model.manners:
        words = {
            "off": "display off",
            "on": "display on",
            "press": f"{PRESSES_PER_DAY} looks a day at the display",
        }
        parts.append(words[plan.manners.display])
    if plan.manners.light and "light" in model.manners:
        parts.append(f"{BLINKS_PER_DAY} blinks a day")
    if plan.manners.sound and "sound" in model.manners:
        parts.append(f"{SOUND_MIN_PER_DAY} min of sound a day")
    return ", ".join(parts)


@dataclass(frozen=True, slots=True)
class Outlook:
    """What the next weeks look like under a plan; instants UTC ms, None where there is no end.

    ends_ms: when recording ends by memory or by the plan itself; ends_by_plan says which.
    worst_ends_ms, worst_battery_ms: the same if every reading were outside its limits, None
    without a shorter interval. at_risk_readings: readings of each channel that nobody else has at
    the next visit. reach_interval_s: the usual interval with which the memory would reach the
    next visit, None when it does so anyway.
    """

    readings_fit: int
    ends_ms: int | None
    ends_by_plan: bool
    battery_empty_ms: int
    calibration_due_ms: int | None
    at_risk_readings: int
    overwritten_readings: int
    worst_ends_ms: int | None = None
    worst_battery_ms: int | None = None
    reach_interval_s: int | None = None


def outlook(
    model: LoggerModel,
    plan: Plan,
    *,
    first_ms: int,
    now_ms: int,
    charge: float,
    temp_c: float = REFERENCE_TEMP_C,
    calibration_due_ms: int | None = None,
    visit_ms: int | None = None,
    stored: int = 0,
) -> Outlook:
    """Return the outlook of a plan whose first reading is due at `first_ms`.

    Args:
        charge: battery charge now, 0..1.
        visit_ms: the next visit; None puts nothing at risk.
        stored: readings of this mission that are already in the archive.
    """
    fit = readings_that_fit(model, plan)
    day_ms = 24 * HOUR_MS
    battery_ms = now_ms + int(battery_days(model, plan, charge, temp_c) * day_ms)
    held = overwritten = 0
    if visit_ms is not None:
        recorded = due_readings(plan, first_ms, min(visit_ms, battery_ms))
        if plan.end == "wrap":
            held = min(recorded - stored, fit)
            overwritten = max(recorded - stored - fit, 0)
        else:
            held = min(recorded, fit) - stored
    worst_ends = worst_battery = None
    if plan.outside_interval_s:
        worst = int(battery_days(model, plan, charge, temp_c, worst=True) * day_ms)
        worst_battery = now_ms + worst
        worst_ends = ends_ms(plan, fit, first_ms, plan.outside_interval_s)
    ends = ends_ms(plan, fit, first_ms, plan.interval_s)
    most = last_reading_number(plan, first_ms)
    return Outlook(
        readings_fit=fit,
        ends_ms=ends,
        ends_by_plan=most is not None and most <= fit,
        battery_empty_ms=battery_ms,
        calibration_due_ms=calibration_due_ms,
        at_risk_readings=max(held, 0),
        overwritten_readings=overwritten,
        worst_ends_ms=worst_ends,
        worst_battery_ms=worst_battery,
        reach_interval_s=_reach(model, plan, fit, first_ms, visit_ms),
    )


def ends_ms(plan: Plan, fit: int, first_ms: int, interval_s: int) -> int | None:
    """Return when recording ends by memory or plan at an interval; None when it never does."""
    if plan.end == "wrap":
        return None
    full = first_ms + fit * interval_s * 1000
    if plan.end == "at":
        return min(full, plan.end_ms)
    if plan.end == "count":
        return min(full, first_ms + plan.end_count * interval_s * 1000)
    return full


def _reach(
    model: LoggerModel, plan: Plan, fit: int, first_ms: int, visit_ms: int | None
) -> int | None:
    """The interval that would reach the visit: only where the memory is what ends too early."""
    if plan.end == "wrap" or visit_ms is None or not fit:
        return None
    full = first_ms + fit * plan.interval_s * 1000
    if full >= visit_ms:
        return None  # it reaches, or the plan's own end is in the way, not the memory
    wanted = neat_interval_s(-(-(visit_ms - first_ms) // (fit * 1000)))
    shorter = plan.outside_interval_s
    if shorter and wanted % shorter:
        wanted = -(-wanted // shorter) * shorter  # it has to be a multiple
    ends = ends_ms(plan, fit, first_ms, wanted)
    reaches = ends is None or ends >= visit_ms  # else the plan's own end comes before the visit
    return wanted if wanted <= model.longest_interval_s and reaches else None


def interval_for(model: LoggerModel, plan: Plan, duration_s: int) -> int:
    """Return the shortest interval, in whole seconds, at which the memory lasts a duration.

    Edge: never below the model's shortest; 0 where no channel is on.
    """
    fit = readings_that_fit(model, plan)
    if not fit:
        return 0
    return max(-(-duration_s // fit), model.shortest_interval_s)


def duration_s(model: LoggerModel, plan: Plan) -> int:
    """Return how long the memory lasts: readings that fit times the interval."""
    return readings_that_fit(model, plan) * plan.interval_s
