"""When readings fall due: buttons, numbers of readings, pauses, a shorter interval outside."""

from __future__ import annotations

import json
from dataclasses import asdict, replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.plan.plan import Plan, due_readings
from gezeiten.domain.quantities.quantities import particles_from
from gezeiten.link import registers as reg
from gezeiten.link.files import mission_blocks as mb
from gezeiten.standin.device import SimLogger
from gezeiten.standin.device_state import state_from_dict
from gezeiten.standin.timetable import Timetable
from tests.conftest import ANCHOR_MS, COLD_PLAN, DAY_MS
from tests.standin.test_device import T_RH, launch, logger, memory, pass_days

HOUR_DAYS = 1 / 24


def by_hand(outside: list[bool], usual: int) -> list[int]:
    """The rule, step by step: on the usual grid, and at every step after one outside."""
    due, was_outside = [], False
    for step, is_outside in enumerate(outside):
        if was_outside or step % usual == 0:
            due.append(step)
            was_outside = is_outside
    return due


@given(st.lists(st.booleans(), min_size=1, max_size=200), st.integers(2, 12))
def test_readings_come_quicker_while_outside(outside: list[bool], usual: int) -> None:
    flags = np.array(outside)
    plan = Plan(("air_temperature",), 10 * usual, outside_interval_s=10)

    def is_outside(times: np.ndarray) -> np.ndarray:
        steps = times // 10_000
        return flags[np.minimum(steps, len(flags) - 1)] & (steps < len(flags))

    table = Timetable(plan, 0, is_outside)
    last_ms = (len(outside) - 1) * 10_000
    wanted = by_hand(outside, usual)
    assert table.count(last_ms) == len(wanted)
    assert table.steps(np.arange(len(wanted))).tolist() == wanted
    assert table.times(np.arange(len(wanted))).tolist() == [10_000 * step for step in wanted]


@given(st.integers(0, 10**7), st.sampled_from(["full", "at", "count"]))
def test_without_a_shorter_interval_it_is_the_plan_alone(until_ms: int, end: str) -> None:
    plan = Plan(("air_temperature",), 60, end=end, end_ms=3_000_000, end_count=7)  # type: ignore[arg-type]
    table = Timetable(plan, 60_000, lambda times: np.zeros(len(times), np.bool_))
    assert table.count(until_ms) == due_readings(plan, 60_000, until_ms)


def test_the_end_at_a_time_and_after_a_number_hold_while_outside_too() -> None:
    everywhere = lambda times: np.ones(len(times), np.bool_)  # noqa: E731
    base = Plan(("air_temperature",), 60, outside_interval_s=10)
    assert Timetable(replace(base, end="count", end_count=9), 0, everywhere).count(10**6) == 9
    assert Timetable(replace(base, end="at", end_ms=100_000), 0, everywhere).count(10**6) == 10


# -- the logger that keeps to it -------------------------------------------------------------------
def press(device: SimLogger) -> None:
    device.press_button()


def test_a_start_by_button_waits_and_counts_its_delay() -> None:
    device = logger()
    launch(device, replace(T_RH, start="button", start_delay_s=90))
    pass_days(device, 2)
    assert device.doing() == reg.State.WAITING
    state = device.registers()
    assert state.flags & reg.Flag.WAITS_FOR_BUTTON
    assert (state.first_due_ms, state.readings) == (0, 0)
    press(device)
    pressed_ms = device.clock_ms()
    state = device.registers()
    assert not state.flags & reg.Flag.WAITS_FOR_BUTTON
    assert pressed_ms + 90_000 <= state.first_due_ms + 50 <= pressed_ms + 91_100
    pass_days(device, HOUR_DAYS)
    assert device.readings() in (6, 7)
    press(device)  # pressing again starts nothing anew
    assert device.registers().first_due_ms == state.first_due_ms


