"""What rests on a record follows what is done at a workspace; where it cannot, the act is done."""

from __future__ import annotations

from pathlib import Path

from sqlalchemy import select, update

from gezeiten.archive.local_cache.changes import stale_points
from gezeiten.archive.local_cache.tables import Block, BlockBytes
from gezeiten.desk.record.excursion_book import excursions
from gezeiten.desk.record.statements.limits import set_limit
from gezeiten.desk.record.views.records import limits_set
from gezeiten.domain.limits.limits import LimitRule
from tests.conftest import ANCHOR_MS
from tests.small_blocks import KEY, kept_in

RULE = LimitRule(KEY, "above", 1.0)


def test_excursions_follow_an_action_without_a_word(tmp_path: Path) -> None:
    with kept_in(tmp_path) as kept:
        kept.take(0, 200)
        set_limit(kept.desk, kept.point, KEY, RULE, ANCHOR_MS, None, "asked for")
        assert excursions(kept.desk)
        with kept.desk.archive.reading() as session:
            assert stale_points(session) == []


def test_where_the_record_is_damaged_the_action_is_done_and_the_rest_waits(tmp_path: Path) -> None:
    with kept_in(tmp_path) as kept:
        kept.take(0, 200)
        with kept.desk.archive.writing() as session:
            key = session.scalar(select(Block.id).order_by(Block.id))
            data = session.get_one(BlockBytes, key).data
            broken = data[:-6] + bytes([data[-6] ^ 1]) + data[-5:]
            session.execute(update(BlockBytes).where(BlockBytes.id == key).values(data=broken))
        kept.desk.chunks.clear()
        set_limit(kept.desk, kept.point, KEY, RULE, ANCHOR_MS, None, "asked for")
        assert [stored.rule.value for stored in limits_set(kept.desk, kept.point)] == [1.0]
        with kept.desk.archive.reading() as session:
            assert stale_points(session) == [kept.point]
