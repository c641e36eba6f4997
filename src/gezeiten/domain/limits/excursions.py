"""Excursions: runs of consecutive readings outside a limit, and when they alarm.

A run starts at its first outside reading and ends when the hold of its last one ends; a gap
ends it. Source: docs/calculations.md, "Holding, gaps, time outside".

Points that text leaves open are settled here (docs/calculations.md says why): only held time of
measured readings counts towards a delay; once an accumulated sum has reached its delay every later
run of the same counting period alarms with its first measured reading; readings in the band of a
hysteresis join a run but count for nothing; leaving the weekly window ends a run.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.series.drawing.peaks import first_maxima
from gezeiten.domain.series.quality import Quality
from gezeiten.domain.series.series import HOLD_FACTOR, Series, hold_times_ms
from gezeiten.domain.series.timeline import EVER_MS, HOUR_MS, Span, Times, Values, local_days


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
    """The readings of the runs alone (m of n), and where their runs begin (k).

    measured: not estimated. strictly: outside the limit itself, not in the hysteresis band.
    """

    index: NDArray[np.intp]
    times: NDArray[np.int64]
    values: NDArray[np.float64]
    hold_ms: NDArray[np.int64]
    measured: NDArray[np.bool_]
    strictly: NDArray[np.bool_]
    firsts: NDArray[np.intp]


def find_excursions(
    series: Series, rule: LimitRule, zone: str = "UTC", *, alarmed_only: bool = False
) -> list[Excursion]:
    """Return the runs outside a rule, oldest first; those that alarmed and those that did not.

    Args:
        series: the readings of one mission (accumulated counting starts with the first).
        rule: the limit; a reading equal to it is inside.
        zone: IANA zone of the site: its midnights restart a daily accumulation, its wall clock
            decides the weekly window.
        alarmed_only: leave out the runs that did not alarm (much faster where runs are many).

    A run of estimated readings alone is no excursion.
    """
    out = _outside_readings(series, rule, zone)
    if out is None:
        return []
    alarms = _alarm_instants(out, rule, zone)
    beyond = np.maximum(rule.beyond(out.values), 0.0)
    measured = np.add.reduceat(out.measured.astype(np.int64), out.firsts)
    wanted = np.logical_or.reduceat(out.measured & out.strictly, out.firsts)
    if alarmed_only:
        wanted &= alarms >= 0
    last = np.append(out.firsts[1:], len(out.index)) - 1
    peak = first_maxima(beyond, out.firsts)
    # whole columns become plain numbers at once: runs can be many
    columns = (
        out.times[out.firsts],
        out.times[last] + out.hold_ms[last],
        alarms,
        out.values[peak],
        out.times[peak],
        np.add.reduceat(beyond * out.hold_ms, out.firsts) / HOUR_MS,
        measured,
        last + 1 - out.firsts - measured,
    )
    rows = zip(*(column[wanted].tolist() for column in columns), strict=True)
    return [
        Excursion(rule, start, end, alarm if alarm >= 0 else None, *rest)
        for start, end, alarm, *rest in rows
    ]


def _outside_readings(series: Series, rule: LimitRule, zone: str) -> _Outside | None:
    """Gather the readings of the runs; work is proportional to them, not to the series."""
    index = np.flatnonzero(in_a_run(series.values, rule))
    if rule.window is not None:
        index = index[rule.window.contains(series.times_utc_ms[index], zone)]
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
    values = series.values[index]
    found = _Outside(index, times, values, holds, measured, rule.outside(values), firsts)
    return _trim_band(found) if rule.hysteresis else found


def in_a_run(values: NDArray[np.float64], rule: LimitRule) -> NDArray[np.bool_]:
    """Return where readings are outside, or in the band in which a run goes on, bool (n,)."""
    if rule.hysteresis <= 0 or not rule.has_value:
        return rule.outside(values)
    inner = -rule.hysteresis if rule.side == "above" else rule.hysteresis
    return replace(rule, value=rule.value + inner, hysteresis=0.0).outside(values)


def concerned(rule: LimitRule, changed: Span, zone: str) -> Span:
    """Return the stretch in which runs may alarm otherwise where readings changed in [start, end):
    that stretch itself, and where means are compared as long after it; its local days where time
    outside is summed by day, all that follows where it is summed."""
    changed = (changed[0], min(changed[1] + rule.mean_s * 1000, EVER_MS))
    if rule.counting == "consecutive" or changed[0] <= -EVER_MS:
        return changed
    if not rule.daily:
        return (changed[0], EVER_MS)
    first = _day_of(changed[0], zone)
    return (first[0], EVER_MS if changed[1] >= EVER_MS else _day_of(changed[1] - 1, zone)[1])


def _day_of(at_ms: int, zone: str) -> Span:
    """Return the local day of an instant."""
    return next(local_days(at_ms, at_ms + 1, zone))[1]


def concerns(rule: LimitRule, whole: Span, changed: Span, zone: str) -> bool:
    """Whether runs of a rule in its stretch may be others where readings changed in [start, end):
    also where that only touches its end, as what comes after its last reading is another one.
    Each stretch counts by itself, whatever was outside before it."""
    if changed[0] >= changed[1]:
        return False
    begin_ms, _ = concerned(rule, changed, zone)
    return begin_ms <= whole[1] and whole[0] <= changed[1] + rule.mean_s * 1000


def counted_from(rule: LimitRule, at_ms: int, zone: str) -> int:
    """Return from when on readings count for a run that begins at an instant: that instant itself,
    the begin of its local day where time outside is summed by day, always where it is summed."""
    if rule.counting == "consecutive":
        return at_ms
    return _day_of(at_ms, zone)[0] if rule.daily else -EVER_MS


def _trim_band(found: _Outside) -> _Outside | None:
    """Cut from each run what lies in the band before its first reading outside the limit."""
    opens = np.zeros(len(found.index), np.int64)
    opens[found.firsts[1:]] = 1
    run_of = np.cumsum(opens)
    begun = np.cumsum(found.strictly.astype(np.int64))
    before = begun[found.firsts] - found.strictly[found.firsts]
    keep = begun > before[run_of]
    if not bool(keep.any()):
        return None
    changes = np.flatnonzero(np.diff(run_of[keep])) + 1
    return _Outside(
        found.index[keep],
        found.times[keep],
        found.values[keep],
        found.hold_ms[keep],
        found.measured[keep],
        found.strictly[keep],
        np.concatenate(([0], changes)),
    )


def _alarm_instants(out: _Outside, rule: LimitRule, zone: str) -> NDArray[np.int64]:
    """Return the alarm instant of each run, -1 where there is none."""
    counted = np.where(out.measured & out.strictly, out.hold_ms, 0)
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
    begin, end = int(out.times[0]), int(out.times[-1] + out.hold_ms[-1])
    midnights = np.array([span[0] for _, span in local_days(begin, end, zone)], np.int64)
    holder = np.searchsorted(out.times, midnights, side="right") - 1
    inside = (holder >= 0) & (midnights > out.times[holder])
    inside &= midnights < out.times[holder] + out.hold_ms[holder]
    cut, holder = midnights[inside], holder[inside]
    times = np.insert(out.times, holder + 1, cut)
    counting = out.measured & out.strictly
    measured = np.insert(counting, holder + 1, counting[holder])
    rest = out.times[holder] + out.hold_ms[holder] - cut
    holds = np.insert(out.hold_ms, holder + 1, rest)
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


def find_absences(
    times_utc_ms: Times, values: Values, interval_ms: NDArray[np.int64], rule: LimitRule
) -> list[Excursion]:
    """Return the stretches without a sensor that lasted longer than a rule's delay.

    Args:
        times_utc_ms, values, interval_ms: shape (n,), everything that one mission recorded; NaN
            is "no sensor". Readings that are not there at all are a gap and claim nothing.
        rule: side "absent"; counted consecutively.

    An excursion of this kind has no extreme and no dose: both are 0.
    """
    gone = ~np.isfinite(values)
    edges = np.flatnonzero(np.diff(np.concatenate(([False], gone, [False]))))
    found = []
    holds = hold_times_ms(times_utc_ms, interval_ms)
    for first, end in edges.reshape(-1, 2).tolist():
        for a, b in _unbroken(times_utc_ms, holds, first, end):
            start, until = int(times_utc_ms[a]), int(times_utc_ms[b - 1] + holds[b - 1])
            alarm = start + rule.delay_s * 1000
            if alarm <= until:
                found.append(Excursion(rule, start, until, alarm, 0.0, start, 0.0, b - a, 0))
    return found


def _unbroken(
    times: Times, holds: NDArray[np.int64], first: int, end: int
) -> list[tuple[int, int]]:
    """Return the parts of readings [first, end) between gaps."""
    breaks = np.flatnonzero(np.diff(times[first:end]) > holds[first : end - 1]) + 1
    cuts = [first, *(first + breaks).tolist(), end]
    return list(pairwise(cuts))