def test_an_end_by_button_and_starting_again_leave_a_gap_in_one_mission() -> None:
    device = logger()
    launch(device, replace(T_RH, interval_s=60, end="button", restart=True))
    number = device.registers().mission_number
    pass_days(device, HOUR_DAYS)
    press(device)
    kept = device.readings()
    assert device.doing() == reg.State.ENDED
    assert device.registers().end_reason == reg.EndReason.BUTTON
    pass_days(device, HOUR_DAYS)
    assert device.readings() == kept
    press(device)
    pass_days(device, HOUR_DAYS)
    assert device.registers().mission_number == number
    assert device.readings() in range(2 * kept - 2, 2 * kept + 3)
    times, _ = memory(device).readings((0, 1000))
    steps = np.diff(times)
    assert sorted(set(steps.tolist()))[0] == 60_000
    assert steps.max() == pytest.approx(3_600_000, abs=120_000)
    saved = json.loads(json.dumps(asdict(device.state)))
    again = SimLogger(device.spec, device.clock, 0, state_from_dict(saved))
    assert np.array_equal(memory(again).readings((0, 1000))[0], times)


def test_without_permission_a_press_after_the_end_does_nothing() -> None:
    device = logger()
    launch(device, replace(T_RH, end="button"))
    pass_days(device, HOUR_DAYS)
    press(device)
    kept = device.readings()
    press(device)
    pass_days(device, HOUR_DAYS)
    assert (device.readings(), device.doing()) == (kept, reg.State.ENDED)


def test_a_mission_ends_after_its_number_of_readings() -> None:
    device = logger()
    launch(device, replace(T_RH, end="count", end_count=100))
    pass_days(device, 3)
    assert (device.readings(), device.doing()) == (100, reg.State.ENDED)
    state = device.registers()
    assert state.end_reason == reg.EndReason.COUNT
    assert state.ended_ms == state.first_due_ms + 99 * 600_000


def test_the_cold_room_records_every_minute_while_its_fuse_is_out() -> None:
    """The fuse trips 3.28 days before the anchor; above 7 °C readings come every minute."""
    device = logger("R-1107", 3.4)
    shorter = replace(COLD_PLAN, outside_interval_s=60)
    launch(device, shorter)
    pass_days(device, 1.2)
    file = memory(device)
    times, (probe, _) = file.readings((0, 10_000))
    assert len(times) == device.readings() > 1.2 * 288 + 100
    distance = np.diff(times)
    outside = (probe > 7.0) | (probe < 1.0)
    assert set(distance[outside[:-1]].tolist()) == {60_000}
    assert set(distance[~outside[:-1]].tolist()) <= {60_000 * k for k in range(1, 6)}
    usual = (times - times[0]) % 300_000 == 0
    assert (outside[:-1] | usual[1:])[: len(distance)].all()  # off the grid only after one outside
    assert file.header.step_ms == 60_000


# -- PIN, self-check, the rule that nothing unfetched is erased ------------------------------------
def do(
    device: SimLogger, command: reg.LoggerCommand, argument: int = 0, expected: int = reg.ANY_COUNT
) -> bool:
    device.commands.prepare(command, 5, argument, expected)
    return device.commands.commit(5)


def test_a_locked_logger_changes_nothing_without_its_pin() -> None:
    device = logger("P-0330")
    device.write_file(
        reg.STAGED_PLAN_FILE, 0, reg.seal(Plan(("water_temperature",), 600).as_dict())
    )
    for command in (
        reg.LoggerCommand.LAUNCH,
        reg.LoggerCommand.STOP,
        reg.LoggerCommand.ERASE,
        reg.LoggerCommand.SET_CLOCK,
    ):
        assert not do(device, command)
        assert device.commands.refusal == reg.Refusal.LOCKED
    assert do(device, reg.LoggerCommand.BLINK)
    assert not do(device, reg.LoggerCommand.UNLOCK, 1111)
    assert device.commands.refusal == reg.Refusal.WRONG_PIN
    assert do(device, reg.LoggerCommand.UNLOCK, 2580)
    assert device.registers().flags == reg.Flag.LOCKED | reg.Flag.UNLOCKED_NOW
    assert do(device, reg.LoggerCommand.LAUNCH)
    pass_days(device, 2 / 1440)
    assert not do(device, reg.LoggerCommand.STOP)  # two minutes later it is locked again


