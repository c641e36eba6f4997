"""Which source stood where, and which feeds which series from when to when.

Both follow from the missions there are and from what people decided, never from the order in which
anything came. At any instant one source feeds a series; no reading at a point is in none.
Source: docs/record.md.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from itertools import pairwise
from typing import TypeVar

from gezeiten.domain.series.clocks.clock_map import RIGHT, ClockMap
from gezeiten.domain.series.series_keys import MAIN, series_key
from gezeiten.domain.series.timeline import EVER_MS, Span

NOWHERE = ""
"""Where a source was that was at no point."""


@dataclass(frozen=True, slots=True)
class MissionStay:
    """A mission at the point it was launched for; of texts and live lines, their source there.

    point: its id; arrived_ms: its launch, or when the first text came; first_ms: its first reading
    due, 0 where it waits for its button; channels: what it measures. Instants are UTC ms, in true
    time. clock: what puts the instants of its readings right. is_clock_wrong: its logger's clock
    was wrong, and nothing puts it right: its readings are suspect.
    """

    mission: str
    source: str
    is_logger: bool
    point: str
    arrived_ms: int
    first_ms: int
    channels: tuple[str, ...]
    clock: ClockMap = RIGHT
    is_clock_wrong: bool = False


@dataclass(frozen=True, slots=True)
class StatedDeployment:
    """Somebody said where a source was in [start_ms, end_ms): a point's id, or NOWHERE."""

    source: str
    point: str
    start_ms: int
    end_ms: int


@dataclass(frozen=True, slots=True)
class StatedAssignment:
    """Somebody said that a source feeds the series of a label in [start_ms, end_ms)."""

    point: str
    channel: str
    label: str
    source: str
    start_ms: int
    end_ms: int


@dataclass(frozen=True, slots=True)
class Deployment:
    """A source at a point in [start_ms, end_ms), with the mission that recorded there."""

    stay: MissionStay
    point: str
    start_ms: int
    end_ms: int

    @property
    def span(self) -> Span:
        """From when to when."""
        return (self.start_ms, self.end_ms)

    @property
    def first_ms(self) -> int:
        """From when on a reading of its mission was due there."""
        return max(self.start_ms, self.stay.first_ms)


@dataclass(frozen=True, slots=True)
class SeriesAssignment:
    """A mission's readings of a channel in [start_ms, end_ms) belong to a series of a point."""

    point: str
    channel: str
    label: str
    deployment: Deployment
    start_ms: int
    end_ms: int

    @property
    def series(self) -> str:
        """The key of its series."""
        return series_key(self.channel, self.label)

    @property
    def mission(self) -> str:
        """The id of the mission that feeds it."""
        return self.deployment.stay.mission

    @property
    def clock(self) -> ClockMap:
        """What puts the instants of its readings right."""
        return self.deployment.stay.clock

    @property
    def is_clock_wrong(self) -> bool:
        """Whether its readings are dated wrongly."""
        return self.deployment.stay.is_clock_wrong


# -- who stood where -------------------------------------------------------------------------------
def deployments(
    stays: Iterable[MissionStay], said: Sequence[StatedDeployment] = ()
) -> list[Deployment]:
    """Return where sources stood, by source and time.

    A logger's mission stands at the point it was launched for until its next mission begins; a text
    or a live line at the point it was tied to. What people said, the later over the earlier, wins.

    Args:
        said: in the order in which it was said.
    """
    by_source: dict[str, list[MissionStay]] = {}
    for stay in stays:
        if stay.first_ms:
            by_source.setdefault(stay.source, []).append(stay)
    said_of: dict[str, list[StatedDeployment]] = {}
    for deployment in said:
        said_of.setdefault(deployment.source, []).append(deployment)
    found: list[Deployment] = []
    for source, its in sorted(by_source.items()):
        stood = _usual(its)
        for one in said_of.get(source, []):
            stood = _cut(stood, (one.start_ms, one.end_ms), partial(_with_target, to=one.point))
        found += sorted(stood, key=lambda one: one.start_ms)
    return [deployment for deployment in found if deployment.point != NOWHERE]


