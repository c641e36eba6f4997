"""People: named once, by an act; a name erased at their wish is nowhere, and everything checks."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest

from gezeiten.desk.base.pin_store import MemoryPins
from gezeiten.desk.base.settings import Settings
from gezeiten.desk.base.workspace import TrustedClock, Workspace
from gezeiten.desk.intake.recovery import recover
from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.office.verification import verify
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.record.statements.site_editor import save_site
from gezeiten.desk.sites.people import erase_name, names
from gezeiten.desk.sites.places import sites
from gezeiten.domain.facts.sites import SiteFacts
from gezeiten.errors import InputError
from tests.archive.field_deeds import bring

NAME = "Wiebke Onken"


def opened(folder: Path) -> Workspace:
    workspace = open_workspace(folder, computer=TrustedClock(), pins=MemoryPins(), zone="UTC")
    workspace.settings = Settings(person=NAME)
    return workspace


@pytest.fixture
def desk(tmp_path: Path) -> Iterator[Workspace]:
    made = opened(tmp_path / "archive")
    save_site(made, SiteFacts("Shore"))
    bring(made, "D-9001", 2, 0, 50)
    made.settings = replace(made.settings, person="JA")
    save_site(made, SiteFacts("Dock"))
    yield made
    made.close()


def stands_in(folder: Path, name: str) -> list[str]:
    """Every file of an archive in which a name stands."""
    return [
        str(path.relative_to(folder))
        for path in folder.rglob("*")
        if path.is_file() and name.encode() in path.read_bytes()
    ]


def test_a_name_stands_in_one_line_of_the_chain(desk: Workspace) -> None:
    assert names(desk) == ["JA", NAME]
    [chain] = (desk.archive.folder / "logbook").glob("*.jsonl")
    lines = [line for line in chain.read_text().splitlines() if NAME in line]
    assert len(lines) == 1
    assert {entry.person for entry in logbook_entries(desk)} == {"", "JA", NAME}


def test_an_erased_name_is_nowhere_and_everything_checks(desk: Workspace) -> None:
    folder = desk.archive.folder
    erase_name(desk, NAME)
    assert names(desk) == ["JA"]
    assert {entry.person for entry in logbook_entries(desk)} == {"", "JA", "–"}
    assert verify(desk).is_intact
    assert {"Shore", "Dock"} <= {site.name for site in sites(desk)}
    desk.close()
    assert stands_in(folder, NAME) == []  # nor in a free place of the database
    for path in folder.glob("archive.db*"):
        path.unlink()
    again = opened(folder)
    recover(again)
    assert names(again) == ["JA"]
    assert verify(again).is_intact
    assert {"Shore", "Dock"} <= {site.name for site in sites(again)}
    again.close()


def test_an_erasing_that_was_killed_is_ended_at_the_next_start(
    desk: Workspace, monkeypatch: pytest.MonkeyPatch
) -> None:
    with monkeypatch.context() as patched:
        patched.setattr("gezeiten.archive.queries.people.finish_erasing", lambda *_: None)
        erase_name(desk, NAME)
    [chain] = (desk.archive.folder / "logbook").glob("*.jsonl")
    assert NAME in chain.read_text()
    recover(desk)
    assert NAME not in chain.read_text()
    assert verify(desk).is_intact


def test_who_is_not_there_cannot_be_erased(desk: Workspace) -> None:
    with pytest.raises(InputError, match="This archive has no user “XX”"):
        erase_name(desk, "XX")


def test_whoever_erases_his_own_name_goes_on_without_it(desk: Workspace) -> None:
    desk.change_settings(replace(desk.settings, person=NAME))
    erase_name(desk, NAME)
    save_site(desk, SiteFacts("Mole"))
    assert NAME not in names(desk)
    assert desk.person != NAME
    assert verify(desk).is_intact
    desk.close()
    assert stands_in(desk.archive.folder, NAME) == []
