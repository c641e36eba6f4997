"""Readings that a person takes out, doubts or keeps: bench readings before and after a deployment,
spikes, a sensor out of water. Of several marks on one reading the one said last stands."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.series.series import Series
from gezeiten.domain.steps.corrections.kind import (
    CorrectionKind,
    Order,
    Parameters,
    refuse_unknown_parameters,
)

KEPT, SUSPECT, TAKEN_OUT = "kept", "suspect", "taken out"
MARKS = (KEPT, SUSPECT, TAKEN_OUT)
MOST_PERIODS = 10_000
"""That one mark may name; more want a shorter stretch, or another number."""


def _unchanged(series: Series, _parameters: Parameters, _start_ms: int, _end_ms: int) -> Series:
    """Marks are put on all together, see `chain.corrected`."""
    return series


def _mark_checked(parameters: Parameters) -> dict[str, Any]:
    """stretches: those of the step's that are meant, [begin, end) each, in order of time; none:
    all of it. of: the fingerprint of the bytes that say so, "" where a person does."""
    refuse_unknown_parameters(parameters, "mark", "cause", "stretches", "of")
    if parameters.get("mark") not in MARKS:
        raise ValueError("a mark is one of kept, suspect, taken out")
    spans = [[int(begin), int(end)] for begin, end in parameters.get("stretches") or []]
    if len(spans) > MOST_PERIODS:
        raise ValueError(f"it would have {len(spans)} periods; at most {MOST_PERIODS} are allowed")
    edges = [at for one in spans for at in one]
    if any(b < a for a, b in pairwise(edges)):
        raise ValueError("its periods are not in order of time")
    return {
        "mark": parameters["mark"],
        "cause": str(parameters.get("cause", "")),
        "stretches": spans,
        "of": str(parameters.get("of", "")),
    }


def _describe_mark(parameters: Parameters, _unit: str) -> str:
    cause = f" ({parameters['cause']})" if parameters["cause"] else ""
    count = len(parameters["stretches"])
    where = f", {count} periods" if count > 1 else ""
    return f"{parameters['mark']}{cause}{where}"


def marked_spans(parameters: Parameters, start_ms: int, end_ms: int) -> NDArray[np.int64]:
    """Return the stretches that a step means, int64 (k, 2), its own [start, end) where it names
    none."""
    spans = parameters.get("stretches") or [[start_ms, end_ms]]
    return np.array(spans, np.int64)


def _trim_checked(parameters: Parameters) -> dict[str, Any]:
    refuse_unknown_parameters(parameters)
    return {}


TRIM = CorrectionKind(
    "trim",
    1,
    Order.TRIM,
    "Not in place",
    _unchanged,
    _trim_checked,
    lambda _parameters, _unit: "removed",
)
MARK = CorrectionKind("mark", 1, Order.MARK, "Mark", _unchanged, _mark_checked, _describe_mark)


def mark_of(kind: str, parameters: Parameters) -> str:
    """Return what a step says of its readings, "" where it says nothing of them."""
    if kind == TRIM.key:
        return TAKEN_OUT
    return str(parameters["mark"]) if kind == MARK.key else ""