def _with_target(part: Deployment, to: str) -> Deployment:
    return replace(part, point=to)


def _usual(stays: list[MissionStay]) -> list[Deployment]:
    stays = sorted(stays, key=lambda one: (one.first_ms, one.arrived_ms))
    begins = [stay.first_ms for stay in stays if stay.is_logger]
    begun: list[Deployment] = []
    for stay in stays:
        if not stay.is_logger:
            begun.append(Deployment(stay, stay.point, -EVER_MS, EVER_MS))
            continue
        following = bisect_right(begins, stay.first_ms)
        end = begins[following] if following < len(begins) else EVER_MS
        begun.append(Deployment(stay, stay.point, stay.first_ms, end))
    return begun


_Part = TypeVar("_Part", Deployment, SeriesAssignment)


def _cut(parts: Iterable[_Part], span: Span, changed: Callable[[_Part], _Part]) -> list[_Part]:
    """Return parts, with what lies in a stretch changed."""
    made: list[_Part] = []
    for part in parts:
        start, end = max(part.start_ms, span[0]), min(part.end_ms, span[1])
        if end <= start:
            made.append(part)
            continue
        if part.start_ms < start:
            made.append(replace(part, end_ms=start))
        made.append(changed(replace(part, start_ms=start, end_ms=end)))
        if end < part.end_ms:
            made.append(replace(part, start_ms=end))
    return made


# -- who feeds what --------------------------------------------------------------------------------
def series_assignments(
    stood: Iterable[Deployment], assignments: Sequence[StatedAssignment] = ()
) -> list[SeriesAssignment]:
    """Return which mission feeds which series, by point, channel, label and time.

    The main series of a channel is fed by the logger whose mission began last at its point; what
    one before it went on to record there is a series labelled with its name. A text or live line
    feeds the main series where it came before any logger, until one begins; else a series of its
    own name. What people said wins over this; of two sources that both feed a series the one that
    was said later, or began later, feeds it, and the other a series of its own name.

    Args:
        assignments: in the order in which it was said.
    """
    at: dict[tuple[str, str], list[SeriesAssignment]] = {}
    for deployment in stood:
        for channel in deployment.stay.channels:
            key = (deployment.point, channel)
            at.setdefault(key, []).append(
                SeriesAssignment(*key, MAIN, deployment, deployment.start_ms, deployment.end_ms)
            )
    said_at: dict[tuple[str, str], list[StatedAssignment]] = {}
    for word in assignments:
        said_at.setdefault((word.point, word.channel), []).append(word)
    found: list[SeriesAssignment] = []
    for key, parts in sorted(at.items()):
        found += _merged(_labelled(parts, said_at.get(key, [])))
    return found


def _merged(parts: list[SeriesAssignment]) -> list[SeriesAssignment]:
    """Return parts in order, with those of one mission that touch as one."""
    assignments: list[SeriesAssignment] = []
    for part in sorted(parts, key=lambda one: (one.label, one.start_ms)):
        last = assignments[-1] if assignments else None
        if last and (last.label, last.deployment, last.end_ms) == (
            part.label,
            part.deployment,
            part.start_ms,
        ):
            assignments[-1] = replace(last, end_ms=part.end_ms)
        else:
            assignments.append(part)
    return assignments


def _labelled(
    parts: list[SeriesAssignment], assignments: list[StatedAssignment]
) -> list[SeriesAssignment]:
    if (
        len({part.deployment.stay.source for part in parts}) == 1
        and not assignments
        and _do_not_overlap(parts)
    ):
        return parts
    decided, others = _decided(parts, assignments)
    # what wins stands last
    claims = sorted(_by_arrival(others), key=lambda part: part.start_ms) + decided
    made: list[SeriesAssignment] = []
    for part in claims:
        made = [piece for before in made for piece in _without_overlap(before, part)]
        made.append(part)
    return _resolve_overlaps(made)


