"""What a simulated logger does when it is told: unlock, launch, stop, erase, set its clock, blink.

It guards its memory itself: what nobody has fetched is not erased.
"""

from __future__ import annotations

import cbor2
import numpy as np

from gezeiten.domain.plan.plan import Plan, first_due_ms, plan_from_dict, waits_for_button
from gezeiten.domain.plan.plan_check import fits
from gezeiten.errors import PlanError
from gezeiten.link import registers as reg
from gezeiten.standin.device_state import ClockBasis, Run
from gezeiten.standin.logger_body import LoggerBody

_STAGED_AT_MOST = 4096


class LoggerActions:
    """staged: the bytes of a plan that waits for its launch."""

    def __init__(self, logger: LoggerBody) -> None:
        self._logger = logger
        self.staged = b""
        self._unlocked_until_ms = 0.0

    @property
    def is_unlocked(self) -> bool:
        """Whether the PIN was given and has not run out."""
        return self._logger.clock.now_ms() < self._unlocked_until_ms

    def execute(self, command: int, argument: int, expected: int) -> reg.Refusal:
        """Do a command; returns why it was refused, or NONE."""
        logger = self._logger
        if command == reg.LoggerCommand.UNLOCK:
            return self._unlock(argument)
        if command == reg.LoggerCommand.SELF_CHECK:
            return self._check_itself()
        if command == reg.LoggerCommand.OVERVIEW:
            return logger.memory.make_overview(argument, expected)
        if command != reg.LoggerCommand.BLINK and logger.spec.pin is not None:
            if not self.is_unlocked:
                return reg.Refusal.LOCKED
            self._stay_unlocked()
        if command == reg.LoggerCommand.LAUNCH:
            return self._launch(argument, expected)
        if command == reg.LoggerCommand.SET_CLOCK:
            return self._set_clock(argument)
        if command == reg.LoggerCommand.BLINK:
            logger.state.blinks += 1
            return reg.Refusal.NONE
        if logger.state.run is None:
            return reg.Refusal.NO_MISSION
        if command == reg.LoggerCommand.STOP:
            logger.end(logger.clock_ms(), reg.EndReason.COMMAND)
            return reg.Refusal.NONE
        return (
            self._erase(expected)
            if command == reg.LoggerCommand.ERASE
            else reg.Refusal.NOT_PREPARED
        )

    def _unlock(self, pin: int) -> reg.Refusal:
        if self._logger.spec.pin is not None and pin != self._logger.spec.pin:
            self._logger.note("wrong PIN")
            return reg.Refusal.WRONG_PIN
        self._stay_unlocked()
        return reg.Refusal.NONE

    def _stay_unlocked(self) -> None:
        clock = self._logger.clock
        self._unlocked_until_ms = clock.now_ms() + reg.UNLOCKED_FOR_MS * clock.speed

    def _check_itself(self) -> reg.Refusal:
        """A channel without a sensor, or at the end of its range, fails."""
        logger, failed = self._logger, 0
        for i, (spec, live) in enumerate(zip(logger.model.channels, logger.live(), strict=True)):
            if np.isnan(live.value) or live.value >= spec.high or live.value < spec.low:
                failed += 2 ** (i + 1)
        logger.state.self_check = reg.SELF_CHECK_GOOD + failed
        logger.note("self-check good" if not failed else "self-check failed")
        return reg.Refusal.NONE

    def _launch(self, clock_ms: int, expected: int) -> reg.Refusal:
        """Stop what runs, set the clock, erase, begin: as a whole or not at all.

        What nobody has fetched is never erased: `expected` must be what the memory holds.
        """
        logger, state = self._logger, self._logger.state
        if logger.readings() and expected != logger.readings():
            return reg.Refusal.NOT_ALL_FETCHED
        plan = self.staged_plan()
        if plan is None:
            return reg.Refusal.NO_PLAN
        now = clock_ms or logger.clock_ms()
        if not fits(plan, logger.model, now):
            return reg.Refusal.PLAN_DOES_NOT_FIT
        logger.end(logger.clock_ms(), reg.EndReason.NEW_MISSION)
        if clock_ms:
            state.basis = ClockBasis(logger.clock.now_ms(), clock_ms)
        state.mission += 1
        state.events = []
        first_ms = 0 if waits_for_button(plan) else first_due_ms(plan, now)
        state.run = Run(state.mission, plan.as_dict(), now, first_ms, state.basis)
        logger.note("launched")
        return reg.Refusal.NONE

    def _erase(self, expected: int) -> reg.Refusal:
        if self._logger.is_recording:
            return reg.Refusal.STILL_LOGGING
        if expected not in (reg.ANY_COUNT, self._logger.readings()):
            return reg.Refusal.NOT_ALL_FETCHED
        self._logger.state.run = None
        return reg.Refusal.NONE

    def _set_clock(self, to_ms: int) -> reg.Refusal:
        if self._logger.is_recording:
            return reg.Refusal.STILL_LOGGING  # a jump would tear the running record
        self._logger.state.basis = ClockBasis(self._logger.clock.now_ms(), to_ms)
        return reg.Refusal.NONE

    # -- the plan to launch ----------------------------------------------------------------------
    def stage(self, start: int, data: bytes) -> bool:
        """Take bytes of a plan; False where they lie beyond what fits."""
        if start + len(data) > _STAGED_AT_MOST:
            return False
        before = self.staged[:start] if start else b""
        self.staged = before.ljust(start, b"\0") + data
        return True

    def staged_plan(self) -> Plan | None:
        """Return the staged plan if it arrived whole and can be read."""
        body = reg.unseal_bytes(self.staged)
        if body is None:
            return None
        try:
            return plan_from_dict(cbor2.loads(body))
        except (PlanError, ValueError, cbor2.CBORDecodeError):
            return None
