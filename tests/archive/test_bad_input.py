"""What comes from elsewhere, or goes wrong around an archive: kept, named, and the rest goes on."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import msgspec
import pytest

from gezeiten.archive.files.chains import Body, Envelope, line_of, read_line
from gezeiten.desk.base.pin_store import MemoryPins
from gezeiten.desk.base.workspace import TrustedClock, Workspace
from gezeiten.desk.intake.recovery import recover
from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.office.verification import rebuild, verify
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.record.statements.site_editor import save_site
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import points, sites
from gezeiten.domain.facts.sites import SiteFacts
from tests.archive.field_deeds import bring

ROOT = Path(__file__).parents[2]
TEN_YEARS_MS = 315_576_000_000


def opened(folder: Path) -> Workspace:
    return open_workspace(folder, computer=TrustedClock(), pins=MemoryPins(), zone="UTC")


@pytest.fixture
def desk(tmp_path: Path) -> Iterator[Workspace]:
    made = opened(tmp_path / "archive")
    save_site(made, SiteFacts("Shore"))
    yield made
    made.close()


def written_by_another_version(desk: Workspace, act: dict[str, object]) -> None:
    """Append a line that follows the last one, as another program would."""
    [path] = (desk.archive.folder / "logbook").glob("*.jsonl")
    last = read_line(path.read_bytes().splitlines(keepends=True)[-1])
    envelope: Envelope = last.envelope
    fresh = Envelope(
        envelope.chain,
        envelope.number + 1,
        last.hash,
        envelope.stamp + 1,
        envelope.at_ms,
        envelope.person,
        "ebb",
        "command",
        str(act["kind"]),
        1,
        "",
    )
    line, _ = line_of(fresh, Body("something", "Shore", "Something was done.", act))
    path.write_bytes(path.read_bytes() + line)


def test_a_kind_of_act_that_is_not_known_is_kept_and_the_rest_goes_on(desk: Workspace) -> None:
    act = {"kind": "tide predicted", "version": 1, "act": {"site": "x", "height_m": 1.5}}
    written_by_another_version(desk, act)
    save_site(desk, SiteFacts("Dock"))
    assert [entry.act for entry in logbook_entries(desk)][:2] == ["site", "something"]
    assert [site.name for site in sites(desk)] == ["Shore", "Dock"]
    [fault] = verify(desk).faults
    assert "that this version does not know" in fault


def test_an_act_that_no_longer_fits_stands(desk: Workspace) -> None:
    uid = sites(desk)[0].uid
    change = {"field": "kind", "before": "dune", "after": "marsh"}  # nobody had said dune
    written_by_another_version(
        desk,
        {"kind": "site changed", "version": 1, "act": {"site": uid, "changes": [change]}},
    )
    desk.archive.catch_up()
    assert sites(desk)[0].kind == "marsh"
    assert verify(desk).is_intact


def test_readings_whose_bytes_are_gone_are_named_and_stay(desk: Workspace) -> None:
    bring(desk, "D-9001", 2, 0, 50)
    [point] = [one for one in points(desk) if one.channels]
    before = record(desk, point.id, "air_temperature").values.tolist()
    [raw] = (desk.archive.folder / "vault").rglob("*.mission")
    raw.unlink()
    [fault] = verify(desk).faults
    assert "cannot be checked" in fault
    rebuild(desk)
    desk.views.clear()
    desk.chunks.clear()
    assert record(desk, point.id, "air_temperature").values.tolist() == before


def test_a_clock_ten_years_off_does_not_move_what_follows(tmp_path: Path) -> None:
    now = [1_800_000_000_000.0]
    desk = open_workspace(tmp_path, now_ms=lambda: now[0], computer=TrustedClock(), zone="UTC")
    site = save_site(desk, SiteFacts("Shore"))
    now[0] += TEN_YEARS_MS
    save_site(desk, SiteFacts("Shore", "dune"), site)
    now[0] -= TEN_YEARS_MS
    save_site(desk, SiteFacts("Shore", "marsh"), site)
    desk.close()
    (tmp_path / "archive.db").unlink()
    again = opened(tmp_path)
    assert [one.kind for one in sites(again)] == ["marsh"]
    assert verify(again).is_intact
    again.close()


_WRITER = """
import sys
from pathlib import Path
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.record.statements.site_editor import save_site
from gezeiten.domain.facts.sites import SiteFacts
desk = open_workspace(Path(sys.argv[1]), heads_file=Path(sys.argv[1]).parent / "heads.json")
for i in range(15):
    save_site(desk, SiteFacts(f"{sys.argv[2]} {i}"))
desk.close()
"""


def test_two_programs_write_one_chain(desk: Workspace) -> None:
    desk.close()
    writers = [
        subprocess.Popen([sys.executable, "-c", _WRITER, str(desk.archive.folder), name])
        for name in ("Dock", "Mast")
    ]
    assert [writer.wait(120) for writer in writers] == [0, 0]
    again = opened(desk.archive.folder)
    assert len(sites(again)) == 31
    assert verify(again).is_intact
    for path in again.archive.folder.glob("archive.db*"):
        path.unlink()
    again.close()
    fresh = opened(desk.archive.folder)
    recover(fresh)
    assert len(sites(fresh)) == 31
    assert verify(fresh).is_intact
    fresh.close()


def test_nothing_is_written_behind_what_cannot_be_read(desk: Workspace) -> None:
    [spoilt] = (desk.archive.folder / "logbook").glob("*.jsonl")
    as_it_was = spoilt.read_bytes() + b"{no entry}\n"
    spoilt.write_bytes(as_it_was)
    for name in ("Dock", "Mast"):
        save_site(desk, SiteFacts(name))
    assert spoilt.read_bytes() == as_it_was
    [fresh] = set((desk.archive.folder / "logbook").glob("*.jsonl")) - {spoilt}
    assert len(fresh.read_bytes().splitlines()) == 3  # why it begins, and both
    assert [site.name for site in sites(desk)] == ["Shore", "Dock", "Mast"]
    expected = (
        "cannot be read",
        "does not end as it did when it was last read.",
        "not as this computer had left it",
    )
    assert all(any(words in fault for words in expected) for fault in verify(desk).faults)


def test_an_act_after_an_end_that_was_cut_off_stands_in_a_chain_of_its_own(desk: Workspace) -> None:
    [cut] = (desk.archive.folder / "logbook").glob("*.jsonl")
    lines = cut.read_bytes().splitlines(keepends=True)
    cut.write_bytes(b"".join(lines[:-1]))
    save_site(desk, SiteFacts("Dock"))
    assert cut.read_bytes() == b"".join(lines[:-1])
    assert "not as this computer left it" in logbook_entries(desk)[1].sentence
    assert [site.name for site in sites(desk)] == ["Shore", "Dock"]


def test_an_entry_forged_with_its_hash_breaks_what_follows(desk: Workspace) -> None:
    save_site(desk, SiteFacts("Dock"))
    [path] = (desk.archive.folder / "logbook").glob("*.jsonl")
    lines = path.read_bytes().splitlines(keepends=True)
    second = read_line(lines[1])
    assert second.body is not None
    forged = msgspec.structs.replace(second.body, sentence="Something else was done.")
    envelope = msgspec.structs.replace(second.envelope, at_ms=second.envelope.at_ms + 1)
    line, _ = line_of(envelope, forged)
    path.write_bytes(b"".join([lines[0], line, *lines[2:]]))
    assert any("does not follow the one before it" in fault for fault in verify(desk).faults)
