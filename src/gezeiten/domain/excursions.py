"""Excursions: runs of consecutive readings outside a limit, and when they alarm.

A run starts at its first outside reading and ends when the hold of its last one ends; a gap
ends it. Source: CALCULATIONS.md, "Holding, gaps, time outside".

Two points that text leaves open are settled here (docs/calculations.md says why): only held
time of measured readings counts towards a delay, and once an accumulated sum has reached its
delay every later run of the same counting period alarms with its first measured reading.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.limits import LimitRule
from gezeiten.domain.quality import Quality
from gezeiten.domain.series import HOLD_FACTOR, Series
from gezeiten.domain.timeline import HOUR_MS, local_days


@dataclass(frozen=True, slots=True)
class Excursion:
    """One run outside a limit. Instants are UTC ms; `extreme` and `dose` in the channel's unit.

    alarm_ms: the alarm instant, which may lie between two readings; None while the delay was
    not reached. dose: distance beyond the limit integrated over held time, unit x hours.
    """

    rule: LimitRule
    start_ms: int
    end_ms: int
    alarm_ms: int | None
    extreme: float
    extreme_ms: int
    dose: float
    measured: int
    estimated: int


@dataclass(frozen=True, slots=True)
class _Outside:
    """The outside readings alone (m of n), and where their runs begin (k)."""

    index: NDArray[np.intp]
    times: NDArray[np.int64]
    values: NDArray[np.float64]
    holds: NDArray[np.int64]
    measured: NDArray[np.bool_]
    firsts: NDArray[np.intp]


def find_excursions(
    series: Series, rule: LimitRule, zone: str = "UTC", *, alarmed_only: bool = False
) -> list[Excursion]:
    """Return the runs outside a rule, oldest first; those that alarmed and those that did not.

    Args:
        series: the readings of one mission (accumulated counting starts with the first).
        rule: the limit; a reading equal to it is inside.
        zone: IANA zone whose midnights restart a daily accumulation.
        alarmed_only: leave out the runs that did not alarm (much faster where runs are many).

    A run of estimated readings alone is no excursion.
    """
    out = _outside_readings(series, rule)
    if out is None:
        return []
    alarms = _alarm_instants(out, rule, zone)
    beyond = rule.beyond(out.values)
    measured = np.add.reduceat(out.measured.astype(np.int64), out.firsts)
    wanted = (measured > 0) & (alarms >= 0) if alarmed_only else measured > 0
    last = np.append(out.firsts[1:], len(out.index)) - 1
    peak = _first_peaks(beyond, out.firsts)
    # whole columns become plain numbers at once: runs can be many
    columns = (
        out.times[out.firsts],
        out.times[last] + out.holds[last],
        alarms,
        out.values[peak],
        out.times[peak],
        np.add.reduceat(beyond * out.holds, out.firsts) / HOUR_MS,
        measured,
        last + 1 - out.firsts - measured,
    )
    rows = zip(*(column[wanted].tolist() for column in columns), strict=True)
    return [
        Excursion(rule, start, end, alarm if alarm >= 0 else None, *rest)
        for start, end, alarm, *rest in rows
    ]


def _first_peaks(beyond: NDArray[np.float64], firsts: NDArray[np.intp]) -> NDArray[np.intp]:
    """Return for each run the index of its farthest reading; of equal ones the first."""
    lengths = np.diff(np.append(firsts, len(beyond)))
    run_of = np.repeat(np.arange(len(firsts)), lengths)
    farthest = np.flatnonzero(beyond == np.maximum.reduceat(beyond, firsts)[run_of])
    _, first_of_run = np.unique(run_of[farthest], return_index=True)
    return farthest[first_of_run]


def _outside_readings(series: Series, rule: LimitRule) -> _Outside | None:
    """Gather the outside readings; work is proportional to them, not to the series."""
    index = np.flatnonzero(rule.outside(series.values))
    if not len(index):
        return None
    times = series.times_utc_ms[index]
    intervals = series.interval_ms[index]
    following = np.minimum(index + 1, len(series) - 1)
    distance = series.times_utc_ms[following] - times
    longest = (intervals * HOLD_FACTOR).astype(np.int64)
    holds = np.minimum(distance, longest)
    if index[-1] == len(series) - 1:
        holds[-1] = intervals[-1]
    broken = (np.diff(index) > 1) | (distance[:-1] > longest[:-1])
    firsts = np.concatenate(([0], np.flatnonzero(broken) + 1))
    measured = series.quality[index] != Quality.ESTIMATE
    return _Outside(index, times, series.values[index], holds, measured, firsts)


def _alarm_instants(out: _Outside, rule: LimitRule, zone: str) -> NDArray[np.int64]:
    """Return the alarm instant of each run, -1 where there is none."""
    counted = np.where(out.measured, out.holds, 0)
    delay_ms = rule.delay_s * 1000
    if rule.counting == "consecutive":
        periods = np.arange(len(out.firsts))
        return _reached(out.times, counted, out.firsts, periods, delay_ms)
    if not rule.daily:
        periods = np.zeros(len(out.firsts), np.intp)
        return _reached(out.times, counted, out.firsts, periods, delay_ms)
    return _daily_alarms(out, delay_ms, zone)


def _reached(
    times: NDArray[np.int64],
    counted: NDArray[np.int64],
    firsts: NDArray[np.intp],
    periods: NDArray[np.intp],
    delay_ms: int,
) -> NDArray[np.int64]:
    """Return for each run the instant at which its period's counted time reaches the delay.

    Args:
        times, counted: shape (m,), start and counted part of each hold.
        firsts: shape (k,), where each run begins.
        periods: shape (k,), for each run the run that opens its counting period.
    """
    total = np.cumsum(counted)
    before_run = total[firsts] - counted[firsts]
    spent = before_run - before_run[periods]
    missing = np.maximum(delay_ms - spent, 0)
    # with nothing missing it is the first counted reading of the run
    at = np.searchsorted(total, before_run + np.maximum(missing, 1))
    ends = np.append(firsts[1:], len(times))
    reached = at < ends
    at = np.minimum(at, len(total) - 1)
    into_hold = before_run + missing - (total[at] - counted[at])
    return np.where(reached, times[at] + np.maximum(into_hold, 0), -1)


def _daily_alarms(out: _Outside, delay_ms: int, zone: str) -> NDArray[np.int64]:
    """Accumulate anew from every local midnight; a hold across midnight counts in both days."""
    begin, end = int(out.times[0]), int(out.times[-1] + out.holds[-1])
    midnights = np.array([span[0] for _, span in local_days(begin, end, zone)], np.int64)
    holder = np.searchsorted(out.times, midnights, side="right") - 1
    inside = (holder >= 0) & (midnights > out.times[holder])
    inside &= midnights < out.times[holder] + out.holds[holder]
    cut, holder = midnights[inside], holder[inside]
    times = np.insert(out.times, holder + 1, cut)
    measured = np.insert(out.measured, holder + 1, out.measured[holder])
    rest = out.times[holder] + out.holds[holder] - cut
    holds = np.insert(out.holds, holder + 1, rest)
    holds[holder + np.arange(len(holder))] -= rest
    runs = out.firsts + np.searchsorted(holder, out.firsts)  # run starts after the insertions
    days = np.searchsorted(midnights, times, side="right")
    new_day = np.flatnonzero(np.diff(days)) + 1
    firsts = np.union1d(runs, new_day).astype(np.intp)
    opens = np.concatenate(([True], np.diff(days[firsts]) != 0))
    periods = np.maximum.accumulate(np.where(opens, np.arange(len(firsts)), 0))
    parts = _reached(times, np.where(measured, holds, 0), firsts, periods, delay_ms)
    never = np.iinfo(np.int64).max
    earliest = np.minimum.reduceat(np.where(parts < 0, never, parts), np.searchsorted(firsts, runs))
    return np.where(earliest == never, -1, earliest)
