"""Verifying finds what was touched: raw bytes, readings, the logbook."""

from __future__ import annotations

import os
from collections.abc import Callable

import numpy as np
import pytest
from sqlalchemy import select, update

from gezeiten.archive.local_cache.tables import Block, BlockBytes
from gezeiten.archive.store.packing import decode_readings, encode_readings
from gezeiten.archive.store.tables import LogbookRow
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.office.logbook import logbook_entries, logbook_is_intact
from gezeiten.desk.office.verification import is_check_open, verify
from gezeiten.domain.series.timeline import Values
from gezeiten.errors import CancelledError


def changed(desk: Workspace, change: Callable[[Values], Values]) -> None:
    """Change the values of the first block that has one missing."""
    with desk.archive.writing() as session:
        block = next(b for b in session.scalars(select(Block)) if b.valid < b.count)
        its = session.get_one(BlockBytes, block.id)
        its.data = encode_readings(change(decode_readings(its.data, block.count)))


def test_a_changed_reading_is_named_with_its_offload(demo_desk: Workspace) -> None:
    changed(demo_desk, lambda values: np.where(np.arange(len(values)) == 10, 4.01, values))
    [fault] = verify(demo_desk).faults
    assert "differ from the raw offload" in fault


def test_a_missing_value_made_up_is_noticed(demo_desk: Workspace) -> None:
    changed(demo_desk, lambda values: np.nan_to_num(values, nan=4.0))
    assert len(verify(demo_desk).faults) == 1


def test_a_raw_file_that_nobody_names_is_reported(demo_desk: Workspace) -> None:
    sha256 = demo_desk.archive.vault.store(b"stray")
    [fault] = verify(demo_desk).faults
    assert (
        f"a text file without a logbook entry; import it again: gezeiten import "
        f"--unnamed {sha256[:12]}" in fault
    )


def test_a_changed_logbook_is_reported_and_shown(demo_desk: Workspace) -> None:
    with demo_desk.archive.writing() as session:
        session.execute(update(LogbookRow).where(LogbookRow.seq == 7).values(person="XX"))
    assert any("Entry 7 in the tables differs" in fault for fault in verify(demo_desk).faults)


def test_an_end_of_the_logbook_that_was_cut_off_is_shown_at_once(demo_desk: Workspace) -> None:
    assert logbook_is_intact(demo_desk)
    [chain] = (demo_desk.archive.folder / "logbook").glob("*.jsonl")
    lines = chain.read_bytes().splitlines(keepends=True)
    chain.write_bytes(b"".join(lines[:-1]))
    assert not logbook_is_intact(demo_desk)
    assert any(
        "1 entry is missing from the end of the logbook (chain" in fault
        for fault in verify(demo_desk).faults
    )


def test_entries_are_found_by_words_and_act(demo_desk: Workspace) -> None:
    everything = logbook_entries(demo_desk)
    assert [e.seq for e in everything] == sorted((e.seq for e in everything), reverse=True)
    launches = logbook_entries(demo_desk, action="launch")
    assert {e.act for e in launches} == {"launch"}
    assert len(launches) == 17  # thirteen, and four relaunches
    damaged = logbook_entries(demo_desk, "P-0321 DAMAGED")
    assert all("damaged" in e.sentence for e in damaged)
    assert len(damaged) == 2
    assert logbook_entries(demo_desk, "nobody did this") == []


def stopped_after(desk: Workspace, many: int) -> None:
    """Stop a check when so many offloads are looked at."""
    seen = [0]

    def step(what: str, done: int, _of: int) -> None:
        if what == "raw offloads":
            seen[0] = done

    with pytest.raises(CancelledError):
        verify(desk, step, lambda: seen[0] >= many)


def test_a_check_that_was_stopped_goes_on_where_it_was(demo_desk: Workspace) -> None:
    whole = verify(demo_desk)
    assert (whole.skipped, whole.resumed, is_check_open(demo_desk)) == (0, False, False)
    stopped_after(demo_desk, 8)
    assert is_check_open(demo_desk)
    rest = verify(demo_desk)
    assert rest.resumed
    assert 8 <= rest.skipped < rest.offloads
    assert rest.is_intact
    assert verify(demo_desk).skipped == 0  # that one had come to its end
    stopped_after(demo_desk, 8)
    assert verify(demo_desk, restart=True).skipped == 0


def test_a_quick_check_reads_what_is_new_or_was_touched(demo_desk: Workspace) -> None:
    assert verify(demo_desk, quick=True).skipped == 0  # nothing was checked before
    whole = verify(demo_desk)
    quick = verify(demo_desk, quick=True)
    assert quick.is_intact
    assert quick.skipped > whole.offloads  # documents and certificates as well
    victim = next(demo_desk.archive.vault._folder.glob("*/*.mission"))
    victim.chmod(0o644)
    raw = bytearray(victim.read_bytes())
    raw[len(raw) // 2] ^= 1
    stamp = victim.stat()
    victim.write_bytes(raw)
    os.utime(victim, ns=(stamp.st_atime_ns, stamp.st_mtime_ns))  # as if nobody had been there
    assert "was changed since it was saved" in verify(demo_desk, quick=True).faults[0]


def test_what_is_wrong_is_looked_at_again(demo_desk: Workspace) -> None:
    victim = next(demo_desk.archive.vault._folder.glob("*/*.mission"))
    victim.rename(victim.with_suffix(".away"))
    assert not verify(demo_desk).is_intact
    assert not verify(demo_desk, quick=True).is_intact
    victim.with_suffix(".away").rename(victim)
    assert verify(demo_desk, quick=True).is_intact