def _without_overlap(before: SeriesAssignment, part: SeriesAssignment) -> list[SeriesAssignment]:
    """Return a part with what another one takes from it, which feeds a series of its source's
    name."""
    own = before.deployment.stay.source
    if before.label != part.label or before.label == own:
        return [before]
    return _cut([before], (part.start_ms, part.end_ms), lambda one: replace(one, label=own))


def _do_not_overlap(parts: list[SeriesAssignment]) -> bool:
    ordered = sorted(parts, key=lambda part: part.start_ms)
    return all(one.end_ms <= after.start_ms for one, after in pairwise(ordered))


def _resolve_overlaps(parts: list[SeriesAssignment]) -> list[SeriesAssignment]:
    """Return parts so that no two of a series overlap: a source tied to two points and moved to one
    has two series of its name there."""
    assignments: list[SeriesAssignment] = []
    waiting = sorted(parts, key=lambda part: (part.label, part.start_ms, part.mission))
    while waiting:
        part = waiting.pop(0)
        over = [
            assignment
            for assignment in assignments
            if assignment.label == part.label
            and assignment.start_ms < part.end_ms
            and assignment.end_ms > part.start_ms
        ]
        if not over:
            assignments.append(part)
            continue
        again = f"{part.label or part.deployment.stay.source} (2)"
        span = (over[0].start_ms, over[0].end_ms)
        waiting[:0] = _cut([part], span, partial(_relabelled, label=again))
    return assignments


def _relabelled(part: SeriesAssignment, label: str) -> SeriesAssignment:
    return replace(part, label=label)


def _decided(
    parts: list[SeriesAssignment], assignments: list[StatedAssignment]
) -> tuple[list[SeriesAssignment], list[SeriesAssignment]]:
    """Return the parts of which somebody said what they feed, what was said last at the end, and
    the others."""
    ranked = [(-1, part) for part in parts]
    for rank, word in enumerate(assignments):
        made = []
        for before, part in ranked:
            if part.deployment.stay.source != word.source:
                made.append((before, part))
                continue
            for piece in _cut([part], (word.start_ms, word.end_ms), lambda one: one):
                is_meant = word.start_ms <= piece.start_ms and piece.end_ms <= word.end_ms
                made.append(
                    (rank, replace(piece, label=word.label)) if is_meant else (before, piece)
                )
        ranked = made
    decided = sorted((one for one in ranked if one[0] >= 0), key=lambda one: one[0])
    return [part for _, part in decided], [part for rank, part in ranked if rank < 0]


def _by_arrival(parts: list[SeriesAssignment]) -> list[SeriesAssignment]:
    """Return parts that nobody decided on, with their labels."""
    loggers = [part for part in parts if part.deployment.stay.is_logger]
    others = [part for part in parts if not part.deployment.stay.is_logger]
    begins = sorted({(part.start_ms, part.deployment.stay.source) for part in loggers})
    made = []
    for part in loggers:
        source = part.deployment.stay.source
        until = min(
            (at for at, owners in begins if at > part.start_ms and owners != source),
            default=EVER_MS,
        )
        made += _own_from(part, until)
    received = [(part.deployment.stay.arrived_ms, part.deployment.stay.source) for part in parts]
    first_there = min(received, default=(0, ""))[1]
    for part in others:
        is_first = part.deployment.stay.source == first_there
        begin = min((at for at, _ in begins), default=EVER_MS)
        made += _own_from(part, begin if is_first else part.start_ms)
    return made


def _own_from(part: SeriesAssignment, at_ms: int) -> list[SeriesAssignment]:
    """Return a part that feeds a series of its source's name from an instant on."""
    own = part.deployment.stay.source
    return _cut([part], (at_ms, EVER_MS), lambda one: replace(one, label=own))
