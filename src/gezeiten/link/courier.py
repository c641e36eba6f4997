"""A conversation with a courier: what it collected, the bytes of a record, clearing one by one."""

from __future__ import annotations

import re
from collections.abc import Callable, Generator
from dataclasses import dataclass, fields
from typing import Any

from gezeiten.domain.base.clock import ClockDifference
from gezeiten.errors import LoggerAnswerError, WrongLoggerError
from gezeiten.link import registers as reg
from gezeiten.link.files.mission_file import SERIAL
from gezeiten.link.lines.line import TransportLine
from gezeiten.link.session import LoggerSession, measured_clock

LARGEST_RECORD = 1 << 30
LEFT = ("running", "relaunched", "stopped")
TROUBLES = ("", "too large", "unknown model", "half")


@dataclass(frozen=True, slots=True)
class CourierRecord:
    """One record as the courier lists it.

    number: its place there. first_held, readings: reading numbers it holds. sha256: of its bytes.
    collected_ms: when, by the courier's clock; logger_clock_ms: how far the logger's clock was
    ahead of the courier's then. left: one of LEFT. trouble: one of TROUBLES; with "too large" and
    "unknown model" the courier holds no bytes of it.
    """

    number: int
    serial: str
    model: str
    mission: int
    name: str
    point: str
    launched_ms: int
    first_held: int
    readings: int
    bytes: int
    sha256: str
    collected_ms: int
    logger_clock_ms: float
    left: str
    trouble: str
    file: int


def courier_record(entry: dict[str, Any]) -> CourierRecord:
    """Return a listed record, checked against what can be.

    Raises:
        TypeError, ValueError: a field is missing, unknown, of another kind or beyond reason.
    """
    made = CourierRecord(**entry)
    texts = ("serial", "model", "name", "point", "sha256", "left", "trouble")
    for field in fields(CourierRecord):
        value = getattr(made, field.name)
        kinds = (str,) if field.name in texts else (int, float)
        if not isinstance(value, kinds) or isinstance(value, bool):
            raise TypeError(f"{field.name} is of another kind")
    reasonable = (
        SERIAL.fullmatch(made.serial) is not None
        and made.left in LEFT
        and made.trouble in TROUBLES
        and 0 <= made.bytes <= LARGEST_RECORD
        and 0 <= made.first_held <= made.readings < 2**31
        and re.fullmatch(r"[0-9a-f]{64}|", made.sha256) is not None
        and reg.MEMORY_FILE <= made.file < 2**16
        and 0 <= made.number < 2**16
        and abs(made.logger_clock_ms) < 2**53
        and max(abs(made.launched_ms), abs(made.collected_ms)) < 2**53
    )
    if not reasonable:
        raise ValueError("numbers out of range")
    return made


class CourierSession:
    """One courier behind one line."""

    def __init__(self, line: TransportLine, serial: str) -> None:
        """Begin the conversation.

        Raises:
            WrongLoggerError: another device answers.
        """
        self._session = _CourierMessages(line)
        _, code, self.firmware, told = self._session.label()
        if code != reg.COURIER_CODE or told != serial:
            raise WrongLoggerError(
                f"{told} answers at {line.name} where the courier {serial} was expected; "
                "nothing was changed, check its label."
            )
        self.serial = self._session.name = serial

    @property
    def limit_bytes_per_s(self) -> float | None:
        """What the line can carry, None where that is not known."""
        return self._session.limit_bytes_per_s

    def state(self) -> reg.CourierState:
        """Return the state registers."""
        return self._session.courier_state()

    def clock(self, now_ms: Callable[[], float]) -> ClockDifference:
        """Measure the courier's clock against `now_ms`."""
        return measured_clock(lambda: self.state().clock_ms, now_ms)

    def records(self) -> list[CourierRecord]:
        """Return what it has collected."""
        listed = self._session.read_sealed(reg.DIRECTORY_FILE)
        try:
            return [courier_record(entry) for entry in listed]
        except (TypeError, ValueError) as exc:
            raise LoggerAnswerError(
                f"The courier {self.serial} sent a record list that cannot be read ({exc}); "
                "read it again, then update Gezeiten."
            ) from exc

    def stream(self, record: CourierRecord, start: int = 0) -> Generator[bytes, None, None]:
        """Yield the bytes of a record from byte `start` on, as they come."""
        return self._session.stream_file(record.file, start, record.bytes - start)

    def set_clock(self, to_ms: int) -> None:
        """Set its clock."""
        self._session.command(reg.LoggerCommand.SET_CLOCK, to_ms)

    def set_at_loggers(self, courier_mode: reg.CourierMode) -> None:
        """Say what it shall do at loggers after collecting."""
        self._session.command(reg.LoggerCommand.SET_AT_LOGGERS, courier_mode)

    def clear(self, record: CourierRecord) -> None:
        """Clear one record; the courier refuses unless its fingerprint is the one we name."""
        head = int.from_bytes(bytes.fromhex(record.sha256 or "00" * 8)[:8], "big", signed=True)
        self._session.command(reg.LoggerCommand.CLEAR_RECORD, head, record.number)


class _CourierMessages(LoggerSession):
    """The messages of a logger's session, with a courier's state."""

    def courier_state(self) -> reg.CourierState:
        return reg.unpack_courier(self.input_bytes(reg.COURIER_ADDRESS, reg.COURIER_REGISTERS))

    def refusal_code(self) -> int:
        return self.courier_state().last_refusal
