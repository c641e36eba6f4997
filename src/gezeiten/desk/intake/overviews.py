"""Overviews: a long mission seen in seconds, thinned by the logger; taking, keeping, drawing them.

What an overview shows still counts as to offload: no figure, gap or excursion is made of it.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from gezeiten.archive.intake.missions import Circumstances, stored_ranges
from gezeiten.archive.intake.overviews import overviews_at, store_overview
from gezeiten.archive.store.faults import translated
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.logger.contact import session_with
from gezeiten.desk.logger.incoming import LEFT_BEHIND, import_left_behind
from gezeiten.desk.logger.offloading import raw_mission
from gezeiten.domain.plan.plan import plan_from_dict
from gezeiten.domain.series.coverage import Range, merged, size
from gezeiten.domain.series.drawing.thinning import ThinKind, Thinning, seems_outside
from gezeiten.domain.series.timeline import Span, Times, Values
from gezeiten.errors import GezeitenError, LoggerAnswerError
from gezeiten.link.files.mission_file import MissionFile
from gezeiten.link.files.overview import (
    HIGHEST,
    LOWEST,
    SUFFIX,
    Overview,
    decode_overview,
    fetch_overview,
)
from gezeiten.link.lines.address import Endpoint
from gezeiten.link.transfer import UNWATCHED, Watch, route_of


@dataclass(frozen=True, slots=True)
class ImportedOverview:
    """What taking an overview brought. readings: how many its values stand for; outside: how many
    values lie outside an alarm limit of the plan; error: why it ended early, or ""."""

    serial: str
    point_id: int
    thinning: Thinning
    values: int
    readings: int
    span: Span | None
    extremes: tuple[tuple[str, float, float], ...]
    outside: int
    error: str


@dataclass(frozen=True, slots=True)
class OverviewLine:
    """What an overview shows of one channel where the readings are not kept.

    times_utc_ms: shape (n,). values, lows, highs: shape (n,), NaN where nothing is to be drawn;
    lows and highs are None where every n-th reading is shown.
    """

    kind: ThinKind
    every: int
    times_utc_ms: Times
    values: Values
    lows: Values | None
    highs: Values | None


def offload_overview(
    desk: Workspace,
    address: Endpoint,
    serial: str,
    mission: int,
    thinning: Thinning,
    watch: Watch = UNWATCHED,
) -> ImportedOverview:
    """Let a logger thin a mission and keep the overview; what came before a cut is kept.

    Raises:
        DeviceError, SurroundingsError: nothing came; the logbook has the reason.
    """
    try:
        with session_with(desk, address, serial) as (session, _):
            transfer = fetch_overview(
                session, mission, thinning, desk.archive.incoming, watch, address.route
            )
        try:
            why = str(transfer.error) if transfer.error else ""
            return _import_overview(desk, transfer.path, address.route, why)
        finally:
            transfer.release()
    except GezeitenError as exc:
        desk.attempt_failed("overview", serial, exc)
        raise
    except OSError as exc:
        with translated(desk.archive.folder):
            raise exc


def _import_overview(
    desk: Workspace, path: Path, route: str, cut_short: str = ""
) -> ImportedOverview:
    """Keep an incoming overview and remove the incoming file."""
    with translated(desk.archive.folder):
        raw = path.read_bytes()
    overview = decode_overview(raw)
    if not overview.file.ranges:
        with translated(desk.archive.folder):
            path.unlink()
        raise LoggerAnswerError(cut_short or "The overview did not arrive; offload it again.")
    circumstances = Circumstances(desk.now_ms(), desk.person, route, cut_short=cut_short)
    bare = MissionFile(overview.mission_header, events=overview.file.events)
    mission = raw_mission(bare, [])
    point_id = store_overview(
        desk.archive, raw, mission, overview.thinning, overview.covered, circumstances
    )
    with translated(desk.archive.folder):
        path.unlink()
    return _imported(overview, point_id, cut_short)


def _imported(overview: Overview, point_id: int, error: str) -> ImportedOverview:
    lines = {ch.key: _line(overview, ch.key) for ch in overview.mission_header.channels}
    times = next(iter(lines.values())).times_utc_ms
    outside = np.zeros(len(times), np.bool_)
    for rule in plan_from_dict(overview.file.header.plan).limits:
        line = lines.get(rule.channel)
        if line is not None and rule.has_value and rule.level == "alarm":
            outside |= seems_outside(rule, line.values, line.lows, line.highs)
    extremes = []
    for key, line in lines.items():
        low = line.values if line.lows is None else line.lows
        high = line.values if line.highs is None else line.highs
        if np.isfinite(low).any():
            extremes.append((key, float(np.nanmin(low)), float(np.nanmax(high))))
    span = (int(times[0]), int(times[-1])) if len(times) else None
    return ImportedOverview(
        overview.file.header.serial,
        point_id,
        overview.thinning,
        len(times),
        size(overview.covered),
        span,
        tuple(extremes),
        int(outside.sum()),
        error,
    )


def _line(overview: Overview, channel: str) -> OverviewLine:
    """Return all that an overview holds of a channel."""
    thinning = overview.thinning
    times, columns = overview.file.readings((0, thinning.values))
    keys = [ch.key for ch in overview.file.header.channels]
    named = dict(zip(keys, columns, strict=True))
    return OverviewLine(
        thinning.kind,
        thinning.every,
        times,
        named[channel],
        named.get(channel + LOWEST),
        named.get(channel + HIGHEST),
    )


def recover_overviews(desk: Workspace) -> int:
    """Take in the overviews that a program left behind when it was killed; returns how many."""
    return len(
        import_left_behind(
            desk, SUFFIX, lambda path: _import_overview(desk, path, route_of(path), LEFT_BEHIND)
        )
    )


# -- drawing ---------------------------------------------------------------------------------------
def overview_lines(desk: Workspace, point_id: int, channel: str) -> list[OverviewLine]:
    """Return what overviews show of a channel at a point where no readings are kept.

    Of several over the same readings the latest one shows.
    """
    with desk.archive.reading() as session:
        stored = overviews_at(session, point_id)
        covered = {mission: stored_ranges(session, mission) for mission, _ in stored}
    lines = []
    for mission, sha256 in stored:
        overview = _decoded(desk, sha256)
        if any(ch.key == channel for ch in overview.mission_header.channels):
            line = _shown(overview, channel, covered[mission])
            if line is not None:
                lines.append(line)
        covered[mission] = merged([*covered[mission], *overview.covered])
    return lines


def _decoded(desk: Workspace, sha256: str) -> Overview:
    """Return an overview as kept; decoded once for each desk."""
    known = desk.overviews.get(sha256)
    if known is None:
        known = decode_overview(desk.archive.overviews.get(sha256))
        desk.overviews[sha256] = known
    return known


def _shown(overview: Overview, channel: str, covered: list[Range]) -> OverviewLine | None:
    """Return a line without the values whose readings are all covered; None with none left."""
    line = _line(overview, channel)
    thinning = overview.thinning
    ends = [part for r in overview.file.ranges for part in [np.arange(r[0], r[1])]]
    numbers = np.concatenate(ends) if ends else np.empty(0, np.int64)
    first = thinning.first + numbers * thinning.every
    end = np.minimum(first + thinning.every, thinning.end)
    hidden = _all_in(first, end, covered)
    if hidden.all():
        return None

    def bare(values: Values | None) -> Values | None:
        return None if values is None else np.where(hidden, np.nan, values)

    values = np.where(hidden, np.nan, line.values)
    return OverviewLine(
        line.kind, line.every, line.times_utc_ms, values, bare(line.lows), bare(line.highs)
    )


def _all_in(
    first: NDArray[np.int64], end: NDArray[np.int64], covered: list[Range]
) -> NDArray[np.bool_]:
    """Return where [first, end) lies in one of the ranges, which are merged."""
    if not covered:
        return np.zeros(len(first), np.bool_)
    begins = np.array([a for a, _ in covered])
    stops = np.array([b for _, b in covered])
    at = np.searchsorted(begins, first, side="right") - 1
    return (at >= 0) & (end <= stops[np.maximum(at, 0)])
