"""The simulated logger behaves like hardware: clock, memory, battery, restart."""

from __future__ import annotations

import json
from dataclasses import asdict, replace

import numpy as np
import pytest

from gezeiten.domain.plan.plan import Plan
from gezeiten.domain.quantities.quantities import particles_from
from gezeiten.link import registers as reg
from gezeiten.link.files import mission_blocks as mb
from gezeiten.link.files import mission_file as mf
from gezeiten.standin.device import SimLogger
from gezeiten.standin.device_state import state_from_dict
from gezeiten.standin.scenario import SITES, standin, standins
from gezeiten.standin.signals import SIGNALS, noise
from gezeiten.standin.simclock import SimClock
from tests.conftest import ANCHOR_MS, DAY_MS

T_RH = Plan(("air_temperature", "relative_humidity"), 600)


def logger(serial: str = "D-2041", days_ago: float = 20.0) -> SimLogger:
    return SimLogger(standin(serial), SimClock(ANCHOR_MS - days_ago * DAY_MS), ANCHOR_MS)


def launch(device: SimLogger, plan: Plan = T_RH) -> None:
    device.write_file(reg.STAGED_PLAN_FILE, 0, reg.seal(plan.as_dict()))
    if device.spec.pin is not None:
        device.commands.prepare(reg.LoggerCommand.UNLOCK, 1, device.spec.pin)
        assert device.commands.commit(1)
    device.commands.prepare(reg.LoggerCommand.LAUNCH, 1, 0, device.readings())
    assert device.commands.commit(1), device.commands.refusal


def pass_days(device: SimLogger, days: float) -> None:
    device.clock.set(device.clock.now_ms() + days * DAY_MS, 1.0)


