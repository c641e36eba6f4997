"""What a stand-in answers to Modbus messages, and what it can be told to do wrong."""

from __future__ import annotations

import struct
from dataclasses import dataclass
from typing import Any, Protocol

from pymodbus.pdu import DecodePDU, ExceptionResponse, ModbusPDU
from pymodbus.pdu.file_message import (
    ReadFileRecordRequest,
    WriteFileRecordRequest,
    WriteFileRecordResponse,
)
from pymodbus.pdu.mei_message import ReadDeviceInformationRequest, ReadDeviceInformationResponse
from pymodbus.pdu.register_message import (
    ReadHoldingRegistersRequest,
    ReadHoldingRegistersResponse,
    ReadInputRegistersRequest,
    ReadInputRegistersResponse,
    WriteMultipleRegistersRequest,
    WriteMultipleRegistersResponse,
)

from gezeiten.link import registers as reg
from gezeiten.standin.simclock import SimClock
from gezeiten.standin.two_steps import TwoSteps

_FILE_PART = struct.Struct(">BHHH")
_ILLEGAL_FUNCTION, _ILLEGAL_ADDRESS, _ILLEGAL_VALUE, _DEVICE_FAILURE = 1, 2, 3, 4


@dataclass(slots=True)
class Misbehaviour:
    """What the stand-in is told to do wrong.

    vanish_after_bytes: close the connection once so many bytes were sent, then stay silent for
    `away_connections` connections. damage_blocks: memory blocks whose bytes arrive changed.
    hang: take questions and never answer. nonsense: answer with bytes that are no Modbus.
    serial: claim another serial. refuse_launch: launch commands fail. bytes_per_s: pace.
    vanish_after_answers: so many answers from now the connection closes; mute_last: the question
    after them is still obeyed, only its answer is lost. vanish_after_commit: the next commit is
    obeyed and its answer lost. lose_prepare: preparations are forgotten. no_burst: function 65 is
    unknown. noise_every_bytes: on a serial line, a byte arrives changed about so often.
    answer_after_s: on a serial line, so long it thinks before each answer.
    """

    vanish_after_bytes: int | None = None
    away_connections: int = 0
    damage_blocks: tuple[int, int] | None = None
    hang: bool = False
    nonsense: bool = False
    serial: str | None = None
    refuse_launch: bool = False
    lose_plan: bool = False
    bytes_per_s: float | None = None
    vanish_after_answers: int | None = None
    mute_last: bool = False
    vanish_after_commit: bool = False
    lose_prepare: bool = False
    no_burst: bool = False
    noise_every_bytes: int = 0
    answer_after_s: float = 0.0


class Device(Protocol):
    """What is served: a logger or a courier."""

    serial: str
    code: str
    firmware: str
    clock: SimClock
    commands: TwoSteps

    @property
    def battery_is_empty(self) -> bool:
        """Whether nothing answers any more."""

    def read_registers(self, address: int) -> tuple[int, bytes] | None:
        """Return start and content of the register area an address is in; None: in none."""

    def read_file(self, file: int, start: int, length: int) -> bytes | None:
        """Return bytes of a file; None where there are none."""

    def write_file(self, file: int, start: int, data: bytes) -> bool:
        """Take bytes of a file; False where that is refused."""

    def damage_at(self, file: int) -> tuple[int, int, int] | None:
        """Return where a transfer of a file is damaged on purpose; None: nowhere."""

    def order(self, kind: str, order: dict[str, Any]) -> dict[str, Any]:
        """Do what the control line says; return what to answer beside the usual."""

    def report(self) -> dict[str, Any]:
        """Return what the control line tells at every order."""

    def save(self) -> None:
        """Keep the state on disk."""


