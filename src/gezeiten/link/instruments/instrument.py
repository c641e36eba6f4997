"""An instrument on a serial port (one with registers also on the network), read by its profile:
one sample after the other, with raw text.

Times of samples are those of the computer: an instrument has no memory.
"""

from __future__ import annotations

import os
import select
import struct
import time
from abc import ABC, abstractmethod
from collections.abc import Callable
from dataclasses import dataclass

import serial
from pymodbus.pdu.register_message import (
    ReadHoldingRegistersRequest,
    ReadHoldingRegistersResponse,
    ReadInputRegistersRequest,
    ReadInputRegistersResponse,
)

from gezeiten.errors import LoggerAnswerError, LoggerAwayError
from gezeiten.link.instruments import sdi12
from gezeiten.link.instruments.profile import LINES, REGISTER_TYPES, REGISTERS, Profile
from gezeiten.link.lines.address import Address, CablePort, TimeLimits
from gezeiten.link.lines.line import BaseLine, accepted
from gezeiten.link.lines.modbus import ModbusTcp
from gezeiten.link.lines.rtu import ModbusRtu, open_port

_LONGEST_LINE = 4_096
_ANSWER_S = 1.0


@dataclass(frozen=True, slots=True)
class InstrumentSample:
    """What an instrument told once. values: by quantity, in recorded units; empty where the line
    did not fit. raw: as it came, for people."""

    at_ms: float
    values: dict[str, float]
    raw: str


class Instrument(ABC):
    """An open instrument; use `open_instrument`. `sample` waits for the next one."""

    def __init__(self, path: str, profile: Profile, now_ms: Callable[[], float]) -> None:
        self.profile, self._now_ms = profile, now_ms
        self._due_s = time.monotonic()
        self._path = path

    @abstractmethod
    def sample(self, wait_s: float) -> InstrumentSample | None:
        """Return the next sample, None where none came within the time.

        Raises:
            LoggerAwayError: the port is gone.
        """

    @abstractmethod
    def close(self) -> None:
        """Close the port."""

    def _wait_for_turn(self, wait_s: float) -> bool:
        """Wait until the instrument is due to be asked; False where that is later than `wait_s`."""
        left = self._due_s - time.monotonic()
        if left > wait_s:
            time.sleep(wait_s)
            return False
        if left > 0:
            time.sleep(left)
        self._due_s = max(self._due_s + self.profile.every_s, time.monotonic())
        return True


class _TextPort:
    """A serial port of lines."""

    def __init__(self, path: str, profile: Profile) -> None:
        port = CablePort(path, profile.baud, profile.parity, profile.stop_bits)
        self._port = open_port(port, TimeLimits(), profile.data_bits)
        self._path, self._buffer = path, b""
        self._end = b"\r" if profile.end == "cr" else b"\n"

    def send(self, text: str) -> None:
        try:
            self._port.write(text.encode("ascii", errors="replace"))
        except (serial.SerialException, OSError) as exc:
            raise self._away_error() from exc

    def line(self, wait_s: float) -> str | None:
        """Return the next line without its end, None where none came in time."""
        deadline = time.monotonic() + wait_s
        while self._end not in self._buffer:
            left = deadline - time.monotonic()
            if left <= 0 or not self._more(left):
                return None
            if len(self._buffer) > _LONGEST_LINE:
                self._buffer = self._buffer[-_LONGEST_LINE:]
        line, _, self._buffer = self._buffer.partition(self._end)
        return line.decode("utf-8", errors="replace").strip("\r\n\0 ")

    def forget(self) -> None:
        """Drop what came and was not read."""
        while self._more(0):
            pass
        self._buffer = b""

    def _more(self, wait_s: float) -> bool:
        try:
            ready, _, _ = select.select([self._port.fileno()], [], [], wait_s)
            if not ready:
                return False
            data = os.read(self._port.fileno(), 4_096)
        except (serial.SerialException, OSError, ValueError) as exc:
            raise self._away_error() from exc
        if not data:
            raise self._away_error()
        self._buffer += data
        return True

    def _away_error(self) -> LoggerAwayError:
        return LoggerAwayError(
            f"{self._path} is gone; connect it again. Recorded readings are safe."
        )

    def close(self) -> None:
        self._port.close()


class _LineInstrument(Instrument):
    """Prints lines by itself, or when asked."""

    def __init__(self, path: str, profile: Profile, now_ms: Callable[[], float]) -> None:
        super().__init__(path, profile, now_ms)
        self._port = _TextPort(path, profile)

    def sample(self, wait_s: float) -> InstrumentSample | None:
        if self.profile.ask:
            if not self._wait_for_turn(wait_s):
                return None
            self._port.send(self.profile.ask)
        line = self._port.line(wait_s)
        if line is None or not line:
            return None
        return InstrumentSample(self._now_ms(), self.profile.read_line(line) or {}, line)

    def close(self) -> None:
        self._port.close()


