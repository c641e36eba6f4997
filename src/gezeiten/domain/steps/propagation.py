"""How sure a value is that a formula makes of others: by slopes, and by draws where slopes mislead.

Source: docs/calculations.md, "Uncertainty"; JCGM 100:2008, 5.1.2, and JCGM 101:2008 for the draws.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from itertools import product

import numpy as np

from gezeiten.domain.series.series import Series, make_series
from gezeiten.domain.series.timeline import Values
from gezeiten.domain.steps.chain import Correction
from gezeiten.domain.steps.formulas.formula import Formula
from gezeiten.domain.steps.uncertainty import Uncertainty, UncertaintyShare, propagate_through

DRAWS, SEED = 1_000, 20_261
"""How many draws, and of which: the same figures on every computer, at every time."""
_MOST_BENT = 0.1
"""From here on a formula is not straight over what its inputs are unsure of."""
_COVERED = 0.9545
Inputs = Sequence[tuple[str, float, Uncertainty]]


def through(
    formula: Formula,
    parameters: Mapping[str, float],
    inputs: Inputs,
    steps: Iterable[Correction],
    at_ms: int = 0,
) -> Uncertainty:
    """Return how sure a value is that a formula makes of others.

    Args:
        inputs: name, value and how sure it is, by role; steps: of the calculated value's
            own chain, at an instant.

    Each share of an input goes through with the slope of the formula over ± u there; what two
    inputs share (a calibration of one sensor) with both, added with their signs. Where the formula
    is not straight over ± 2 u (a kink, a pole, a threshold), 1,000 draws with a fixed seed take the
    place of the slopes: ± U then covers 95 % of them. Behind it the steps of its own chain follow.
    Of a formula that looks back over time see `over_window`.
    """
    values = [value for _, value, _ in inputs]
    us = [sure.expanded / 2 for _, _, sure in inputs]
    slopes = [_slope(formula, parameters, values, us, place) for place in range(len(inputs))]
    shares: list[UncertaintyShare] = []
    for slope, (name, _, sure) in zip(slopes, inputs, strict=True):
        shares += [replace(share, u=share.u * slope, of=share.of or name) for share in sure.shares]
    together = _merge_shares(shares)
    if not _is_straight(formula, parameters, values, us, slopes):
        together = _as_drawn(together, formula, parameters, inputs)
    is_least = any(sure.is_least for _, _, sure in inputs)
    uncertainty = Uncertainty(tuple(together), is_least)
    return propagate_through(uncertainty, steps, _reading(formula, parameters, values, at_ms))


def _reading(
    formula: Formula, parameters: Mapping[str, float], values: Sequence[float], at_ms: int
) -> Series:
    made = _of(formula, parameters, np.array([values]))
    return make_series(np.array([at_ms], np.int64), made, 1)


def _of(formula: Formula, parameters: Mapping[str, float], inputs: Values) -> Values:
    """Return what a formula makes of inputs, (n, inputs), NaN where none."""
    with np.errstate(all="ignore"):
        made = formula.apply(tuple(np.ascontiguousarray(column) for column in inputs.T), parameters)
    values: Values = np.asarray(made[0], np.float64)
    return np.where(np.isfinite(values), values, np.nan)


def _slope(
    formula: Formula,
    parameters: Mapping[str, float],
    values: Sequence[float],
    us: Sequence[float],
    place: int,
) -> float:
    """Return by how much a formula's value changes with one input, from u below it to u above."""
    step = us[place] or 1e-4 * max(abs(values[place]), 1.0)
    inputs = np.array([values, values])
    inputs[:, place] += (-step, step)
    below, above = _of(formula, parameters, inputs).tolist()
    slope = (above - below) / (2 * step)
    return slope if math.isfinite(slope) else 0.0


