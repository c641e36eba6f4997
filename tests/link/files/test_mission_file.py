"""The mission file: decoding undoes encoding, damage costs a block, a plain CBOR reader agrees."""

from __future__ import annotations

import struct
import zlib

import cbor2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gezeiten.domain.plan.models import PRIEL_W3
from gezeiten.errors import LoggerAnswerError
from gezeiten.link.files import mission_blocks as mb
from gezeiten.link.files import mission_file as mf

CHANNELS = mb.file_channels(
    PRIEL_W3,
    ("water_pressure", "water_temperature"),
    {"water_pressure": "kPa", "water_temperature": "°C"},
)
HEADER = mf.Header(
    "P-0321", "Priel W3", "1.4.2", 12, 1_000, 60_000, 360_000, CHANNELS, {"interval_s": 360}
)


def counts(first: int, n: int) -> list[np.ndarray]:
    index = np.arange(first, first + n)
    return [100_000 + index, (index % 4000) - 2000]


def whole_file(n: int = 500, tail: bool = True) -> bytes:
    parts = [mf.encode_header(HEADER)]
    for first in range(0, n, mb.READINGS_PER_BLOCK):
        size = min(mb.READINGS_PER_BLOCK, n - first)
        parts.append(mb.encode_block(CHANNELS, first, counts(first, size)))
    if tail:
        parts.append(mf.encode_tail([(1_000, "launched")], {"readings": n, "first_held": 0}))
    return b"".join(parts)


def test_reading_gives_back_what_was_written() -> None:
    file = mf.decode_mission_file(whole_file())
    assert file.header == HEADER
    assert file.ranges == [(0, 500)]
    assert file.events == [(1_000, "launched")]
    assert file.trailer is not None
    assert file.trailer["readings"] == 500
    times, (pressure, temp) = file.readings((0, 500))
    assert times[1] - times[0] == 360_000
    assert times[0] == 60_000
    assert pressure[7] == 100.007  # exactly the decimal, not 100007 x 0.001
    assert temp[0] == -20.0


def test_a_generic_cbor_reader_sees_a_sequence_of_plain_items() -> None:
    """cbor2 alone, without our code: RFC 8742 sequence, RFC 8746 typed arrays, check sums."""
    data = whole_file(300)
    items = []
    at = 0
    while at < len(data):
        item = cbor2.loads(data[at:])
        end = at + len(cbor2_prefix(data[at:]))
        items.append((item, data[at:end]))
        at = end
    (header_map, crc), _ = items[0]
    assert zlib.crc32(header_map.value) == crc
    assert cbor2.loads(header_map.value)["serial"] == "P-0321"
    (first, count, arrays, _pad, crc), raw = items[1]
    assert (first, count) == (0, 240)
    assert zlib.crc32(raw[:-5]) == crc
    assert [array.tag for array in arrays] == [78, 77]
    assert struct.unpack_from("<3i", arrays[0].value) == (100_000, 100_001, 100_002)
    kinds = [cbor2.loads(item[0].value)["kind"] for item, _ in items[-2:]]
    assert kinds == ["events", "trailer"]


def cbor2_prefix(data: bytes) -> bytes:
    """The bytes of the first item, by decoding from a stream."""
    import io

    stream = io.BytesIO(data)
    cbor2.CBORDecoder(stream, read_size=1).decode()
    return data[: stream.tell()]


def test_all_blocks_of_a_mission_have_one_even_length() -> None:
    sizes = {
        len(mb.encode_block(CHANNELS, first, counts(first, n)))
        for first, n in ((0, 240), (240, 1), (2**31, 0), (70_000, 239))
    }
    assert sizes == {HEADER.block_bytes}
    assert HEADER.block_bytes % 2 == 0
    assert len(mf.encode_header(HEADER)) % 2 == 0


def test_the_smallest_count_means_no_value() -> None:
    column = [np.array([100_000, -(2**31)]), np.array([-(2**15), 5])]
    data = mf.encode_header(HEADER) + mb.encode_block(CHANNELS, 0, column)
    _, (pressure, temp) = mf.decode_mission_file(data).readings((0, 2))
    assert np.isnan(pressure).tolist() == [False, True]
    assert np.isnan(temp).tolist() == [True, False]


def test_a_damaged_block_costs_that_block_only() -> None:
    data = bytearray(whole_file(720))
    at = len(mf.encode_header(HEADER)) + HEADER.block_bytes + 40
    data[at] ^= 1
    file = mf.decode_mission_file(bytes(data))
    assert file.ranges == [(0, 240), (480, 720)]
    assert len(file.damaged) == 1
    assert file.trailer is not None


