"""What every line to a logger has in common: where it answers, time limits, questions and answers.

A line carries Modbus messages, whatever is below: `modbus` over TCP, `rtu` over a serial line.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterator, Sequence
from types import TracebackType
from typing import Protocol

from pymodbus.pdu import ExceptionResponse, ModbusPDU

from gezeiten.errors import LoggerAnswerError, LoggerAwayError, LoggerRefusedError

_EXCEPTION_WORDS = {
    1: "it does not know this request",
    2: "it has nothing at this address",
    3: "a value is out of range",
    4: "it reports an internal fault",
    6: "it is busy",
}


class TransportLine(Protocol):
    """What a session needs of a line. limit_bytes_per_s: what it can carry, None: not known."""

    name: str

    @property
    def limit_bytes_per_s(self) -> float | None:
        """What the line can carry at most, bytes a second; None where nothing limits it."""

    def answers(self, requests: Sequence[ModbusPDU]) -> Iterator[ModbusPDU]:
        """Yield one answer a request, in their order, as they come; an answer may be an
        `ExceptionResponse`. Whoever stops early leaves the line fit for the next questions."""

    def exchange(self, requests: Sequence[ModbusPDU]) -> list[ModbusPDU]:
        """Return all answers."""

    def burst(self, file: int, record: int, count: int) -> Iterator[bytes] | None:
        """Yield the bytes of `count` records in a row; None where the line has no such thing."""

    def close(self) -> None:
        """Close the line; closing twice does no harm."""


class BaseLine(ABC):
    """The parts that are the same on every line."""

    name: str

    def __enter__(self) -> BaseLine:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self.close()

    @abstractmethod
    def answers(self, requests: Sequence[ModbusPDU]) -> Iterator[ModbusPDU]:
        """See `Line.answers`."""

    @abstractmethod
    def close(self) -> None:
        """See `Line.close`."""

    @property
    def limit_bytes_per_s(self) -> float | None:
        """What the line can carry; None where that is not known."""
        return None

    def exchange(self, requests: Sequence[ModbusPDU]) -> list[ModbusPDU]:
        """Send all requests and return their answers.

        Raises:
            LoggerAwayError: no answer in time, or the line broke.
            LoggerAnswerError: an answer that belongs to no question or cannot be read.
        """
        return list(self.answers(requests))

    def burst(self, file: int, record: int, count: int) -> Iterator[bytes] | None:
        """Yield the bytes of `count` records of a file, sent unasked; None: the line cannot."""
        return None

    def away_error(self) -> LoggerAwayError:
        """Return the error of a line that broke."""
        return LoggerAwayError(
            f"{self.name} was disconnected; readings received so far are saved, connect "
            "it again to continue."
        )

    def nonsense(self) -> LoggerAnswerError:
        """Return the error of bytes that are no Modbus."""
        return LoggerAnswerError(f"{self.name} sent an invalid answer; contact it again.")


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
        raise LoggerRefusedError(f"{name} refused: {words}; contact it and try again.")
    return answer
