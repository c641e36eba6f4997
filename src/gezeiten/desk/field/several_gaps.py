"""Many gaps of one kind in one action, under a rule: listed before it is done, undone in one."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Literal

from gezeiten.archive.actions.execution import do
from gezeiten.archive.queries.sites import stored_point
from gezeiten.archive.queries.steps import active_steps
from gezeiten.archive.store.ids import fresh_id
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.alternative_sources import alternative_action, by_others
from gezeiten.desk.field.estimates import estimates, method_action
from gezeiten.desk.field.gap_filling import line_action, line_offer
from gezeiten.desk.field.gaps import BookedGap, gaps
from gezeiten.domain.actions import Action
from gezeiten.domain.actions.gaps import GapFillWithdrawn, GapLeftOpen
from gezeiten.errors import InputError

RuleKind = Literal["line", "best", "leave"]


@dataclass(frozen=True, slots=True)
class GapRule:
    """What is done about each gap. kind: a straight line where the point's rule allows one; the
    best estimate that does better than a line; or left open. longest_ms: of longer ones nothing is
    done. reason: why they are left open."""

    kind: RuleKind
    longest_ms: int
    reason: str = ""


@dataclass(frozen=True, slots=True)
class PlannedFill:
    """What would be done about a gap. name: by what, in words; errors: expected, by series;
    refusal: why nothing is done, "" where something is; action: for the point's id."""

    booked: BookedGap
    name: str
    errors: dict[str, float]
    refusal: str
    action: Callable[[str], Action] | None


def listed(
    desk: Workspace,
    rule: GapRule,
    chosen: Sequence[BookedGap],
    report: Callable[[PlannedFill], None] = lambda _: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> list[PlannedFill]:
    """Return what a rule would do about some gaps, one after the other; nothing is done yet.

    Args:
        report: hears of each; cancelled: ends with what was looked at.

    Raises:
        InputError: gaps are to be left open, and nobody said why.
    """
    if rule.kind == "leave" and not rule.reason.strip():
        raise InputError(
            "Give a reason for leaving these gaps open; it is shown beside each of them."
        )
    found = []
    for booked in chosen:
        if cancelled():
            break
        fill = _planned_fill(desk, rule, booked, cancelled)
        if cancelled():
            break  # what was found by then may not be the best
        found.append(fill)
        report(fill)
    return found


def _planned_fill(
    desk: Workspace, rule: GapRule, booked: BookedGap, cancelled: Callable[[], bool]
) -> PlannedFill:
    if booked.gap.length_ms > rule.longest_ms:
        return PlannedFill(booked, "", {}, "longer than the maximum given", None)
    if rule.kind == "leave":
        return PlannedFill(booked, "left open", {}, "", _leaving(booked, rule.reason.strip()))
    if rule.kind == "line":
        return _by_line(desk, booked)
    return _by_best(desk, booked, cancelled)


def _leaving(booked: BookedGap, reason: str) -> Callable[[str], Action]:
    return lambda point: GapLeftOpen(point, fresh_id(), booked.gap, reason, booked.channels)


def _by_line(desk: Workspace, booked: BookedGap) -> PlannedFill:
    offer = line_offer(desk, booked)
    if offer.refusal:
        return PlannedFill(booked, "", {}, offer.refusal, None)
    errors = {key: one.rmse for key, one in offer.errors.items()}
    return PlannedFill(booked, "by a straight line", errors, "", line_action(desk, booked, offer))


def _by_best(desk: Workspace, booked: BookedGap, cancelled: Callable[[], bool]) -> PlannedFill:
    """What another source measured at the point where one did in all of its series; else the best
    estimate; the line where that does better, as far as the point's rule allows it."""
    for other in by_others(desk, booked):
        if not other.refusal and len(other.parts) == len(booked.channels):
            return PlannedFill(
                booked,
                f"measured by {other.name}",
                {},
                "",
                partial(alternative_action, booked, other),
            )
    methods = estimates(desk, booked, cancelled=cancelled)
    serving = [method for method in methods if not method.refusal]
    if not serving or not serving[0].beats_line:
        line = _by_line(desk, booked)
        if not line.refusal or not serving:
            refusal = line.refusal and (methods[0].refusal if methods else line.refusal)
            return PlannedFill(booked, line.name, line.errors, refusal, line.action)
    best = serving[0]
    errors = {key: one.rmse for key, one in best.of.items()}
    return PlannedFill(booked, best.name, errors, "", method_action(booked, best))


def do_all(desk: Workspace, fills: Iterable[PlannedFill]) -> int:
    """Do what is listed, all of it or nothing; returns about how many gaps.

    Raises:
        InputError: one of them cannot be done any more; nothing was.
    """
    wanted = [(fill.booked, fill.action) for fill in fills if fill.action is not None]
    if not wanted:
        raise InputError("No gap can be filled this way; select gaps that can.")
    said = desk.authorship  # one instant and one person: so they are known to belong together
    with desk.archive.writing() as session:
        for booked, action in wanted:
            do(session, action(stored_point(session, booked.point.id).uid), said)
    return len(wanted)


def gaps_of_same_action(desk: Workspace, booked: BookedGap) -> list[BookedGap]:
    """Return the gaps about which something was done in the same action as about one, itself among
    them; only itself where it was done alone."""
    with desk.archive.reading() as session:
        by_point = active_steps(session)
    authors = {step.id: (step.made_ms, step.made_by) for its in by_point.values() for step in its}
    actions = {authors[step] for step in booked.steps if step in authors}
    return [gap for gap in gaps(desk) if any(authors.get(step) in actions for step in gap.steps)]


def undo_all(desk: Workspace, chosen: Sequence[BookedGap]) -> None:
    """Undo what was done about some gaps, all of it or nothing."""
    said = desk.authorship
    with desk.archive.writing() as session:
        for booked_gap in chosen:
            uid = stored_point(session, booked_gap.point.id).uid
            do(
                session,
                GapFillWithdrawn(uid, booked_gap.gap, booked_gap.steps, booked_gap.state),
                said,
            )
