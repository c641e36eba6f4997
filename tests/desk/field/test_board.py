"""The board of an archive of any size asks the archive as much as that of a small one."""

from __future__ import annotations

from pathlib import Path

from sqlalchemy import event, select

from gezeiten.archive.local_cache.tables import Block
from gezeiten.archive.store.tables import Logger, Mission, Point, Site
from gezeiten.desk.base.pin_store import MemoryPins
from gezeiten.desk.base.workspace import TrustedClock, Workspace
from gezeiten.desk.field.board import board
from gezeiten.desk.intake.texts.text_files import import_text
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.record.statements.deployments import assign_source, place_source
from gezeiten.desk.sites.places import points as listed_points
from gezeiten.domain.plan.plan import Plan
from gezeiten.domain.series.timeline import Span
from gezeiten.ui.charts.lanes import lanes_of
from tests.conftest import ANCHOR_MS, DAY_MS, Lab
from tests.desk.intake.texts.test_text_files import station, tie_of

PLAN = Plan(("air_temperature",), 600)


def archive_of(folder: Path, points: int, missions: int) -> Workspace:
    """An archive with so many points of so many missions each, and not one reading."""
    desk = open_workspace(
        folder, now_ms=lambda: ANCHOR_MS, computer=TrustedClock(), pins=MemoryPins()
    )
    with desk.archive.writing() as session:
        site = Site(name="Shore", kind="store", zone="Europe/Berlin")
        session.add(site)
        session.flush()
        for i in range(points):
            point = Point(site_id=site.id, name=f"Point {i}", fill_limit_s=7200)
            session.add(point)
            session.flush()
            logger = Logger(
                serial=f"D-{i:04d}", model="Düne T2", firmware="1", practice=True, point_id=point.id
            )
            session.add(logger)
            session.flush()
            last = None
            for k in range(missions):
                at_ms = ANCHOR_MS - (missions - k) * DAY_MS
                last = Mission(
                    logger_id=logger.id,
                    point_id=point.id,
                    number=k + 1,
                    uid=f"{i}/{k}",
                    launched_ms=at_ms,
                    first_ms=at_ms,
                    interval_ms=600_000,
                    plan=PLAN.as_dict(),
                    state="logging",
                )
                session.add(last)
            session.flush()
            assert last is not None
            session.add(
                Block(
                    mission=last.uid,
                    channel="air_temperature",
                    unit="°C",
                    is_text=False,
                    first=0,
                    width=1,
                    count=1,
                    number=0,
                    start_ms=at_ms,
                    step_ms=0,
                    end_ms=at_ms,
                    usual_ms=1,
                    shorter_ms=0,
                    valid=0,
                    stamp=0,
                )
            )
    return desk


def questions(desk: Workspace, ask: object) -> int:
    """Return how many statements the database was sent meanwhile."""
    sent: list[str] = []

    def heard(_c: object, _cursor: object, statement: str, *_: object) -> None:
        sent.append(statement)

    event.listen(desk.archive.engine, "before_cursor_execute", heard)
    ask()  # type: ignore[operator]
    event.remove(desk.archive.engine, "before_cursor_execute", heard)
    return len(sent)


def test_a_board_ten_times_as_large_asks_no_more(tmp_path: Path) -> None:
    counts = []
    for name, points, missions in (("small", 2, 2), ("large", 20, 30)):
        desk = archive_of(tmp_path / name, points, missions)
        counts.append(questions(desk, lambda desk=desk: board(desk)))
        [(_, rows)] = board(desk).sites
        assert len(rows) == points
        assert {row.serial for row in rows} == {f"D-{i:04d}" for i in range(points)}
        assert rows[0].ends_ms is not None
        begun = ANCHOR_MS - DAY_MS  # of the last mission: 31,232 readings of ten minutes fit
        assert rows[0].on_logger == (begun, ANCHOR_MS)
        desk.close()
    assert counts[0] == counts[1]


def _last_day(whole: Span) -> Span:
    return (whole[1] - DAY_MS, whole[1])


def test_lanes_ask_for_their_own_points_only(tmp_path: Path) -> None:
    counts = []
    for name, points in (("few", 2), ("many", 20)):
        desk = archive_of(tmp_path / name, points, 3)
        [(_, rows)] = board(desk).sites
        assert len(rows) == points
        shown = listed_points(desk)[:2]
        counts.append(
            questions(desk, lambda desk=desk, shown=shown: lanes_of(desk, shown, _last_day))
        )
        desk.close()
    assert counts[0] == counts[1]


def test_needs_ask_for_a_visit_also_where_none_was_planned(tmp_path: Path) -> None:
    """Point 0 records, and its memory is full in half a year; at point 1 the mission has ended."""
    desk = archive_of(tmp_path / "a", 2, 1)
    assert board(desk).visits == ()
    with desk.archive.writing() as session:
        ended = session.scalars(select(Mission).where(Mission.uid == "1/0")).one()
        ended.state = "ended"
    desk.archive.latest = None
    [visit] = board(desk).visits
    assert (visit.site.name, visit.due_ms, visit.is_urgent) == ("Shore", ANCHOR_MS, True)
    assert visit.needs == ("Point 1: not recording",)
    desk.close()


def test_a_text_is_nothing_to_go_to(lab: Lab, tmp_path: Path) -> None:
    path = station(tmp_path / "one.txt", 300)
    import_text(lab.desk, path, tie_of(lab, path))
    [(_, [row])] = board(lab.desk).sites
    assert row.needs == ()
    assert board(lab.desk).visits == ()


def test_of_two_loggers_side_by_side_the_needs_of_both_are_shown(tmp_path: Path) -> None:
    """D-0001 stands beside D-0000 at point 0, since somebody said so; its mission has ended."""
    desk = archive_of(tmp_path / "a", 2, 1)
    point = board(desk).sites[0][1][0].point
    place_source(desk, "D-0001", point.id, ANCHOR_MS - DAY_MS, None, "set up beside it")
    assign_source(desk, point.id, "air_temperature", "lower shelf", "D-0001", ANCHOR_MS - DAY_MS)
    with desk.archive.writing() as session:
        ended = session.scalars(select(Mission).where(Mission.uid == "1/0")).one()
        ended.state, ended.first_ms = "ended", ANCHOR_MS - 2 * DAY_MS
        ended.launched_ms = ANCHOR_MS - 2 * DAY_MS
    desk.archive.latest = desk.archive.layout = None
    row = next(row for row in board(desk).sites[0][1] if row.point.id == point.id)
    assert row.serial == "D-0000"
    assert [(need.kind, need.serial) for need in row.needs if need.serial] == [
        ("not recording", "D-0001")
    ]
    [visit] = board(desk).visits
    assert "Point 0: D-0001: not recording" in visit.needs
    desk.close()
