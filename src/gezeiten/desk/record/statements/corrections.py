"""The chain of a series, from its source to the record: seen, switched, tried before it is kept."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from gezeiten.archive.local_cache.layout import Layout, layout
from gezeiten.archive.queries.clocks import clocks_in_force, disabled_clocks
from gezeiten.archive.queries.corrections import chain_of, corrections_at
from gezeiten.archive.queries.missions import missions_by_id
from gezeiten.archive.queries.sites import stored_point
from gezeiten.archive.queries.steps import all_steps
from gezeiten.archive.store.ids import fresh_id
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.record.fills import fills_of_series, with_fill_switched
from gezeiten.desk.record.statements.calculated_series import formula_texts
from gezeiten.desk.record.views.records import uncorrected
from gezeiten.desk.sites.places import PointPlace
from gezeiten.domain.actions.base import instant_text
from gezeiten.domain.actions.corrections import (
    CorrectionSet,
    CorrectionSwitched,
    CorrectionWithdrawn,
)
from gezeiten.domain.facts.stored import StoredClockCorrection
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.assignments import SeriesAssignment
from gezeiten.domain.series.series import Series
from gezeiten.domain.series.series_keys import channel_of
from gezeiten.domain.series.timeline import DAY_MS, Span
from gezeiten.domain.steps.chain import Correction, corrected, in_order, outdated_marked
from gezeiten.domain.steps.corrections import CORRECTIONS
from gezeiten.domain.steps.corrections.calibration import CERTIFICATE
from gezeiten.domain.steps.steps import RecordStep
from gezeiten.errors import InputError

_PROPOSED = "proposed"
_BESIDE_MS = DAY_MS
_LOOKED_AT_MS = 4 * DAY_MS


@dataclass(frozen=True, slots=True)
class SeriesAssignmentView:
    """What feeds a series from when to when: its source, and the number of its mission."""

    source: str
    is_logger: bool
    mission: int
    assignment: SeriesAssignment


@dataclass(frozen=True, slots=True)
class Chain:
    """How a series comes from its source to the record. formula_text: of a calculated one in words,
    "" else; corrections: in the order in which they are applied, on or off; fills: of its gaps,
    those that stand and those that can stand again; clocks: of its missions, that were put right;
    disabled_clocks: what would put some right if it were switched on."""

    assignments: tuple[SeriesAssignmentView, ...]
    formula_text: str
    corrections: tuple[Correction, ...]
    fills: tuple[RecordStep, ...]
    clocks: tuple[StoredClockCorrection, ...] = ()
    disabled_clocks: tuple[StoredClockCorrection, ...] = ()


@dataclass(frozen=True, slots=True)
class Effect:
    """What a change of the chain does to the readings of a stretch.

    before, after: measured readings as they stand, and as they would; changed: how many of those in
    both have another value; removed, restored: how many there are no longer, or again; suspect: how
    many more are suspect; mean: the mean of the differences after - before over `changed`, most:
    the largest by size, with its sign; both 0 where nothing changes.
    """

    before: Series
    after: Series
    changed: int
    removed: int
    restored: int
    suspect: int
    mean: float
    most: float


# -- looking ---------------------------------------------------------------------------------------
def chain(desk: Workspace, point: PointPlace, series: str) -> Chain:
    """Return the chain of a series (its key) of a point."""
    with desk.archive.reading() as session:
        made = layout(session)
        assignments = made.of_series(point.id, made.root_of(point.id, series))
        missions = missions_by_id(session, {feed.mission for feed in assignments})
        corrections = in_order(chain_of(session, point.id, series))
        clocks, off = clocks_in_force(session), disabled_clocks(session)
        fills = fills_of_series(all_steps(session, point.id), series)
    seen = tuple(
        SeriesAssignmentView(
            feed.deployment.stay.source,
            feed.deployment.stay.is_logger,
            missions[feed.mission].number,
            feed,
        )
        for feed in assignments
    )
    how = formula_texts(desk, point).get(series, "")
    its = dict.fromkeys(feed.mission for feed in assignments)
    return Chain(
        seen,
        how,
        tuple(corrections),
        tuple(fills),
        tuple(clocks[one] for one in its if one in clocks),
        tuple(off[one] for one in its if one in off and one not in clocks),
    )


def active_corrections(desk: Workspace, point: PointPlace) -> list[Correction]:
    """Return the steps of all series of a point that are on, in the order of their chains."""
    with desk.archive.reading() as session:
        return [one for one in in_order(corrections_at(session, point.id)) if one.is_on]


def fitted_on_another_state(one: RecordStep, corrections: tuple[Correction, ...]) -> bool:
    """Whether a fill was made before the readings beside it were corrected otherwise: it stays, and
    is to be rebuilt."""
    beside = (one.start_ms - one.interval_ms, one.end_ms + one.interval_ms)
    return any(step.stated_ms > one.made_ms and step.touches(*beside) for step in corrections)


def proposed(
    point: PointPlace,
    series: str,
    kind: str,
    span: tuple[int, int | None],
    parameters: Mapping[str, Any],
) -> Correction:
    """Return a step that nobody kept yet.

    Raises:
        InputError: it makes no sense; the sentence says why.
    """
    newest = max(version for key, version in CORRECTIONS if key == kind)
    its = CORRECTIONS[kind, newest]
    try:
        checked = its.checked(parameters)
    except ValueError as exc:
        raise InputError(f"“{its.name}” cannot be applied: {exc}.") from exc
    start_ms, end_ms = span
    if end_ms is not None and end_ms <= start_ms:
        raise InputError("The end must be after the start; correct one of the two.")
    if kind == "points" and checked["as_found"] and end_ms is None:
        raise InputError("Points at the end need an end; enter until when.")
    return Correction(_PROPOSED, "", series, kind, newest, start_ms, end_ms, checked, "", 2**62, "")


def effect(
    desk: Workspace,
    point: PointPlace,
    series: str,
    span: Span,
    *,
    step: Correction | None = None,
    switched: str = "",
    instead_of: tuple[str, ...] = (),
) -> Effect:
    """Return what a proposed step, or one (its id) that is switched, does in a stretch.

    Args:
        instead_of: kinds of steps in the stretch of the proposed one that it would replace.

    Raises:
        ArchiveDamagedError: readings are damaged.
    """
    with desk.archive.reading() as session:
        corrections = chain_of(session, point.id, series)
    source = uncorrected(desk, point.id, series, span)
    changed = [
        replace(correction, is_on=not correction.is_on)
        if correction.uid == switched
        else correction
        for correction in corrections
    ]
    if step is not None:
        changed = [
            one
            for one in changed
            if one.kind not in instead_of or not one.touches(step.start_ms, step.until_ms)
        ] + [step]
    changed = outdated_marked(changed)
    return compared(corrected(source, corrections), corrected(source, changed))


def effect_of_fill(desk: Workspace, point: PointPlace, step: RecordStep, span: Span) -> Effect:
    """Return what switching a fill does in a stretch, its estimates among the readings.

    Raises:
        ArchiveDamagedError: readings are damaged.
    """
    return compared(*with_fill_switched(desk, point, step, span))


def compared(before: Series, after: Series) -> Effect:
    """Return how two states of the same readings differ."""
    both, a, b = np.intersect1d(
        before.times_utc_ms, after.times_utc_ms, assume_unique=True, return_indices=True
    )
    differences = after.values[b] - before.values[a]
    moved = differences[differences != 0]
    doubted = int((after.quality == 1).sum()) - int((before.quality == 1).sum())
    most = float(moved[np.argmax(np.abs(moved))]) if len(moved) else 0.0
    mean = float(moved.mean()) if len(moved) else 0.0
    return Effect(
        before,
        after,
        len(moved),
        len(before) - len(both),
        len(after) - len(both),
        doubted,
        mean,
        most,
    )


# -- doing -----------------------------------------------------------------------------------------
def save_correction(desk: Workspace, point: PointPlace, step: Correction, words: str) -> str:
    """Keep a proposed step; returns its id.

    Raises:
        InputError: no words, or there is no such series.
    """
    if not words.strip():
        raise InputError("Enter a reason; it is shown beside the correction.")
    with desk.archive.reading() as session:
        uid, made = stored_point(session, point.id).uid, layout(session)
        if not (made.of_series(point.id, step.series) or made.calculated(point.id, step.series)):
            raise InputError("This point has no such series; choose one from the list.")
        _refuse_other_sensor(made, point, step)
    key = fresh_id()
    desk.do(
        CorrectionSet(
            uid,
            key,
            step.series,
            step.kind,
            step.version,
            step.start_ms,
            step.end_ms,
            step.parameters,
            words.strip(),
        )
    )
    return key


def of_another_sensor(
    step: Correction, assignments: Iterable[SeriesAssignment]
) -> SeriesAssignment | None:
    """Return the first that feeds a series in the stretch of a calibration by a certificate of
    another logger; None where there is none, or no certificate."""
    certificate = step.parameters.get(CERTIFICATE)
    if certificate is None:
        return None
    its = (
        feed
        for feed in assignments
        if feed.deployment.stay.source != certificate["serial"]
        and step.touches(feed.start_ms, feed.end_ms)
    )
    return next(its, None)


def _refuse_other_sensor(made: Layout, point: PointPlace, step: Correction) -> None:
    root = made.root_of(point.id, step.series)
    other = of_another_sensor(step, made.of_series(point.id, root))
    if other is None:
        return
    own, source = step.parameters[CERTIFICATE]["serial"], other.deployment.stay.source
    since = instant_text(max(other.start_ms, step.start_ms), point.zone)
    raise InputError(
        f"The certificate is for {own}, but from {since} on {source} measured "
        f"here; end the correction there, or choose the certificate of {source}."
    )


def switch(desk: Workspace, point: PointPlace, step: Correction, words: str = "") -> None:
    """Switch a step off, or on again.

    Raises:
        InputError: somebody did so meanwhile, or took it back.
    """
    desk.do(
        CorrectionSwitched(
            step.point,
            step.uid,
            step.series,
            step.start_ms,
            step.end_ms,
            not step.is_on,
            words.strip(),
        )
    )


def withdraw_correction(desk: Workspace, point: PointPlace, step: Correction) -> None:
    """Take a step back: the record is exactly what it was without it."""
    desk.do(CorrectionWithdrawn(step.point, step.uid, step.series, step.start_ms, step.end_ms))


def step_text(step: Correction) -> str:
    """Return what a step does, in words."""
    return step.does.describe(step.parameters, quantity(channel_of(step.series)).unit)