class PduHandler:
    """Answers Modbus messages from a device; knows nothing of sockets."""

    def __init__(self, device: Device, faults: Misbehaviour) -> None:
        self._device = device
        self._faults = faults
        self._decoder = DecodePDU(True)

    def answer(self, frame: bytes) -> bytes:
        """Return function code and data of the answer to one message."""
        # The library decodes the length of a function-20 request as bytes although it counts
        # registers (3.16), so this one is read here.
        if frame[0] == ReadFileRecordRequest.function_code:
            return self._read_file(frame)
        response = self._respond(frame)
        return bytes([response.function_code]) + response.encode()

    def _respond(self, frame: bytes) -> ModbusPDU:
        function = frame[0]
        request = self._decoder.decode(frame)
        if isinstance(request, WriteFileRecordRequest):
            return self._write_file(request)
        if isinstance(request, ReadDeviceInformationRequest):
            return self._identify(request)
        if isinstance(request, ReadInputRegistersRequest):
            return self._input(request)
        if isinstance(request, ReadHoldingRegistersRequest):
            return ReadHoldingRegistersResponse(registers=[0] * request.count)
        if isinstance(request, WriteMultipleRegistersRequest):
            return self._write(request)
        return ExceptionResponse(function & 0x7F, _ILLEGAL_FUNCTION)

    def _identify(self, request: ReadDeviceInformationRequest) -> ModbusPDU:
        device = self._device
        objects = {
            0: b"Gezeiten stand-in",
            1: device.code.encode(),
            2: device.firmware.encode(),
            reg.SERIAL_OBJECT: (self._faults.serial or device.serial).encode(),
        }
        if request.read_code < 3:
            del objects[reg.SERIAL_OBJECT]
        return ReadDeviceInformationResponse(read_code=request.read_code, information=objects)

    def _input(self, request: ReadInputRegistersRequest) -> ModbusPDU:
        area = self._device.read_registers(request.address)
        if area is not None:
            start, data = area
            content = reg.registers(data)
            offset = request.address - start
            if 0 < request.count <= len(content) - offset:
                part = content[offset : offset + request.count]
                return ReadInputRegistersResponse(registers=part)
        return ExceptionResponse(request.function_code, _ILLEGAL_ADDRESS)

    def _write(self, request: WriteMultipleRegistersRequest) -> ModbusPDU:
        data = reg.register_bytes(list(request.registers))
        if request.address == reg.PREPARE_ADDRESS and len(data) == 2 * reg.PREPARE_REGISTERS:
            if not self._faults.lose_prepare:
                self._device.commands.prepare(*reg.unpack_prepare(data))
        elif request.address == reg.COMMIT_ADDRESS and len(data) == 2:
            if self._faults.refuse_launch:
                self._device.commands.refusal = reg.Refusal.PLAN_DOES_NOT_FIT
                return ExceptionResponse(request.function_code, _DEVICE_FAILURE)
            if not self._device.commands.commit(int.from_bytes(data, "big")):
                return ExceptionResponse(request.function_code, _DEVICE_FAILURE)
            self._device.save()
        else:
            return ExceptionResponse(request.function_code, _ILLEGAL_ADDRESS)
        return WriteMultipleRegistersResponse(request.address, len(request.registers))

    def _read_file(self, frame: bytes) -> bytes:
        """Return the answer to function 20, put together here: it is what all speed hangs on."""
        answer = b""
        if len(frame) < 9 or frame[1] != len(frame) - 2 or frame[1] % 7:
            return bytes([frame[0] | 0x80, _ILLEGAL_VALUE])
        for at in range(2, len(frame), 7):
            kind, file, record, count = _FILE_PART.unpack_from(frame, at)
            if kind != 6 or record + count > reg.RECORDS_PER_FILE or count > 122:
                return bytes([frame[0] | 0x80, _ILLEGAL_VALUE])
            data = self._device.read_file(file, record * 2, count * 2)
            if data is None:
                return bytes([frame[0] | 0x80, _ILLEGAL_ADDRESS])
            answer += bytes([len(data) + 1, 6]) + self._damaged(file, record * 2, data)
        return bytes([frame[0], len(answer)]) + answer

    def records(self, file: int, record: int, count: int) -> bytes | None:
        """Return records in a row for a burst; None where there is no such place."""
        if record + count > reg.RECORDS_PER_FILE:
            return None
        data = self._device.read_file(file, record * 2, count * 2)
        return None if data is None else self._damaged(file, record * 2, data)

    def _damaged(self, file: int, start: int, data: bytes) -> bytes:
        """Change one byte of every read that falls into a block told to arrive damaged."""
        if self._faults.damage_blocks is None or file < reg.MEMORY_FILE:
            return data
        where = self._device.damage_at(file)
        if where is None:
            return data
        header_bytes, block_bytes, first_file = where
        at = (file - first_file) * reg.FILE_BYTES + start
        first, end = self._faults.damage_blocks
        low, high = header_bytes + first * block_bytes, header_bytes + end * block_bytes
        # long answers of a burst: one byte of every block that is told to be damaged
        spoiled = bytearray(data)
        for block_at in range(low, high, block_bytes):
            hit = max(block_at, at) - at
            if hit < len(data) and block_at + block_bytes > at:
                spoiled[hit] ^= 0x55
        return bytes(spoiled)

    def _write_file(self, request: WriteFileRecordRequest) -> ModbusPDU:
        for record in request.records:
            data = record.record_data
            if self._faults.lose_plan:
                data = b"\0" * len(data)
            if not self._device.write_file(record.file_number, record.record_number * 2, data):
                return ExceptionResponse(request.function_code, _ILLEGAL_ADDRESS)
        return WriteFileRecordResponse(request.records)