@pytest.mark.parametrize("cut", [1, 50, 400, 1000, 1700])
def test_a_cut_file_gives_what_came_before_the_cut(cut: int) -> None:
    data = whole_file(720)
    head, block = len(mf.encode_header(HEADER)), HEADER.block_bytes
    kept = data[: head + block + cut]
    whole_blocks = 1 + cut // block
    file = mf.decode_mission_file(kept)
    assert file.ranges == [(0, 240 * whole_blocks)]


def nested(depth: int) -> list[object]:
    return [nested(depth - 1)] if depth else []


def test_a_damaged_header_gives_nothing_and_says_so() -> None:
    data = bytearray(whole_file())
    data[30] ^= 0xFF
    with pytest.raises(LoggerAnswerError, match="header is damaged; offload the mission again"):
        mf.decode_mission_file(bytes(data))


@pytest.mark.parametrize(
    "change",
    [
        {"format": 99},
        {"channels": []},
        {"interval_ms": 0},
        {"serial": None, "mission": "x"},
        {"channels": [["a", "b", "int16", 0, 0.0]]},
        {"channels": [["a", "b", "float99", 1, 0.0]]},
        {"plan": 7},
        {"launched_ms": "soon"},
        {"kind": "trailer"},
        {"first_ms": 2**53},
        {"launched_ms": -(2**53)},
        {"interval_ms": 400 * 86_400_000},
        {"plan": {"limits": nested(40)}},
    ],
)
def test_headers_without_sense_are_refused(change: dict[str, object]) -> None:
    item = mf.decode_sealed(mf.encode_header(HEADER))
    assert item is not None
    with pytest.raises(LoggerAnswerError, match="offload it again"):
        mf.header_of({**item[0], **change})


def test_events_without_sense_cost_the_events_only() -> None:
    odd = mf.sealed({"kind": "events", "events": [["soon", 1, 2]]})
    file = mf.decode_mission_file(whole_file(240, tail=False) + odd)
    assert file.ranges == [(0, 240)]
    assert file.events == []
    assert len(file.damaged) == 1


def test_doubled_readings_are_given_once() -> None:
    data = whole_file(240, tail=False) + mb.encode_block(CHANNELS, 0, counts(0, 240))
    times, columns = mf.decode_mission_file(data).readings((0, 240))
    assert len(times) == len(columns[0]) == 240


@settings(max_examples=400, deadline=None)
@given(st.data())
def test_changed_bytes_never_crash_and_never_invent_a_reading(data: st.DataObject) -> None:
    raw = bytearray(whole_file(480))
    truth = counts(0, 480)[0] / 1000
    for _ in range(data.draw(st.integers(1, 6))):
        raw[data.draw(st.integers(0, len(raw) - 1))] = data.draw(st.integers(0, 255))
    cut = data.draw(st.integers(0, len(raw)))
    try:
        file = mf.decode_mission_file(bytes(raw[:cut]))
    except LoggerAnswerError:
        return
    times, columns = file.readings((0, 10_000))
    index = (times - HEADER.first_ms) // HEADER.interval_ms
    assert np.array_equal(columns[0], truth[index])


@settings(max_examples=60, deadline=None)
@given(st.sets(st.integers(0, 39), max_size=8), st.integers(0, 2**32))
def test_of_many_blocks_those_that_were_not_touched_come(hurt: set[int], seed: int) -> None:
    """Blocks are looked at many at a time; none beside a damaged one is lost, no reading moved."""
    raw = bytearray(whole_file(40 * 240))
    at = np.random.default_rng(seed)
    start, length = len(mf.encode_header(HEADER)), HEADER.block_bytes
    for block in hurt:
        raw[start + block * length + int(at.integers(length))] ^= 0xFF
    file = mf.decode_mission_file(bytes(raw))
    kept = sorted(set(range(40)) - hurt)
    assert [block.first // 240 for block in file.blocks] == kept
    numbers, _, columns = file.numbered((300, 9_000))
    wanted = [n for n in range(300, 9_000) if n // 240 not in hurt]
    assert numbers.tolist() == wanted
    assert np.array_equal(columns[0], counts(0, 9_600)[0][wanted] / 1000)
    assert len(file.damaged) == len(hurt)


@settings(max_examples=300, deadline=None)
@given(st.binary(max_size=600))
def test_any_bytes_after_a_header_are_survived(junk: bytes) -> None:
    file = mf.decode_mission_file(mf.encode_header(HEADER) + junk)
    assert file.ranges == []
