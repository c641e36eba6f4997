"""Mission outlook: how long memory, battery and calibration last, and what is at risk.

Source: CALCULATIONS.md, "How long a mission lasts".
"""

from __future__ import annotations

from dataclasses import dataclass

from gezeiten.domain.models import LoggerModel
from gezeiten.domain.plan import Plan, due_readings
from gezeiten.domain.timeline import HOUR_MS

REFERENCE_TEMP_C = 20.0


def reading_bytes(model: LoggerModel, channels: tuple[str, ...]) -> int:
    """Return the bytes of one reading set of the channels that are on."""
    return sum(spec.count_bytes for spec in model.channels if spec.key in channels)


def readings_that_fit(model: LoggerModel, channels: tuple[str, ...]) -> int:
    """Return floor((memory - header - events) / bytes per reading set); 0 without channels."""
    size = reading_bytes(model, channels)
    if not size:
        return 0
    return (model.memory_bytes - model.header_bytes - model.event_bytes) // size


def battery_days(
    model: LoggerModel, plan: Plan, charge: float, temp_c: float = REFERENCE_TEMP_C
) -> float:
    """Return the days a charge lasts under a plan.

    Args:
        charge: share of the full charge, 0..1.
        temp_c: temperature the usable charge is derated for (never above 20 °C's).
    """
    cell = model.battery
    derate = 1 - cell.derate_per_k * max(REFERENCE_TEMP_C - temp_c, 0)
    usable_uah = cell.capacity_mah * 1000 * charge * max(derate, 0)
    per_day = cell.idle_ua * 24
    if plan.interval_s > 0:
        per_day += cell.reading_uah * len(plan.channels) * 86_400 / plan.interval_s
    return usable_uah / per_day


@dataclass(frozen=True, slots=True)
class Outlook:
    """What the next weeks look like under a plan; instants UTC ms, None where there is no end.

    at_risk_readings: readings of each channel that nobody else has at the next visit.
    """

    readings_fit: int
    memory_full_ms: int | None
    battery_empty_ms: int
    calibration_due_ms: int | None
    at_risk_readings: int
    overwritten_readings: int


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
    kept: int = 0,
) -> Outlook:
    """Return the outlook of a plan whose first reading is due at `first_ms`.

    Args:
        charge: battery charge now, 0..1.
        visit_ms: the next visit; None puts nothing at risk.
        kept: readings of this mission that are already in the archive.
    """
    fit = readings_that_fit(model, plan.channels)
    ends = first_ms + fit * plan.interval_s * 1000
    if plan.end == "at":
        ends = min(ends, plan.end_ms)
    battery_ms = now_ms + int(battery_days(model, plan, charge, temp_c) * 24 * HOUR_MS)
    held = overwritten = 0
    if visit_ms is not None:
        recorded = due_readings(plan, first_ms, min(visit_ms, battery_ms))
        held = min(recorded, fit) if plan.end == "wrap" else min(recorded, fit) - kept
        if plan.end == "wrap":
            held = min(held, recorded - kept)
            overwritten = max(recorded - kept - fit, 0)
    return Outlook(
        readings_fit=fit,
        memory_full_ms=None if plan.end == "wrap" else ends,
        battery_empty_ms=battery_ms,
        calibration_due_ms=calibration_due_ms,
        at_risk_readings=max(held, 0),
        overwritten_readings=overwritten,
    )
