"""Chain files: checked without our code, broken wherever one is touched, and enough to make the
database anew; an act that was killed on the way was done, or was not."""

from __future__ import annotations

import hashlib
import json
import os
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from gezeiten.archive.database import Archive
from gezeiten.desk.base.pin_store import MemoryPins
from gezeiten.desk.base.workspace import TrustedClock, Workspace
from gezeiten.desk.intake.recovery import recover
from gezeiten.desk.office.logbook import acknowledge_conflict, logbook_entries, logbook_is_intact
from gezeiten.desk.office.verification import rebuild, verify
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.record.statements.site_editor import save_site
from gezeiten.desk.sites.places import sites
from gezeiten.domain.facts.sites import SiteFacts
from gezeiten.errors import ArchiveDamagedError, DiskFullError, GezeitenError
from tests.archive.field_deeds import be_contacted, bring, bring_text
from tests.archive.test_golden import unpacked
from tests.golden import golden

ROOT = Path(__file__).parents[3]


TORN = "The last entry of the logbook is incomplete, so it does not count; the incomplete part"


def opened(folder: Path, heads: Path | None = None) -> Workspace:
    return open_workspace(
        folder, computer=TrustedClock(), pins=MemoryPins(), zone="UTC", heads_file=heads
    )


@pytest.fixture
def desk(tmp_path: Path) -> Iterator[Workspace]:
    made = opened(tmp_path / "archive")
    for name in ("Shore", "Dock", "Mast"):
        save_site(made, SiteFacts(name))
    yield made
    made.close()


def chain_of(desk: Workspace) -> Path:
    [path] = (desk.archive.folder / "logbook").glob("*.jsonl")
    return path


def test_a_chain_can_be_checked_without_our_code(desk: Workspace) -> None:
    previous = "0" * 64
    entries = logbook_entries(desk)[::-1]
    for number, line in enumerate(chain_of(desk).read_text().splitlines(), 1):
        parts = json.loads(line)
        begin = len('{"envelope":')
        envelope = line[begin : line.index(',"salt":')]
        body = line[line.index(',"body":', line.index(',"salt":')) + len(',"body":') : -1]
        assert parts["envelope"]["number"] == number
        assert parts["envelope"]["previous"] == previous
        sealed = hashlib.sha256((parts["salt"] + body).encode()).hexdigest()
        assert parts["envelope"]["body"] == sealed
        previous = hashlib.sha256(envelope.encode()).hexdigest()
        assert entries[number - 1].hash == previous
        assert entries[number - 1].sentence == parts["body"]["sentence"]
    assert len(entries) == number


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (
            lambda lines: [*lines[:3], lines[3].replace(b"Dock", b"Deck"), *lines[4:]],
            "Entry 4 of the chain",
        ),
        (
            lambda lines: [*lines[:2], lines[2].replace(b"command", b"windows"), *lines[3:]],
            "Entry 4 does not follow",
        ),
        (lambda lines: [*lines[:2], *lines[3:]], "is out of place: another entry is there."),
        (
            lambda lines: [*lines[:2], lines[1], *lines[2:]],
            "is out of place: another entry is there.",
        ),
        (
            lambda lines: [lines[0], lines[2], lines[1], lines[3]],
            "is out of place: another entry is there.",
        ),
        (lambda lines: [*lines[:2], b"{}\n", *lines[3:]], "cannot be read"),
        (lambda lines: lines[:-1], "1 entry is missing from the end of the logbook (chain"),
        (
            lambda lines: [*lines[:-1], lines[-1][:-1]],
            "1 entry is missing from the end of the logbook (chain",
        ),
    ],
)
def test_whatever_is_changed_in_a_chain_is_named(
    desk: Workspace, change: object, words: str
) -> None:
    path = chain_of(desk)
    lines = path.read_bytes().splitlines(keepends=True)
    path.write_bytes(b"".join(change(lines)))  # type: ignore[operator]
    faults = verify(desk).faults
    assert any(words in fault for fault in faults), faults


def test_a_body_can_be_withheld_and_the_chain_holds(desk: Workspace) -> None:
    path = chain_of(desk)
    lines = path.read_bytes().splitlines(keepends=True)
    parts = lines[3].split(b',"salt":')
    path.write_bytes(b"".join([*lines[:3], parts[0] + b',"salt":"","body":null}\n', *lines[4:]]))
    (desk.archive.folder / "archive.db").unlink()
    desk.close()
    again = opened(desk.archive.folder)
    assert [site.name for site in sites(again)] == ["Shore", "Mast"]
    assert [entry.act for entry in logbook_entries(again)][:3] == ["site", "withheld", "site"]
    assert verify(again).is_intact
    again.close()


