"""What is proposed for the chain of a series: marks by rules, stretches in which a sensor was not
in its place, points and certificates of a calibration. A person decides."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from gezeiten.archive.local_cache.layout import layout
from gezeiten.archive.queries.loggers import certificates_of
from gezeiten.archive.queries.missions import missions_by_id
from gezeiten.archive.queries.offloads import offloads_of
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.record.statements.check_readings import checks_of, compare_checks_with_source
from gezeiten.desk.record.statements.corrections import chain, proposed
from gezeiten.desk.record.views.records import extent, record, uncorrected
from gezeiten.desk.sites.places import PointPlace
from gezeiten.domain.quantities.quantities import Quantity, quantity
from gezeiten.domain.series.series import Series
from gezeiten.domain.series.series_keys import channel_of
from gezeiten.domain.series.timeline import DAY_MS, EVER_MS, Span
from gezeiten.domain.steps.chain import Correction
from gezeiten.domain.steps.checks.points import calibration_points
from gezeiten.domain.steps.corrections.out_of_place import (
    span_after_removal,
    span_before_in_place,
    visit_span,
)
from gezeiten.domain.steps.corrections.suspicion import SUSPICIONS, suspect_spans
from gezeiten.errors import InputError

_BESIDE_MS = DAY_MS
_LOOKED_AT_MS = 4 * DAY_MS


@dataclass(frozen=True, slots=True)
class Certificate:
    """A certificate that was noted of a logger that feeds a series. at_ms: of the calibration."""

    serial: str
    name: str
    at_ms: int


@dataclass(frozen=True, slots=True)
class HandPoints:
    """Points of a calibration by what was read by hand (indicated, reference), their U (k = 2), and
    of how many looks."""

    points: list[list[float]]
    u: float
    looks: int


MOST_CAUGHT = 0.02
"""A rule that catches more is wrong more often than its sensor."""


@dataclass(frozen=True, slots=True)
class ProposedCorrection:
    """A step that nobody kept yet. readings: how many of those in its stretch a rule catches, of
    how many; both 0 where no rule made it."""

    step: Correction
    readings: int = 0
    of: int = 0

    @property
    def is_excessive(self) -> bool:
        """Whether the rule catches more than it should."""
        return self.readings > MOST_CAUGHT * self.of


def certificates(desk: Workspace, point: PointPlace, series: str) -> list[Certificate]:
    """Return the certificates of the loggers that feed a series, the latest first."""
    with desk.archive.reading() as session:
        made = layout(session)
        assignments = made.of_series(point.id, made.root_of(point.id, series))
        serials = dict.fromkeys(feed.deployment.stay.source for feed in assignments)
        found = [
            Certificate(serial, certificate.certificate_name, certificate.at_ms)
            for serial in serials
            for certificate in certificates_of(session, serial)
        ]
    return sorted(found, key=lambda one: -one.at_ms)


def points_by_hand(desk: Workspace, point: PointPlace, series: str, span: Span) -> HandPoints:
    """Return the points of a calibration that follow from what was read by hand in a stretch,
    beside what the sensor showed before all corrections.

    Raises:
        InputError: nothing was read there beside a reading.
        ArchiveDamagedError: readings are damaged.
    """
    check_comparisons = compare_checks_with_source(desk, point.id, series, span)
    known = [
        check_comparison
        for check_comparison in check_comparisons
        if np.isfinite(check_comparison.difference)
    ]
    if not known:
        raise InputError("There is no check reading in this period; enter one with Ctrl+Shift+H.")
    indicated, reference, u = (
        np.array(column, np.float64)
        for column in zip(*((one.recorded, one.check.value, one.u) for one in known), strict=True)
    )
    return HandPoints(*calibration_points(indicated, reference, u), len(known))


def by_the_visit(desk: Workspace, point: PointPlace, series: str, *, at_end: bool) -> Span:
    """Return the stretch in which somebody was at the point when the last mission in its place
    began, or ended: from its first reading to the last that is known of that visit (launches,
    offloads at the logger, what was read by hand), or from the first to its last reading.

    Raises:
        InputError: no reading lies there.
    """
    assignments = chain(desk, point, series).assignments
    whole = extent(desk, point.id, [series])
    if not assignments or whole is None:
        raise InputError("There is no reading here; mark the period yourself.")
    last = assignments[-1].assignment
    own = (max(whole[0], last.start_ms), min(whole[1] + 1, last.end_ms))
    with desk.archive.reading() as session:
        missions = {feed.mission for feed in layout(session).at_point(point.id)}
        launches = [mission.launched_ms for mission in missions_by_id(session, missions).values()]
        offloads = offloads_of(session, last.mission)
    known = [*launches, *offloads, *(check.at_ms for check in checks_of(desk, point.id))]
    at = max(offloads, default=own[1]) if at_end else _preceding_launch(launches, own[0])
    visit = visit_span(known, at)
    span = (max(visit[0], own[0]), own[1]) if at_end else (own[0], min(visit[1] + 1, own[1]))
    if span[1] <= span[0] or (not at_end and span[1] <= own[0] + 1):
        which = "end" if at_end else "beginning"
        raise InputError(f"No reading lies within a visit at the {which} of the last mission.")
    return span


def _preceding_launch(launches: list[int], first_ms: int) -> int:
    """Return the launch that a mission's first reading follows."""
    return max((launch for launch in launches if launch <= first_ms), default=first_ms)


