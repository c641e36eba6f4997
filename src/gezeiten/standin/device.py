"""One simulated logger: clock, battery, plan, missions and memory, as one state; no network.

Its memory is not stored: readings are computed from the true instants at which they were due,
so a restarted stand-in holds exactly what it held before.
"""

from __future__ import annotations

import json
from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.plan.models import LoggerModel, logger_model
from gezeiten.domain.plan.outlook import battery_days, event_bytes, reading_bytes, readings_that_fit
from gezeiten.domain.plan.plan import Plan, first_due_ms, plan_from_dict
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.timeline import DAY_MS, Times, Values
from gezeiten.link import registers as reg
from gezeiten.link.files import mission_blocks as mb
from gezeiten.standin.device_state import ClockBasis, DeviceState
from gezeiten.standin.drive import write_drive
from gezeiten.standin.logger_actions import LoggerActions
from gezeiten.standin.memory import LoggerMemory
from gezeiten.standin.scenario import StandinSpec, point_plan
from gezeiten.standin.signals import SIGNALS
from gezeiten.standin.simclock import SimClock
from gezeiten.standin.timetable import Timetable
from gezeiten.standin.two_steps import TwoSteps

SCENARIO_DAY_MS = 1_795_392_000_000
"""2026-11-23T00:00Z. Sea and weather are those of this autumn, moved by whole days to the
anchor, so that tides and stories always meet in the same way."""

_LOW_SHARE = 0.15
_IDLE_PLAN = Plan(channels=("air_temperature",), interval_s=3600)


