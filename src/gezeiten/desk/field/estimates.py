"""What could fill a gap by estimates: the series' own cycles and companions, measured; and filling
it so."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any

from gezeiten.archive.local_cache.layout import layout
from gezeiten.archive.queries.sites import stored_point
from gezeiten.archive.store.ids import fresh_id
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.companions import companions
from gezeiten.desk.field.gaps import BookedGap
from gezeiten.desk.record.views.records import read_around
from gezeiten.domain.actions import Action
from gezeiten.domain.actions.gaps import Estimate, GapEstimated, fill_method_text
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.gaps import Gap
from gezeiten.domain.series.series import Series
from gezeiten.domain.series.timeline import DAY_MS, Span
from gezeiten.domain.steps.filling.candidates import (
    Candidate,
    candidates,
    estimate_refusal,
    is_significantly_better,
    ranked,
    straight,
)
from gezeiten.domain.steps.filling.cycles import TIDE_MS, may_be_of_water
from gezeiten.domain.steps.filling.hidden_periods import (
    has_enough_training_data,
    training_spans,
    trusted_readings,
)
from gezeiten.domain.steps.filling.scales import scale_of
from gezeiten.domain.steps.filling.unrest import Unrest, unrest_of
from gezeiten.domain.steps.fills import ExpectedError
from gezeiten.errors import InputError

_RAIN_MS = 60 * DAY_MS
"""So far around a gap what is summed is learnt from: it rains on few days."""
_BAND_DECIMALS = 10
"""More than any quantity is said with: what is cut off is what binary fractions leave."""
_MOST_READINGS = 100_000
"""Of a series that is learnt from: what lies further away is left."""


@dataclass(frozen=True, slots=True)
class FillMethod:
    """A way to fill all series of a gap. name: by what, in words; of: by series (its key), what
    would fill it; refusal: why it cannot serve, "" where it can; beats_line: it stands before a
    straight line in all of them; surely_beats_line: by more than chance; caution: why its
    errors, which were measured on ordinary stretches, can be larger here, "" where nothing says
    so; left: series (keys) of the gap that stay open, with the reason."""

    name: str
    of: dict[str, Candidate]
    refusal: str = ""
    beats_line: bool = False
    caution: str = ""
    surely_beats_line: bool = False
    left: dict[str, str] = field(default_factory=dict)

    @property
    def is_beyond(self) -> bool:
        """Whether a companion leaves the range it was known in."""
        return any(one.is_beyond for one in self.of.values())


def estimates(
    desk: Workspace,
    booked: BookedGap,
    report: Callable[[list[FillMethod]], None] = lambda _: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> list[FillMethod]:
    """Return the ways to estimate a gap, the best first; those that cannot serve last. report:
    called with the best known so far.

    Raises:
        ArchiveDamagedError: readings around it are damaged.
    """
    found: dict[str, list[Candidate]] = {}
    left: dict[str, str] = {}
    cautions = [_relaunched(desk, booked)]
    for key in booked.channels:
        learnt = _training_data(desk, booked, key)
        looked_at = companions(desk, booked, key, learnt.span) if not learnt.refusal else []
        why = learnt.refusal
        if not why and quantity(key).averages == "sum" and not looked_at:
            why = "no other series of this quantity has readings then"
        if why:
            left[key] = why
            continue
        found[key] = []
        cautions.append(_unrest_text(key, learnt.unrest))
        for candidate in candidates(
            learnt.series, booked.gap, quantity(key), looked_at, _seed(key), learnt.unrest
        ):
            if cancelled():
                return []
            found[key].append(candidate)
            report(_fill_methods(found, left, cautions))
    if not found:
        return [FillMethod("Estimates", {}, next(iter(left.values())))] if left else []
    return _fill_methods(found, left, cautions)


def _unrest_text(key: str, unrest: Unrest | None) -> str:
    if unrest is None:
        return ""
    return f"{quantity(key).name} beside it is among the {unrest.kind} known"


def _relaunched(desk: Workspace, booked: BookedGap) -> str:
    """Say so where a mission ended at a gap."""
    with desk.archive.reading() as session:
        assigned = layout(session).at_point(booked.point.id)
    gap = booked.gap
    its = {
        assignment.mission
        for assignment in assigned
        if assignment.series in booked.channels
        and assignment.start_ms < gap.end_ms + 1
        and assignment.end_ms > gap.start_ms - 1
    }
    return "a mission ended at it" if len(its) > 1 else ""


def _seed(key: str) -> int:
    return int.from_bytes(key.encode()[:8], "big")


def _fill_methods(
    found: dict[str, list[Candidate]], left: dict[str, str], cautions: list[str]
) -> list[FillMethod]:
    """Return ways that are found for all series, or refused for one; straight lines have their own
    rule and stand elsewhere.

    Args:
        left: series for which there is none, with the reason: they stay open; cautions: why the gap
            may be no ordinary one.
    """
    methods: dict[str, dict[str, Candidate]] = {}
    for key, listed in found.items():
        for one in listed:
            if one.kind != "line":
                methods.setdefault(fill_method_text(one.facts), {})[key] = one
    best: dict[str, Candidate] = {}
    for key, listed in found.items():
        serving = [candidate for candidate in ranked(listed) if candidate.kind != "line"]
        if serving:
            best[key] = serving[0]
    made = [_fill_method(name, of) for name, of in methods.items() if len(of) == len(found)]
    names = {fill_method_text(candidate.facts) for candidate in best.values()}
    if len(best) == len(found) and len(names) > 1:
        said = (f"{quantity(key).name} {fill_method_text(one.facts)}" for key, one in best.items())
        made.insert(0, FillMethod("; ".join(said), best))
    ranks = {id(one): i for listed in found.values() for i, one in enumerate(ranked(listed))}
    line = {key: one for key, listed in found.items() for one in listed if one.kind == "line"}
    serving_ways = [
        replace(
            way,
            beats_line=all(
                key not in line or ranks[id(one)] < ranks.get(id(line[key]), len(ranks))
                for key, one in way.of.items()
            ),
            caution=_caution(way, cautions),
            left=dict(left),
            surely_beats_line=all(
                key in line and is_significantly_better(one, line[key])
                for key, one in way.of.items()
            ),
        )
        for way in made
        if not way.refusal
    ]
    first = next(iter(found))
    serving_ways.sort(key=lambda way: ranks[id(way.of[first])])
    return serving_ways + [one for one in made if one.refusal]


def _caution(method: FillMethod, cautions: list[str]) -> str:
    beyond = ["a related series leaves its known range"] if method.is_beyond else []
    bands = [_BAND_WORDS[one.unrest] for one in method.of.values()]
    return "; ".join(dict.fromkeys(filter(None, [*cautions, *beyond, *bands])))


_BAND_WORDS = {
    "": "",
    "measured": "its error band was measured on periods that begin alike",
    "not measured": "its error band was widened for unrest, not measured",
}


def _fill_method(name: str, of: dict[str, Candidate]) -> FillMethod:
    refused = [candidate.refusal for candidate in of.values() if candidate.refusal]
    return FillMethod(name, of, refused[0] if refused else "")


def line_error(desk: Workspace, booked: BookedGap, key: str) -> tuple[ExpectedError | None, str]:
    """Return the error to be expected of a straight line over a gap of a series, or why there is
    none.

    Raises:
        ArchiveDamagedError: readings around it are damaged.
    """
    if quantity(key).averages == "sum":
        return None, "sums are never interpolated"
    learnt = _training_data(desk, booked, key)
    if learnt.refusal:
        return None, learnt.refusal
    line = straight(learnt.series, booked.gap, quantity(key), _seed(key), learnt.unrest)
    if line.refusal:
        return None, line.refusal
    lows, highs = _band(line)
    words = (_unrest_text(key, learnt.unrest), _BAND_WORDS[line.unrest])
    return ExpectedError(
        line.rmse,
        min(lows),
        max(highs),
        line.periods,
        tuple(lows),
        tuple(highs),
        "; ".join(filter(None, words)),
    ), ""


def _band(candidate: Candidate) -> tuple[list[float], list[float]]:
    """Return how far the band reaches below and above each reading that is filled in."""
    return (
        (candidate.low - candidate.fill.values).round(_BAND_DECIMALS).tolist(),
        (candidate.high - candidate.fill.values).round(_BAND_DECIMALS).tolist(),
    )


@dataclass(frozen=True, slots=True)
class _TrainingData:
    """What a fill of a series is learnt from. span: from where; refusal: nothing can be filled, ""
    where it can; unrest: what is unusual beside the gap."""

    series: Series
    span: Span
    refusal: str
    unrest: Unrest | None


def _training_data(desk: Workspace, booked: BookedGap, key: str) -> _TrainingData:
    """Return the known readings of a series around a gap, from as far as is needed; beside what is
    unusual all of them: stretches that begin alike are few."""
    gap, its = booked.gap, quantity(key)
    at_least_ms = TIDE_MS if may_be_of_water(its.unit) else 0
    if its.averages == "sum":
        at_least_ms = _RAIN_MS
    whole = _known_readings(desk, booked, key)
    unrest = None
    if its.averages == "plain":
        unrest = unrest_of(whole, gap, scale_of(its).forward(whole.values))
    ends = (int(whole.times_utc_ms[0]), int(whole.times_utc_ms[-1]) + 1) if len(whole) else (0, 1)
    series, span = whole, ends
    for span in training_spans(gap, at_least_ms) if unrest is None else ():
        series = whole.between(*span)
        is_all = span[0] <= ends[0] and span[1] >= ends[1]
        if is_all or has_enough_training_data(series, gap):
            break
    return _TrainingData(series, span, estimate_refusal(series, gap, its), unrest)


def _known_readings(desk: Workspace, booked: BookedGap, key: str) -> Series:
    """Return the known readings of a series, of a very long record those nearest to the gap."""
    gap = booked.gap
    reach_ms = _MOST_READINGS // 2 * gap.interval_ms
    span = (gap.start_ms - reach_ms, gap.end_ms + reach_ms)
    return trusted_readings(read_around(desk, booked.point.id, key, span).between(*span))


# -- doing -----------------------------------------------------------------------------------------
def fill_by_method(desk: Workspace, booked: BookedGap, method: FillMethod) -> None:
    """Fill a gap by estimates that were looked at.

    Raises:
        InputError: this way cannot serve.
    """
    run = method_action(booked, method)
    with desk.archive.writing() as session:
        desk.do_within(session, run(stored_point(session, booked.point.id).uid))


def method_action(booked: BookedGap, method: FillMethod) -> Callable[[str], Action]:
    """Return the action that fills a gap by estimates, for its point (its id).

    Raises:
        InputError: this way cannot serve.
    """
    if method.refusal or not method.of:
        raise InputError(
            f"This gap cannot be filled that way ({method.refusal or 'nothing was found'})."
        )
    made = tuple(_estimate(booked.gap, key, one, method.caution) for key, one in method.of.items())
    return lambda point: GapEstimated(point, booked.gap, made)


def _estimate(gap: Gap, key: str, candidate: Candidate, caution: str) -> Estimate:
    fill = candidate.fill
    places = ((fill.times_utc_ms - gap.start_ms) // gap.interval_ms).tolist()
    values = _at_places(places, fill.values.tolist())
    facts: dict[str, Any] = {
        name: value for name, value in candidate.facts.items() if name != "which"
    }
    lows, highs = _band(candidate)
    facts |= {
        "way": candidate.kind,
        "rmse": candidate.rmse,
        "low": min(lows),
        "high": max(highs),
        "lows": _at_places(places, lows),
        "highs": _at_places(places, highs),
        "stretches": candidate.periods,
        "at_least": candidate.is_worded,
        "beyond": candidate.is_beyond,
    }
    if candidate.of_sum:
        facts["of_sum"] = True
    if caution:
        facts["caution"] = caution
    return Estimate(fresh_id(), key, tuple(values), facts)


def _at_places(places: list[int], given: list[float]) -> list[float | None]:
    """Return values by their place in a gap, None where there is none."""
    found: list[float | None] = [None] * (max(places, default=-1) + 1)
    for place, value in zip(places, given, strict=True):
        found[place] = value
    return found
