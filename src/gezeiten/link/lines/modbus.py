"""Modbus TCP with several transactions in flight. Messages are pymodbus's, the flow is ours.

The library's clients wait for each answer before the next question; offloading is limited by
those waits, so this transport keeps a window of questions open (docs/benchmarks.md).
"""

from __future__ import annotations

import socket
import struct
import time
from collections.abc import Iterator, Sequence

from pymodbus.pdu import DecodePDU, ModbusPDU

from gezeiten.errors import LoggerAnswerError, LoggerAwayError
from gezeiten.link.lines.address import USUAL_LIMITS, Address, TimeLimits
from gezeiten.link.lines.line import BaseLine
from gezeiten.link.registers import UNIT_ID

_MBAP = struct.Struct(">HHHB")
WINDOW = 16


class ModbusTcp(BaseLine):
    """A connection to one logger; use it as a context manager."""

    def __init__(
        self, address: Address, limits: TimeLimits = USUAL_LIMITS, unit_id: int = UNIT_ID
    ) -> None:
        self.name = str(address)
        self._unit_id = unit_id
        self._decoder = DecodePDU(False)
        self._transaction = 0
        self._buffer = bytearray()
        self._unwanted: set[int] = set()
        try:
            self._socket = socket.create_connection((address.host, address.port), limits.connect_s)
        except OSError as exc:
            raise LoggerAwayError(
                f"No logger answers at {address}; check cable, power and address."
            ) from exc
        self._socket.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self._limit_s = limits.answer_s

    def close(self) -> None:
        """Close the connection; closing twice does no harm."""
        self._socket.close()

    def answers(self, requests: Sequence[ModbusPDU]) -> Iterator[ModbusPDU]:
        """Send all requests, up to WINDOW unanswered at a time; yield answers in their order.

        Raises:
            LoggerAwayError: no answer in time, or the connection broke.
            LoggerAnswerError: an answer that belongs to no question or cannot be read.
        """
        early: dict[int, ModbusPDU] = {}
        open_at: dict[int, int] = {}
        sent = done = 0
        try:
            while done < len(requests):
                batch = b""
                # half a window at a time: fewer, larger packets, and never a pause
                if len(open_at) <= WINDOW // 2:
                    while sent < len(requests) and len(open_at) < WINDOW:
                        self._transaction = (self._transaction + 1) & 0xFFFF
                        open_at[self._transaction] = sent
                        batch += self._frame(self._transaction, requests[sent])
                        sent += 1
                self._send(batch)
                number, answer = self._next(open_at)
                early[number] = answer
                while done in early:
                    yield early.pop(done)
                    done += 1
        finally:
            self._unwanted.update(open_at)

    def _next(self, open_at: dict[int, int]) -> tuple[int, ModbusPDU]:
        """Return place and answer of the next question that is answered."""
        while True:
            transaction, answer = self._receive()
            if transaction in open_at:
                return open_at.pop(transaction), answer
            if transaction not in self._unwanted:
                raise LoggerAnswerError(
                    f"{self.name} sent an answer to no request; contact it again."
                )
            self._unwanted.discard(transaction)

    def _frame(self, transaction: int, request: ModbusPDU) -> bytes:
        body = bytes([request.function_code]) + request.encode()
        return _MBAP.pack(transaction, 0, len(body) + 1, self._unit_id) + body

    def _send(self, data: bytes) -> None:
        if not data:
            return
        try:
            self._socket.settimeout(self._limit_s)
            self._socket.sendall(data)
        except OSError as exc:
            raise self.away_error() from exc

    def _receive(self) -> tuple[int, ModbusPDU]:
        """Return transaction number and answer of the next frame, which has to be whole in time:
        bytes that drip in do not lengthen it."""
        deadline = time.monotonic() + self._limit_s
        while True:
            if len(self._buffer) >= _MBAP.size:
                transaction, protocol, length, unit = _MBAP.unpack_from(self._buffer)
                if protocol != 0 or not 2 <= length <= 254:
                    raise LoggerAnswerError(
                        f"{self.name} does not answer in Modbus; check the address."
                    )
                end = _MBAP.size + length - 1
                if len(self._buffer) >= end:
                    frame = bytes(self._buffer[_MBAP.size : end])
                    del self._buffer[:end]
                    if unit != self._unit_id:
                        raise LoggerAnswerError(
                            f"Another unit ({unit}) answers at {self.name}; check the address."
                        )
                    return transaction, self._decode(frame)
            self._buffer += self._chunk(deadline)

    def _chunk(self, deadline: float) -> bytes:
        left = deadline - time.monotonic()
        if left <= 0:
            raise self.away_error()
        try:
            self._socket.settimeout(left)
            chunk = self._socket.recv(65_536)
        except OSError as exc:
            raise self.away_error() from exc
        if not chunk:
            raise self.away_error()
        return chunk

    def _decode(self, frame: bytes) -> ModbusPDU:
        answer = self._decoder.decode(frame)
        if answer is None:
            raise self.nonsense()
        return answer
