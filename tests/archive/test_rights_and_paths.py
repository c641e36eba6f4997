"""A new archive is its maker's alone, or a group's where it is made in that group's folder; odd
paths work, or it is said why not."""

from __future__ import annotations

import os
import stat
from pathlib import Path

import pytest

from gezeiten.desk.office.verification import verify
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.record.statements.site_editor import save_site
from gezeiten.desk.sites.places import sites
from gezeiten.domain.facts.sites import SiteFacts
from gezeiten.errors import InputError


def made(folder: Path) -> None:
    desk = open_workspace(folder)
    save_site(desk, SiteFacts("Krabbenkoog", zone="UTC"))
    assert [site.name for site in sites(desk)] == ["Krabbenkoog"]
    assert verify(desk).is_intact
    desk.close()


def modes(folder: Path) -> dict[str, int]:
    return {
        str(path.relative_to(folder)): stat.S_IMODE(path.stat().st_mode)
        for path in [folder, *folder.rglob("*")]
    }


def test_nobody_else_sees_a_new_archive(tmp_path: Path) -> None:
    made(tmp_path / "archive")
    found = modes(tmp_path / "archive")
    assert found["."] == 0o700
    assert found["archive.db"] == 0o600
    folders = [mode for name, mode in found.items() if (tmp_path / "archive" / name).is_dir()]
    assert set(folders) <= {0o700, 0o755}  # what is made later lies inside what is closed
    assert found["vault"] == 0o700


def test_in_a_folder_of_a_group_the_group_works_too(tmp_path: Path) -> None:
    shared = tmp_path / "shared"
    shared.mkdir()
    shared.chmod(0o2770)
    before = os.umask(0o022)
    try:
        made(shared / "archive")
    finally:
        os.umask(before)
    found = modes(shared / "archive")
    assert found["."] == 0o2770
    assert found["archive.db"] == 0o660
    assert found["logbook"] & 0o070 == 0o070
    [chain] = [mode for name, mode in found.items() if name.endswith(".jsonl")]
    assert chain == 0o660


@pytest.mark.parametrize("name", ["what?", "a#b", "50 % off", "ä & ö", "a;b", "x" * 200, "it's"])
def test_odd_paths_work(name: str, tmp_path: Path) -> None:
    made(tmp_path / name)
    assert (tmp_path / name / "archive.db").exists()
    made_again = open_workspace(tmp_path / name)
    assert len(sites(made_again)) == 1
    made_again.close()


def test_a_path_too_long_for_the_database_is_said(tmp_path: Path) -> None:
    folder = tmp_path
    while len(os.fsencode(folder)) < 500:
        folder /= "x" * 60
    with pytest.raises(InputError, match="choose a folder with a shorter path"):
        made(folder)