def usual_number(desk: Workspace, point: PointPlace, series: str, span: Span, rule: str) -> float:
    """Return the number that is proposed for a rule (`SUSPICIONS`) in a stretch of a series."""
    return SUSPICIONS[rule].usual(_measured(desk, point, series, span), _quantity(series))


def not_in_place(desk: Workspace, point: PointPlace, series: str, *, at_end: bool) -> Span:
    """Return the stretch at the beginning, or at the end, of what the last mission in its place
    recorded in which the sensor seems not to have been there.

    Raises:
        InputError: its readings say nothing of one.
        ArchiveDamagedError: readings are damaged.
    """
    whole = extent(desk, point.id, [series])
    assignments = [feed.assignment for feed in chain(desk, point, series).assignments]
    found = None
    if whole is not None and assignments:
        begin = max(whole[0], assignments[-1].start_ms)
        end = min(whole[1] + 1, assignments[-1].end_ms)
        span = (
            (max(begin, end - _LOOKED_AT_MS), end)
            if at_end
            else (begin, min(end, begin + _LOOKED_AT_MS))
        )
        source = uncorrected(desk, point.id, series, span)
        found = span_after_removal(source) if at_end else span_before_in_place(source)
    if found is None:
        which = "end" if at_end else "beginning"
        raise InputError(
            f"At the {which} of the last mission nothing shows that the sensor was "
            "not in place; mark the period yourself."
        )
    return found


def by_rule(
    desk: Workspace,
    point: PointPlace,
    series: str,
    span: tuple[int, int | None],
    rule: str,
    value: float,
    parameters: Mapping[str, Any],
) -> ProposedCorrection:
    """Return a mark, that nobody kept yet, on all readings of a stretch that a rule catches, and
    how many these are.

    Raises:
        InputError: it catches none, or too many stretches.
        ArchiveDamagedError: readings are damaged.
    """
    until_ms = EVER_MS if span[1] is None else span[1]
    wide = (span[0] - _BESIDE_MS, until_ms + _BESIDE_MS)  # what lies beside it is compared with
    measured = _measured(desk, point, series, wide)
    caught = SUSPICIONS[rule].catches(measured, value, _quantity(series))
    inside = (measured.times_utc_ms >= span[0]) & (measured.times_utc_ms < until_ms)
    caught &= inside
    spans = suspect_spans(measured, caught)
    if not spans:
        raise InputError("This rule matches no reading in that period; choose another threshold.")
    content = {**parameters, "stretches": spans}
    step = proposed(point, series, "mark", (spans[0][0], spans[-1][1]), content)
    return ProposedCorrection(step, int(caught.sum()), int(inside.sum()))


def _measured(desk: Workspace, point: PointPlace, series: str, span: Span) -> Series:
    stands = record(desk, point.id, series, span)
    return stands.subset(~stands.estimated)


def _quantity(series: str) -> Quantity:
    return quantity(channel_of(series))