def test_a_torn_last_line_is_put_aside_and_was_not_done(desk: Workspace) -> None:
    desk.close()
    path = chain_of(desk)
    whole = path.read_bytes()
    path.write_bytes(whole + b'{"envelope":{"chain":"')
    again = opened(desk.archive.folder)
    assert path.read_bytes() == whole
    assert [aside.read_bytes() for aside in path.parent.glob("*.torn-*")] == [
        b'{"envelope":{"chain":"'
    ]
    heard: list[str] = []
    again.archive.listen(heard.append)  # as the window and the commands do once it is open
    assert heard == [f"{TORN} was set aside."]
    assert verify(again).is_intact
    again.close()


def test_a_torn_last_line_is_named_while_looking_only(desk: Workspace) -> None:
    desk.close()
    path = chain_of(desk)
    torn = path.read_bytes() + b'{"envelope":{"chain":"'
    path.write_bytes(torn)
    looking = open_workspace(
        desk.archive.folder, computer=TrustedClock(), pins=MemoryPins(), read_only=True
    )
    assert path.read_bytes() == torn
    assert looking.archive.noticed == [f"{TORN} stays where it is."]
    [fault] = verify(looking).faults[:1]
    assert (
        "is incomplete, so it does not count; it is set aside when the archive is next changed."
    ) in fault
    looking.close()


def test_a_deleted_database_comes_back_from_logbook_and_vault(tmp_path: Path) -> None:
    desk = opened(unpacked("0006", tmp_path))
    recover(desk)
    be_contacted(desk, "D-2041", 16, 40)
    bring(desk, "D-9001", 2, 1, 30)
    bring(desk, "D-9001", 2, 20, 100)
    bring_text(desk, 1, 9)
    bring_text(desk, 1, 12)
    told = told_of(desk)
    desk.close()
    for path in desk.archive.folder.glob("*.db*"):
        path.unlink()
    again = opened(desk.archive.folder)
    recover(again)
    assert told_of(again) == told
    assert verify(again).is_intact
    again.close()


def test_another_processor_makes_the_same_of_it(demo_desk: Workspace) -> None:
    """The database is deleted and made anew by a process without this processor's wide registers;
    then it is compared, to the bit, by one that has them."""
    folder = demo_desk.archive.folder
    demo_desk.close()
    for path in folder.glob("*.db*"):
        path.unlink()
    narrow = {**os.environ, "NPY_DISABLE_CPU_FEATURES": "AVX512F AVX512_SKX AVX2 FMA3"}
    command = [sys.executable, "-m", "gezeiten", "list", "--archive", str(folder)]
    made = subprocess.run(command, env=narrow, capture_output=True, text=True, check=False)
    assert made.returncode == 0, made.stderr
    assert (folder / "archive.db").exists()
    here = opened(folder)
    assert verify(here).is_intact
    here.close()


def told_of(desk: Workspace) -> dict[str, Any]:
    """What an archive tells, but when this computer found its excursions."""
    told = golden(desk)
    for excursion in told["excursions"]:
        del excursion["found_ms"]
    return told


def test_how_far_a_chain_was_applied_heals(desk: Workspace) -> None:
    with desk.archive.engine.begin() as connection:
        connection.exec_driver_sql("DELETE FROM chain")
    desk.close()
    again = opened(desk.archive.folder)
    assert len(sites(again)) == 3
    assert verify(again).is_intact
    again.close()


def test_a_table_of_entries_that_was_changed_is_put_right(desk: Workspace) -> None:
    told = [(entry.sentence, entry.hash) for entry in logbook_entries(desk)]
    with desk.archive.engine.begin() as connection:
        connection.exec_driver_sql("UPDATE logbook SET sentence = 'x' WHERE number = 2")
        connection.exec_driver_sql("DELETE FROM logbook WHERE number = 3")
    assert not verify(desk).is_intact
    rebuild(desk)
    assert [(entry.sentence, entry.hash) for entry in logbook_entries(desk)] == told
    assert verify(desk).is_intact


def test_an_act_that_fails_leaves_no_line(desk: Workspace) -> None:
    before = chain_of(desk).read_bytes()
    with pytest.raises(GezeitenError, match="There is already a site “Dock”"):
        save_site(desk, SiteFacts("Dock"))
    assert chain_of(desk).read_bytes() == before


