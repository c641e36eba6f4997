"""A record tied to check readings: what is added to it, fitted once, with what each check says of
the fit it was left out of.

Source: docs/calculations.md, "Check readings".
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.series.timeline import DAY_MS, Values
from gezeiten.domain.steps.checks.comparing import CheckComparison

Way = Literal["offset", "line", "each"]
LEAST_FOR_A_LINE = 3
_Times = NDArray[np.int64]


@dataclass(frozen=True, slots=True)
class ReferenceFit:
    """What is added to a record: linear between knots (UTC ms, in order), beyond them what the
    nearest says. u: of what is added (k = 2). slope_a_day, u_slope (k = 2): of a line, 0 else.
    left_out: of each check what it says less what the others alone would have added, NaN where
    there is no other."""

    way: Way
    knots: tuple[tuple[int, float], ...]
    u: float
    left_out: tuple[float, ...]
    slope_a_day: float = 0.0
    u_slope: float = 0.0

    @property
    def drifts(self) -> bool:
        """Whether a line is more than chance: its slope is larger than its uncertainty (k = 2)."""
        return abs(self.slope_a_day) > self.u_slope


def added(knots: Sequence[Sequence[float]], times_utc_ms: _Times) -> Values:
    """Return what is added at some instants, (n,)."""
    its = np.array([knot[0] for knot in knots], np.float64)
    values = np.array([knot[1] for knot in knots], np.float64)
    found: Values = np.interp(times_utc_ms.astype(np.float64), its, values)
    return found


def fit(method: Way, check_comparisons: Sequence[CheckComparison]) -> ReferenceFit | None:
    """Return a record tied to checks of which the record says something; None without any, or for a
    line with fewer than three at two instants.

    offset: the mean of their differences; line: a straight line through them; both weighted by
    1 / u². each: through every one.
    """
    checks = sorted(
        (
            check_comparison
            for check_comparison in check_comparisons
            if math.isfinite(check_comparison.difference)
        ),
        key=lambda one: one.check.at_ms,
    )
    times = np.array([check.check.at_ms for check in checks], np.int64)
    values = np.array([check.difference for check in checks])
    u = np.array([check.u for check in checks])
    if not len(times) or (method == "line" and not _can_fit_line(times)):
        return None
    made = _fitted(method, times, values, u)
    left_out = tuple(_leave_one_out_error(method, times, values, u, i) for i in range(len(times)))
    return ReferenceFit(method, made.knots, made.u, left_out, made.slope_a_day, made.u_slope)


def _can_fit_line(times: _Times) -> bool:
    return len(times) >= LEAST_FOR_A_LINE and times[-1] > times[0]


def _leave_one_out_error(method: Way, times: _Times, values: Values, u: Values, i: int) -> float:
    others = np.arange(len(times)) != i
    if not others.any():
        return math.nan
    rest = times[others]
    simpler: Way = "offset" if method == "line" and not _can_fit_line(rest) else method
    made = _fitted(simpler, rest, values[others], u[others])
    return float(values[i] - added(made.knots, times[i : i + 1])[0])


def _fitted(method: Way, times: _Times, values: Values, u: Values) -> ReferenceFit:
    if method == "each":
        at, first = np.unique(times, return_index=True)
        knots = tuple((int(t), float(values[i])) for t, i in zip(at, first, strict=True))
        return ReferenceFit(method, knots, float(u.max()), ())
    return (_line if method == "line" else _offset)(times, values, u)


def _weights(u: Values) -> Values:
    """1 / u², all alike where one has none."""
    return np.ones(len(u)) if (u <= 0).any() else 1 / u**2


def _offset(times: _Times, values: Values, u: Values) -> ReferenceFit:
    w = _weights(u)
    mean = float((w * values).sum() / w.sum())
    by_checks = math.sqrt(float((w**2 * u**2).sum())) / float(w.sum())
    spread = math.sqrt(float((w * (values - mean) ** 2).sum() / w.sum()))
    by_spread = 2 * spread / math.sqrt(len(values) - 1) if len(values) > 1 else 0.0
    return ReferenceFit("offset", ((int(times[0]), mean),), max(by_checks, by_spread), ())


def _line(times: _Times, values: Values, u: Values) -> ReferenceFit:
    """Least squares about the weighted mean instant, where offset and slope are independent."""
    w = _weights(u)
    days = (times - times[0]) / DAY_MS
    middle = float((w * days).sum() / w.sum())
    x = days - middle
    sxx = float((w * x**2).sum())
    mean, slope = float((w * values).sum() / w.sum()), float((w * x * values).sum()) / sxx
    off = values - mean - slope * x
    # by what the checks themselves are sure of, or by how they scatter: the larger
    scatter = float((w * off**2).sum()) / max(len(values) - 2, 1)
    own = 1.0 if (u > 0).all() else 0.0  # w are 1 / U² then
    variance = max(own, 4 * scatter)
    u_mean, u_slope = math.sqrt(variance / float(w.sum())), math.sqrt(variance / sxx)
    ends = tuple(
        (int(t), float(mean + slope * at)) for t, at in ((times[0], x[0]), (times[-1], x[-1]))
    )
    far = max(abs(float(x[0])), abs(float(x[-1])))
    return ReferenceFit("line", ends, math.hypot(u_mean, u_slope * far), (), slope, u_slope)