def _is_straight(
    formula: Formula,
    parameters: Mapping[str, float],
    values: Sequence[float],
    us: Sequence[float],
    slopes: Sequence[float],
) -> bool:
    """Whether a formula is as good as straight over ± u and ± 2 u of its inputs, one by one and all
    at once."""
    there = np.array(values)
    moves = [
        np.eye(len(us))[place] * us[place] * by
        for place in range(len(us))
        if us[place] > 0
        for by in (1.0, 2.0)
    ]
    corners = list(product((1.0, -1.0), repeat=len(us)))[: 2 ** (len(us) - 1)]
    moves += [np.array(signs) * us for signs in corners]
    if not moves or not any(us):
        return True
    by = np.array(moves)
    inputs = np.vstack((there[None, :], there + by, there - by))
    made = _of(formula, parameters, inputs)
    if not np.isfinite(made).all():
        return False
    middle, above, below = made[0], made[1 : len(by) + 1], made[len(by) + 1 :]
    straight = by @ np.array(slopes)
    size = math.hypot(*(slope * u for slope, u in zip(slopes, us, strict=True)))
    bent = np.maximum(np.abs(above - middle - straight), np.abs(below - middle + straight))
    far = np.maximum(np.abs(straight), size)
    return bool((bent <= _MOST_BENT * far + 1e-12 * max(abs(float(middle)), 1e-9)).all())


def _as_drawn(
    shares: Sequence[UncertaintyShare],
    formula: Formula,
    parameters: Mapping[str, float],
    inputs: Inputs,
) -> list[UncertaintyShare]:
    """Return shares as large together as draws say; each as large a part of it as it is alone."""
    sources = _sources(inputs)
    whole = _half_width(formula, parameters, inputs, sources)
    if not math.isfinite(whole):
        return list(shares)
    alone = {
        key: _half_width(formula, parameters, inputs, {key: moves})
        for key, moves in sources.items()
    }
    alone = {key: width if math.isfinite(width) else 0.0 for key, width in alone.items()}
    size = math.hypot(*alone.values())
    found = [
        replace(share, u=math.copysign(alone[_key(share, share.of)], share.u))
        for share in shares
        if _key(share, share.of) in alone
    ]
    if size == 0 or not found:
        return [UncertaintyShare("resolution", whole / 2)] if whole else list(shares)
    return [replace(one, u=one.u / size * whole / 2) for one in found]


_Key = tuple[str, str, str]


def _key(share: UncertaintyShare, name: str) -> _Key:
    """Return what errs together: all shares of one kind that come from one step, else one share."""
    return (share.kind, share.step, "" if share.step else name)


def _sources(inputs: Inputs) -> dict[_Key, Values]:
    """Return by how much each source of error moves each input, (inputs,), by what it is."""
    found: dict[_Key, Values] = {}
    for place, (name, _, uncertainty) in enumerate(inputs):
        for share in uncertainty.shares:
            moves = found.setdefault(_key(share, share.of or name), np.zeros(len(inputs)))
            alone = not share.step
            moves[place] = math.hypot(moves[place], share.u) if alone else moves[place] + share.u
    return found


def _half_width(
    formula: Formula,
    parameters: Mapping[str, float],
    inputs: Inputs,
    sources: Mapping[_Key, Values],
) -> float:
    """Return how far from the value 95 % of the draws that give a value lie, at most; NaN where
    none does."""
    values = np.array([value for _, value, _ in inputs])
    errors = np.random.default_rng(SEED).standard_normal((DRAWS, max(len(sources), 1)))
    moves = np.array(list(sources.values())) if sources else np.zeros((1, len(values)))
    drawn = _of(formula, parameters, values + errors @ moves)
    there = float(_of(formula, parameters, values[None, :])[0])
    known = drawn[np.isfinite(drawn)]
    if not math.isfinite(there) or not len(known):
        return math.nan
    return float(np.quantile(np.abs(known - there), _COVERED))


def _merge_shares(shares: Iterable[UncertaintyShare]) -> list[UncertaintyShare]:
    """Return shares with those that come from one step added up, with their signs: the difference
    of two series by one sensor is not unsure of its calibration."""
    found: dict[tuple[str, str], UncertaintyShare] = {}
    alone: list[UncertaintyShare] = []
    for share in shares:
        if not share.step:
            alone.append(share)
            continue
        before = found.get((share.kind, share.step))
        if before is None:
            found[share.kind, share.step] = share
            continue
        names = " and ".join(dict.fromkeys((before.of, share.of)))
        found[share.kind, share.step] = replace(before, u=before.u + share.u, of=names)
    return [*found.values(), *alone]