def test_a_full_disk_leaves_no_line(desk: Workspace, monkeypatch: pytest.MonkeyPatch) -> None:
    before = chain_of(desk).read_bytes()

    def full(_: int) -> None:
        raise OSError(28, "No space left on device")

    with monkeypatch.context() as patched:
        patched.setattr("gezeiten.archive.files.chains.os.fsync", full)
        with pytest.raises(DiskFullError):
            save_site(desk, SiteFacts("Buoy"))
    assert chain_of(desk).read_bytes() == before
    save_site(desk, SiteFacts("Buoy"))
    assert verify(desk).is_intact


def test_the_database_of_another_archive_is_refused(desk: Workspace, tmp_path: Path) -> None:
    other = opened(tmp_path / "other")
    desk.close()
    other.close()
    (other.archive.folder / "archive.db").replace(desk.archive.folder / "archive.db")
    with pytest.raises(ArchiveDamagedError, match="belongs to another archive"):
        Archive(desk.archive.folder)


def test_a_computer_goes_on_with_its_chain_and_another_begins_its_own(
    desk: Workspace, tmp_path: Path
) -> None:
    folder = desk.archive.folder
    desk.close()
    for heads, chains in (("ours", 2), ("ours", 2), ("theirs", 3), ("ours", 3)):
        again = opened(folder, tmp_path / heads)
        save_site(again, SiteFacts(f"Buoy {len(sites(again))}"))
        assert len(list((folder / "logbook").glob("*.jsonl"))) == chains
        assert verify(again).is_intact
        told = [
            logbook_entry.sentence
            for logbook_entry in logbook_entries(again)
            if logbook_entry.act == "chain begun"
        ]
        again.close()
    assert len(told) == 2
    assert all("it had not written in this folder" in sentence for sentence in told)


def test_a_home_folder_copied_to_another_machine_writes_a_chain_of_its_own(
    desk: Workspace, tmp_path: Path
) -> None:
    """Else both would write one chain, and nobody could join them."""
    folder, heads = desk.archive.folder, tmp_path / "heads.json"
    desk.close()
    for name in ("Buoy", "Well"):
        again = opened(folder, heads)
        save_site(again, SiteFacts(name))
        again.close()
        copied = json.loads(heads.read_text())
        for one in copied.values():
            one["machine"] = "the one it was copied from"
        heads.write_text(json.dumps(copied))
    assert len(list((folder / "logbook").glob("*.jsonl"))) == 3


def test_an_older_copy_put_back_is_seen(desk: Workspace, tmp_path: Path) -> None:
    import shutil

    folder, heads = desk.archive.folder, tmp_path / "heads.json"
    desk.close()
    again = opened(folder, heads)
    save_site(again, SiteFacts("Buoy"))
    again.close()
    shutil.copytree(folder, tmp_path / "backup")
    again = opened(folder, heads)
    save_site(again, SiteFacts("Well"))
    again.close()
    shutil.rmtree(folder)
    shutil.copytree(tmp_path / "backup", folder)
    back = opened(folder, heads)
    assert not logbook_is_intact(back)
    assert any(
        "which is not in this archive: an older copy was restored" in fault
        for fault in verify(back).faults
    )
    save_site(back, SiteFacts("Well"))
    assert "not as this computer left it" in logbook_entries(back)[1].sentence
    assert logbook_is_intact(back)
    acknowledge_conflict(back, logbook_entries(back)[1])  # until then it is said
    assert verify(back).is_intact
    back.close()


def killed_doing(folder: Path, every: int, act: str) -> list[dict[str, Any]]:
    """Return what an archive says after an act was killed before every so many system calls."""
    command = [sys.executable, "-m", "tests.archive.killed_doing", str(folder), str(every), act]
    run = subprocess.run(command, cwd=ROOT, capture_output=True, text=True, check=False)
    if "no tracing here" in run.stderr:
        pytest.skip("this machine lets nobody trace its programs")
    told = [json.loads(line) for line in run.stdout.splitlines()]
    assert told, run.stderr
    assert told[-1]["lived"], run.stderr
    assert all(one["faults"] == [] and one["goes on"] for one in told), told
    return told


def test_killed_before_any_system_call_an_act_was_done_or_was_not(tmp_path: Path) -> None:
    told = killed_doing(tmp_path, 6, "save")
    assert {tuple(one["done"]) for one in told} == {(), ("Shore",)}


def test_killed_while_lost_entries_are_restored_nothing_is_lost_or_said_twice(
    tmp_path: Path,
) -> None:
    told = killed_doing(tmp_path, 15, "restore")
    assert {tuple(sorted(one["done"])) for one in told} == {("Bank", "Quay", "Weir")}
    assert {one["said"] for one in told} <= {0, 1}  # each entry says of itself that it was
    assert {one["left"] for one in told} == {0, 2}
