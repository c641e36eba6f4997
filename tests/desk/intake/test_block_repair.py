"""A block that is damaged on this computer is made anew where it is read, and said so."""

from __future__ import annotations

import numpy as np
import pytest
from sqlalchemy import select, update

from gezeiten.archive.local_cache.tables import Block, BlockBytes, BlockCells
from gezeiten.archive.store.tables import Mission
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.intake.recovery import recover
from gezeiten.desk.office.verification import verify
from gezeiten.desk.record.views.records import read_around, record, view
from gezeiten.desk.sites.places import PointPlace, point_named
from gezeiten.errors import ArchiveDamagedError


def damage(desk: Workspace, point: PointPlace, table: type, column: str) -> None:
    with desk.archive.writing() as session:
        at = select(Mission.uid).filter_by(point_id=point.id)
        its = select(Block.id).where(Block.mission.in_(at))
        session.execute(update(table).where(table.id.in_(its)).values({column: b"\x01\x00oh"}))
    desk.views.clear()
    desk.chunks.clear()


@pytest.mark.parametrize(("table", "column"), [(BlockBytes, "data"), (BlockCells, "cells")])
def test_what_is_damaged_is_made_anew_where_it_is_read(
    demo_desk: Workspace, table: type, column: str
) -> None:
    point = point_named(demo_desk, "Tank 2")
    key = point.channels[0].channel
    before = record(demo_desk, point.id, key)
    damage(demo_desk, point, table, column)
    recover(demo_desk)
    heard: list[str] = []
    demo_desk.archive.on_wait = heard.append
    if table is BlockCells:  # the readings make them as well
        assert view(demo_desk, point.id, key).measured == int((~before.estimated).sum())
        assert not verify(demo_desk).is_intact
        return
    after = record(demo_desk, point.id, key)
    assert np.array_equal(after.values, before.values)
    assert any(
        "Damaged readings on this computer were restored from the vault." in words
        for words in heard
    )
    assert verify(demo_desk).is_intact


def test_where_the_bytes_are_gone_the_rest_is_shown_and_said(demo_desk: Workspace) -> None:
    point = point_named(demo_desk, "Tank 2")
    key = point.channels[0].channel
    damage(demo_desk, point, BlockBytes, "data")
    for file in (demo_desk.archive.folder / "vault").rglob("*"):
        if file.is_file():
            file.chmod(0o600)
            file.write_bytes(b"no mission")
    recover(demo_desk)
    with pytest.raises(ArchiveDamagedError):
        record(demo_desk, point.id, key)
    assert len(read_around(demo_desk, point.id, key, (0, 2**60), tolerant=True)) == 0
    assert view(demo_desk, point.id, key).faults
