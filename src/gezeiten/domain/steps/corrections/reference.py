"""A record tied to what was read by hand: what is added follows from the checks of a deployment,
and stays with it, while a calibration goes with its sensor.

Source: docs/calculations.md, "Check readings".
"""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise
from typing import Any

from gezeiten.domain.base.wording import counted
from gezeiten.domain.series.series import Series
from gezeiten.domain.steps.checks.reference_fit import added
from gezeiten.domain.steps.corrections.kind import (
    CorrectionKind,
    Order,
    Parameters,
    number_of,
    refuse_unknown_parameters,
)

_MOST_KNOTS = 1_000
_WAYS = {"offset": "an offset", "line": "a straight line", "each": "through every check reading"}


def _fitted(series: Series, parameters: Parameters, _start_ms: int, _end_ms: int) -> Series:
    values = series.values + added(parameters["knots"], series.times_utc_ms)
    return replace(series, values=values)


def _checked(parameters: Parameters) -> dict[str, Any]:
    """knots: instants (UTC ms) and what is added there; checks: how many it was fitted to; below:
    the steps (ids) that stood before it then; to: of a level that was tied by dips whether it
    says levels above the sensor behind it, or heights as all did before."""
    refuse_unknown_parameters(parameters, "way", "knots", "u", "checks", "below", "to")
    if parameters.get("way") not in _WAYS:
        raise ValueError("a record is fitted by an offset, a line, or through every check reading")
    knots = [[int(at), float(value)] for at, value in parameters.get("knots") or []]
    if not 1 <= len(knots) <= _MOST_KNOTS:
        raise ValueError(f"it needs 1 to {_MOST_KNOTS} check readings")
    if any(b[0] <= a[0] for a, b in pairwise(knots)) or any(abs(v) > 1e9 for _, v in knots):
        raise ValueError("its check readings are not in order of time")
    return {
        "way": parameters["way"],
        "knots": knots,
        "u": number_of(parameters, "u", 0.0),
        "checks": int(number_of(parameters, "checks", 0)),
        "below": sorted(map(str, parameters.get("below") or [])),
        "to": "level" if parameters.get("to") == "level" else "height",
    }


def _describe(parameters: Parameters, unit: str) -> str:
    by = counted(parameters["checks"], "check", "checks")
    first, last = parameters["knots"][0][1], parameters["knots"][-1][1]
    until = f" to {last:+.3f}" if len(parameters["knots"]) > 1 else ""
    text = f"{_WAYS[parameters['way']]} by {by}: {first:+.3f}{until} {unit}"
    return f"{text.rstrip()} (±{parameters['u']:.3f})"


TIE = CorrectionKind(
    "tie",
    1,
    Order.REFERENCE,
    "Fitted to check readings",
    _fitted,
    _checked,
    _describe,
    is_fitted=True,
)