def test_what_nobody_fetched_is_never_erased() -> None:
    device = logger()
    launch(device)
    pass_days(device, 1)
    count = device.readings()
    for expected in (reg.ANY_COUNT, 0, count - 1, count + 1):
        assert not do(device, reg.LoggerCommand.LAUNCH, 0, expected)
        assert device.commands.refusal == reg.Refusal.NOT_ALL_FETCHED
    do(device, reg.LoggerCommand.STOP)
    assert not do(device, reg.LoggerCommand.ERASE, 0, count - 1)
    assert do(device, reg.LoggerCommand.ERASE, 0, device.readings())
    assert device.registers().mission_number == 0


def test_launching_stops_sets_the_clock_and_begins_in_one() -> None:
    device = logger()
    launch(device)
    pass_days(device, 1)
    wanted = device.clock_ms() + 48_000
    assert do(device, reg.LoggerCommand.LAUNCH, wanted, device.readings())
    assert abs(device.clock_ms() - wanted) < 100
    state = device.registers()
    assert state.end_reason == reg.EndReason.NEW_MISSION
    assert device.state.run.launched_ms == wanted  # type: ignore[union-attr]


def test_a_refused_launch_changes_neither_clock_nor_mission() -> None:
    device = logger()
    launch(device)
    before = (device.registers().mission_number, device.state.basis)
    device.actions.staged = b""
    assert not do(device, reg.LoggerCommand.LAUNCH, device.clock_ms() + 10**7, device.readings())
    assert (device.registers().mission_number, device.state.basis) == before
    assert device.doing() in (reg.State.LOGGING, reg.State.WAITING)


def test_the_self_check_names_the_channel_without_a_sensor() -> None:
    device = logger("R-1109", 17.5)  # its probe is pulled off from 18.2 to 16.7 days before
    launch(device, Plan(("probe_temperature", "room_temperature"), 300))
    assert do(device, reg.LoggerCommand.SELF_CHECK)
    assert device.registers().self_check == reg.SELF_CHECK_GOOD + 2
    assert device.events()[-1][1] in ("self-check failed", "probe pulled off")
    pass_days(device, 2)
    do(device, reg.LoggerCommand.SELF_CHECK)
    assert device.registers().self_check == reg.SELF_CHECK_GOOD


def test_a_low_battery_is_noted_when_it_happens() -> None:
    device = logger("B-0508", 60)
    launch(device, Plan((particles_from(0.5), particles_from(5.0), "co2"), 600))
    assert not any(text == "battery low" for _, text in device.events())
    pass_days(device, 20)
    assert any(text == "battery low" for _, text in device.events())


# -- blocks that say when --------------------------------------------------------------------------
@given(st.lists(st.integers(1, 5), min_size=1, max_size=240))
def test_steps_survive_the_block(gaps: list[int]) -> None:
    steps = np.cumsum(gaps)
    channels = (mb.FileChannel("co2", "ppm", "int16", 1, 0.0),)
    raw = mb.encode_block(channels, 240, [np.arange(len(steps))], steps)
    block = mb.decode_block(channels, raw, with_steps=True)
    assert block is not None
    assert block.steps is not None
    assert block.steps.tolist() == steps.tolist()
    assert mb.decode_block(channels, raw) is None  # never mistaken for the other kind
    assert len(raw) % 2 == 0


def test_steps_that_do_not_increase_are_damage() -> None:
    channels = (mb.FileChannel("co2", "ppm", "int16", 1, 0.0),)
    raw = mb.encode_block(channels, 0, [np.zeros(3, np.int64)], np.array([4, 4, 5]))
    assert mb.decode_block(channels, raw, with_steps=True) is None


def test_alarm_rules_decide_and_warnings_do_not() -> None:
    device = logger("R-1107", 3.2)
    warned = LimitRule("probe_temperature", "above", 1.0, level="warning")
    alarm = LimitRule("probe_temperature", "above", 50.0)
    launch(device, replace(COLD_PLAN, outside_interval_s=60, limits=(warned, alarm)))
    pass_days(device, 0.2)
    assert device.readings() == pytest.approx(0.2 * 288, abs=2)
    assert ANCHOR_MS % DAY_MS == 0
