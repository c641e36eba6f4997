"""Modbus RTU over a serial line: one question at a time, silence around frames, CRC-16.

Reads are asked again when an answer arrives damaged; what changes a logger never is. Long files
come by our own function 65, a burst of frames without pauses (docs/protocol.md), which takes the
line to within a few percent of what it can carry; a logger that does not know it is read by
function 20.
"""

from __future__ import annotations

import os
import select
import struct
import time
from collections.abc import Iterator, Sequence

import serial
from pymodbus.framer.rtu import FramerRTU
from pymodbus.pdu import DecodePDU, ModbusPDU

from gezeiten.errors import LoggerAwayError, LoggerBusyError, LoggerRefusedError, SurroundingsError
from gezeiten.link.lines.address import USUAL_LIMITS, CablePort, TimeLimits
from gezeiten.link.lines.line import BaseLine
from gezeiten.link.registers import BURST_DATA, BURST_FUNCTION, UNIT_ID

ASKS = 5
_CRC_BYTES = 2
_LONGEST_FRAME = 256
_READS = (3, 4, 20, 43)
_DEVICE_INFORMATION = 43
_BURST_ASK = struct.Struct(">BBHHH")
_BURST_HEAD = struct.Struct(">BBHB")
_BURST_S = 0.5
"""How long a burst may last: a cancel waits no longer."""
_SHORTEST_BURST = 500
"""Records; on slow lines the pauses between bursts would cost too much otherwise."""


def with_crc(body: bytes) -> bytes:
    """Return unit and message with their CRC-16, low byte first."""
    return body + FramerRTU.compute_CRC(body).to_bytes(2, "big")


def has_valid_crc(frame: bytes) -> bool:
    """Return whether a frame's CRC-16 is right."""
    return len(frame) > _CRC_BYTES and with_crc(frame[:-_CRC_BYTES]) == frame


def silence_s(port: CablePort) -> float:
    """Return the silence between frames: 3.5 characters, 1.75 ms above 19 200 baud.

    Source: MODBUS over Serial Line V1.02, 2.5.1.1.
    """
    return 0.00175 if port.baud > 19_200 else 3.5 * port.bits_per_byte / port.baud


def answer_length(frame: bytes) -> int | None:
    """Return how long the answer that begins so is, CRC included; None while that is open.

    0 means: no answer that we know begins like this.
    """
    if len(frame) < 3:
        return None
    function = frame[1]
    if function & 0x80:
        return 5
    if function in (3, 4, 20, 21):
        return 3 + frame[2] + _CRC_BYTES
    if function == 16:
        return 8
    if function == _DEVICE_INFORMATION:
        return _identity_length(frame)
    if function == BURST_FUNCTION:
        return _BURST_HEAD.size + frame[4] + _CRC_BYTES if len(frame) > 4 else None
    return 0


def _identity_length(frame: bytes) -> int | None:
    """Length of an answer to function 43/14: objects of id, length, text."""
    if len(frame) < 8:
        return None
    at = 8
    for _ in range(frame[7]):
        if len(frame) < at + 2:
            return None
        at += 2 + frame[at + 1]
    return at + _CRC_BYTES


def open_port(port: CablePort, limits: TimeLimits, data_bits: int = 8) -> serial.Serial:
    """Open a serial port for us alone.

    Raises:
        LoggerBusyError: another program has it.
        LoggerAwayError: it is gone.
        SurroundingsError: this account may not use it.
    """
    try:
        return serial.Serial(
            port.path,
            port.baud,
            parity="N" if _is_pty(port.path) else port.parity,
            stopbits=port.stop_bits,
            bytesize=8 if _is_pty(port.path) else data_bits,
            timeout=0,
            write_timeout=limits.answer_s,
            exclusive=True,
        )
    except PermissionError as exc:
        raise _not_allowed(port) from exc
    except serial.SerialException as exc:
        if exc.errno == 13:  # EACCES, wrapped by the library
            raise _not_allowed(port) from exc
        if "exclusive" in str(exc).lower():
            raise LoggerBusyError(
                f"{port.path} is in use by another window or program; wait for it."
            ) from exc
        raise LoggerAwayError(f"{port.path} cannot be opened; connect the cable again.") from exc
    except OSError as exc:
        raise LoggerAwayError(f"{port.path} cannot be opened; connect the cable again.") from exc


def _is_pty(path: str) -> bool:
    """Whether a port is a pseudo-terminal: it knows neither parity nor seven bits."""
    return os.path.realpath(path).startswith("/dev/pts/")


def _not_allowed(port: CablePort) -> SurroundingsError:
    return SurroundingsError(
        f"This account may not use {port.path}; add it to the group of the serial "
        "ports (dialout on Debian)."
    )


class _SilentError(LoggerAwayError):
    """Nothing, or not all of an answer, came in time; the port itself is there."""


