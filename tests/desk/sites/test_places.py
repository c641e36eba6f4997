"""Sites and points: adding, refusing, naming."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.board import board
from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.record.statements.site_editor import save_site
from gezeiten.desk.sites.places import (
    add_point,
    point_named,
    points,
    set_next_visit,
    sites,
    zone_at,
)
from gezeiten.domain.facts.sites import SiteFacts
from gezeiten.errors import InputError


@pytest.fixture
def desk(tmp_path: Path) -> Iterator[Workspace]:
    workspace = open_workspace(tmp_path, now_ms=lambda: 1_795_392_000_000)
    yield workspace
    workspace.close()


@pytest.mark.parametrize(
    ("name", "zone", "words"),
    [
        ("", "UTC", "cannot be the name of a site"),
        ("A · B", "UTC", "choose a name without “·”."),
        ("Dock", "Berlin/Mitte", "is not a time zone; type one like Europe/Berlin."),
        ("Dock", "../etc", "is not a time zone; type one like Europe/Berlin."),
    ],
)
def test_sites_without_sense_are_refused(desk: Workspace, name: str, zone: str, words: str) -> None:
    with pytest.raises(InputError, match=words):
        save_site(desk, SiteFacts(name, zone=zone))
    assert sites(desk) == []


def test_a_site_is_added_once(desk: Workspace) -> None:
    save_site(desk, SiteFacts("Dock", "yard", height_m=2.0))
    with pytest.raises(InputError, match=r"choose another name\."):
        save_site(desk, SiteFacts("Dock", "yard", "UTC"))
    assert [e.act for e in logbook_entries(desk)] == ["site", "person", "archive begun"]


def test_points_are_made_with_their_site_and_kept(desk: Workspace) -> None:
    first = add_point(desk, "Dock · North wall")
    assert add_point(desk, "Dock · North wall") == first
    add_point(desk, "Shed")
    names = [(p.site, p.name) for p in points(desk)]
    assert names == [("Dock", "North wall"), ("Shed", "Shed")]


def test_a_name_that_several_points_bear_asks_for_more(desk: Workspace) -> None:
    add_point(desk, "Dock · Wall")
    add_point(desk, "Shed · Wall")
    with pytest.raises(InputError, match=r"” matches several points \("):
        point_named(desk, "Wall")
    assert point_named(desk, "shed · wall").site == "Shed"


def test_a_point_without_a_logger_is_on_the_board_and_says_so(desk: Workspace) -> None:
    add_point(desk, "Dock · Wall")
    [site] = sites(desk)
    set_next_visit(desk, site.id, 1_795_392_000_000 + 86_400_000)
    shown = board(desk)
    [(_, [row])] = shown.sites
    assert not row.is_recording
    assert row.needs[0].words == "not recording"
    [visit] = shown.visits
    assert visit.is_urgent
    assert visit.needs == ("Wall: not recording",)
    set_next_visit(desk, site.id, None)
    assert board(desk).visits == ()


def test_a_new_point_has_the_zone_of_its_site() -> None:
    zones = {"Dock · North wall": "Europe/Lisbon", "Docks · Shed": "Europe/Oslo"}
    wanted = {
        "Dock · North wall": "Europe/Lisbon",
        "Dock · Crane": "Europe/Lisbon",
        "Docks · Crane": "Europe/Oslo",
        "Do · Crane": "UTC",
        "": "UTC",
    }
    assert {name: zone_at(zones, name, "UTC") for name in wanted} == wanted
