"""Overviews: made by the logger, compared with the readings themselves, cut, damaged, disturbed."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from gezeiten.domain.series.drawing.thinning import ThinKind, Thinning
from gezeiten.errors import (
    GezeitenError,
    LoggerAnswerError,
    LoggerAwayError,
    LoggerBusyError,
    LoggerRefusedError,
)
from gezeiten.link import registers as reg
from gezeiten.link.files.mission_file import MissionFile, decode_mission_file
from gezeiten.link.files.overview import (
    Overview,
    decode_overview,
    encode_overview_header,
    fetch_overview,
    overview_header,
    requested_thinning,
)
from gezeiten.link.lines.modbus import ModbusTcp
from gezeiten.link.offload import Transfer, offload
from gezeiten.link.session import LoggerSession
from gezeiten.link.transfer import UNWATCHED, Progress, Watch
from tests.conftest import COLD_PLAN, HASTY, STORE_PLAN, Lab

NTH, MEANS = ThinKind.NTH, ThinKind.MEANS


@pytest.fixture
def logging_lab(lab: Lab) -> Lab:
    """The lab's logger with a week of readings every ten minutes."""
    launch(lab, STORE_PLAN)
    lab.later(7 * 24 * 60)
    return lab


def launch(lab: Lab, plan: object) -> None:
    with ModbusTcp(lab.standin.address) as line:
        session = LoggerSession(line)
        session.stage_plan(plan)  # type: ignore[arg-type]
        session.command(reg.LoggerCommand.LAUNCH)


def taken(lab: Lab, folder: Path, thinning: Thinning, watch: Watch = UNWATCHED) -> Transfer:
    with ModbusTcp(lab.standin.address, HASTY) as line:
        session = LoggerSession(line)
        mission = session.directory()[0].mission
        transfer = fetch_overview(session, mission, thinning, folder, watch)
        transfer.release()
        return transfer


def overview(lab: Lab, folder: Path, thinning: Thinning) -> Overview:
    return decode_overview(taken(lab, folder, thinning).path.read_bytes())


def whole(lab: Lab, folder: Path) -> MissionFile:
    with ModbusTcp(lab.standin.address, HASTY) as line:
        session = LoggerSession(line)
        [entry] = session.directory()
        transfer = offload(session, entry, [entry.numbers_in_memory], folder)
        transfer.release()
        return decode_mission_file(transfer.path.read_bytes())


@pytest.mark.parametrize("every", [2, 7, 250])
def test_every_nth_reading_is_that_reading(logging_lab: Lab, tmp_path: Path, every: int) -> None:
    thinning = overview(logging_lab, tmp_path, Thinning(NTH, every, 3, 1000))
    times, columns = whole(logging_lab, tmp_path).readings((3, 1000))
    seen_times, seen_columns = thinning.file.readings((0, 10_000))
    np.testing.assert_array_equal(seen_times, times[::every])
    for mine, full in zip(seen_columns, columns, strict=True):
        np.testing.assert_array_equal(mine, full[::every])
    assert thinning.covered == [(3, 1000)]
    assert thinning.file.trailer is not None


def test_means_come_with_their_extremes(logging_lab: Lab, tmp_path: Path) -> None:
    thinning = overview(logging_lab, tmp_path, Thinning(MEANS, 9, 0, 1000))
    times, [temp, humidity] = whole(logging_lab, tmp_path).readings((0, 999))
    seen_times, columns = thinning.file.readings((0, 10_000))
    assert thinning.covered == [(0, 999)]  # the last one is in no full group
    np.testing.assert_array_equal(seen_times, times.reshape(-1, 9)[:, 4])  # the middle of nine
    for i, full in enumerate((temp, humidity)):
        channel = thinning.mission_header.channels[i]
        groups = full.reshape(-1, 9)
        mean, low, high = columns[3 * i : 3 * i + 3]
        np.testing.assert_allclose(mean, groups.mean(axis=1), atol=0.51 / channel.divisor)
        np.testing.assert_allclose(low, groups.min(axis=1), atol=1e-9)
        np.testing.assert_allclose(high, groups.max(axis=1), atol=1e-9)
    header = thinning.file.header
    mission = thinning.mission_header
    assert (mission.first_ms, mission.interval_ms) == (times[0], 600_000)
    assert [ch.key for ch in header.channels][:3] == [
        "air_temperature",
        "air_temperature lowest",
        "air_temperature highest",
    ]


