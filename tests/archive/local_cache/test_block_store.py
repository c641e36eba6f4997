"""Readings by set: in any order and any pieces, twice or once, they make the same blocks."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from sqlalchemy import create_engine, event, select
from sqlalchemy.orm import Session
from sqlalchemy.pool import StaticPool

from gezeiten.archive.local_cache import cutting
from gezeiten.archive.local_cache.block_owner import BlockOwner
from gezeiten.archive.local_cache.block_store import ChannelColumn, store_channel, store_channels
from gezeiten.archive.local_cache.blocks import unpack
from gezeiten.archive.local_cache.cutting import Column, text_column
from gezeiten.archive.local_cache.tables import READING, Block, BlockBytes, BlockCells, make_tables
from gezeiten.archive.store.tables import Base
from tests.examples import examples

PER_BLOCK = 8
LOGGER = BlockOwner("mission", False, 60_000, 0)
TEXT = BlockOwner("source", True)
NUMBERS = st.sets(st.integers(0, 100), min_size=1, max_size=60)
INSTANTS = st.sets(st.integers(-(10**12), 2 * 10**12), min_size=1, max_size=60)
GRID = st.sets(st.integers(0, 200).map(lambda i: 1_790_000_000_000 + 60_000 * i), min_size=1)


@contextmanager
def tables() -> Iterator[Session]:
    """This computer's tables alone, in memory, with blocks of few readings."""
    engine = create_engine("sqlite://", poolclass=StaticPool)
    event.listen(engine, "connect", lambda raw, _: raw.execute("ATTACH ':memory:' AS local"))
    make_tables(engine)
    Base.metadata.create_all(engine)
    try:
        with pytest.MonkeyPatch.context() as patched, Session(engine) as session:
            patched.setattr(cutting, "READINGS_PER_BLOCK", PER_BLOCK)
            yield session
    finally:  # an example may be given up in the middle
        engine.dispose()


def value_of(key: int) -> float:
    return float("nan") if key % 7 == 3 else key / 4


def by_number(keys: list[int]) -> Column:
    numbers = np.array(sorted(keys), np.int64)
    return Column(numbers, 5_000 + numbers * 60_000, np.array([value_of(k) for k in sorted(keys)]))


def by_time(keys: list[int]) -> Column:
    times = np.array(sorted(keys), np.int64)
    return text_column(times, np.array([value_of(k) for k in sorted(keys)]))


def held(session: Session, owner: BlockOwner) -> list[Any]:
    query = (
        select(Block.__table__, *READING[-3:], BlockCells.cells)
        .join(BlockBytes, BlockBytes.id == Block.id)
        .join(BlockCells, BlockCells.id == Block.id)
    )
    rows = session.execute(query.order_by(Block.first)).all()
    assert all(row.is_text == owner.is_text for row in rows)
    return [row[1:] for row in rows]


def read_back(session: Session, owner: BlockOwner) -> dict[int, float]:
    """Readings by number or instant, as plain Python has them."""
    found: dict[int, float] = {}
    query = select(Block.first, Block.width, *READING).join(BlockBytes, BlockBytes.id == Block.id)
    for block in session.execute(query.order_by(Block.first)):
        column = unpack(block, is_text=owner.is_text)
        keys = (column.times if owner.is_text else column.numbers).tolist()
        assert len(keys) <= PER_BLOCK
        assert all(block.first <= key < block.first + block.width for key in keys)
        assert block.first % block.width == 0
        found.update(zip(keys, column.values.tolist(), strict=True))
    return found


def in_pieces(data: st.DataObject, keys: set[int]) -> list[list[int]]:
    """Some of the keys in a piece, all of them in all pieces, some in several."""
    listed = sorted(keys)
    cuts = data.draw(st.lists(st.integers(0, len(listed)), max_size=4).map(sorted))
    pieces = [listed[a:b] for a, b in zip([0, *cuts], [*cuts, len(listed)], strict=True)]
    again = data.draw(st.lists(st.sampled_from(listed), unique=True))
    return data.draw(st.permutations([piece for piece in [*pieces, again, listed[::3]] if piece]))


@settings(max_examples=examples(12, 120))
@given(st.data(), NUMBERS)
def test_a_loggers_readings_are_the_same_in_any_order(data: st.DataObject, keys: set[int]) -> None:
    check(data, keys, LOGGER)


@settings(max_examples=examples(12, 120))
@given(st.data(), st.one_of(INSTANTS, GRID))
def test_a_texts_readings_are_the_same_in_any_order(data: st.DataObject, keys: set[int]) -> None:
    check(data, keys, TEXT)


def check(data: st.DataObject, keys: set[int], owner: BlockOwner) -> None:
    column_of = by_time if owner.is_text else by_number
    with tables() as session:
        store_channel(session, owner, ChannelColumn("co2", "ppm", column_of(sorted(keys))))
        at_once = held(session, owner)
        wanted = {key: value_of(key) for key in keys}
        assert repr(read_back(session, owner)) == repr(dict(sorted(wanted.items())))
    with tables() as session:
        known: set[int] = set()
        for piece in in_pieces(data, keys):
            result = store_channel(session, owner, ChannelColumn("co2", "ppm", column_of(piece)))
            assert result.is_new.tolist() == [key not in known for key in sorted(piece)]
            assert not result.differs
            known |= set(piece)
        assert held(session, owner) == at_once


def test_where_bytes_differ_those_that_came_first_stand_but_for_a_value() -> None:
    with tables() as session:
        for values in ([1.0, np.nan, 3.0], [9.0, 2.0, np.nan]):
            column = text_column(np.array([0, 10, 20]), np.array(values))
            store_channel(session, TEXT, ChannelColumn("co2", "ppm", column))
        assert read_back(session, TEXT) == {0: 1.0, 10: 2.0, 20: 3.0}


@settings(max_examples=examples(12, 120))
@given(st.data(), st.booleans(), NUMBERS, NUMBERS)
def test_channels_held_together_are_as_each_alone(
    data: st.DataObject, is_text: bool, keys: set[int], others: set[int]
) -> None:
    """Also where another channel has other readings in the same block."""
    whose, column_of = (TEXT, by_time) if is_text else (LOGGER, by_number)
    before = data.draw(st.lists(st.sampled_from(sorted(others)), unique=True))
    columns = [
        ChannelColumn(name, "ppm", column_of(sorted(its)))
        for name, its in (("co2", keys), ("co", keys | set(before)), ("no2", others))
    ]
    first = ChannelColumn("no2", "ppm", column_of(before)) if before else None

    def made(whole: bool) -> list[Any]:
        with tables() as session:
            if first is not None:
                store_channel(session, whose, first)
            came = (
                store_channels(session, whose, columns)
                if whole
                else [store_channel(session, whose, column) for column in columns]
            )
            assert [len(one.is_new) for one in came] == [len(column.column) for column in columns]
            return held(session, whose)

    assert made(whole=True) == made(whole=False)
