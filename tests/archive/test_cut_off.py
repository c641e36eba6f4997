"""An end of the logbook that was cut off while the tables still know it: it is said, a rebuild
takes nothing out, writes it again or lets go of it only on an explicit word."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.office.logbook import acknowledge_conflict, logbook_entries
from gezeiten.desk.office.verification import rebuild, verify
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.record.statements.site_editor import save_site
from gezeiten.desk.sites.places import sites
from gezeiten.domain.facts.sites import SiteFacts
from gezeiten.errors import ArchiveDamagedError

NAMES = ["Krabbenkoog", "Saatgutspeicher", "Austernzucht Ost"]


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    desk = open_workspace(tmp_path / "archive")
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
def cut(folder: Path) -> Iterator[Workspace]:
    cut_off(folder, 2)
    desk = open_workspace(folder)
    yield desk
    desk.close()


def names(desk: Workspace) -> list[str]:
    return sorted(site.name for site in sites(desk))


def test_what_was_cut_off_is_said_and_not_advised_away(cut: Workspace) -> None:
    faults = " ".join(verify(cut).faults)
    assert "2 entries were cut off the end of the logbook" in faults
    assert "or write the entries again as the tables have them" in faults
    assert "takes it out" not in faults


def test_a_rebuild_takes_nothing_out(cut: Workspace) -> None:
    with pytest.raises(ArchiveDamagedError) as refused:
        rebuild(cut)
    said = str(refused.value)
    assert "only the tables still have 2 entries" in said
    assert all(name in said for name in NAMES[1:])
    assert "Nothing was changed" in said
    assert names(cut) == sorted(NAMES)


def test_only_an_explicit_word_lets_go(cut: Workspace) -> None:
    rebuild(cut, with_lost="drop")
    assert names(cut) == NAMES[:1]
    assert verify(cut).is_intact


def nothing(lines: list[bytes]) -> bytes | None:
    return b""


def no_file(lines: list[bytes]) -> bytes | None:
    return None


def two_lines_less(lines: list[bytes]) -> bytes | None:
    return b"".join(lines[:-2])


def half_a_line_less(lines: list[bytes]) -> bytes | None:
    return b"".join(lines)[:-40]


def the_end_of_a_line_less(lines: list[bytes]) -> bytes | None:
    return b"".join(lines)[:-1]


@pytest.mark.parametrize(
    ("damage", "many"),
    [
        (two_lines_less, 2),
        (half_a_line_less, 1),
        (the_end_of_a_line_less, 1),
        (nothing, 5),
        (no_file, 5),
    ],
)
@pytest.mark.parametrize("goes_on", [False, True])
def test_what_was_lost_is_written_again_as_the_table_has_it(
    folder: Path, damage: Callable[[list[bytes]], bytes | None], many: int, goes_on: bool
) -> None:
    """Also where work went on in the meantime; the database is not needed any more afterwards."""
    desk = open_workspace(folder)
    before = {entry.number: entry for entry in logbook_entries(desk)}
    desk.close()
    [file] = (folder / "logbook").glob("*.jsonl")
    lines = file.read_bytes().splitlines(keepends=True)
    assert len(lines) == 5
    left = damage(lines)
    file.unlink() if left is None else file.write_bytes(left)

    desk = open_workspace(folder)
    if goes_on:
        save_site(desk, SiteFacts("Seglerhafen", zone="UTC"))
    kept = names(desk)
    told = " ".join(verify(desk).faults)
    assert (
        "1 entry is missing from the end of the logbook (chain"
        if many == 1
        else f"{many} entries were"
    ) in told
    assert "The logbook itself is not intact" not in told
    assert "cannot be read" not in told
    with pytest.raises(ArchiveDamagedError, match="--restore-lost"):
        rebuild(desk)
    rebuild(desk, with_lost="restore")
    assert verify(desk).faults == (unseen(desk) if goes_on else [])
    assert names(desk) == kept
    desk.close()

    (folder / "archive.db").unlink()
    desk = open_workspace(folder)
    assert names(desk) == kept
    assert verify(desk).faults == (unseen(desk) if goes_on else [])
    chain = file.stem
    after = {entry.number: entry for entry in logbook_entries(desk) if entry.chain == chain}
    assert after.keys() == before.keys()
    for number, entry in after.items():
        was = before[number]
        assert (entry.at_ms, entry.person, entry.sentence, entry.details) == (
            was.at_ms,
            was.person,
            was.sentence,
            was.details,
        )
        assert (entry.hash == was.hash) == (number <= 5 - many)
    [said] = [entry for entry in logbook_entries(desk) if entry.act == "entries restored"]
    assert "restored from the table" in said.sentence
    assert said.details["act"]["hashes"] == [before[n].hash for n in range(6 - many, 6)]
    desk.close()

    # the last copy turns up after all: it says the same, and stands
    file.write_bytes(b"".join(lines))
    desk = open_workspace(folder)
    rebuild(desk)
    assert verify(desk).faults == (unseen(desk) if goes_on else [])
    assert names(desk) == kept
    desk.close()


def unseen(desk: Workspace) -> list[str]:
    """What is said of a chain that was begun, as the archive was not as it had been left."""
    [begun] = [entry for entry in logbook_entries(desk) if entry.act == "chain begun"][-1:]
    return [
        f"Entry {begun.seq}: the archive was not as this computer had left it; an older copy "
        "was restored, or the end of its logbook is missing. Once that is understood, "
        "acknowledge it in the Logbook."
    ]


def test_work_that_went_on_leaves_it_said_until_somebody_looked(cut: Workspace) -> None:
    """Also when the entries were let go of, and the database was made anew."""
    save_site(cut, SiteFacts("Seglerhafen", zone="UTC"))
    assert unseen(cut)[0] in verify(cut).faults
    rebuild(cut, with_lost="drop")
    assert verify(cut).faults == unseen(cut)
    folder = cut.archive.folder
    cut.close()
    (folder / "archive.db").unlink()
    desk = open_workspace(folder)
    assert verify(desk).faults == unseen(desk)
    begun = next(entry for entry in logbook_entries(desk) if entry.act == "chain begun")
    acknowledge_conflict(desk, begun)
    assert verify(desk).is_intact
    desk.close()


def test_what_was_let_go_of_is_told(cut: Workspace) -> None:
    rebuild(cut, with_lost="drop")
    [said] = [entry for entry in logbook_entries(cut) if entry.act == "entries removed"]
    assert all(name in said.sentence for name in NAMES[1:])


def test_a_line_changed_before_the_cut_is_not_written_over(cut: Workspace) -> None:
    """Where the logbook does not hold, only its last copy helps."""
    [file] = (cut.archive.folder / "logbook").glob("*.jsonl")
    data = file.read_bytes().replace(b"Krabbenkoog", b"Krebbenkoog")
    file.write_bytes(data)
    for word in ("restore", "drop"):
        with pytest.raises(ArchiveDamagedError, match="The logbook itself is not intact"):
            rebuild(cut, with_lost=word)  # type: ignore[arg-type]
    assert file.read_bytes() == data


def test_the_file_put_back_makes_it_whole_again(folder: Path) -> None:
    lines = cut_off(folder, 2)
    desk = open_workspace(folder)
    assert not verify(desk).is_intact
    desk.close()
    [file] = (folder / "logbook").glob("*.jsonl")
    file.write_bytes(b"".join(lines))
    desk = open_workspace(folder)
    assert verify(desk).is_intact
    assert names(desk) == sorted(NAMES)
    desk.close()