def test_an_overview_is_never_taken_for_a_mission(logging_lab: Lab, tmp_path: Path) -> None:
    path = taken(logging_lab, tmp_path, Thinning(NTH, 5, 0, 500)).path
    with pytest.raises(LoggerAnswerError):
        decode_mission_file(path.read_bytes())
    assert path.suffix == ".overview"
    (tmp_path / "m").mkdir()
    with ModbusTcp(logging_lab.standin.address) as line:
        session = LoggerSession(line)
        [entry] = session.directory()
        transfer = offload(session, entry, [(0, 300)], tmp_path / "m")
        transfer.release()
    with pytest.raises(LoggerAnswerError):
        decode_overview(transfer.path.read_bytes())


def test_what_a_logger_cannot_thin_is_refused_and_changes_nothing(
    logging_lab: Lab, tmp_path: Path
) -> None:
    with ModbusTcp(logging_lab.standin.address) as line:
        session = LoggerSession(line)
        before = session.directory()
        held = before[0].readings
        for thinning in (Thinning(NTH, 5, 0, held + 1), Thinning(MEANS, held, 1, held)):
            with pytest.raises(
                LoggerRefusedError, match="it cannot make an overview of these readings"
            ):
                fetch_overview(session, before[0].mission, thinning, tmp_path)
        assert session.directory() == before
    assert list(tmp_path.glob("*.overview")) == []


def test_readings_that_are_unevenly_spaced_are_not_thinned(cold_lab: Lab, tmp_path: Path) -> None:
    launch(cold_lab, replace(COLD_PLAN, outside_interval_s=60))
    cold_lab.later(600)
    with pytest.raises(LoggerRefusedError, match="it cannot make an overview of these readings"):
        taken(cold_lab, tmp_path, Thinning(NTH, 5, 0, 50))


def test_what_a_command_asks_for() -> None:
    assert requested_thinning(reg.pack_overview(0, 5, 10), 60) == Thinning(NTH, 5, 10, 60)
    assert requested_thinning(reg.pack_overview(1, 5, 10), 60) == Thinning(MEANS, 5, 10, 60)
    assert requested_thinning(reg.pack_overview(2, 5, 10), 60) is None
    assert requested_thinning(reg.pack_overview(0, 0, 10), 60) is None
    assert requested_thinning(-1, 60) is None


def test_another_computer_that_comes_between_is_noticed(logging_lab: Lab, tmp_path: Path) -> None:
    other = Thinning(NTH, 3, 0, 1000)

    def meddle(_progress: Progress) -> None:
        with ModbusTcp(logging_lab.standin.address) as line:
            argument = reg.pack_overview(0, other.every, other.first)
            LoggerSession(line).command(reg.LoggerCommand.OVERVIEW, argument, other.end)

    with pytest.raises(LoggerBusyError, match="Another computer"):
        taken(logging_lab, tmp_path, Thinning(NTH, 2, 0, 1000), Watch(meddle))
    assert list(tmp_path.glob("*.overview")) == []


