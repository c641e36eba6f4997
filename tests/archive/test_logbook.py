"""The logbook's chain: whole after use, broken wherever it is touched."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator
from pathlib import Path

import pytest
from sqlalchemy import delete, select, update
from sqlalchemy.orm import Session

from gezeiten.archive import logbook
from gezeiten.archive.database import Archive
from gezeiten.archive.tables import LogbookRow


@pytest.fixture
def archive(tmp_path: Path) -> Iterator[Archive]:
    made = Archive(tmp_path)
    with made.writing() as session:
        for i in range(5):
            logbook.write(session, at_ms=1000 + i, person="JA", act="offload", subject=f"D-{i}",
                          sentence="ä · 5 readings kept.", details={"n": i, "x": None})  # fmt: skip
    yield made
    made.close()


def rows(session: Session) -> list[LogbookRow]:
    return list(session.scalars(select(LogbookRow).order_by(LogbookRow.seq)))


def test_a_chain_that_nobody_touched_holds(archive: Archive) -> None:
    with archive.reading() as session:
        assert logbook.check(rows(session)) == []


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
        [broken] = logbook.check(rows(session))
    assert broken.seq == 3
    assert "Entry 3 was changed" in broken.sentence


def test_a_changed_entry_with_a_new_hash_breaks_the_next_link(archive: Archive) -> None:
    with archive.writing() as session:
        row = session.get_one(LogbookRow, 3)
        row.sentence = "forged"
        row.hash = logbook.entry_hash(row)
    with archive.reading() as session:
        [broken] = logbook.check(rows(session))
    assert broken.seq == 4


def test_a_removed_entry_is_missed(archive: Archive) -> None:
    with archive.writing() as session:
        session.execute(delete(LogbookRow).where(LogbookRow.seq == 2))
    with archive.reading() as session:
        breaks = logbook.check(rows(session))
    assert "Entry 2 is missing before 3." in [b.sentence for b in breaks]


def test_an_act_that_fails_leaves_no_entry(archive: Archive) -> None:
    def fail() -> None:
        with archive.writing() as session:
            logbook.write(session, at_ms=1, person="JA", act="x", subject="y", sentence="z")
            raise RuntimeError

    with pytest.raises(RuntimeError):
        fail()
    with archive.reading() as session:
        assert len(rows(session)) == 5
