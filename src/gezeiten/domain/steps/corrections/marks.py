"""Readings that a person takes out, doubts or keeps: bench readings before and after a deployment,
spikes, a sensor out of water. Of several marks on one reading the one said last stands."""

from __future__ import annotations

from typing import Any

from gezeiten.domain.series.series import Series
from gezeiten.domain.steps.corrections.kind import CorrectionKind, Order, Parameters, only_known

KEPT, SUSPECT, TAKEN_OUT = "kept", "suspect", "taken out"
MARKS = (KEPT, SUSPECT, TAKEN_OUT)


def _nothing(series: Series, _parameters: Parameters, _start_ms: int, _end_ms: int) -> Series:
    """Marks are put on all together, see `chain.corrected`."""
    return series


def _mark_checked(parameters: Parameters) -> dict[str, Any]:
    only_known(parameters, "mark", "cause")
    if parameters.get("mark") not in MARKS:
        raise ValueError("a mark is one of kept, suspect, taken out")
    return {"mark": parameters["mark"], "cause": str(parameters.get("cause", ""))}


def _mark_told(parameters: Parameters, _unit: str) -> str:
    cause = f" ({parameters['cause']})" if parameters["cause"] else ""
    return f"{parameters['mark']}{cause}"


def _trim_checked(parameters: Parameters) -> dict[str, Any]:
    only_known(parameters)
    return {}


TRIM = CorrectionKind(
    "trim", 1, Order.TRIM, "Not in place", _nothing, _trim_checked,
    lambda _parameters, _unit: "taken out",
)  # fmt: skip
MARK = CorrectionKind("mark", 1, Order.MARK, "Mark", _nothing, _mark_checked, _mark_told)


def mark_of(kind: str, parameters: Parameters) -> str:
    """Return what a step says of its readings, "" where it says nothing of them."""
    if kind == TRIM.key:
        return TAKEN_OUT
    return str(parameters["mark"]) if kind == MARK.key else ""
