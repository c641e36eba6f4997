"""Entries from before there were chain files: whole as they were, broken where one is touched."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator
from pathlib import Path

import pytest
from sqlalchemy import delete, select, update
from sqlalchemy.orm import Session

from gezeiten.archive.actions import logbook
from gezeiten.archive.database import Archive
from gezeiten.archive.store.tables import LogbookRow
from tests.archive.test_golden import unpacked


@pytest.fixture
def archive(tmp_path: Path) -> Iterator[Archive]:
    made = Archive(unpacked("0005", tmp_path))
    yield made
    made.close()


def rows(session: Session) -> list[LogbookRow]:
    return list(session.scalars(select(LogbookRow).order_by(LogbookRow.seq)))


def test_a_chain_that_nobody_touched_holds(archive: Archive) -> None:
    with archive.reading() as session:
        assert logbook.check_old(rows(session)) == []


def test_the_hash_can_be_worked_out_without_our_code(archive: Archive) -> None:
    with archive.reading() as session:
        listed = rows(session)
    previous = "0" * 64
    for row in listed:
        fields = ("seq", "at_ms", "person", "act", "subject", "sentence", "details")
        content = {name: getattr(row, name) for name in fields}
        text = json.dumps(content, sort_keys=True, ensure_ascii=False, separators=(",", ":"))
        previous = hashlib.sha256((previous + text).encode()).hexdigest()
        assert row.hash == previous


@pytest.mark.parametrize(
    "change",
    [{"sentence": "nothing"}, {"person": "XX"}, {"at_ms": 5}, {"details": {}}, {"act": "fill"}],
)
def test_a_changed_entry_is_named(archive: Archive, change: dict[str, object]) -> None:
    with archive.writing() as session:
        session.execute(update(LogbookRow).where(LogbookRow.seq == 3).values(**change))
    with archive.reading() as session:
        [broken] = logbook.check_old(rows(session))
    assert broken.seq == 3
    assert "Entry 3 was changed" in broken.sentence


def test_a_changed_entry_with_a_new_hash_breaks_the_next_link(archive: Archive) -> None:
    with archive.writing() as session:
        row = session.get_one(LogbookRow, 3)
        row.sentence = "forged"
        row.hash = logbook.old_hash(row)
    with archive.reading() as session:
        [broken] = logbook.check_old(rows(session))
    assert (broken.seq, "does not follow" in broken.sentence) == (4, True)


def test_a_missing_entry_is_named(archive: Archive) -> None:
    with archive.writing() as session:
        session.execute(delete(LogbookRow).where(LogbookRow.seq == 2))
    with archive.reading() as session:
        breaks = logbook.check_old(rows(session))
    assert breaks[0].sentence == "Entry 2 is missing before 3."