class SimLogger:
    """One logger; `commands` takes what it is told, `memory` is what can be fetched from it."""

    def __init__(
        self,
        spec: StandinSpec,
        clock: SimClock,
        anchor_ms: int,
        state: DeviceState | None = None,
        state_file: Path | None = None,
    ) -> None:
        self.spec = spec
        self.serial, self.firmware = spec.serial, spec.firmware
        self.model: LoggerModel = logger_model(spec.model)
        self.code = self.model.code
        self._state_file = state_file
        self.clock = clock
        now = clock.now_ms()
        self.state = state or DeviceState(
            anchor_ms=anchor_ms,
            basis=ClockBasis(now, now),
            battery_dead_ms=self._first_cell_ends(anchor_ms),
            mission=spec.first_mission,
        )
        self._timetable: tuple[tuple[int, int, int], Timetable] | None = None
        self._plan: tuple[dict[str, Any], Plan] | None = None
        self.memory = LoggerMemory(self)
        self.actions = LoggerActions(self)
        self.commands = TwoSteps(clock, self.actions.execute)

    def _first_cell_ends(self, anchor_ms: int) -> float:
        if self.spec.battery_ends_days is not None:
            return anchor_ms + self.spec.battery_ends_days * DAY_MS
        plan = point_plan(self.spec.point)
        usual = Plan(plan.channels, plan.interval_s)
        return anchor_ms + 0.7 * battery_days(self.model, usual, 1.0) * DAY_MS

    # -- clock and battery ---------------------------------------------------------------------
    def clock_ms(self, true_ms: float | None = None) -> int:
        """Return what the logger's clock shows at a true instant (now)."""
        true = self.clock.now_ms() if true_ms is None else true_ms
        return self._shown(self.state.basis, true)

    def _shown(self, basis: ClockBasis, true_ms: float) -> int:
        rate = 1 + self.spec.clock_ppm * 1e-6
        return round(basis.logger_ms + (true_ms - basis.true_ms) * rate)

    def true_ms(self, logger_ms: Times) -> Times:
        """Return the true instants of instants by the mission's clock."""
        basis = self.state.run.basis if self.state.run else self.state.basis
        rate = 1 + self.spec.clock_ppm * 1e-6
        shifted = (logger_ms - basis.logger_ms) / rate + basis.true_ms
        return np.asarray(np.round(shifted), np.int64)

    @property
    def battery_is_empty(self) -> bool:
        """Whether the battery has died by now."""
        return self.clock.now_ms() >= self.state.battery_dead_ms

    def change_battery(self) -> None:
        """Put in a fresh cell; a mission that ran has ended when the old one was empty."""
        if self.battery_is_empty:
            self.end(self.clock_ms(self.state.battery_dead_ms), reg.EndReason.BATTERY)
        life = battery_days(self.model, self.plan or _IDLE_PLAN, 1.0)
        self.state.battery_dead_ms = self.clock.now_ms() + life * DAY_MS
        self.note("battery changed")

    def _cell_life_ms(self) -> float:
        return battery_days(self.model, self.plan or _IDLE_PLAN, 1.0) * DAY_MS

    def charge(self) -> float:
        """Return the battery's charge, 0..1."""
        life_ms = self._cell_life_ms()
        left_ms = self.state.battery_dead_ms - self.clock.now_ms()
        return min(max(left_ms / life_ms, 0.0), 1.0)

    # -- mission -------------------------------------------------------------------------------
    @property
    def plan(self) -> Plan | None:
        """The plan in force, None where nothing runs."""
        run = self.state.run
        if run is None:
            return None
        if self._plan is None or self._plan[0] is not run.plan:
            self._plan = (run.plan, plan_from_dict(run.plan))  # asked for at every read
        return self._plan[1]

    def readings(self) -> int:
        """Return how many readings the mission has recorded so far."""
        run, plan = self.state.run, self.plan
        if run is None or plan is None or not run.first_ms:
            return 0
        until = self._shown(run.basis, min(self.clock.now_ms(), self.state.battery_dead_ms))
        if run.stopped_ms is not None:
            until = min(until, run.stopped_ms)
        due = self.timetable().count(until)
        return due if plan.end == "wrap" else min(due, readings_that_fit(self.model, plan))

    def timetable(self) -> Timetable:
        """Return when the readings of the mission fall due."""
        run, plan = self.state.run, self.plan
        assert run is not None
        assert plan is not None
        known = self._timetable
        key = (run.number, run.first_ms, len(run.pauses))
        if known is None or known[0] != key:
            made = Timetable(plan, run.first_ms, self._is_outside, tuple(run.pauses))
            self._timetable = known = (key, made)
        return known[1]

    def _is_outside(self, logger_ms: Times) -> NDArray[np.bool_]:
        """Where a reading at these instants would be outside one of the alarm limits."""
        plan = self.plan
        outside = np.zeros(len(logger_ms), np.bool_)
        if plan is None:
            return outside
        values = self.measure(self.true_ms(logger_ms))
        for rule in plan.limits:
            if rule.level == "alarm":
                spec = self.model.channel(rule.channel)
                shown = np.round(values[rule.channel] * spec.divisor) / spec.divisor
                outside |= rule.outside_at(logger_ms, shown, "UTC")
        return outside

    def first_number(self) -> int:
        """Return the oldest reading still in memory; wrapping frees whole blocks."""
        plan = self.plan
        if plan is None or plan.end != "wrap":
            return 0
        over = self.readings() - readings_that_fit(self.model, plan)
        return -(-max(over, 0) // mb.READINGS_PER_BLOCK) * mb.READINGS_PER_BLOCK

    def doing(self) -> reg.State:
        """Return what the logger is doing."""
        run, plan = self.state.run, self.plan
        if run is None or plan is None:
            return reg.State.IDLE
        if run.stopped_ms is not None:
            return {
                reg.EndReason.BATTERY.name: reg.State.BATTERY_EMPTY,
                reg.EndReason.BUTTON.name: reg.State.ENDED,
            }.get(run.end_reason, reg.State.STOPPED)
        now = self.clock_ms()
        if not run.first_ms:
            return reg.State.WAITING
        if plan.end == "at" and now >= plan.end_ms:
            return reg.State.ENDED
        if plan.end == "count" and self.readings() >= plan.end_count:
            return reg.State.ENDED
        if plan.end != "wrap" and self.readings() >= readings_that_fit(self.model, plan):
            return reg.State.FULL
        return reg.State.WAITING if now < run.first_ms else reg.State.LOGGING

    @property
    def is_recording(self) -> bool:
        """Whether a mission runs or waits for its start."""
        return self.doing() in (reg.State.LOGGING, reg.State.WAITING)

    def end(self, at_ms: int, reason: reg.EndReason) -> None:
        """End the mission that runs, unless it has ended by itself before."""
        run = self.state.run
        if run and run.stopped_ms is None:
            known = self._ended_by_itself()
            reason, at_ms = known or (reason, at_ms)
            run.stopped_ms, run.end_reason = at_ms, reason.name
            self.state.last_end = (int(reason), at_ms)
            self.state.events.append((at_ms, f"mission ended: {reg.END_WORDS[reason]}"))

    def _ended_by_itself(self) -> tuple[reg.EndReason, int] | None:
        """Return why and when the mission in memory ended, if its plan or memory ended it."""
        plan, doing, run = self.plan, self.doing(), self.state.run
        if run is None or run.stopped_ms is not None:
            return None  # somebody ended it
        if plan is None or doing not in (reg.State.FULL, reg.State.ENDED):
            return None
        last = np.array([max(self.readings() - 1, 0)])
        at_ms = int(self.timetable().times(last)[0])
        if doing == reg.State.FULL:
            return reg.EndReason.MEMORY_FULL, at_ms
        if plan.end == "at":
            return reg.EndReason.TIME, plan.end_ms
        return reg.EndReason.COUNT, at_ms

    def last_mission_end(self) -> tuple[int, int]:
        """Return reason and instant of the last mission that ended, this or the one before."""
        own = self._ended_by_itself()
        return (int(own[0]), own[1]) if own else self.state.last_end

    def press_button(self) -> None:
        """Somebody presses the logger's button: starts, ends or restarts what waits for it."""
        run, plan = self.state.run, self.plan
        self.note("button pressed")
        if run is None or plan is None:
            return
        now = self.clock_ms()
        waiting = not run.first_ms and run.stopped_ms is None
        if waiting:
            run.first_ms = first_due_ms(plan, now)
        elif plan.end == "button" and run.stopped_ms is None and now >= run.first_ms:
            self.end(now, reg.EndReason.BUTTON)
        elif plan.restart and run.end_reason == reg.EndReason.BUTTON.name and run.stopped_ms:
            run.pauses.append((run.stopped_ms, now))  # the same mission goes on after a gap
            run.stopped_ms, run.end_reason = None, ""

    def note(self, text: str) -> None:
        """Enter an event."""
        self.state.events.append((self.clock_ms(), text))

    # -- registers -----------------------------------------------------------------------------
    def registers(self) -> reg.LoggerState:
        """Return the state registers."""
        run, plan = self.state.run, self.plan
        held = self.readings() - self.first_number()
        size = reading_bytes(self.model, plan.channels) if plan else 0
        fixed = self.model.header_bytes + (
            event_bytes(self.model, plan) if plan else self.model.event_bytes
        )
        end_reason, ended_ms = self.last_mission_end()
        charge = self.charge()
        due_ms = self.state.anchor_ms + self.spec.calibration_due_days * DAY_MS
        return reg.LoggerState(
            map_version=reg.MAP_VERSION,
            state=self.doing(),
            clock_ms=self.clock_ms(),
            memory_used=fixed + held * size if run else 0,
            memory_size=self.model.memory_bytes,
            battery_permille=round(charge * 1000),
            battery_mv=round(2900 + 700 * charge),
            mission_number=run.number if run else 0,
            readings=self.readings(),
            first_held=self.first_number(),
            first_due_ms=run.first_ms if run else 0,
            interval_s=plan.interval_s if plan else 0,
            events=len(self.events()),
            practice=1,
            calibration_due_day=int(due_ms // DAY_MS),
            last_refusal=self.commands.refusal,
            flags=self._flags(),
            self_check=self.state.self_check,
            end_reason=end_reason,
            ended_ms=ended_ms,
        )

    def _flags(self) -> reg.Flag:
        flags = reg.Flag(0)
        if self.spec.pin is not None:
            flags |= reg.Flag.LOCKED
            if self.actions.is_unlocked:
                flags |= reg.Flag.UNLOCKED_NOW
        run = self.state.run
        if run and not run.first_ms and run.stopped_ms is None:
            flags |= reg.Flag.WAITS_FOR_BUTTON
        return flags

    def read_registers(self, address: int) -> tuple[int, bytes] | None:
        """Return start and content of the area an address is in."""
        if reg.STATE_ADDRESS <= address < reg.STATE_ADDRESS + 100:
            return reg.STATE_ADDRESS, self.registers().pack()
        if reg.LIVE_ADDRESS <= address < reg.COURIER_ADDRESS:
            return reg.LIVE_ADDRESS, b"".join(value.pack() for value in self.live())
        return None

    def live(self) -> list[reg.LiveValue]:
        """Return the present value of every channel."""
        now = np.array([round(self.clock.now_ms())], np.int64)
        values = self.measure(now)
        shown = []
        for spec in self.model.channels:
            value = float(values[spec.key][0])
            status = reg.SensorStatus.NO_SENSOR if np.isnan(value) else reg.SensorStatus.OK
            shown.append(reg.LiveValue(value, status, quantity(spec.key).unit))
        return shown

    # -- plan, directory and memory as files -----------------------------------------------------
    def write_file(self, file: int, start: int, data: bytes) -> bool:
        """Take written bytes; only the staged plan can be written."""
        return file == reg.STAGED_PLAN_FILE and self.actions.stage(start, data)

    def read_file(self, file: int, start: int, length: int) -> bytes | None:
        """Return bytes of a file, zeros after its end; None where there is no such place."""
        if file >= reg.OVERVIEW_FILE:
            return self.memory.read_overview(file, start, length)
        if file >= reg.MEMORY_FILE:
            at = (file - reg.MEMORY_FILE) * reg.FILE_BYTES + start
            return self.memory.read(at, length) if self.state.run else None
        whole = self._small_file(file)
        return None if whole is None else whole[start : start + length].ljust(length, b"\0")

    def _small_file(self, file: int) -> bytes | None:
        run = self.state.run
        if file == reg.STAGED_PLAN_FILE:
            return self.actions.staged
        if file == reg.PLAN_FILE:
            return reg.seal(run.plan if run else {})
        if file == reg.DIRECTORY_FILE:
            return reg.seal(self.memory.directory())
        if file == reg.OVERVIEW_ENTRY_FILE:
            return reg.seal(self.memory.overview_entry())
        if file == reg.TAIL_FILE and run:
            return reg.seal_bytes(self.memory.tail())
        return None

    def damage_at(self, file: int) -> tuple[int, int, int] | None:
        """Return lengths of header and blocks, and the first file, where a file is a mission or
        an overview of one."""
        listed = self.memory.directory()
        if file < reg.MEMORY_FILE or not listed:
            return None
        entry = self.memory.overview_entry() if file >= reg.OVERVIEW_FILE else listed[0]
        return (entry["header_bytes"], entry["block_bytes"], entry["file"]) if entry else None

    def save(self) -> None:
        """Write the state file, whole or not at all."""
        if self._state_file is None:
            return
        fresh = self._state_file.with_suffix(".new")
        fresh.write_text(json.dumps(asdict(self.state)))
        fresh.replace(self._state_file)

    def order(self, kind: str, order: dict[str, Any]) -> dict[str, Any]:
        """Do what the control line says; returns what to answer beside the usual."""
        actions = {"battery": self.change_battery, "button": self.press_button}
        if kind in actions:
            actions[kind]()
            self.save()
        elif kind == "drive":
            return {"written": write_drive(self, Path(order["folder"]))}
        return {}

    def report(self) -> dict[str, Any]:
        """Return what the control line tells at every order."""
        return {
            "serial": self.serial,
            "now_ms": self.clock.now_ms(),
            "doing": self.doing().name.lower(),
            "readings": self.readings(),
            "blinks": self.state.blinks,
        }

    def mission_bytes(self) -> bytes:
        """Return the mission file as it would lie on a drive."""
        return self.memory.mission_bytes()

    def events(self) -> list[tuple[int, str]]:
        """Return the events so far, oldest first: the logger's own and those of its troubles."""
        run, now = self.state.run, self.clock.now_ms()
        if run is None:
            return []
        listed = list(self.state.events)
        low_ms = self.state.battery_dead_ms - _LOW_SHARE * self._cell_life_ms()
        if self.true_ms(np.array([run.launched_ms]))[0] <= low_ms <= now:
            listed.append((self.clock_ms(low_ms), "battery low"))
        for trouble in self.spec.troubles:
            at_ms = self._scenario_ms() - trouble.from_days_ago * DAY_MS
            if self.true_ms(np.array([run.launched_ms]))[0] <= at_ms <= now:
                listed.append((self.clock_ms(at_ms), trouble.event))
        return sorted(listed, key=lambda event: event[0])

    def _scenario_ms(self) -> int:
        """The day's begin at the anchor: the stories keep their hours whenever they are told."""
        return self.state.anchor_ms // DAY_MS * DAY_MS

    def measure(self, true_ms: Times) -> dict[str, Values]:
        """Return what the sensors read at true instants; NaN where a trouble takes it away."""
        scenario_ms = self._scenario_ms()
        values = SIGNALS[self.spec.point](
            true_ms - (scenario_ms - SCENARIO_DAY_MS), SCENARIO_DAY_MS
        )
        for trouble in self.spec.troubles:
            begin = scenario_ms - trouble.from_days_ago * DAY_MS
            end = scenario_ms - trouble.to_days_ago * DAY_MS
            hit = (true_ms >= begin) & (true_ms < end)
            for key in [trouble.channel] if trouble.channel else list(values):
                values[key] = np.where(hit, np.nan, values[key])
        return {
            spec.key: np.clip(values[spec.key], spec.low, spec.high) for spec in self.model.channels
        }
