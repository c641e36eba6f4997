"""What was offloaded of missions, out of the archive."""

from __future__ import annotations

from typing import Any

from sqlalchemy import Select, select
from sqlalchemy.orm import Session

from gezeiten.archive.local_cache.layout import layout
from gezeiten.archive.local_cache.readings import offload_spans, reach_into, unused_readings
from gezeiten.archive.store.tables import Logger, Mission, Offload, Point, Site, Step
from gezeiten.domain.facts.stored import KnownMission, KnownOffload, NamedRaw
from gezeiten.domain.series.coverage import Range, size
from gezeiten.domain.series.timeline import Span


def offload_counts_since(session: Session, logger_id: int, since_ms: int) -> list[tuple[int, int]]:
    """Return how many new readings each offload of a logger since an instant brought, and when."""
    rows = session.execute(
        select(Offload.added, Offload.at_ms)
        .join(Mission, Mission.id == Offload.mission_id)
        .where(Mission.logger_id == logger_id, Offload.at_ms >= since_ms)
    )
    return [(size([(a, b) for a, b in added]), at_ms) for added, at_ms in rows]


def offload_instants(session: Session, point_id: int) -> list[int]:
    """Return when something was offloaded of a point, latest first."""
    return list(
        session.scalars(
            select(Offload.at_ms)
            .join(Mission, Mission.id == Offload.mission_id)
            .where(Mission.point_id == point_id)
            .order_by(Offload.at_ms.desc())
        )
    )


def offloads_of(session: Session, mission: str) -> list[int]:
    """Return when a mission (its id) was offloaded by somebody at its logger, oldest first: not
    what was carried, or taken from a file."""
    rows = session.execute(
        select(Offload.at_ms, Offload.carried)
        .join(Mission, Mission.id == Offload.mission_id)
        .where(Mission.uid == mission, Offload.taken_out_ms.is_(None))
        .order_by(Offload.at_ms)
    )
    return [at_ms for at_ms, carried in rows if not carried]


def raw_of_mission(session: Session, serial: str, number: int, launched_ms: int) -> list[str]:
    """Return the fingerprints of all bytes that were offloaded of a mission."""
    return list(
        session.scalars(
            select(Offload.sha256)
            .join(Mission)
            .join(Logger)
            .where(
                Logger.serial == serial,
                Mission.number == number,
                Mission.launched_ms == launched_ms,
            )
        )
    )


def text_reading_settings(session: Session) -> list[dict[str, Any]]:
    """Return how each text was read that was taken in, oldest first."""
    query = select(Offload.reading).where(Offload.reading.is_not(None)).order_by(Offload.id)
    return [reading for reading in session.scalars(query) if reading]


def offloads_by_id(session: Session, ids: tuple[int, ...]) -> list[KnownOffload]:
    """Return offloads by this database's keys."""
    return [_offload_view(*row) for row in session.execute(_offloads().where(Offload.id.in_(ids)))]


def _offloads() -> Select[Offload, str]:
    return select(Offload, Mission.uid).join(Mission, Mission.id == Offload.mission_id)


def _offload_view(row: Offload, mission: str) -> KnownOffload:
    added = tuple((first, end) for first, end in row.added)
    return KnownOffload(
        row.id,
        mission,
        row.at_ms,
        row.person,
        row.route,
        row.sha256,
        added,
        row.clock_difference_ms,
    )


def all_offload_instants(session: Session) -> dict[int, list[int]]:
    """Return when something was offloaded of each point, oldest first, by the point's key."""
    found: dict[int, list[int]] = {}
    for point_id, at_ms in session.execute(
        select(Mission.point_id, Offload.at_ms)
        .join(Mission, Mission.id == Offload.mission_id)
        .where(Mission.point_id.is_not(None))
        .order_by(Offload.at_ms)
    ):
        found.setdefault(int(point_id or 0), []).append(at_ms)
    return found


def is_offloaded(session: Session, sha256: str) -> bool:
    """Whether exactly these bytes were offloaded, by their fingerprint."""
    return session.scalars(select(Offload.id).filter_by(sha256=sha256)).first() is not None


def are_in_record(session: Session, sha256: str) -> bool:
    """Whether exactly these bytes were taken and were not taken out again."""
    query = select(Offload.id).filter_by(sha256=sha256, taken_out_ms=None)
    return session.scalars(query).first() is not None


def raws_named(session: Session) -> list[NamedRaw]:
    """Return every raw offload with its names, oldest first."""
    spans = offload_spans(session)
    rows = session.execute(
        select(Offload, Mission.number, Logger.serial, Point.name, Site.name)
        .join(Mission, Mission.id == Offload.mission_id)
        .join(Logger, Logger.id == Mission.logger_id)
        .join(Point, Point.id == Mission.point_id)
        .join(Site, Site.id == Point.site_id)
        .order_by(Offload.id)
    )
    named = []
    for offload, number, serial, point, site in rows:
        its = spans.get((offload.mission_id, offload.sha256), [])
        named.append(
            NamedRaw(
                offload.sha256,
                offload.size,
                site,
                point,
                serial,
                number,
                offload.at_ms,
                offload.person,
                offload.route,
                min((first for first, _ in its), default=None),
                max((last for _, last in its), default=None),
                offload.clock_difference_ms,
                offload.clock_uncertainty_ms,
                offload.carried,
                offload.reading,
            )
        )
    return named


def offloads_in(session: Session, mission_id: int, span: Span) -> list[KnownOffload]:
    """Return the offloads of a mission whose bytes hold readings of a stretch, oldest first."""
    spans = offload_spans(session, mission_id=mission_id)
    span = layout(session).clock_of(mission_id).shown_span(span)
    its = Offload.mission_id == mission_id, Offload.taken_out_ms.is_(None)
    query = _offloads().where(*its).order_by(Offload.at_ms)
    return [
        _offload_view(row, mission)
        for row, mission in session.execute(query)
        if reach_into(spans.get((mission_id, row.sha256), []), span)
    ]


def fingerprint_of(session: Session, offload_id: int) -> str:
    """Return the fingerprint of an offload's bytes, by this database's key."""
    return session.scalars(select(Offload.sha256).filter_by(id=offload_id)).one()


def has_offloads_since(session: Session, point_id: int, since_ms: int) -> bool:
    """Whether something of a point was offloaded since an instant."""
    query = select(Offload.id).join(Mission, Mission.id == Offload.mission_id)
    query = query.where(Mission.point_id == point_id, Offload.at_ms >= since_ms).limit(1)
    return session.scalars(query).first() is not None


def undone_fetch(
    session: Session, mission: KnownMission, wanted: Range
) -> tuple[int, Range] | None:
    """Return an offload (its key) that a fetch brought which is undone, and which of its readings
    would fill some that are wanted; None where there is none."""
    steps = session.scalars(select(Step).filter_by(point_id=mission.point_id)).all()
    for unused_reading in unused_readings(session, steps):
        for first, end in unused_reading.numbers:
            if unused_reading.mission_id == mission.id and first < wanted[1] and end > wanted[0]:
                return unused_reading.offload_id, (first, end)
    return None