class _ModbusInstrument(Instrument):
    """Is asked for registers over Modbus: RTU on a port, TCP at a place like "192.168.4.20:502"."""

    def __init__(self, path: str, profile: Profile, now_ms: Callable[[], float]) -> None:
        super().__init__(path, profile, now_ms)
        limits, address = TimeLimits(answer_s=_ANSWER_S), network_place(path)
        if address is not None:
            self._line: BaseLine = ModbusTcp(address, limits, profile.unit_id)
        else:
            port = CablePort(path, profile.baud, profile.parity, profile.stop_bits)
            self._line = ModbusRtu(port, limits, profile.unit_id)

    def sample(self, wait_s: float) -> InstrumentSample | None:
        if not self._wait_for_turn(wait_s):
            return None
        values, raw = {}, []
        for value in self.profile.values:
            count, code = REGISTER_TYPES[value.type]
            registers = self._read(int(value.source), count)
            [told] = struct.unpack(f">{code}", struct.pack(f">{count}H", *registers))
            raw.append(f"{value.source}: {told:g}")
            if told == told and abs(told) < 1e300:
                values[value.quantity] = value.recorded(told)
        return InstrumentSample(self._now_ms(), values, ", ".join(raw))

    def _read(self, address: int, count: int) -> list[int]:
        kind = (
            ReadInputRegistersRequest
            if self.profile.function == 4
            else (ReadHoldingRegistersRequest)
        )
        request = kind(address=address, count=count, dev_id=self.profile.unit_id)
        answer = accepted(self._path, self._line.exchange([request])[0])
        good = isinstance(answer, ReadInputRegistersResponse | ReadHoldingRegistersResponse)
        if not good or len(answer.registers) != count:
            raise LoggerAnswerError(f"{self._path} sent less than was requested; check its cable.")
        return list(answer.registers)

    def close(self) -> None:
        self._line.close()


class _Sdi12Instrument(Instrument):
    """A sensor on an SDI-12 bus."""

    def __init__(self, path: str, profile: Profile, now_ms: Callable[[], float]) -> None:
        super().__init__(path, profile, now_ms)
        self._port = _TextPort(path, profile)
        self._address = "" if profile.address == "?" else profile.address

    def query(self, command: str, wait_s: float) -> str:
        """Send a command and return the answer, "" where none came."""
        if command:
            self._port.forget()
            self._port.send(command)
        return self._port.line(wait_s) or ""

    def sample(self, wait_s: float) -> InstrumentSample | None:
        if not self._wait_for_turn(wait_s):
            return None
        try:
            if not self._address:
                found = sdi12.find_addresses(self.query)
                if not found:
                    return None
                self._address = found[0]
            told = sdi12.measure(self.query, self._address, self.profile.command)
        except LoggerAnswerError as exc:
            return InstrumentSample(self._now_ms(), {}, str(exc))
        values = {
            value.quantity: value.recorded(told[int(value.source) - 1])
            for value in self.profile.values
            if int(value.source) <= len(told)
        }
        raw = f"{self._address}: " + " ".join(f"{number:+g}" for number in told)
        return InstrumentSample(self._now_ms(), values, raw)

    def close(self) -> None:
        self._port.close()


def network_place(text: str) -> Address | None:
    """Return the address of a text like "192.168.4.20:502", None for the path of a port."""
    host, _, port = text.rpartition(":")
    is_place = bool(host) and "/" not in host and port.isdigit() and 0 < int(port) < 65_536
    return Address(host, int(port)) if is_place else None


def open_instrument(path: str, profile: Profile, now_ms: Callable[[], float]) -> Instrument:
    """Open the instrument on a port.

    Raises:
        DeviceError: the port is gone or in use. SurroundingsError: this account may not use it.
    """
    kinds: dict[str, type[_LineInstrument] | type[_ModbusInstrument]] = {
        LINES: _LineInstrument,
        REGISTERS: _ModbusInstrument,
    }
    return kinds.get(profile.kind, _Sdi12Instrument)(path, profile, now_ms)


def sensors_on(path: str, profile: Profile) -> list[sdi12.Sensor]:
    """Return the sensors on an SDI-12 bus, identified.

    Raises:
        DeviceError: the port is gone or in use.
    """
    bus = _Sdi12Instrument(path, profile, lambda: 0.0)
    try:
        return [sdi12.identify(bus.query, address) for address in sdi12.find_addresses(bus.query)]
    finally:
        bus.close()
