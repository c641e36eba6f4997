"""Copies of a vault that lie: lists that unpack to gigabytes, links, devices, pipes, files longer
or shorter than listed. They are refused by name; what is right beside them comes."""

from __future__ import annotations

import json
import os
import stat
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from gezeiten.desk.base.workspace import TrustedClock, Workspace
from gezeiten.desk.intake.carriers.vault_copy import copy_to, hand_on, import_copy
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.errors import InputError
from tests.small_blocks import kept_in


@pytest.fixture
def copy(tmp_path: Path) -> Path:
    """A copy of two raw offloads as a folder."""
    with kept_in(tmp_path / "here") as kept:
        kept.take(0, 50)
        kept.take(50, 90)
        copy_to(kept.desk, tmp_path / "copy")
        hand_on(kept.desk, tmp_path / "copy.zip")
    return tmp_path / "copy"


@pytest.fixture
def elsewhere(tmp_path: Path) -> Iterator[Workspace]:
    desk = open_workspace(tmp_path / "elsewhere", computer=TrustedClock())
    yield desk
    desk.close()


def endless(path: Path) -> None:
    path.symlink_to("/dev/zero")


def link(path: Path) -> None:
    path.symlink_to("/etc/hostname")


def pipe(path: Path) -> None:
    os.mkfifo(path)


def longer(path: Path) -> None:
    path.write_bytes(b"x" * (1 << 21))


def shorter(path: Path) -> None:
    path.write_bytes(b"")


@pytest.mark.parametrize("make", [endless, link, pipe, longer, shorter])
def test_what_is_no_file_of_its_length_is_refused(
    make: Callable[[Path], None], copy: Path, elsewhere: Workspace
) -> None:
    first, _ = sorted((copy / "raw").iterdir())
    first.unlink()
    make(first)
    brought = import_copy(elsewhere, copy)
    # (what these copies hold is made up: the other one is no mission file and refused for that)
    [refused] = [one for one in brought.refused if first.name[:12] in one]
    assert (
        "is a link or a device" in refused or "does not have the size given in its list." in refused
    )
    assert list(elsewhere.archive.incoming.iterdir()) == []


@pytest.mark.parametrize("make", [endless, link, pipe, longer])
def test_a_list_that_is_none_is_refused(
    make: Callable[[Path], None], copy: Path, elsewhere: Workspace
) -> None:
    (copy / "offloads.json").unlink()
    make(copy / "offloads.json")
    with pytest.raises(InputError):
        import_copy(elsewhere, copy)


def zipped(copy: Path, target: Path, change: Callable[[zipfile.ZipFile], None]) -> Path:
    with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as out:
        change(out)
        for raw in (copy / "raw").iterdir():
            out.write(raw, f"raw/{raw.name}", zipfile.ZIP_STORED)
    return target


def test_a_list_that_unpacks_to_gigabytes_is_not_unpacked(
    copy: Path, elsewhere: Workspace, tmp_path: Path
) -> None:
    def bomb(out: zipfile.ZipFile) -> None:
        with out.open("offloads.json", "w") as file:
            file.write(b"[" + b" " * (64 << 20) + b"]")

    with pytest.raises(InputError, match="is not a vault copy"):
        import_copy(elsewhere, zipped(copy, tmp_path / "bomb.zip", bomb))


@pytest.mark.parametrize("more", [0, 1])
def test_a_list_may_be_as_long_as_its_files_allow(
    more: int, copy: Path, elsewhere: Workspace, tmp_path: Path
) -> None:
    listed = json.loads((copy / "offloads.json").read_text())
    text = json.dumps(listed).encode()
    room = (1 << 20) + 3 * (1 << 20)  # two raw offloads, and the list itself

    def padded(out: zipfile.ZipFile) -> None:
        out.writestr("offloads.json", text + b" " * (room + more - len(text)), zipfile.ZIP_STORED)

    path = zipped(copy, tmp_path / "long.zip", padded)
    if more:
        with pytest.raises(InputError, match="is not a vault copy"):
            import_copy(elsewhere, path)
    else:
        assert len(import_copy(elsewhere, path).refused) == len(listed)  # made-up bytes


def test_a_link_in_a_file_is_no_member(copy: Path, elsewhere: Workspace, tmp_path: Path) -> None:
    def link_as_list(out: zipfile.ZipFile) -> None:
        info = zipfile.ZipInfo("offloads.json")
        info.external_attr = (stat.S_IFLNK | 0o777) << 16
        out.writestr(info, "/etc/hostname")

    with pytest.raises(InputError, match="is not a vault copy"):
        import_copy(elsewhere, zipped(copy, tmp_path / "link.zip", link_as_list))
