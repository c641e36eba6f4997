"""A conversation with one logger: identity, state, clock, plan, commands, files.

Speaks the map of `registers`; the transport below may be any that carries Modbus messages.
"""

from __future__ import annotations

import secrets
from collections.abc import Callable, Generator, Iterator
from dataclasses import dataclass
from typing import Any, TypeVar

import cbor2
from pymodbus.pdu.file_message import (
    FileRecord,
    ReadFileRecordRequest,
    ReadFileRecordResponse,
    WriteFileRecordRequest,
)
from pymodbus.pdu.mei_message import ReadDeviceInformationRequest, ReadDeviceInformationResponse
from pymodbus.pdu.pdu import ModbusPDU
from pymodbus.pdu.register_message import (
    ReadInputRegistersRequest,
    ReadInputRegistersResponse,
    WriteMultipleRegistersRequest,
)

from gezeiten.domain.base.clock import ROUND_TRIPS, ClockDifference, RoundTrip, clock_difference
from gezeiten.domain.plan.models import LoggerModel, logger_model
from gezeiten.domain.plan.plan import Plan, plan_from_dict
from gezeiten.errors import (
    LoggerAnswerError,
    LoggerLockedError,
    LoggerRefusedError,
    PlanError,
    WrongLoggerError,
)
from gezeiten.link import registers as reg
from gezeiten.link.files.mission_file import SERIAL, decode_tail
from gezeiten.link.lines.line import TransportLine, accepted, refusal

LARGEST_HEADER = 64 * 1024
LARGEST_BLOCK = 1024 * 1024
_UNKNOWN_FUNCTION = 1
_ASKED_BYTES = 1 << 20

_Answer = TypeVar("_Answer", bound=ModbusPDU)


@dataclass(frozen=True, slots=True)
class Identity:
    """Who a logger says it is."""

    serial: str
    model: LoggerModel
    firmware: str
    maker: str


@dataclass(frozen=True, slots=True)
class DirectoryEntry:
    """One mission in a logger's memory; ranges count readings from the first due one."""

    mission: int
    name: str
    point: str
    launched_ms: int
    first_ms: int
    interval_ms: int
    readings: int
    first_held: int
    header_bytes: int
    block_bytes: int
    file: int
    tail_file: int

    @property
    def numbers_in_memory(self) -> tuple[int, int]:
        """Numbers of the readings in memory, [first, end)."""
        return (self.first_held, self.readings)


def directory_entry(entry: dict[str, Any]) -> DirectoryEntry:
    """Return a listed mission, checked against what can be.

    Raises:
        TypeError, ValueError: a field is missing, unknown, of another kind or beyond reason.
    """
    made = DirectoryEntry(**entry)
    for name in DirectoryEntry.__slots__:
        wanted = str if name in ("name", "point") else int
        if not isinstance(getattr(made, name), wanted):
            raise TypeError(f"{name} is not a {wanted.__name__}")
    reasonable = (
        0 <= made.first_held <= made.readings < 2**31
        and made.interval_ms > 0
        and 0 < made.header_bytes <= LARGEST_HEADER
        and 0 < made.block_bytes <= LARGEST_BLOCK
        and reg.MEMORY_FILE <= made.file < 2**16
        and 0 < made.tail_file < 2**16
    )
    if not reasonable:
        raise ValueError("numbers out of range")
    return made


