"""Verdicts: whether a day was inside its limits, outside, or cannot be judged, and why.

Source: CALCULATIONS.md, "Periods, incidents, verdicts"; docs/calculations.md, "Verdicts".
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.limits.limits import InForce, LimitRule
from gezeiten.domain.series.series import Series, empty_series, hold_times_ms
from gezeiten.domain.series.statistics.figures import ENOUGH_COVERAGE
from gezeiten.domain.series.timeline import MINUTE_MS, Span, Times, Values, local_days

Verdict = Literal["inside", "outside", "not judged"]
Reason = Literal[
    "",
    "no limit was in force",
    "a limit was in force for a part of the day only",
    "no readings",
    "under 75 % of the time covered",
    "not offloaded yet",
    "the day is not over",
]


@dataclass(frozen=True, slots=True)
class DayVerdict:
    """What is said of a local day. reason: why it is not judged, "" of one that is."""

    day: date
    verdict: Verdict
    reason: Reason = ""


@dataclass(frozen=True, slots=True)
class KnownUntil:
    """Until when there can be anything. now_ms: the present; pending_ms: from where on readings
    wait on a logger, None where none do."""

    now_ms: int
    pending_ms: int | None = None


def day_verdicts(
    series: Series,
    limits: Sequence[InForce],
    span: Span,
    zone: str,
    until: KnownUntil,
    means: Mapping[int, Series] | None = None,
) -> list[DayVerdict]:
    """Return the verdict of each local day that a stretch touches, by the limits of one series.

    A day is outside where any reading that stands then is outside a limit in force; inside where
    each limit that applies that day was in force through all the hours in which it applies, and at
    least 75 % of these are covered; else it is not judged. Days are judged whole, also where the
    stretch holds a part of them.

    Args:
        series: readings of these days and at least one on either side. means: what limits of means
            compare, by their `mean_s`.
    """
    rules = tuple(dict.fromkeys(rule for limit in limits for rule in limit.rules if rule.has_value))
    compared = {0: _HeldReadings.of(series)}
    compared |= {mean_s: _HeldReadings.of(one) for mean_s, one in (means or {}).items()}
    nothing = _HeldReadings.of(empty_series())
    found = []
    for day, whole in local_days(*span, zone):
        of_rules = (
            _of_rule(compared.get(rule.mean_s, nothing), rule, limits, whole, zone, until)
            for rule in rules
        )
        judged = [DayVerdict(day, *one) for one in of_rules if one is not None]
        found.append(combine_verdicts(day, judged))
    return found


def combine_verdicts(day: date, judged: Iterable[DayVerdict]) -> DayVerdict:
    """Return the verdict of a day by several: outside by any, inside only by all."""
    listed = list(judged)
    for verdict in ("outside", "not judged", "inside"):
        one = next((each for each in listed if each.verdict == verdict), None)
        if one is not None:
            return DayVerdict(day, one.verdict, one.reason)
    return DayVerdict(day, "not judged", "no limit was in force")


def reasons_of(judged: Iterable[DayVerdict]) -> list[tuple[Reason, int]]:
    """Return why days are not judged, and how many for each reason, the most frequent first."""
    return Counter(
        day_verdict.reason for day_verdict in judged if day_verdict.verdict == "not judged"
    ).most_common()


@dataclass(frozen=True, slots=True)
class _HeldReadings:
    """Readings and until when each stands, UTC ms (n,)."""

    series: Series
    until_ms: Times

    @classmethod
    def of(cls, series: Series) -> _HeldReadings:
        holds = hold_times_ms(series.times_utc_ms, series.interval_ms)
        return cls(series, series.times_utc_ms + holds)


def _of_rule(
    held: _HeldReadings,
    rule: LimitRule,
    limits: Sequence[InForce],
    whole: Span,
    zone: str,
    until: KnownUntil,
) -> tuple[Verdict, Reason] | None:
    """Return the verdict of a day by one limit, None where it does not apply that day."""
    minutes = np.arange(whole[0], whole[1], MINUTE_MS, dtype=np.int64)
    applies = (
        rule.window.contains(minutes, zone) if rule.window else np.ones(len(minutes), np.bool_)
    )
    if not applies.any():
        return None
    in_force = applies & _in_force(rule, limits, minutes)
    values = _value_per_minute(held, minutes)
    if _is_outside(held.series, rule, limits, whole, zone) or rule.outside(values[in_force]).any():
        return "outside", ""
    if not in_force.any():
        return "not judged", "no limit was in force"
    if in_force.sum() < applies.sum():
        return "not judged", "a limit was in force for a part of the day only"
    if until.now_ms < whole[1]:
        return "not judged", "the day is not over"
    covered = np.isfinite(values[applies])
    if covered.mean() >= ENOUGH_COVERAGE:
        return "inside", ""
    missing = minutes[applies][~covered]
    if until.pending_ms is not None and (missing >= until.pending_ms).mean() > 0.5:
        return "not judged", "not offloaded yet"
    is_empty = not len(held.series.between(*whole))
    reason: Reason = "no readings" if is_empty else "under 75 % of the time covered"
    return "not judged", reason


def _in_force(rule: LimitRule, limits: Sequence[InForce], minutes: Times) -> NDArray[np.bool_]:
    found = np.zeros(len(minutes), np.bool_)
    for limit in limits:
        if rule in limit.rules:
            found |= (minutes >= limit.start_ms) & (minutes < limit.end_ms)
    return found


def _value_per_minute(held: _HeldReadings, minutes: Times) -> Values:
    """Return which value stands at each minute, NaN where none does."""
    values, series = np.full(len(minutes), np.nan), held.series
    if not len(series):
        return values
    at = series.times_utc_ms.searchsorted(minutes, side="right") - 1
    stands = (at >= 0) & (minutes < held.until_ms[at])
    values[stands] = series.values[at[stands]]
    return values


def _is_outside(
    series: Series, rule: LimitRule, limits: Sequence[InForce], whole: Span, zone: str
) -> bool:
    """Whether a reading of the day is outside, however short it stands."""
    its = series.between(*whole)
    mask = rule.outside(its.values) & _in_force(rule, limits, its.times_utc_ms)
    if rule.window is not None:
        mask &= rule.window.contains(its.times_utc_ms, zone)
    return bool(mask.any())
