"""A disk that fills up between the line of an entry and its tables: what is done is done, is said
to be, shows once there is room, and never stands there twice."""

from __future__ import annotations

import resource
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest

from gezeiten.archive.files.free_space import require_free_space
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.office.verification import verify
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.record.statements.site_editor import save_site
from gezeiten.desk.sites.places import sites
from gezeiten.domain.facts.sites import SiteFacts
from gezeiten.errors import DoneUnshownError, GezeitenError


@contextmanager
def files_up_to(size: int) -> Iterator[None]:
    """No file of this process grows beyond a size: what a full disk does to one of them."""
    soft, hard = resource.getrlimit(resource.RLIMIT_FSIZE)
    resource.setrlimit(resource.RLIMIT_FSIZE, (size, hard))
    try:
        yield
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, (soft, hard))


@pytest.fixture
def desk(tmp_path: Path) -> Iterator[Workspace]:
    workspace = open_workspace(tmp_path / "archive")
    save_site(workspace, SiteFacts("Krabbenkoog", zone="Europe/Berlin"))
    yield workspace
    workspace.close()


def chain_bytes(desk: Workspace) -> int:
    return max(desk.archive.chains.sizes().values())


@pytest.mark.parametrize("room", [1_500, 2_500, 3_500, 5_000, 7_000, 9_000])
def test_what_is_done_is_said_to_be_done_and_stands_there_once(desk: Workspace, room: int) -> None:
    before = [site.name for site in sites(desk)]
    limit = chain_bytes(desk) + room
    outcome = ""
    with files_up_to(limit):
        try:
            save_site(desk, SiteFacts("Austernzucht Ost", zone="Europe/Berlin"))
        except DoneUnshownError as exc:
            outcome = str(exc)
            assert (
                "Done and recorded in the logbook. It will be shown when the disk has "
                "space again; free some, and do not repeat this."
            ) in outcome
            assert (
                "Done and recorded in the logbook. It will be shown when the disk has "
                "space again; free some, and do not repeat this."
            ) in outcome
        except GezeitenError as exc:
            outcome = str(exc)
            assert "Nothing was changed." in outcome
    desk.archive.catch_up()  # as the next look does
    is_done = [site.name for site in sites(desk)] == [*before, "Austernzucht Ost"]
    assert is_done == (outcome == "" or outcome.startswith("Done"))
    if not is_done:
        save_site(desk, SiteFacts("Austernzucht Ost", zone="Europe/Berlin"))
    assert [site.name for site in sites(desk)].count("Austernzucht Ost") == 1
    assert verify(desk).is_intact


def test_the_case_is_really_met(desk: Workspace) -> None:
    """At some limit the line fits and the tables do not."""
    said = set()
    for room in range(1_000, 12_000, 500):
        with files_up_to(chain_bytes(desk) + room):
            try:
                save_site(desk, SiteFacts(f"Site {room}", zone="Europe/Berlin"))
            except GezeitenError as exc:
                said.add(type(exc))
        desk.archive.catch_up()
    assert DoneUnshownError in said


def test_a_chain_that_was_begun_then_is_gone_on_with(desk: Workspace, tmp_path: Path) -> None:
    """Where the first act in a folder is done and does not show, the next one begins no other
    chain."""
    met = 0
    for room in range(2_000, 9_000, 500):
        folder = tmp_path / str(room)
        shutil.copytree(desk.archive.folder, folder)
        copy = open_workspace(folder, heads_file=tmp_path / f"heads {room}")
        try:
            with files_up_to(chain_bytes(desk) + room):
                save_site(copy, SiteFacts("Austernzucht Ost", zone="Europe/Berlin"))
        except DoneUnshownError:
            met += 1
        except GezeitenError:
            pass
        save_site(copy, SiteFacts("Mole", zone="Europe/Berlin"))
        assert len(copy.archive.chains.sizes()) == 2
        assert verify(copy).is_intact
        copy.close()
    assert met


def test_room_is_taken_and_given_back(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from gezeiten.archive.files import free_space

    monkeypatch.setattr(free_space, "_PLENTY", 1 << 60)  # as if there were little
    require_free_space(tmp_path, 100)
    assert list(tmp_path.iterdir()) == []
    with files_up_to(1 << 20), pytest.raises(OSError, match=r"large|space"):
        require_free_space(tmp_path, 100)
    assert list(tmp_path.iterdir()) == []
