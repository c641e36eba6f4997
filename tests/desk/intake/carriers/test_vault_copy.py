"""The vault copied, handed on as one file and taken in elsewhere: the same record comes out."""

from __future__ import annotations

import json
import subprocess
import sys
import zipfile
from pathlib import Path

import numpy as np
import pytest

from gezeiten.desk.base.pin_store import MemoryPins
from gezeiten.desk.base.workspace import TrustedClock, Workspace
from gezeiten.desk.intake.carriers.vault_copy import (
    copy_to,
    for_people,
    hand_on,
    import_copy,
    named_raws,
)
from gezeiten.desk.office.verification import verify
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import sites
from gezeiten.errors import CancelledError, InputError
from gezeiten.link.transfer import Watch


@pytest.fixture
def elsewhere(tmp_path: Path) -> Workspace:
    (tmp_path / "elsewhere").mkdir()
    desk = open_workspace(tmp_path / "elsewhere", computer=TrustedClock(), pins=MemoryPins())
    yield desk
    desk.close()


def records(desk: Workspace) -> dict[tuple[str, str], list[float]]:
    """Measured readings of every channel of every point, fills left out."""
    found = {}
    for site in sites(desk):
        for point in site.points:
            for channel in point.channels:
                series = record(desk, point.id, channel.channel)
                found[(point.full_name, channel.channel)] = series.values[
                    ~series.estimated
                ].tolist()
    return found


@pytest.mark.parametrize("as_file", [True, False])
def test_the_same_record_comes_out_elsewhere(
    demo_desk: Workspace, elsewhere: Workspace, tmp_path: Path, as_file: bool
) -> None:
    target = tmp_path / "vault.zip" if as_file else tmp_path / "disk"
    count = (hand_on if as_file else copy_to)(demo_desk, target).count
    assert count == len(named_raws(demo_desk)) > 30
    brought = import_copy(elsewhere, target)
    assert (brought.offloads, brought.refused) == (count, [])
    theirs, ours = records(elsewhere), records(demo_desk)
    # what people did with the record (a fill from a second offload) is not in the raw bytes
    same = [key for key in ours if np.array_equal(theirs.get(key, []), ours[key])]
    assert len(same) >= len(ours) - 2
    assert verify(elsewhere).is_intact
    again = import_copy(elsewhere, target)
    assert (again.offloads, again.readings, again.already_stored) == (0, 0, count)


def test_a_copy_goes_on_and_mends_what_was_damaged(demo_desk: Workspace, tmp_path: Path) -> None:
    folder = tmp_path / "disk"
    count = copy_to(demo_desk, folder).count
    raws = sorted((folder / "raw").iterdir())
    raws[0].write_bytes(b"damaged")
    raws[1].unlink()
    assert copy_to(demo_desk, folder).count == count
    assert len(list((folder / "raw").iterdir())) == len(raws)
    words = (folder / "WHAT-IS-WHAT.txt").read_text()
    assert "Alte Lotsenwacht · Textile store · D-2041" in words
    assert for_people(named_raws(demo_desk)) == words


def damage(desk: Workspace, sha256: str) -> None:
    path = desk.archive.vault.path(sha256)
    path.chmod(0o644)
    path.write_bytes(b"other")


@pytest.mark.parametrize("as_file", [True, False])
def test_a_damaged_vault_saves_what_is_whole_and_a_copy_mends_it(
    demo_desk: Workspace, elsewhere: Workspace, tmp_path: Path, as_file: bool
) -> None:
    write = hand_on if as_file else copy_to
    before, after = tmp_path / "before.zip", tmp_path / "after.zip"
    count = write(demo_desk, before).count
    changed, gone = (raw.sha256 for raw in named_raws(demo_desk)[3:5])
    damage(demo_desk, changed)
    demo_desk.archive.vault.path(gone).unlink()
    written = write(demo_desk, after)
    assert written.count == count - 2
    assert len(written.damaged) == 2
    brought = import_copy(elsewhere, after)
    assert (brought.offloads, brought.refused) == (count - 2, [])
    # a copy from before brings the bytes back, and only those
    assert len(verify(demo_desk).faults) >= 2
    brought = import_copy(demo_desk, before)
    assert (brought.offloads, brought.mended, brought.already_stored) == (0, 2, count)
    assert verify(demo_desk).is_intact


