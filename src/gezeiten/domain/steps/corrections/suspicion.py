"""Readings that a rule catches: spikes, values that are stuck or cannot be, too fast changes.

A rule only proposes: a person looks at what it would catch and decides.
Source: docs/calculations.md, "Corrections".
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.quantities.quantities import Quantity
from gezeiten.domain.series.series import HOLD_FACTOR, Series, hold_times_ms
from gezeiten.domain.series.timeline import HOUR_MS, Times, Values
from gezeiten.domain.steps.corrections.ends import at_an_end
from gezeiten.domain.steps.corrections.spikes import spikes, usual_spike

_TO_SIGMA = 1.4826
_FAR_SIGMAS = 8.0
"""What is proposed is so many standard deviations of the ordinary, robustly estimated."""
_STUCK_H = 6.0
_MOSTLY = 0.95
_WET_MS = HOUR_MS // 2
_MOST_STUCK_H = 240.0
_MOVES = 5
"""A quantity that is not stuck moves by so many of its steps within the time that is proposed, in
95 of 100 such times before."""


@dataclass(frozen=True, slots=True)
class SuspectRule:
    """A rule. key: its name for ever; unit: of its number: "" none, "value" that of the quantity,
    "rate" that an hour, "h" hours. catches: which readings, bool (n,), by a number; usual: the
    number that is proposed for a series. of: the quantities of which it says something, () for all;
    but: the units of those of which it says nothing.
    """

    key: str
    name: str
    unit: str
    catches: Callable[[Series, float, Quantity], NDArray[np.bool_]]
    usual: Callable[[Series, Quantity], float]
    of: tuple[str, ...] = ()
    but: tuple[str, ...] = ()

    def applies_to(self, quantity: Quantity) -> bool:
        """Whether it says anything of a quantity."""
        return (not self.of or quantity.key in self.of) and quantity.unit not in self.but


def _near(series: Series) -> NDArray[np.bool_]:
    """Whether each reading but the last has the next one no further than 1.5 intervals on."""
    apart = np.diff(series.times_utc_ms)
    near: NDArray[np.bool_] = apart <= series.interval_ms[:-1] * HOLD_FACTOR
    return near


def _rates(series: Series) -> Values:
    """Return the change from the reading before, an hour, by size, (n,); 0 where that is not
    near."""
    found = np.zeros(len(series))
    if len(series) > 1:
        hours = np.diff(series.times_utc_ms) / HOUR_MS
        found[1:] = np.where(_near(series), np.abs(np.diff(series.values)) / hours, 0.0)
    return found


def _too_fast(series: Series, beyond: float, _: Quantity) -> NDArray[np.bool_]:
    return _rates(series) > beyond


def _stuck(series: Series, hours: float, quantity: Quantity) -> NDArray[np.bool_]:
    """Runs of near readings of one value, held for so long together; a sensor at an end of its
    range is not stuck."""
    goes_on = (np.diff(series.values) == 0) & ~at_an_end(series, quantity)[1:]
    return _long_runs(series, goes_on, hours * HOUR_MS)


def _usual_stuck(series: Series, quantity: Quantity) -> float:
    """The shortest time, from that which is usual for a quantity on, within which the series moved
    by five of its steps in 95 of 100 such times."""
    hours = STUCK_H.get(quantity.key, _STUCK_H)
    free = series.subset(~at_an_end(series, quantity))
    steps = np.diff(np.unique(free.values))
    if len(steps):
        least = _MOVES * max(float(steps.min()), 10.0**-quantity.decimals)
        while hours < _MOST_STUCK_H and not _mostly_moves(free, hours * HOUR_MS, least):
            hours *= 2
    return min(hours, _MOST_STUCK_H)


def _mostly_moves(series: Series, length_ms: float, least: float) -> bool:
    """Whether a series moved by so much in 95 of 100 stretches of a length in which it has readings
    throughout."""
    of = ((series.times_utc_ms - series.times_utc_ms[0]) // length_ms).astype(np.int64)
    edges = np.flatnonzero(np.diff(of, prepend=-1))
    held = np.add.reduceat(series.interval_ms, edges) >= 0.9 * length_ms
    moved = np.maximum.reduceat(series.values, edges) - np.minimum.reduceat(series.values, edges)
    return bool(held.any()) and float((moved[held] >= least).mean()) >= _MOSTLY


STUCK_H = {
    "air_temperature": 3.0,
    "room_temperature": 6.0,
    "probe_temperature": 24.0,
    "relative_humidity": 4.0,
    "air_pressure": 6.0,
    "water_pressure": 6.0,
    "water_temperature": 24.0,
    "co2": 2.0,
}
"""After so long one value is no longer usual (CALCULATIONS.md, "Proposed marks")."""


def _long_runs(
    series: Series, goes_on: NDArray[np.bool_], least_ms: float, many: int = 2
) -> NDArray[np.bool_]:
    """Return which readings lie in runs of near ones, held for so long and of so many, bool (n,).

    Args:
        goes_on: whether the run of each reading but the last goes on with the next, (n - 1,).
    """
    if not len(series):
        return np.zeros(0, np.bool_)
    run_of = np.concatenate(([0], np.cumsum(~(goes_on & _near(series)))))
    holds = hold_times_ms(series.times_utc_ms, series.interval_ms)
    held = np.bincount(run_of, weights=holds.astype(np.float64))
    caught: NDArray[np.bool_] = ((held >= least_ms) & (np.bincount(run_of) >= many))[run_of]
    return caught


def _lasting(
    series: Series, which: NDArray[np.bool_], least_ms: float, many: int = 1
) -> NDArray[np.bool_]:
    """Return which of some readings lie in runs of them that last."""
    return which & _long_runs(series, which[1:] & which[:-1], least_ms, many)


def _from_to(begins: NDArray[np.bool_], ends: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Return which readings lie between one that begins something and the next that ends it."""
    said = np.where(begins, 1, np.where(ends, -1, 0))
    last = np.maximum.accumulate(np.where(said != 0, np.arange(len(said)), 0))
    lies: NDArray[np.bool_] = said[last] > 0
    return lies