class ModbusRtu(BaseLine):
    """A serial line to one logger; use it as a context manager."""

    def __init__(
        self, port: CablePort, limits: TimeLimits = USUAL_LIMITS, unit_id: int = UNIT_ID
    ) -> None:
        self.name = str(port)
        self._unit_id = unit_id
        self._settings = port
        self._decoder = DecodePDU(False)
        self._frame_s = _LONGEST_FRAME / port.bytes_per_s
        self._limit_s = limits.answer_s
        self._silence_s = silence_s(port)
        self._knows_burst = True
        self._quiet_since = 0.0
        self._has_answered = False
        self._port = open_port(port, limits)

    @property
    def limit_bytes_per_s(self) -> float | None:
        """What the serial settings can carry, bytes a second."""
        return self._settings.bytes_per_s

    def close(self) -> None:
        """Close the port; closing twice does no harm."""
        self._port.close()

    def answers(self, requests: Sequence[ModbusPDU]) -> Iterator[ModbusPDU]:
        """Ask one by one and yield the answers.

        Raises:
            LoggerAwayError: no answer in time, or the port is gone.
            LoggerAnswerError: a read was answered damaged again and again, or a change was
                answered damaged once.
        """
        for request in requests:
            yield self._answer(request)

    def _answer(self, request: ModbusPDU) -> ModbusPDU:
        body = bytes([self._unit_id, request.function_code]) + request.encode()
        asks = ASKS if request.function_code in _READS else 1
        for left in reversed(range(asks)):
            self._send(with_crc(body))
            try:
                frame = self._receive()
            except _SilentError:
                # noise may have swallowed question or answer; a port where nobody ever answered
                # is not asked again, or finding out how it is set would take three times as long
                if self._has_answered and left:
                    continue
                raise
            self._has_answered = True
            if has_valid_crc(frame) and frame[1] & 0x7F == request.function_code:
                answer = self._decoder.decode(frame[1:-_CRC_BYTES])
                if answer is not None:
                    return answer
            self._drain()
        raise self.nonsense()

    # -- bursts ----------------------------------------------------------------------------------
    def burst(self, file: int, record: int, count: int) -> Iterator[bytes] | None:
        """Yield the bytes of `count` records; None where the logger does not know bursts."""
        return self._bursts(file, record, count) if self._knows_burst else None

    def _bursts(self, file: int, record: int, count: int) -> Iterator[bytes]:
        """Ask for bursts until all is there; after damage go on at the last good byte."""
        per_burst = max(int(_BURST_S * self._settings.bytes_per_s) // 2, _SHORTEST_BURST)
        at, end, failures = record, record + count, 0
        while at < end:
            # a noisy line is asked for less at a time, down to a single frame
            wanted = min(max(per_burst >> 2 * failures, BURST_DATA // 2), end - at)
            self._send(with_crc(_BURST_ASK.pack(self._unit_id, BURST_FUNCTION, file, at, wanted)))
            before = at
            for piece in self._frames(wanted * 2):
                at += len(piece) // 2
                yield piece
            failures = failures + 1 if at == before else 0
            if at - before < wanted:
                self._drain()
            if failures >= ASKS:
                raise self.nonsense()

    def _frames(self, length: int) -> Iterator[bytes]:
        """Yield the contents of a burst's frames until the first damaged or missing one."""
        got = number = 0
        while got < length:
            try:
                frame = self._receive()
            except LoggerAwayError:
                if number == 0:
                    raise  # not one frame: it is gone; a pause in the middle may be a lost frame
                return
            if len(frame) == 5 and frame[1] == BURST_FUNCTION | 0x80 and has_valid_crc(frame):
                if frame[2] == 1:
                    self._knows_burst = False
                raise LoggerRefusedError(f"{self.name} refused a burst; read it again.", frame[2])
            if not has_valid_crc(frame) or frame[1] != BURST_FUNCTION:
                return
            _, _, frame_number, size = _BURST_HEAD.unpack_from(frame)
            if frame_number != number:
                return
            yield frame[_BURST_HEAD.size : _BURST_HEAD.size + size]
            got += size
            number += 1

    # -- bytes -----------------------------------------------------------------------------------
    def _send(self, frame: bytes) -> None:
        quiet = self._quiet_since + self._silence_s - time.monotonic()
        if quiet > 0:
            time.sleep(quiet)
        try:
            self._port.reset_input_buffer()
            self._port.write(frame)
            self._port.flush()
        except (serial.SerialException, OSError) as exc:
            raise self.away_error() from exc

    def _receive(self) -> bytes:
        """Return the next frame by its own length; a frame that cannot be one comes as it is.

        Raises:
            LoggerAwayError: nothing, or not all of it, came in time.
        """
        frame = b""
        deadline = time.monotonic() + self._limit_s
        while True:
            wanted = answer_length(frame)
            if wanted == 0 or (wanted is not None and len(frame) >= wanted):
                break
            more = (wanted or max(len(frame) + 1, 5)) - len(frame)
            chunk = self._read(more, deadline)
            if not chunk:
                raise _SilentError(str(self.away_error()))
            if not frame:  # it has begun: from here on a whole frame may take its time
                deadline = time.monotonic() + self._limit_s + self._frame_s
            frame += chunk
        self._quiet_since = time.monotonic()
        return frame

    def _read(self, count: int, deadline: float) -> bytes:
        """Return some bytes, none when the deadline passes first."""
        left = deadline - time.monotonic()
        try:
            # not the library's read: its time limits set the port anew each time they change
            ready, _, _ = select.select([self._port.fileno()], [], [], max(left, 0))
            if not ready:
                return b""
            chunk = os.read(self._port.fileno(), count)
        except (serial.SerialException, OSError, ValueError) as exc:
            raise self.away_error() from exc
        if not chunk:
            raise self.away_error()
        return chunk

    def _drain(self) -> None:
        """Let what is still coming pass, until the line is silent.

        Raises:
            LoggerAnswerError: it never is, so it is no logger that sends there.
        """
        pause_s = max(4 * self._silence_s, 0.05)
        longest_s = 1.0 + 2 * _SHORTEST_BURST * 2 / self._settings.bytes_per_s
        end = time.monotonic() + longest_s
        while self._read(_LONGEST_FRAME, time.monotonic() + pause_s):
            if time.monotonic() > end:
                raise self.nonsense()
        self._quiet_since = time.monotonic()
