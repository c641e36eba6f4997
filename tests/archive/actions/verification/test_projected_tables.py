"""What an archive began with is written out with its schema, and read back by that one."""

from __future__ import annotations

import base64
from pathlib import Path

import msgspec

from gezeiten.archive.actions.beginnings import dump_of, latest_archive_begin
from gezeiten.archive.actions.verification.projected_tables import (
    insert_rows,
    rows,
    rows_of,
    schema,
    table_of,
)
from gezeiten.archive.database import Archive, known_revisions
from tests.archive.test_golden import unpacked
from tests.golden import opened


def test_a_dump_carries_the_schema_it_was_made_by(tmp_path: Path) -> None:
    """The oldest archive had rows before actions made them: its beginning holds a dump."""
    archive = opened(unpacked(known_revisions()[0], tmp_path)).archive
    with archive.reading() as session:
        begun = latest_archive_begin(session)
        assert begun is not None
        assert begun.dump
        dump = msgspec.json.decode(archive.foundings.get(begun.dump))
        made, _ = dump_of(begun, archive.foundings.get)
        assert made["site"]
    archive.close()
    written = dump["schema"]
    assert written["step"]["data"] == "bytes"
    assert set(written["site"]) == {column.name for column in table_of("site").columns}


def test_a_dump_by_other_columns_is_read_by_its_own_schema(tmp_path: Path) -> None:
    site = {"name": "Quay", "kind": "river", "zone": "UTC", "beacon": "red"}
    step = {"point_id": "p", "channel": "co2", "kind": "line", "start_ms": 0, "end_ms": 9}
    step |= {"interval_ms": 3, "facts": {}, "made_ms": 1, "made_by": "Ada"}
    bytes_of_old = {"data": base64.b64encode(b"\x00\xff").decode(), "sketch": "AAA="}
    written = schema()
    written["site"]["beacon"] = "str"
    written["step"]["sketch"] = "bytes"
    point = {"site_id": "s", "name": "Pier", "fill_limit_s": 0}
    dump = {"site": {"s": site}, "point": {"p": point}, "step": {"x": {**step, **bytes_of_old}}}
    made = rows_of(dump, written)
    assert made["site"]["s"] == {"name": "Quay", "kind": "river", "zone": "UTC"}
    assert made["step"]["x"] == {**step, "data": b"\x00\xff"}
    archive = Archive(tmp_path / "new")
    with archive.writing() as session:
        insert_rows(session.connection(), made)
        assert rows(session.connection())["step"]["x"]["data"] == b"\x00\xff"
        session.rollback()
    archive.close()