def _out_of_water(series: Series, below: float, _: Quantity) -> NDArray[np.bool_]:
    """From two readings below a number on, until two are at twice that."""
    if not len(series):
        return np.zeros(0, np.bool_)
    out = _lasting(series, series.values < below, 0, 2)
    back = _lasting(series, series.values >= 2 * below, 0, 2)
    return _from_to(out, back)


def _usual_out_of_water(series: Series, quantity: Quantity) -> float:
    """0.2 kPa of water; of a conductivity a twentieth of its median."""
    if quantity.unit == "m":
        return 0.02
    return float(f"{0.05 * float(np.median(series.values)):.2g}") if len(series) else 0.0


def _wet(series: Series, percent: float, _: Quantity) -> NDArray[np.bool_]:
    """Water on a humidity sensor: from half an hour at a number on, until half an hour is two below
    it, and the hour after that."""
    if not len(series):
        return np.zeros(0, np.bool_)
    wet = _lasting(series, series.values >= percent, _WET_MS)
    dry = _lasting(series, series.values < percent - 2, _WET_MS)
    caught = _from_to(wet, dry)
    last = np.maximum.accumulate(np.where(caught, series.times_utc_ms, np.iinfo(np.int64).min // 2))
    dries: NDArray[np.bool_] = series.times_utc_ms - last < HOUR_MS
    return caught | dries


def _icy(series: Series, at_c: float, _: Quantity) -> NDArray[np.bool_]:
    caught: NDArray[np.bool_] = series.values <= at_c
    return caught


def _impossible(series: Series, _: float, quantity: Quantity) -> NDArray[np.bool_]:
    caught: NDArray[np.bool_] = (series.values < quantity.low) | (series.values > quantity.high)
    return caught


def _far(values: Values, quantity: Quantity) -> float:
    """Return a number far beyond what is usual, in two digits; three of the last decimal at
    least."""
    moved = values[values > 0]
    usual = float(np.median(moved)) * _TO_SIGMA * _FAR_SIGMAS if len(moved) else 0.0
    least = 3 * 10.0**-quantity.decimals
    return float(f"{max(usual, least):.2g}")


_COUNTED = ("per m³", "µg/m³", "mm")
"""Dust and rain come in bursts: what is far from its neighbours is most of what there is."""

SUSPICIONS: dict[str, SuspectRule] = {
    one.key: one
    for one in (
        SuspectRule(
            "spikes",
            "Spikes: further than this from neighbours",
            "value",
            spikes,
            usual_spike,
            but=_COUNTED,
        ),
        SuspectRule("stuck", "Stuck: same value for this long", "h", _stuck, _usual_stuck),
        SuspectRule(
            "too_fast",
            "Too fast: changes by more than this an hour",
            "rate",
            _too_fast,
            lambda series, its: _far(_rates(series), its),
        ),
        SuspectRule(
            "impossible",
            "Out of the range of the quantity",
            "",
            _impossible,
            lambda _series, _its: 0.0,
        ),
        SuspectRule(
            "out_of_water",
            "Out of water: below this, until above twice as much",
            "value",
            _out_of_water,
            _usual_out_of_water,
            ("water_level", "water_depth", "conductivity", "specific_conductance"),
        ),
        SuspectRule(
            "condensation",
            "Water on the sensor: at this for half an hour",
            "value",
            _wet,
            lambda _series, _its: 99.0,
            ("relative_humidity",),
        ),
        SuspectRule(
            "ice",
            "Ice: at this or below",
            "value",
            _icy,
            lambda _series, _its: 0.0,
            ("water_temperature",),
        ),
    )
}
"""All rules, by key."""


def suspect_spans(series: Series, caught: NDArray[np.bool_]) -> list[list[int]]:
    """Return the stretches [begin, end) of readings that are caught, UTC ms: readings beside each
    other are one; its end lies a millisecond behind its last."""
    return spans_of_instants(series.times_utc_ms, caught)


def spans_of_instants(times: Times, caught: NDArray[np.bool_]) -> list[list[int]]:
    """Return the stretches [begin, end) of instants that are caught, see `suspect_spans`."""
    edges = np.flatnonzero(np.diff(np.concatenate(([False], caught, [False])).astype(np.int8)))
    return [[int(times[a]), int(times[b - 1]) + 1] for a, b in edges.reshape(-1, 2)]
