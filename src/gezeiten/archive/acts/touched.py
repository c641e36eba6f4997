"""Whose record an act changes: readings in memory and excursions follow for those points alone."""

from __future__ import annotations

from sqlalchemy import Connection, bindparam, select

from gezeiten.archive.store.prepared import Prepared
from gezeiten.archive.store.tables import Mission, Offload, Point, Site
from gezeiten.domain.acts import Act
from gezeiten.domain.acts.gaps import GapFetched, GapFilledByLine, GapLeftOpen, GapTakenBack
from gezeiten.domain.acts.offloads import MissionOffloaded, ReadAnew, TextTaken
from gezeiten.domain.acts.sites import SiteChanged

_BROUGHT = Prepared(
    select(Point.uid)
    .join(Mission, Mission.point_id == Point.id)
    .join(Offload, Offload.mission_id == Mission.id)
    .where(Offload.sha256 == bindparam("sha256"))
)
_AT_SITE = Prepared(
    select(Point.uid).join(Site, Site.id == Point.site_id).where(Site.uid == bindparam("its_uid"))
)


def points_touched(connection: Connection, act: Act) -> list[str]:
    """Return the ids of points whose record is another one after an act was applied."""
    if isinstance(act, GapFilledByLine | GapFetched | GapLeftOpen | GapTakenBack | ReadAnew):
        return [act.point]
    if isinstance(act, MissionOffloaded | TextTaken):
        return sorted({row[0] for row in _BROUGHT.all(connection, sha256=act.raw.sha256)})
    # days and weekly windows are others in another zone
    if isinstance(act, SiteChanged) and any(one.field == "zone" for one in act.changes):
        return [row[0] for row in _AT_SITE.all(connection, its_uid=act.site)]
    return []