class LoggerSession:
    """One logger behind one transport. Not for use from several threads at once."""

    def __init__(self, transport: TransportLine) -> None:
        self._line = transport
        self.name = transport.name

    @property
    def limit_bytes_per_s(self) -> float | None:
        """What the line can carry, None where that is not known."""
        return self._line.limit_bytes_per_s

    # -- reading -------------------------------------------------------------------------------
    def identify(self, expected: str | None = None) -> Identity:
        """Return who this is.

        Raises:
            WrongLoggerError: another serial than `expected`.
            InputError: a model that this version does not know.
        """
        maker, code, firmware, serial = self.label()
        if expected is not None and serial != expected:
            raise WrongLoggerError(
                f"{serial} answers at {self.name} where {expected} was expected; nothing "
                "was changed, check the label on the case."
            )
        self.name = serial
        return Identity(serial, logger_model(code), firmware, maker)

    def label(self) -> tuple[str, str, str, str]:
        """Return maker, model code, firmware and serial of whatever answers."""
        answer = self._request(
            ReadDeviceInformationRequest(read_code=3, dev_id=reg.UNIT_ID),
            ReadDeviceInformationResponse,
        )
        try:
            objects = {key: bytes(value) for key, value in answer.information.items()}
            maker, code, firmware = (objects[i].decode("ascii") for i in range(3))
            serial = objects[reg.SERIAL_OBJECT].decode("ascii")
        except (KeyError, TypeError, UnicodeDecodeError) as exc:
            raise LoggerAnswerError(
                f"The device at {self.name} does not identify itself; check the address."
            ) from exc
        if not SERIAL.fullmatch(serial):
            raise LoggerAnswerError(
                f"The device at {self.name} sent an invalid serial; check the address."
            )
        return maker, code, firmware, serial

    def state(self) -> reg.LoggerState:
        """Return the state registers."""
        return reg.unpack_state(self.input_bytes(reg.STATE_ADDRESS, reg.STATE_REGISTERS))

    def live(self, model: LoggerModel) -> list[reg.LiveValue]:
        """Return the present value of every channel of the model, in its order."""
        count = reg.LIVE_REGISTERS * len(model.channels)
        return reg.unpack_live(self.input_bytes(reg.LIVE_ADDRESS, count))

    def clock(self, now_ms: Callable[[], float]) -> ClockDifference:
        """Measure the clock difference against `now_ms` (the computer's UTC ms)."""
        return measured_clock(lambda: self.state().clock_ms, now_ms)

    def directory(self) -> list[DirectoryEntry]:
        """Return the missions in memory, the running one last."""
        listed = self.read_sealed(reg.DIRECTORY_FILE)
        try:
            return [directory_entry(entry) for entry in listed]
        except (TypeError, ValueError) as exc:
            raise LoggerAnswerError(
                f"{self.name} sent a mission list that cannot be read ({exc}); contact "
                "it again, then update Gezeiten."
            ) from exc

    def plan(self) -> Plan | None:
        """Return the plan in force, None when there is none."""
        content = self.read_sealed(reg.PLAN_FILE)
        return plan_from_dict(content) if content else None

    def staged_plan(self) -> Plan | None:
        """Return the staged plan as the logger holds it, None when it did not arrive whole."""
        try:
            return plan_from_dict(self.read_sealed(reg.STAGED_PLAN_FILE))
        except (LoggerAnswerError, PlanError):
            return None

    def events(self) -> list[tuple[int, str]]:
        """Return what the logger noted of its mission, oldest first; instants by its own clock."""
        return decode_tail(self.read_enveloped(reg.TAIL_FILE))[0]

    # -- files ---------------------------------------------------------------------------------
    def read_file(self, file: int, start: int, length: int) -> bytes:
        """Return `length` bytes from byte `start` of a file that goes on in the next files."""
        return b"".join(self.stream_file(file, start, length))

    def stream_file(self, file: int, start: int, length: int) -> Generator[bytes, None, None]:
        """Yield what `read_file` returns, piece by piece as it arrives.

        Raises:
            LoggerAnswerError: less came than was asked for.
            DeviceError: the line; what was yielded before is good as far as the line knows.
        """
        at, skip = start - start % 2, start % 2
        left = length
        for piece in self._pieces(file, at, start + length + (start + length) % 2):
            useful = piece[skip : skip + left]
            skip = max(skip - len(piece), 0)
            left -= len(useful)
            yield useful
        if left > 0:
            raise LoggerAnswerError(f"{self.name} sent less than was requested; contact it again.")

    def _pieces(self, file: int, at: int, end: int) -> Iterator[bytes]:
        """Yield whole records from byte `at` to `end`, both even: in bursts where the line can."""
        while at < end:
            number, offset = divmod(at, reg.FILE_BYTES)
            count = min(end - at, reg.FILE_BYTES - offset) // 2
            burst = self._line.burst(file + number, offset // 2, count)
            if burst is None:
                break
            try:
                for piece in burst:
                    at += len(piece)
                    yield piece
            except LoggerRefusedError as exc:
                if exc.reason != _UNKNOWN_FUNCTION:
                    raise
        while at < end:
            stop = min(at + _ASKED_BYTES, end)  # the questions for a long file would fill memory
            for answer in self._line.answers(_questions(file, at, stop)):
                yield self._record(answer)
            at = stop

    def _record(self, answer: ModbusPDU) -> bytes:
        accepted(self.name, answer)
        if not isinstance(answer, ReadFileRecordResponse) or not answer.records:
            raise LoggerAnswerError(f"{self.name} answered another request; contact it again.")
        return answer.records[0].record_data

    def read_enveloped(self, file: int) -> bytes:
        """Return the body of an enveloped file; asked three times if its check sum is wrong."""
        for _ in range(3):
            start = self.read_file(file, 0, reg.ENVELOPE_BYTES)
            length = reg.envelope_length(start)
            if length <= 4 * reg.FILE_BYTES:
                body = reg.unseal_bytes(self.read_file(file, 0, length))
                if body is not None:
                    return body
        raise LoggerAnswerError(
            f"A file of {self.name} arrives damaged every time; check cable and plug."
        )

    def read_sealed(self, file: int) -> Any:
        """Return the CBOR content of an enveloped file."""
        try:
            return cbor2.loads(self.read_enveloped(file))
        except (cbor2.CBORDecodeError, ValueError) as exc:
            raise LoggerAnswerError(
                f"A file of {self.name} cannot be read; update Gezeiten."
            ) from exc

    # -- changing ------------------------------------------------------------------------------
    def stage_plan(self, plan: Plan) -> None:
        """Write a plan beside the one in force; it takes effect with the launch command only."""
        data = reg.seal(plan.as_dict())
        for at in range(0, len(data), reg.RECORD_BYTES_MAX - 10):
            part = data[at : at + reg.RECORD_BYTES_MAX - 10]
            record = FileRecord(
                file_number=reg.STAGED_PLAN_FILE, record_number=at // 2, record_data=part
            )
            request = WriteFileRecordRequest([record], dev_id=reg.UNIT_ID)
            accepted(self.name, self._line.exchange([request])[0])

    def command(
        self, command: reg.LoggerCommand, argument: int = 0, expected: int = reg.ANY_COUNT
    ) -> None:
        """Prepare and commit a command.

        Args:
            expected: readings that the caller knows to be on the logger; a launch is refused by
                the logger itself when it holds others.

        Raises:
            LoggerLockedError: it wants its PIN first, or this one is wrong.
            LoggerRefusedError: with the logger's own reason.
        """
        token = secrets.randbelow(0xFFFF) + 1
        self._write(reg.PREPARE_ADDRESS, reg.pack_prepare(command, token, argument, expected))
        self._write(reg.COMMIT_ADDRESS, token.to_bytes(2, "big"))

    # -- messages ------------------------------------------------------------------------------
    def input_bytes(self, address: int, count: int) -> bytes:
        """Return input registers as bytes; many are asked for in several questions."""
        read: list[int] = []
        while len(read) < count:
            part = min(count - len(read), reg.REGISTERS_A_QUESTION)
            request = ReadInputRegistersRequest(
                address=address + len(read), count=part, dev_id=reg.UNIT_ID
            )
            answer = self._request(request, ReadInputRegistersResponse)
            if len(answer.registers) != part:
                raise LoggerAnswerError(
                    f"{self.name} sent less than was requested; contact it again."
                )
            read += answer.registers
        return reg.register_bytes(read)

    def _write(self, address: int, data: bytes) -> None:
        request = WriteMultipleRegistersRequest(
            address=address, registers=reg.registers(data), dev_id=reg.UNIT_ID
        )
        answer = self._line.exchange([request])[0]
        if refusal(answer):
            raise self._refused(self.refusal_code())

    def refusal_code(self) -> int:
        """Return the logger's own code for why it refused."""
        return self.state().last_refusal

    def _refused(self, code: int) -> LoggerRefusedError | LoggerLockedError:
        words = {int(known): text for known, text in reg.REFUSAL_WORDS.items()}
        reason = words.get(code, "for an unknown reason")
        sentence = f"{self.name} refused: {reason}; nothing on it was changed."
        if code in (reg.Refusal.LOCKED, reg.Refusal.WRONG_PIN):
            return LoggerLockedError(sentence)
        return LoggerRefusedError(sentence, code)

    def _request(self, request: ModbusPDU, kind: type[_Answer]) -> _Answer:
        answer = accepted(self.name, self._line.exchange([request])[0])
        if not isinstance(answer, kind):
            raise LoggerAnswerError(f"{self.name} answered another request; contact it again.")
        return answer


def _questions(file: int, at: int, end: int) -> list[ModbusPDU]:
    """Return the questions for bytes [at, end) of a file that goes on in the next files."""
    questions: list[ModbusPDU] = []
    while at < end:
        number, offset = divmod(at, reg.FILE_BYTES)
        size = min(reg.RECORD_BYTES_MAX, reg.FILE_BYTES - offset, end - at)
        record = FileRecord(
            file_number=file + number, record_number=offset // 2, record_length=size
        )
        questions.append(ReadFileRecordRequest([record], dev_id=reg.UNIT_ID))
        at += size
    return questions


def measured_clock(clock_ms: Callable[[], int], now_ms: Callable[[], float]) -> ClockDifference:
    """Return the clock difference of whatever tells its clock, by the shortest of several asks."""
    trips = []
    for _ in range(ROUND_TRIPS):
        sent = now_ms()
        reported_ms = clock_ms()
        trips.append(RoundTrip(sent, now_ms(), reported_ms))
    return clock_difference(trips)
