"""The demonstration's archive: its stories are there, found by the rules and not by hand."""

from __future__ import annotations

import shutil
from collections import Counter
from pathlib import Path

import pytest

from gezeiten.cli.demo import Demo, open_demo
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.board import board
from gezeiten.desk.field.gap_filling import logger_offer
from gezeiten.desk.field.gaps import gaps
from gezeiten.desk.office.verification import verify
from gezeiten.desk.record.excursion_book import excursions
from gezeiten.desk.record.views.records import extent
from gezeiten.desk.sites.places import point_named, points, sites
from gezeiten.domain.series.timeline import DAY_MS
from gezeiten.errors import InputError
from gezeiten.standin.simclock import SimClock
from tests.nursery import ForkedStandin


def test_thirteen_points_on_five_sites_with_seventy_days(demo_desk: Workspace) -> None:
    assert len(sites(demo_desk)) == 5
    listed = points(demo_desk)
    assert len(listed) == 13
    for point in listed:
        span = extent(demo_desk, point.id, [c.channel for c in point.channels])
        assert span is not None
        assert span[1] - span[0] > 47 * DAY_MS


def test_everything_in_it_was_really_offloaded(demo_desk: Workspace) -> None:
    verdict = verify(demo_desk)
    assert verdict.is_intact
    assert verdict.offloads >= 35
    assert verdict.values > 500_000


def test_every_story_left_its_trace(demo_desk: Workspace) -> None:
    found = Counter(event.point.name for event in excursions(demo_desk))
    for name in (
        "Textile store",
        "Display case 7",
        "Tower attic",
        "Creek gauge",
        "Piezometer K2",
        "Cold room A",
        "Paint hall",
        "Outdoor mast",
        "Tank 2",
        "Intake",
    ):
        assert found[name] >= 1, name
    assert found["Barometer hut"] == 0
    sides = {e.rule.side for e in excursions(demo_desk)}
    assert sides == {"above", "below"}
    states = {(g.point.name, g.state) for g in gaps(demo_desk)}
    assert ("Textile store", "estimated") in states
    assert ("Outdoor mast", "left open") in states
    assert ("Intake", "open") in states  # overwritten memory
    assert ("Cold room B", "open") in states  # probe pulled off


def test_k2_still_holds_its_missing_eleven_days(demo_desk: Workspace) -> None:
    [gap] = [g for g in gaps(demo_desk) if g.point.name == "Piezometer K2"]
    assert gap.gap.length_ms == 11 * DAY_MS
    assert logger_offer(demo_desk, gap).readings == 2640
    [lost] = [g for g in gaps(demo_desk) if g.point.name == "Intake"]
    assert logger_offer(demo_desk, lost).sentence == "memory has been overwritten"


def test_the_board_shows_what_is_at_risk(demo_desk: Workspace) -> None:
    shown = board(demo_desk)
    rows = {row.point.name: row for _, listed in shown.sites for row in listed}
    assert len(rows) == 13
    creek = rows["Creek gauge"]
    assert creek.end_reason == "memory full"
    assert creek.ends_ms is not None
    assert 2 * DAY_MS < creek.ends_ms - shown.now_ms < 3 * DAY_MS
    assert creek.needs[0].kind == "end"
    assert rows["Piezometer K1"].needs[0].words == "clock −48 s"
    hall = rows["Paint hall"]
    assert hall.end_reason == "battery empty"
    attic = rows["Tower attic"]
    assert attic.on_logger is not None
    assert attic.on_logger[1] - attic.on_logger[0] == pytest.approx(16 * DAY_MS, rel=0.02)
    assert rows["Textile store"].estimated
    assert len(rows["Cold room A"].offloads_ms) == 7
    assert not any(n.kind == "not recording" for row in rows.values() for n in row.needs)


def test_visits_follow_by_day_with_their_reasons(demo_desk: Workspace) -> None:
    visits = board(demo_desk).visits
    assert [v.site.name for v in visits] == [
        "Krabbenkoog",
        "Austernzucht Ost",
        "Bootswerft Sielhafen",
        "Alte Lotsenwacht",
    ]
    assert visits[0].is_urgent
    assert any(words.startswith("Creek gauge: full in 2 d, ") for words in visits[0].needs)
    assert "Saatgutspeicher" not in [v.site.name for v in visits]  # it is online


def test_opening_it_again_is_the_same_archive(
    built_demo: Demo, demo_clock: SimClock, tmp_path: Path
) -> None:
    # a copy: two fleets in one folder would plug their cables into the same ports
    folder = tmp_path / "again"
    without_ports = shutil.ignore_patterns("ports")
    shutil.copytree(built_demo.folder, folder, symlinks=True, ignore=without_ports)
    before = sorted(p.name for p in (folder / "archive" / "vault").rglob("*.mission"))
    again = open_demo(folder, lambda _: None, demo_clock.now_ms, ForkedStandin)
    try:
        after = sorted(p.name for p in (folder / "archive" / "vault").rglob("*.mission"))
        assert before == after
        assert len(again.fleet) == 14  # with the courier
        [k2] = [p for p in again.fleet if p.serial == "P-0321"]
        assert k2.order("state")["readings"] >= 16_800  # it went on with its mission
    finally:
        again.close()


def test_points_are_found_by_name_or_serial(demo_desk: Workspace) -> None:
    assert point_named(demo_desk, "cold room a").serial == "R-1107"
    assert point_named(demo_desk, "R-1107").name == "Cold room A"
    assert point_named(demo_desk, "Saatgutspeicher · Cold room A").site == "Saatgutspeicher"
    with pytest.raises(InputError, match="There is no point “Room Z”; gezeiten list"):
        point_named(demo_desk, "Room Z")
