"""Limit rules: above or below a value, or without a sensor, for longer than a delay.

Every rule has one side. Source: docs/calculations.md, "Holding, gaps, time outside".
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from itertools import pairwise
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.base.untrusted import FiniteNumber, WholeNumber, plain, validated
from gezeiten.domain.limits.windows import WeeklyWindow
from gezeiten.domain.series.series_keys import channel_of
from gezeiten.domain.series.timeline import EVER_MS, Times, Values

Side = Literal["above", "below", "absent"]
Counting = Literal["consecutive", "accumulated"]
Level = Literal["warning", "alarm"]
SIDES: tuple[Side, ...] = ("above", "below", "absent")


@dataclass(frozen=True, slots=True)
class LimitRule:
    """One rule of a plan, or of the series that its channel feeds. `value` is in the channel's
    unit; a reading equal to it is inside.

    side "absent": the logger recorded that it had no sensor; value and hysteresis mean nothing.
    daily: accumulated counting starts anew at local midnight instead of at launch.
    hysteresis: a run goes on until a reading is this much back inside the limit; readings in that
    band join a run, but neither begin one nor count towards its delay or dose.
    window: the hours of the week in which the rule applies, None for always. origin: the id of a
    limit that was set for a series, "" of a plan's. mean_s: the limit is one of the moving mean of
    so long, of the sum where the quantity is summed (`domain/series/statistics`); 0: of each
    reading. Only limits that are set for a series have one.
    """

    channel: str
    side: Side
    value: FiniteNumber
    delay_s: WholeNumber = 0
    counting: Counting = "consecutive"
    daily: bool = False
    level: Level = "alarm"
    hysteresis: FiniteNumber = 0.0
    window: WeeklyWindow | None = None
    origin: str = ""
    mean_s: WholeNumber = 0

    @property
    def key(self) -> str:
        """Stable name of the rule within its mission, of one set for a series within that."""
        name = f"{channel_of(self.channel)}:{self.side}:{self.level}"
        name = f"{name}:{self.window.key}" if self.window else name
        name = f"{name}:mean {self.mean_s}" if self.mean_s else name
        return f"{name}:{self.origin}" if self.origin else name

    @property
    def has_value(self) -> bool:
        """Whether the rule compares with a value at all."""
        return self.side != "absent"

    def outside(self, values: Values) -> NDArray[np.bool_]:
        """Return where values are strictly outside; NaN is inside: nothing is claimed of it."""
        if self.side == "absent":
            return np.zeros(np.shape(values), np.bool_)
        return values > self.value if self.side == "above" else values < self.value

    def outside_at(self, times_utc_ms: Times, values: Values, zone: str) -> NDArray[np.bool_]:
        """Return where readings are outside in the rule's weekly window at the site; none is by
        itself where the limit is one of means."""
        if self.mean_s:
            return np.zeros(np.shape(values), np.bool_)
        mask = self.outside(values)
        return mask & self.window.contains(times_utc_ms, zone) if self.window else mask

    def beyond(self, values: Values) -> Values:
        """Return the distance beyond the limit, positive outside."""
        return values - self.value if self.side == "above" else self.value - values

    def as_dict(self) -> dict[str, Any]:
        """The rule as JSON keeps it; `limit_rule` reads it back."""
        usual = {"origin": "", "mean_s": 0}  # came later, and are left out where they are the usual
        return {k: value for k, value in plain(self).items() if (k, value) not in usual.items()}


@dataclass(frozen=True, slots=True)
class InForce:
    """The limits that were in force in [start_ms, end_ms), UTC ms: what happened then is judged by
    them."""

    rules: tuple[LimitRule, ...]
    start_ms: int
    end_ms: int


def in_turn(limit_periods: Iterable[InForce]) -> tuple[InForce, ...]:
    """Return stretches that may overlap as such that do not, each with all rules in force."""
    listed = list(limit_periods)
    edges = sorted({edge for one in listed for edge in (one.start_ms, one.end_ms)})
    found = []
    for start_ms, end_ms in pairwise(edges):
        rules = [
            rule
            for one in listed
            if one.start_ms <= start_ms and end_ms <= one.end_ms
            for rule in one.rules
        ]
        if rules:
            found.append(InForce(tuple(dict.fromkeys(rules)), start_ms, end_ms))
    return tuple(found)


def sides_at(
    times_utc_ms: Times, values: Values, limits: Iterable[InForce], zone: str
) -> NDArray[np.int64]:
    """Return on which side each reading lies by the limits in force then, int64 (n,): 0 inside, 1
    above, 2 below. Times ascend; NaN is inside; of two limits that a reading breaks, the last of
    the rules tells."""
    found = np.zeros(len(times_utc_ms), np.int64)
    for span in limits:
        a, b = times_utc_ms.searchsorted((span.start_ms, span.end_ms))
        for rule in span.rules:
            outside = rule.outside_at(times_utc_ms[a:b], values[a:b], zone)
            found[a:b][outside] = 1 + SIDES.index(rule.side)
    return found


def constant_limits(rules: tuple[LimitRule, ...]) -> tuple[InForce, ...]:
    """Return limits that never were others."""
    return (InForce(rules, -EVER_MS, EVER_MS),)


def no_sensor_rule(
    channel: str, delay_s: int, level: Level = "alarm", window: WeeklyWindow | None = None
) -> LimitRule:
    """Return the rule "no sensor for longer than"."""
    return LimitRule(channel, "absent", 0.0, delay_s, level=level, window=window)


def limit_rule(data: dict[str, Any]) -> LimitRule:
    """Return the rule of a dict made by `LimitRule.as_dict`; older ones lack the last fields.

    Raises:
        ValueError: a field is missing or has another kind of value.
    """
    return validated(data, LimitRule)