def test_of_two_computers_nobody_gets_the_others_values(
    logging_lab: Lab, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("gezeiten.link.transfer._TELL_EVERY_S", -1.0)
    told = 0

    def meddle(_progress: Progress) -> None:
        nonlocal told
        told += 1
        if told == 2:  # the other asks for just as many values of other readings
            with ModbusTcp(logging_lab.standin.address) as line:
                argument = reg.pack_overview(1, 2, 8)
                LoggerSession(line).command(reg.LoggerCommand.OVERVIEW, argument, 1008)

    thinning = Thinning(MEANS, 2, 0, 1000)
    alone = taken(logging_lab, tmp_path, thinning).path.rename(tmp_path / "alone").read_bytes()
    transfer = taken(logging_lab, tmp_path, thinning, Watch(meddle))
    assert isinstance(transfer.error, LoggerBusyError)
    came = decode_overview(transfer.path.read_bytes())
    assert 0 < len(came.file.blocks) < 3
    for mine, whole_one in zip(came.file.blocks, decode_overview(alone).file.blocks, strict=False):
        assert np.array_equal(mine.counts, whole_one.counts)


def test_a_line_that_breaks_after_all_has_come_costs_nothing(
    logging_lab: Lab, tmp_path: Path
) -> None:
    def vanish(progress: Progress) -> None:
        if progress.readings == progress.of_readings:
            logging_lab.standin.order("fault", vanish_after_answers=0)

    transfer = taken(logging_lab, tmp_path, Thinning(NTH, 2, 0, 1000), Watch(vanish))
    assert isinstance(transfer.error, LoggerAwayError)
    assert decode_overview(transfer.path.read_bytes()).covered == [(0, 1000)]


def test_a_new_mission_forgets_the_overview(logging_lab: Lab, tmp_path: Path) -> None:
    taken(logging_lab, tmp_path, Thinning(NTH, 5, 0, 500))
    with ModbusTcp(logging_lab.standin.address) as line:
        session = LoggerSession(line)
        session.stage_plan(STORE_PLAN)
        session.command(reg.LoggerCommand.LAUNCH, 0, session.state().readings)
        assert session.read_sealed(reg.OVERVIEW_ENTRY_FILE) == {}
        with pytest.raises(LoggerRefusedError, match="nothing at this address"):
            session.read_file(reg.OVERVIEW_FILE, 0, 100)


def test_damaged_blocks_are_asked_for_again_then_left_out(logging_lab: Lab, tmp_path: Path) -> None:
    logging_lab.standin.order("fault", damage_blocks=[1, 2])
    transfer = taken(logging_lab, tmp_path, Thinning(NTH, 2, 0, 1000))
    seen = decode_overview(transfer.path.read_bytes())
    assert transfer.damaged == [(240, 480)]
    assert seen.covered == [(0, 480), (960, 1000)]
    assert seen.file.ranges == [(0, 240), (480, 500)]


def test_cut_at_any_byte_what_came_can_be_read(logging_lab: Lab, tmp_path: Path) -> None:
    """From a file that ends anywhere every whole block is read, none is invented."""
    full = taken(logging_lab, tmp_path, Thinning(NTH, 2, 0, 1000)).path.read_bytes()
    seen = decode_overview(full)
    length = seen.file.header.block_bytes
    head = full.index(b"\x85\x1a")
    for size in range(head, len(full), 97):
        blocks = decode_overview(full[:size]).file.blocks
        assert len(blocks) == min((size - head) // length, 3)
        for mine, whole_one in zip(blocks, seen.file.blocks, strict=False):
            assert np.array_equal(mine.counts, whole_one.counts)


@settings(max_examples=150, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.data())
def test_nonsense_is_refused_in_words(
    data: st.DataObject, example_bytes: Callable[[], bytes]
) -> None:
    raw = bytearray(example_bytes())
    for _ in range(data.draw(st.integers(1, 6))):
        raw[data.draw(st.integers(0, len(raw) - 1))] = data.draw(st.integers(0, 255))
    try:
        seen = decode_overview(bytes(raw))
    except GezeitenError:
        return  # refused in words is as good as read
    assert all(block.range[1] <= seen.thinning.values for block in seen.file.blocks)


@pytest.fixture(scope="module")
def example_bytes() -> Callable[[], bytes]:
    """The bytes of a small overview, made without a logger."""
    from gezeiten.link.files import mission_blocks as mb
    from gezeiten.link.files import mission_file as mf

    channels = (mb.FileChannel("air_temperature", "°C", "int16", 100, 0.0),)
    header = mf.Header("D-2041", "Düne T2", "1", 1, 5, 1000, 60_000, channels, {"a": 1})
    thinning = Thinning(NTH, 4, 0, 100)
    made = overview_header(header, thinning)
    block = mb.encode_block(made.channels, 0, [np.arange(25)])
    content = encode_overview_header(made, thinning) + block + mf.encode_tail([(5, "x")], {})
    return lambda: content
