"""Calibration: what a sensor shows made what it should show, by offset and gain or by points.

Source: docs/calculations.md, "Corrections"; c(x, t) = reference - indicated.
"""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise
from typing import Any

import numpy as np

from gezeiten.domain.series.quality import Quality, worst
from gezeiten.domain.series.series import Series
from gezeiten.domain.series.timeline import EVER_MS, Values
from gezeiten.domain.steps.corrections.kind import (
    CorrectionKind,
    Order,
    Parameters,
    number_of,
    refuse_unknown_parameters,
)

CERTIFICATE = "certificate"
"""Of a calibration: by whose certificate, where by one."""
_MOST_POINTS = 50


def _linear(series: Series, parameters: Parameters, _start_ms: int, _end_ms: int) -> Series:
    """y = offset + gain x."""
    return replace(series, values=parameters["offset"] + parameters["gain"] * series.values)


def _linear_checked(parameters: Parameters) -> dict[str, Any]:
    refuse_unknown_parameters(parameters, "offset", "gain", "u", CERTIFICATE)
    offset, gain = number_of(parameters, "offset", 0.0), number_of(parameters, "gain", 1.0)
    if gain == 0:
        raise ValueError("a gain of 0 makes all readings equal")
    if offset == 0 and gain == 1:
        raise ValueError("an offset of 0 with a gain of 1 changes nothing")
    return {
        "offset": offset,
        "gain": gain,
        "u": _uncertainty(parameters),
        **_certificate(parameters),
    }


def _describe_linear(parameters: Parameters, unit: str) -> str:
    parts = []
    if parameters["offset"]:
        parts.append(f"offset {parameters['offset']:+g} {unit}".strip())
    if parameters["gain"] != 1:
        parts.append(f"gain {parameters['gain']:g}")
    rest = f"{_describe_uncertainty(parameters, unit)}{_describe_certificate(parameters)}"
    return f"{', '.join(parts)}{rest}"


def _certificate(parameters: Parameters) -> dict[str, Any]:
    """Return whose certificate says so, nothing where none does: {serial, name}."""
    said = parameters.get(CERTIFICATE)
    if said is None:
        return {}
    try:
        serial, name = str(said["serial"]), str(said["name"])
    except (KeyError, TypeError):
        raise ValueError(
            "a calibration certificate needs the serial of its logger and a name"
        ) from None
    return {CERTIFICATE: {"serial": serial, "name": name}}


def _describe_certificate(parameters: Parameters) -> str:
    said = parameters.get(CERTIFICATE)
    return f", certificate {said['name']} of {said['serial']}" if said else ""


def _uncertainty(parameters: Parameters) -> float:
    u = number_of(parameters, "u", 0.0)
    if u < 0:
        raise ValueError("an uncertainty cannot be below 0")
    return u


def _describe_uncertainty(parameters: Parameters, unit: str) -> str:
    return f" (±{parameters['u']:g} {unit})".replace(" )", ")") if parameters["u"] else ""


def correction_at(points: list[list[float]], indicated: Values) -> Values:
    """Return the correction of readings, reference - indicated, (n,): linear between the points of
    a certificate, that of the nearest end beyond them.

    Args:
        points: (indicated, reference), by what was indicated, strictly rising.
    """
    xs = np.array([point[0] for point in points])
    cs = np.array([point[1] - point[0] for point in points])
    if len(xs) == 1:
        return np.full(len(indicated), cs[0])
    below = np.clip(np.searchsorted(xs, indicated, side="right") - 1, 0, len(xs) - 2)
    part = np.clip((indicated - xs[below]) / (xs[below + 1] - xs[below]), 0.0, 1.0)
    found: Values = cs[below] + (cs[below + 1] - cs[below]) * part
    return found


def _by_points(series: Series, parameters: Parameters, start_ms: int, end_ms: int) -> Series:
    """Add the correction of the points; where those of the end differ (the next certificate as
    found), linear in time from the one to the other. Beyond the points readings are suspect."""
    first, last = parameters["points"], parameters["as_found"]
    correction = correction_at(first, series.values)
    if last and end_ms < EVER_MS:
        part = (series.times_utc_ms - start_ms) / (end_ms - start_ms)
        correction = correction + (correction_at(last, series.values) - correction) * part
    beyond = (series.values < first[0][0]) | (series.values > first[-1][0])
    beyond &= len(first) > 1  # one point says nothing of how far it holds
    codes = np.where(beyond, np.uint8(Quality.SUSPECT), np.uint8(Quality.GOOD))
    return replace(series, values=series.values + correction, quality=worst(series.quality, codes))


def _points_checked(parameters: Parameters) -> dict[str, Any]:
    refuse_unknown_parameters(parameters, "points", "as_found", "u", CERTIFICATE)
    points = _as_points(parameters.get("points") or [])
    if not points:
        raise ValueError("a calibration needs at least one point")
    return {
        "points": points,
        "as_found": _as_points(parameters.get("as_found") or []),
        "u": _uncertainty(parameters),
        **_certificate(parameters),
    }


def _as_points(listed: Any) -> list[list[float]]:
    try:
        points = sorted([float(x), float(reference)] for x, reference in listed)
    except (TypeError, ValueError):
        raise ValueError("each point needs a reading and a reference, both numbers") from None
    if len(points) > _MOST_POINTS:
        raise ValueError(f"there are more than {_MOST_POINTS} points")
    if not all(np.isfinite(point).all() for point in points):
        raise ValueError("each point needs a reading and a reference, both numbers")
    if any(a[0] == b[0] for a, b in pairwise(points)):
        raise ValueError("two points have the same reading")
    if any(b[1] <= a[1] for a, b in pairwise(points)):
        raise ValueError("the references must rise with the readings")
    return points


def _describe_points(parameters: Parameters, unit: str) -> str:
    first, last = parameters["points"], parameters["as_found"]
    text = ", ".join(f"{x:g} → {reference:g}" for x, reference in first)
    until = ", ".join(f"{x:g} → {reference:g}" for x, reference in last)
    drift = f"; at the end {until}" if last else ""
    certificate = _describe_certificate(parameters)
    return f"{text} {unit}".rstrip() + drift + _describe_uncertainty(parameters, unit) + certificate


LINEAR = CorrectionKind(
    "linear", 1, Order.CALIBRATION, "Offset and gain", _linear, _linear_checked, _describe_linear
)
POINTS = CorrectionKind(
    "points",
    1,
    Order.CALIBRATION,
    "Calibration points",
    _by_points,
    _points_checked,
    _describe_points,
)
