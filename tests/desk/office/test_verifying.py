"""Verifying finds what was touched: raw bytes, readings, the logbook."""

from __future__ import annotations

import numpy as np
from sqlalchemy import select, update

from gezeiten.archive.here.tables import Block
from gezeiten.archive.store.packing import decode_values, encode_values
from gezeiten.archive.store.tables import LogbookRow
from gezeiten.desk.context import Desk
from gezeiten.desk.office.logbook import logbook_entries, logbook_is_intact
from gezeiten.desk.office.verifying import verify


def test_a_changed_reading_is_named_with_its_offload(demo_desk: Desk) -> None:
    with demo_desk.archive.writing() as session:
        block = session.scalars(select(Block).order_by(Block.id)).first()
        assert block is not None
        values = decode_values(block.data, block.count)
        values[10] += 0.01
        block.data = encode_values(values)
    [fault] = verify(demo_desk).faults
    assert "differ from the raw offload" in fault


def test_a_missing_value_made_up_is_noticed(demo_desk: Desk) -> None:
    with demo_desk.archive.writing() as session:
        block = next(b for b in session.scalars(select(Block)) if b.valid < b.count)
        values = decode_values(block.data, block.count)
        block.data = encode_values(np.nan_to_num(values, nan=4.0))
    assert len(verify(demo_desk).faults) == 1


def test_a_raw_file_that_nobody_names_is_reported(demo_desk: Desk) -> None:
    demo_desk.archive.vault.put(b"stray")
    [fault] = verify(demo_desk).faults
    assert "which nothing names" in fault


def test_a_changed_logbook_is_reported_and_shown(demo_desk: Desk) -> None:
    with demo_desk.archive.writing() as session:
        session.execute(update(LogbookRow).where(LogbookRow.seq == 7).values(person="XX"))
    assert any("Entry 7 is kept otherwise" in fault for fault in verify(demo_desk).faults)


def test_an_end_of_the_logbook_that_was_cut_off_is_shown_at_once(demo_desk: Desk) -> None:
    assert logbook_is_intact(demo_desk)
    [chain] = (demo_desk.archive.folder / "logbook").glob("*.jsonl")
    lines = chain.read_bytes().splitlines(keepends=True)
    chain.write_bytes(b"".join(lines[:-1]))
    assert not logbook_is_intact(demo_desk)
    assert any("ends otherwise" in fault for fault in verify(demo_desk).faults)


def test_entries_are_found_by_words_and_act(demo_desk: Desk) -> None:
    everything = logbook_entries(demo_desk)
    assert [e.seq for e in everything] == sorted((e.seq for e in everything), reverse=True)
    launches = logbook_entries(demo_desk, act="launch")
    assert {e.act for e in launches} == {"launch"}
    assert len(launches) == 17  # thirteen, and four relaunches
    damaged = logbook_entries(demo_desk, "P-0321 DAMAGED")
    assert all("damaged" in e.sentence for e in damaged)
    assert len(damaged) == 2
    assert logbook_entries(demo_desk, "nobody did this") == []