def test_a_copy_keeps_what_the_vault_has_lost(demo_desk: Workspace, tmp_path: Path) -> None:
    first = copy_to(demo_desk, tmp_path / "disk")
    damage(demo_desk, named_raws(demo_desk)[0].sha256)
    assert len(copy_to(demo_desk, tmp_path / "disk").damaged) == 1
    assert import_copy(demo_desk, tmp_path / "disk").mended == 1
    assert copy_to(demo_desk, tmp_path / "disk") == first


def test_handing_on_can_be_stopped(demo_desk: Workspace, tmp_path: Path) -> None:
    with pytest.raises(CancelledError):
        hand_on(demo_desk, tmp_path / "vault.zip", Watch(cancelled=lambda: True))
    assert list(tmp_path.glob("vault*")) == []


def test_what_is_damaged_on_the_way_is_refused_and_the_rest_taken(
    demo_desk: Workspace, elsewhere: Workspace, tmp_path: Path
) -> None:
    copy_to(demo_desk, tmp_path / "disk")
    first = named_raws(demo_desk)[0].sha256
    (tmp_path / "disk" / "raw" / first).write_bytes(b"damaged on the way")
    brought = import_copy(elsewhere, tmp_path / "disk")
    assert len(brought.refused) == 1
    assert "does not have the size given in its list." in brought.refused[0]
    assert brought.offloads > 30
    assert list(elsewhere.archive.incoming.iterdir()) == []


def test_a_folder_that_lacks_a_file_gives_all_others(
    demo_desk: Workspace, elsewhere: Workspace, tmp_path: Path
) -> None:
    copy_to(demo_desk, tmp_path / "disk")
    first = named_raws(demo_desk)[0].sha256
    (tmp_path / "disk" / "raw" / first).unlink()
    brought = import_copy(elsewhere, tmp_path / "disk")
    [refused] = brought.refused
    assert f"{first[:12]} is listed in disk but missing" in refused
    assert brought.offloads > 30


def test_the_list_of_a_copy_is_never_half_written(demo_desk: Workspace, tmp_path: Path) -> None:
    """The disk is full when the list is written: the one of the copy before is still whole."""
    folder = tmp_path / "disk"
    copy_to(demo_desk, folder)
    before = (folder / "offloads.json").read_bytes()
    limit = len(before) // 2
    code = (
        "import resource, signal, sys\n"
        "from pathlib import Path\n"
        "from gezeiten.desk.open_workspace import open_workspace\n"
        "from gezeiten.desk.intake.carriers.vault_copy import copy_to\n"
        "desk = open_workspace(Path(sys.argv[1]))\n"
        "signal.signal(signal.SIGXFSZ, signal.SIG_IGN)\n"
        f"resource.setrlimit(resource.RLIMIT_FSIZE, ({limit}, {limit}))\n"
        "copy_to(desk, Path(sys.argv[2]))\n"
    )
    done = subprocess.run(
        [sys.executable, "-c", code, str(demo_desk.archive.folder), str(folder)],
        capture_output=True,
        text=True,
    )
    assert "DiskFullError" in done.stderr
    assert (folder / "offloads.json").read_bytes() == before


def test_what_is_no_copy_is_said(elsewhere: Workspace, tmp_path: Path) -> None:
    (tmp_path / "text.zip").write_text("no zip")
    with zipfile.ZipFile(tmp_path / "other.zip", "w") as other:
        other.writestr("hello.txt", "x")
    with zipfile.ZipFile(tmp_path / "evil.zip", "w") as evil:
        raw = dict.fromkeys(("site", "point", "serial", "person", "route"), "x")
        more = dict.fromkeys(("size", "mission", "at_ms", "from_ms", "until_ms"), 1)
        nothing = dict.fromkeys(
            ("clock_difference_ms", "clock_uncertainty_ms", "carried", "reading")
        )
        entry = {**raw, **more, **nothing, "sha256": "../../etc/passwd"}
        evil.writestr("offloads.json", json.dumps([entry]))
    names = {"text.zip", "other.zip", "evil.zip", "none.zip"}
    for i, wrong in enumerate(({"size": "many"}, {"person": {}}, {"at_ms": 2**70}, {"reading": 5})):
        names.add(f"wrong{i}.zip")
        with zipfile.ZipFile(tmp_path / f"wrong{i}.zip", "w") as odd:
            odd.writestr("offloads.json", json.dumps([{**entry, "sha256": "a" * 64, **wrong}]))
    for name in names:
        with pytest.raises(InputError):
            import_copy(elsewhere, tmp_path / name)
    with pytest.raises(InputError, match="is not a vault copy"):
        import_copy(elsewhere, tmp_path)
