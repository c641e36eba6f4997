"""An end of the logbook that was cut off while the tables still know it: it is said, a rebuild
takes nothing out, and lets go of it only on an explicit word."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from gezeiten.desk.context import Desk
from gezeiten.desk.office.verifying import rebuild, verify
from gezeiten.desk.places import sites
from gezeiten.desk.record.place_editor import save_site
from gezeiten.domain.sites import SiteFacts
from gezeiten.errors import ArchiveDamagedError

NAMES = ["Krabbenkoog", "Saatgutspeicher", "Austernzucht Ost"]


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    desk = Desk(tmp_path / "archive")
    for name in NAMES:
        save_site(desk, SiteFacts(name, zone="UTC"))
    desk.close()
    return tmp_path / "archive"


def cut_off(folder: Path, many: int) -> list[bytes]:
    [file] = (folder / "logbook").glob("*.jsonl")
    lines = file.read_bytes().splitlines(keepends=True)
    file.write_bytes(b"".join(lines[:-many]))
    return lines


@pytest.fixture
def cut(folder: Path) -> Iterator[Desk]:
    cut_off(folder, 2)
    desk = Desk(folder)
    yield desk
    desk.close()


def names(desk: Desk) -> list[str]:
    return sorted(site.name for site in sites(desk))


def test_what_was_cut_off_is_said_and_not_advised_away(cut: Desk) -> None:
    faults = " ".join(verify(cut).faults)
    assert "2 entries were cut off the end of the logbook" in faults
    assert "Fetch the last copy of the archive's logbook folder" in faults


def test_a_rebuild_takes_nothing_out(cut: Desk) -> None:
    with pytest.raises(ArchiveDamagedError) as refused:
        rebuild(cut)
    said = str(refused.value)
    assert "only the tables still know 2 entries" in said
    assert all(name in said for name in NAMES[1:])
    assert "Nothing was changed" in said
    assert names(cut) == sorted(NAMES)


def test_only_an_explicit_word_lets_go(cut: Desk) -> None:
    rebuild(cut, drop_lost=True)
    assert names(cut) == NAMES[:1]
    assert verify(cut).is_whole


def test_the_file_put_back_makes_it_whole_again(folder: Path) -> None:
    lines = cut_off(folder, 2)
    desk = Desk(folder)
    assert not verify(desk).is_whole
    desk.close()
    [file] = (folder / "logbook").glob("*.jsonl")
    file.write_bytes(b"".join(lines))
    desk = Desk(folder)
    assert verify(desk).is_whole
    assert names(desk) == sorted(NAMES)
    desk.close()
