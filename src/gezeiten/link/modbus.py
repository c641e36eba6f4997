"""Modbus TCP with several transactions in flight. Messages are pymodbus's, the flow is ours.

The library's clients wait for each answer before the next question; offloading is limited by
those waits, so this transport keeps a window of questions open (docs/benchmarks.md).
"""

from __future__ import annotations

import socket
import struct
from collections.abc import Sequence
from dataclasses import dataclass
from types import TracebackType
from typing import Protocol

from pymodbus.pdu import DecodePDU, ExceptionResponse, ModbusPDU

from gezeiten.errors import LoggerAnswerError, LoggerAwayError, LoggerRefusedError
from gezeiten.link.registers import UNIT_ID

_MBAP = struct.Struct(">HHHB")
WINDOW = 12

_EXCEPTION_WORDS = {
    1: "it does not know this kind of question",
    2: "it has nothing at this address",
    3: "a value is out of its range",
    4: "it failed inside",
    6: "it is busy",
}


@dataclass(frozen=True, slots=True)
class Address:
    """Where a logger answers on the network."""

    host: str
    port: int

    def __str__(self) -> str:
        return f"{self.host}:{self.port}"


@dataclass(frozen=True, slots=True)
class TimeLimits:
    """Time limits of each step, seconds."""

    connect_s: float = 1.5
    answer_s: float = 3.0


USUAL_LIMITS = TimeLimits()


class Transport(Protocol):
    """What a session needs of a line: questions out, answers back in the same order."""

    name: str

    def exchange(self, requests: Sequence[ModbusPDU]) -> list[ModbusPDU]:
        """Return one answer a request; an answer may be an `ExceptionResponse`."""

    def close(self) -> None:
        """Let go of the line."""


class ModbusTcp:
    """A connection to one logger; use it as a context manager."""

    def __init__(self, address: Address, limits: TimeLimits = USUAL_LIMITS) -> None:
        self.name = str(address)
        self._decoder = DecodePDU(False)
        self._transaction = 0
        self._buffer = b""
        try:
            self._socket = socket.create_connection((address.host, address.port), limits.connect_s)
        except OSError as exc:
            raise LoggerAwayError(
                f"No logger answers at {address}; check cable, power and address."
            ) from exc
        self._socket.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self._socket.settimeout(limits.answer_s)

    def __enter__(self) -> ModbusTcp:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self.close()

    def close(self) -> None:
        """Close the connection; closing twice does no harm."""
        self._socket.close()

    def exchange(self, requests: Sequence[ModbusPDU]) -> list[ModbusPDU]:
        """Send all requests, up to WINDOW unanswered at a time, and return their answers.

        Raises:
            LoggerAwayError: no answer in time, or the connection broke.
            LoggerAnswerError: an answer that belongs to no question or cannot be read.
        """
        answers: dict[int, ModbusPDU] = {}
        open_at: dict[int, int] = {}
        sent = 0
        while len(answers) < len(requests):
            batch = b""
            while sent < len(requests) and len(open_at) < WINDOW:
                self._transaction = (self._transaction + 1) & 0xFFFF
                open_at[self._transaction] = sent
                batch += self._frame(self._transaction, requests[sent])
                sent += 1
            self._send(batch)
            transaction, answer = self._receive()
            if transaction not in open_at:
                raise LoggerAnswerError(
                    f"{self.name} answered a question that was not asked; contact it again."
                )
            answers[open_at.pop(transaction)] = answer
        return [answers[i] for i in range(len(requests))]

    def _frame(self, transaction: int, request: ModbusPDU) -> bytes:
        body = bytes([request.function_code]) + request.encode()
        return _MBAP.pack(transaction, 0, len(body) + 1, UNIT_ID) + body

    def _send(self, data: bytes) -> None:
        if not data:
            return
        try:
            self._socket.sendall(data)
        except OSError as exc:
            raise self._away() from exc

    def _receive(self) -> tuple[int, ModbusPDU]:
        """Return transaction number and answer of the next frame."""
        while True:
            if len(self._buffer) >= _MBAP.size:
                transaction, protocol, length, _ = _MBAP.unpack(self._buffer[: _MBAP.size])
                if protocol != 0 or not 2 <= length <= 254:
                    raise LoggerAnswerError(
                        f"{self.name} does not answer in Modbus; check the address."
                    )
                end = _MBAP.size + length - 1
                if len(self._buffer) >= end:
                    frame = self._buffer[_MBAP.size : end]
                    self._buffer = self._buffer[end:]
                    return transaction, self._decode(frame)
            self._buffer += self._chunk()

    def _chunk(self) -> bytes:
        try:
            chunk = self._socket.recv(65_536)
        except OSError as exc:
            raise self._away() from exc
        if not chunk:
            raise self._away()
        return chunk

    def _away(self) -> LoggerAwayError:
        return LoggerAwayError(
            f"{self.name} went away in the middle; what came is kept, connect it again to go on."
        )

    def _decode(self, frame: bytes) -> ModbusPDU:
        answer = self._decoder.decode(frame)
        if answer is None:
            raise LoggerAnswerError(f"{self.name} answered nonsense; contact it again.")
        return answer


def refusal(answer: ModbusPDU) -> str | None:
    """Return the words of an exception answer, None for a good one."""
    if isinstance(answer, ExceptionResponse):
        code = answer.exception_code
        return _EXCEPTION_WORDS.get(code, f"Modbus exception {code}")
    return None


def accepted(name: str, answer: ModbusPDU) -> ModbusPDU:
    """Return a good answer.

    Raises:
        LoggerRefusedError: it was a Modbus exception.
    """
    words = refusal(answer)
    if words:
        raise LoggerRefusedError(f"{name} refused: {words}; read its state and try again.")
    return answer
