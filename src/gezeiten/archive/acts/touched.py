"""Whose record an act changes: readings in memory and excursions follow for those points alone."""

from __future__ import annotations

from sqlalchemy import Connection, bindparam, select

from gezeiten.archive.here.changes import EVERYTHING, points_of
from gezeiten.archive.store.prepared import Prepared
from gezeiten.archive.store.tables import Mission, Offload, Placing, Point, Site
from gezeiten.domain.acts import Act
from gezeiten.domain.acts.clocks import (
    ClockCorrected,
    ClockSwitchedOff,
    ClockSwitchedOn,
    ClockTakenBack,
)
from gezeiten.domain.acts.corrections import (
    CorrectionSet,
    CorrectionSwitched,
    CorrectionTakenBack,
)
from gezeiten.domain.acts.derived import DerivedTakenBack, SeriesDerived
from gezeiten.domain.acts.gaps import (
    GapEstimated,
    GapFedByOther,
    GapFetched,
    GapFilledAgain,
    GapFilledByLine,
    GapLeftOpen,
    GapTakenBack,
)
from gezeiten.domain.acts.hanging import HangingTakenBack, SensorHung
from gezeiten.domain.acts.limits import LimitEnded, LimitSet, LimitTakenBack
from gezeiten.domain.acts.offloads import MissionOffloaded, ReadAnew, TextTaken, TextTakenOut
from gezeiten.domain.acts.sites import SiteChanged
from gezeiten.domain.acts.sources import (
    FeedingTakenBack,
    PlacingTakenBack,
    SeriesFed,
    SourcePlaced,
)
from gezeiten.domain.series.timeline import EVER_MS, Span

_BROUGHT = Prepared(
    select(Point.uid)
    .join(Mission, Mission.point_id == Point.id)
    .join(Offload, Offload.mission_id == Mission.id)
    .where(Offload.sha256 == bindparam("sha256"))
)
_PLACED = Prepared(
    select(Point.uid)
    .join(Placing, Placing.point_id == Point.id)
    .join(Mission, Mission.logger_id == Placing.logger_id)
    .join(Offload, Offload.mission_id == Mission.id)
    .where(Offload.sha256 == bindparam("sha256"))
)
_AT_SITE = Prepared(
    select(Point.uid).join(Site, Site.id == Point.site_id).where(Site.uid == bindparam("its_uid"))
)


_ON_A_GAP = (
    GapFilledByLine | GapEstimated | GapFetched | GapFedByOther | GapLeftOpen | GapTakenBack
    | GapFilledAgain
)  # fmt: skip
_ON_A_CLOCK = ClockCorrected | ClockSwitchedOff | ClockSwitchedOn | ClockTakenBack


def points_touched(connection: Connection, act: Act) -> list[str]:
    """Return the ids of points whose record is another one after an act was applied."""
    if isinstance(act, _ON_A_GAP | ReadAnew):
        return [act.point]
    if isinstance(act, MissionOffloaded | TextTaken):
        return _of_bytes(connection, act.raw.sha256)
    if isinstance(act, TextTakenOut):
        return sorted({act.point, *_of_bytes(connection, act.sha256)})
    if isinstance(act, SeriesFed | FeedingTakenBack | LimitSet | LimitEnded | LimitTakenBack):
        return [act.point]
    if isinstance(act, CorrectionSet | CorrectionSwitched | CorrectionTakenBack):
        return [act.point]
    if isinstance(act, _ON_A_CLOCK):
        return points_of(connection, act.mission)
    if isinstance(act, SeriesDerived | DerivedTakenBack | SensorHung | HangingTakenBack):
        return [act.point]
    if isinstance(act, SourcePlaced | PlacingTakenBack):
        return _where_placed(act)
    # days and weekly windows are others in another zone
    if isinstance(act, SiteChanged) and any(one.field == "zone" for one in act.changes):
        return [row[0] for row in _AT_SITE.all(connection, its_uid=act.site)]
    return []


def stretch_touched(act: Act) -> Span | None:
    """Return in which stretch the readings of those points changed by an act; None where its bytes
    say so themselves, when their readings are put into blocks."""
    if isinstance(act, MissionOffloaded | TextTaken):
        return None
    if isinstance(act, _ON_A_GAP):
        return (act.gap.start_ms, act.gap.end_ms)
    if isinstance(act, CorrectionSet | CorrectionSwitched | CorrectionTakenBack):
        return (act.start_ms, EVER_MS if act.end_ms is None else act.end_ms)
    if isinstance(act, SensorHung | HangingTakenBack):
        return (act.since_ms, EVER_MS)
    return EVERYTHING


def _of_bytes(connection: Connection, sha256: str) -> list[str]:
    """The points that the readings of bytes may be at: where they were launched for, and where
    somebody said that their source was."""
    both = (*_BROUGHT.all(connection, sha256=sha256), *_PLACED.all(connection, sha256=sha256))
    return sorted({row[0] for row in both})


def _where_placed(act: SourcePlaced | PlacingTakenBack) -> list[str]:
    if isinstance(act, PlacingTakenBack):
        return list(act.points)
    return list(dict.fromkeys([*act.left, *([act.point] if act.point else [])]))
