"""Which series are calculated from which: what people said, without what would go in a circle.

Source: docs/record.md, "Calculated series".
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any, TypeAlias

import numpy as np

from gezeiten.domain.series.series_keys import channel_of
from gezeiten.domain.series.timeline import Span
from gezeiten.domain.steps.formulas import Formula, formula_of
from gezeiten.domain.steps.formulas.formula import TIMES
from gezeiten.domain.steps.sensor_depth import LENGTH_M, RIM_M, SensorDepth, depth_at

Key: TypeAlias = tuple[str, str]
"""A series: its point (id) and its key there."""


@dataclass(frozen=True, slots=True)
class CalculatedSeries:
    """A series that is calculated. uid: of what was said; formula, version: by which; inputs: by
    role, the first at the same point. sensor_depths: how the sensor hangs there, of a formula that
    wants to know it."""

    uid: str
    point: str
    series: str
    formula: str
    version: int
    parameters: Mapping[str, float]
    inputs: tuple[Key, ...]
    sensor_depths: tuple[SensorDepth, ...] = ()

    def numbers_at(self, at_ms: int) -> Mapping[str, Any]:
        """Return its parameters, and how the sensor hung at an instant, NaN where nobody said; the
        instant itself where the formula wants it."""
        if self.formula_in_force.uses_times:
            return {**self.parameters, TIMES: np.array([at_ms], np.int64)}
        if not self.formula_in_force.uses_sensor_depth:
            return self.parameters
        sensor_depth = depth_at(self.sensor_depths, at_ms)
        rim_m, length_m = (
            (sensor_depth.rim_m, sensor_depth.length_m) if sensor_depth else (math.nan, math.nan)
        )
        return {**self.parameters, RIM_M: rim_m, LENGTH_M: length_m}

    @property
    def key(self) -> Key:
        """Which series it is."""
        return (self.point, self.series)

    @property
    def formula_in_force(self) -> Formula:
        """Its formula; asked only of what is in force."""
        known = self.known_formula
        assert known is not None  # see `in_force`
        return known

    @property
    def known_formula(self) -> Formula | None:
        """Its formula, None where it is not known here."""
        inputs = [channel_of(key) for _, key in self.inputs]
        return formula_of(self.formula, self.version, inputs, channel_of(self.series))

    @property
    def reach_ms(self) -> int:
        """How far from a reading of any input others follow from it."""
        return max(role.reach_ms for role in self.formula_in_force.roles) + self.window_ms

    @property
    def window_ms(self) -> int:
        """How far back it looks at its first input, 0 where it looks at each reading."""
        return self.formula_in_force.window_ms(self.parameters)


def in_force(calculated_series: Iterable[CalculatedSeries]) -> dict[Key, CalculatedSeries]:
    """Return what is calculated, of what was said in this order: of two series of one name the
    earlier stands, and one that would close a circle has no effect, nor one by a formula that is
    not known here."""
    standing: dict[Key, CalculatedSeries] = {}
    for series in calculated_series:
        if (
            series.known_formula is not None
            and series.key not in standing
            and not closes_a_circle(series, standing)
        ):
            standing[series.key] = series
    return standing


def closes_a_circle(calculated: CalculatedSeries, standing: Mapping[Key, CalculatedSeries]) -> bool:
    """Whether a series would be calculated from itself, over however many others."""
    return calculated.key in transitive_inputs(calculated, standing)


def transitive_inputs(
    calculated: CalculatedSeries, standing: Mapping[Key, CalculatedSeries]
) -> list[Key]:
    """Return all series that one is calculated from, over however many others, each once."""
    found: dict[Key, None] = {}
    open_ = list(calculated.inputs)
    while open_:
        key = open_.pop()
        if key not in found:
            found[key] = None
            open_ += standing[key].inputs if key in standing else ()
    return list(found)


def root(key: Key, standing: Mapping[Key, CalculatedSeries]) -> Key:
    """Return the measured series whose instants a series has: itself where it is measured."""
    while key in standing:
        key = standing[key].inputs[0]
    return key


def spread(
    changed: Mapping[str, Span], standing: Mapping[Key, CalculatedSeries]
) -> dict[str, Span]:
    """Return in which stretch readings of points are others when measured ones of some points (ids)
    changed: there, and wherever something calculated rests on them, its reach further."""
    known: dict[Key, Span | None] = {}

    def of(key: Key) -> Span | None:
        one = standing.get(key)
        if one is None:
            return changed.get(key[0])
        if key not in known:
            hull = _hull([of(its) for its in one.inputs])
            known[key] = hull and (hull[0] - one.reach_ms, hull[1] + one.reach_ms)
        return known[key]

    spans = dict(changed)
    for key, one in standing.items():
        hull = _hull([of(key), spans.get(one.point)])
        if hull is not None:
            spans[one.point] = hull
    return spans


def _hull(spans: Iterable[Span | None]) -> Span | None:
    known = [span for span in spans if span is not None]
    return (min(a for a, _ in known), max(b for _, b in known)) if known else None