def memory(device: SimLogger) -> mf.MissionFile:
    [entry] = device.memory.directory()
    size = entry["block_bytes"]
    start = entry["first_held"] // mb.READINGS_PER_BLOCK
    count = -(-entry["readings"] // mb.READINGS_PER_BLOCK)
    head = device.read_file(reg.MEMORY_FILE, 0, entry["header_bytes"])
    assert head is not None
    blocks = b""
    for number in range(start, count):
        at = entry["header_bytes"] + number * size
        file, offset = divmod(at, reg.FILE_BYTES)
        part = device.read_file(reg.MEMORY_FILE + file, offset, size)
        assert part is not None
        blocks += part
    return mf.decode_mission_file(head + blocks)


def test_it_records_on_its_interval_and_fills_its_memory() -> None:
    device = logger(days_ago=200)
    launch(device)
    pass_days(device, 1)
    assert device.readings() in (144, 145)
    assert device.doing() == reg.State.LOGGING
    pass_days(device, 150)
    assert device.readings() == 15_616  # what fits, and not one more
    assert device.doing() == reg.State.FULL


def test_wrapping_keeps_the_newest_in_whole_blocks() -> None:
    device = logger("P-0331", 200)
    launch(device, Plan(("water_temperature", "conductivity"), 60, end="wrap"))
    pass_days(device, 60)
    first, count = device.first_number(), device.readings()
    assert count in (86_400, 86_401)
    assert first % mb.READINGS_PER_BLOCK == 0
    assert 64_768 - mb.READINGS_PER_BLOCK <= count - first <= 64_768
    assert device.read_file(reg.MEMORY_FILE, 1000, 100) is None  # overwritten
    assert memory(device).ranges == [(first, count)]


def test_the_same_memory_reads_the_same_every_time() -> None:
    device = logger()
    launch(device)
    pass_days(device, 3)
    once, again = memory(device), memory(device)
    assert all(
        np.array_equal(a.counts[0], b.counts[0])
        for a, b in zip(once.blocks, again.blocks, strict=True)
    )


def test_a_restart_loses_nothing() -> None:
    device = logger()
    launch(device)
    pass_days(device, 3)
    before = memory(device).readings((0, 400))
    saved = json.loads(json.dumps(asdict(device.state)))
    again = SimLogger(device.spec, device.clock, 0, state_from_dict(saved))
    after = memory(again).readings((0, 400))
    assert np.array_equal(before[0], after[0])
    assert np.array_equal(before[1][1], after[1][1])


def test_the_clock_drifts_by_its_ppm() -> None:
    device = logger("P-0320", 70)  # -7.94 ppm
    pass_days(device, 70)
    off = device.clock_ms() - device.clock.now_ms()
    assert off == pytest.approx(-70 * DAY_MS * 7.94e-6, abs=50)  # 48.0 s


def test_setting_the_clock_moves_no_reading() -> None:
    device = logger()
    launch(device)
    pass_days(device, 2)
    before = memory(device).readings((0, 250))
    device.commands.prepare(reg.LoggerCommand.SET_CLOCK, 1, 5)
    assert not device.commands.commit(1)  # refused while it is logging
    device.commands.prepare(reg.LoggerCommand.STOP, 2, 0)
    assert device.commands.commit(2)
    device.commands.prepare(reg.LoggerCommand.SET_CLOCK, 3, device.clock_ms() + 3_600_000)
    assert device.commands.commit(3)
    after = memory(device).readings((0, 250))
    assert np.array_equal(before[0], after[0])
    assert np.array_equal(before[1][0], after[1][0])


def test_a_dead_battery_stops_the_record_and_a_fresh_one_keeps_it() -> None:
    device = logger("B-0511", 40)  # its cell is empty 31.6 days before the anchor
    launch(device, Plan((particles_from(0.5), "co2"), 600))
    pass_days(device, 12)
    assert device.battery_is_empty
    recorded = device.readings()
    assert recorded == pytest.approx(8.4 * 144, abs=2)
    device.change_battery()
    assert device.doing() == reg.State.BATTERY_EMPTY
    assert device.readings() == recorded
    assert device.charge() > 0.99
    assert [text for _, text in device.events()][-2:] == [
        "mission ended: battery empty",
        "battery changed",
    ]


def test_a_probe_pulled_off_records_no_value_in_its_channel_alone() -> None:
    device = logger("R-1109", 25)
    launch(device, Plan(("probe_temperature", "room_temperature"), 300))
    pass_days(device, 24)
    times, (probe, room) = memory(device).readings((0, 10_000))
    off = np.isnan(probe)
    assert off.sum() == 432  # a day and a half at five minutes
    assert not np.isnan(room).any()
    begin = device.true_ms(times[off][:1])[0]
    assert abs(begin - (ANCHOR_MS - 18.2 * DAY_MS)) < 300_000


def test_launching_erases_and_numbers_on() -> None:
    device = logger()
    launch(device)
    number = device.state.run.number  # type: ignore[union-attr]
    pass_days(device, 1)
    device.commands.prepare(reg.LoggerCommand.STOP, 9, 0)
    assert device.commands.commit(9)
    launch(device, replace(T_RH, interval_s=60))
    assert device.state.run.number == number + 1  # type: ignore[union-attr]
    assert device.readings() == 0


def test_half_a_plan_is_no_plan() -> None:
    device = logger()
    device.write_file(reg.STAGED_PLAN_FILE, 0, reg.seal(T_RH.as_dict())[:-20])
    assert device.actions.staged_plan() is None
    assert not device.write_file(reg.PLAN_FILE, 0, b"xx")


@pytest.mark.parametrize("spec", standins(), ids=lambda s: s.serial)
def test_signals_are_finite_in_range_and_whole(spec: object) -> None:
    device = SimLogger(spec, SimClock(ANCHOR_MS), ANCHOR_MS)  # type: ignore[arg-type]
    times = np.arange(ANCHOR_MS - 70 * DAY_MS, ANCHOR_MS, 1_800_000, dtype=np.int64)
    values = SIGNALS[device.spec.point](times, ANCHOR_MS)
    for channel in device.model.channels:
        column = values[channel.key]
        assert column.shape == times.shape
        assert np.isfinite(column).all()
        assert channel.low <= column.min() <= column.max() <= channel.high


def test_there_are_thirteen_points_and_one_logger_each() -> None:
    points = [point for site in SITES for point in site.points]
    assert len(points) == 13
    assert len({p.logger.serial for p in points}) == 13
    assert len({p.logger.model for p in points}) == 5


def test_the_tide_comes_every_12_hours_and_25_minutes() -> None:
    from gezeiten.standin.signals import tide_m

    times = np.arange(0, 60 * DAY_MS, 300_000, dtype=np.int64)
    level = tide_m(times)
    highs = np.flatnonzero(
        (level[1:-1] > level[:-2]) & (level[1:-1] >= level[2:]) & (level[1:-1] > 0.4)
    )
    mean_h = np.diff(times[highs]).mean() / 3_600_000
    assert mean_h == pytest.approx(12.42, abs=0.05)


def test_noise_has_the_spread_it_says_and_repeats() -> None:
    times = np.arange(0, 100_000_000, 1000, dtype=np.int64)
    first = noise(times, 5)
    assert first.std() == pytest.approx(1.0, rel=0.02)
    assert abs(first.mean()) < 0.02
    assert np.array_equal(first, noise(times, 5))
    assert not np.array_equal(first, noise(times, 6))
