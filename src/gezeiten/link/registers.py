"""The register and file map of a Gezeiten-speaking logger; both sides import it.

docs/protocol.md describes it in words; change both together. All numbers are big-endian.
"""

from __future__ import annotations

import struct
import zlib
from dataclasses import astuple, dataclass, replace
from enum import IntEnum, IntFlag
from typing import Any

import cbor2

from gezeiten.errors import LoggerAnswerError

MAP_VERSION = 2
UNIT_ID = 1

# -- input registers (function 4) ------------------------------------------------------------
REGISTERS_A_QUESTION = 120
"""Input registers asked for at once; the protocol allows 125, and ten channels take 120."""
STATE_ADDRESS = 0
_STATE = struct.Struct(">HHqIIHHHIIqIHHIHHHHq")
STATE_REGISTERS = _STATE.size // 2
LIVE_ADDRESS = 100
_LIVE = struct.Struct(">fHH16s")
LIVE_REGISTERS = _LIVE.size // 2

COURIER_ADDRESS = 400
_COURIER = struct.Struct(">HqIIHHHHH")
COURIER_REGISTERS = _COURIER.size // 2
COURIER_CODE = "LOTSE"
"""Model code of the pocket device that collects records; its map is that of a logger without a
mission, and the registers at COURIER_ADDRESS."""

# -- holding registers (functions 3, 16) -----------------------------------------------------
PREPARE_ADDRESS = 0
_PREPARE = struct.Struct(">HHqI")
PREPARE_REGISTERS = _PREPARE.size // 2
COMMIT_ADDRESS = 8
PREPARED_FOR_MS = 10_000

# -- files (functions 20, 21) ----------------------------------------------------------------
STAGED_PLAN_FILE = 1
PLAN_FILE = 2
DIRECTORY_FILE = 3
OVERVIEW_ENTRY_FILE = 4
TAIL_FILE = 10
MEMORY_FILE = 1000
OVERVIEW_FILE = 60_000
OVERVIEW_SLOTS, OVERVIEW_SLOT_FILES = 5, 1000
"""Each overview lies in the slot after that of the one before, so nobody reads another's values."""
RECORDS_PER_FILE = 10_000
FILE_BYTES = RECORDS_PER_FILE * 2
RECORD_BYTES_MAX = 240
"""Largest even payload of one function-20 answer that leaves its byte count below 245."""

BURST_FUNCTION = 65
"""Of the codes that the protocol leaves to makers: many records after one question."""
BURST_DATA = 248
"""Bytes of records in each frame of a burst, the last one excepted."""

SERIAL_OBJECT = 0x80
"""Object of function 43/14 that holds the serial number; 0, 1, 2 are maker, model, revision."""


class State(IntEnum):
    """What a logger is doing."""

    IDLE = 0
    WAITING = 1
    LOGGING = 2
    FULL = 3
    ENDED = 4
    STOPPED = 5
    BATTERY_EMPTY = 6


class LoggerCommand(IntEnum):
    """Commands of the two-step pattern: prepare (code, token, argument), then commit (token)."""

    LAUNCH = 1
    STOP = 2
    ERASE = 3
    SET_CLOCK = 4
    BLINK = 5
    UNLOCK = 6
    SELF_CHECK = 7
    CLEAR_RECORD = 8  # couriers only
    OVERVIEW = 9
    SET_AT_LOGGERS = 10  # couriers only: argument, one of AtLoggers


ANY_COUNT = 0xFFFF_FFFF
"""In place of the readings expected on a logger: the command does not depend on them."""
UNLOCKED_FOR_MS = 60_000


class Flag(IntFlag):
    """Bits of the state's flags."""

    LOCKED = 1  # changes want a PIN first
    UNLOCKED_NOW = 2  # the PIN was given; stays so for a minute after the last command
    WAITS_FOR_BUTTON = 4


class EndReason(IntEnum):
    """Why the last mission that ended did so."""

    NONE = 0
    MEMORY_FULL = 1
    TIME = 2
    COUNT = 3
    BUTTON = 4
    COMMAND = 5
    BATTERY = 6
    NEW_MISSION = 7


END_WORDS = {
    EndReason.NONE: "not known",
    EndReason.MEMORY_FULL: "memory full",
    EndReason.TIME: "at its set time",
    EndReason.COUNT: "after its number of readings",
    EndReason.BUTTON: "by its button",
    EndReason.COMMAND: "stopped by a computer",
    EndReason.BATTERY: "battery empty",
    EndReason.NEW_MISSION: "a new mission was launched",
}
SELF_CHECK_NEVER = 0
SELF_CHECK_GOOD = 1
"""Higher results are this plus two to the power of (channel's place + 1), added up."""


class Refusal(IntEnum):
    """Why the last command was refused; readable until the next one."""

    NONE = 0
    NOT_PREPARED = 1
    PREPARED_TOO_LONG_AGO = 2
    WRONG_TOKEN = 3
    NO_PLAN = 4
    PLAN_DOES_NOT_FIT = 5
    STILL_LOGGING = 6
    NO_MISSION = 7
    NOT_ALL_FETCHED = 8
    LOCKED = 9
    WRONG_PIN = 10
    OTHER_RECORD = 11
    NO_SUCH_OVERVIEW = 12


REFUSAL_WORDS = {
    Refusal.NONE: "it gives no reason",
    Refusal.NOT_PREPARED: "nothing was prepared",
    Refusal.PREPARED_TOO_LONG_AGO: "the preparation has expired",
    Refusal.WRONG_TOKEN: "another computer has prepared something else",
    Refusal.NO_PLAN: "it has no complete plan",
    Refusal.PLAN_DOES_NOT_FIT: "the plan does not fit this model",
    Refusal.STILL_LOGGING: "it is still logging",
    Refusal.NO_MISSION: "it has no mission",
    Refusal.NOT_ALL_FETCHED: "it has readings that were not offloaded",
    Refusal.LOCKED: "it is locked and needs its PIN",
    Refusal.WRONG_PIN: "the PIN is wrong",
    Refusal.OTHER_RECORD: "the record there is a different one",
    Refusal.NO_SUCH_OVERVIEW: "it cannot make an overview of these readings",
}


class SensorStatus(IntEnum):
    """Status of one channel's present value."""

    OK = 0
    OFF = 1
    NO_SENSOR = 2


@dataclass(frozen=True, slots=True)
class LoggerState:
    """The state registers. Instants are UTC ms by the logger's own clock.

    readings: recorded so far in the mission; first_held: number of the oldest reading still in
    memory. first_due_ms: 0 while it waits for its button. calibration_due_day: days since
    1970-01-01, 0 when unknown. practice: a stand-in. flags: `Flag`. self_check: result of the last
    self-check. end_reason, ended_ms: of the last mission that ended, this or the one before.
    """

    map_version: int
    state: int
    clock_ms: int
    memory_used: int
    memory_size: int
    battery_permille: int
    battery_mv: int
    mission_number: int
    readings: int
    first_held: int
    first_due_ms: int
    interval_s: int
    events: int
    practice: int
    calibration_due_day: int
    last_refusal: int
    flags: int = 0
    self_check: int = SELF_CHECK_NEVER
    end_reason: int = EndReason.NONE
    ended_ms: int = 0

    def pack(self) -> bytes:
        """Return the block as its registers hold it, big-endian."""
        return _STATE.pack(*astuple(self))


def unpack_state(data: bytes) -> LoggerState:
    """Return the state of its registers.

    Raises:
        LoggerAnswerError: another map version, or values that cannot be.
    """
    state = LoggerState(*_STATE.unpack(data))
    if state.map_version != MAP_VERSION:
        raise LoggerAnswerError(
            f"The logger speaks version {state.map_version} of the register map, this Gezeiten "
            f"version {MAP_VERSION}; update the older of the two."
        )
    possible = state.state in set(State) and state.end_reason in set(EndReason)
    if not possible or state.first_held > state.readings:
        raise LoggerAnswerError(
            "The logger reports an impossible state; contact it again; if that does "
            "not help, replace it."
        )
    return state


class CourierMode(IntEnum):
    """What a courier does at a logger after collecting."""

    FIXED = 0  # it cannot be told
    LEAVES_RUNNING = 1
    LAUNCHES_AGAIN = 2


@dataclass(frozen=True, slots=True)
class CourierState:
    """The state registers of a courier. clock_ms: UTC ms by its own clock. main_permille: its main
    battery; clock_battery_mv: the cell that keeps its clock going. at_loggers: one of AtLoggers."""

    map_version: int
    clock_ms: int
    memory_used: int
    memory_size: int
    main_permille: int
    main_mv: int
    clock_battery_mv: int
    last_refusal: int
    at_loggers: int = CourierMode.FIXED

    def pack(self) -> bytes:
        """Return the block as its registers hold it, big-endian."""
        return _COURIER.pack(*astuple(self))


def unpack_courier(data: bytes) -> CourierState:
    """Return the state of a courier's registers.

    Raises:
        LoggerAnswerError: another map version.
    """
    state = CourierState(*_COURIER.unpack(data))
    if state.at_loggers not in set(CourierMode):
        state = replace(state, at_loggers=CourierMode.FIXED)  # a later courier's, unknown here
    if state.map_version != MAP_VERSION:
        raise LoggerAnswerError(
            f"The courier speaks version {state.map_version} of the register map, this Gezeiten "
            f"version {MAP_VERSION}; update the older of the two."
        )
    return state


@dataclass(frozen=True, slots=True)
class LiveValue:
    """Present value of one channel; order is that of the model's channels."""

    value: float
    status: int
    unit: str

    def pack(self) -> bytes:
        """Return the block as its registers hold it, big-endian."""
        return _LIVE.pack(self.value, self.status, 0, self.unit.encode()[:16])


def unpack_live(data: bytes) -> list[LiveValue]:
    """Return the present values of all channels in `data`."""
    return [
        LiveValue(value, status, unit.rstrip(b"\0").decode(errors="replace"))
        for value, status, _, unit in _LIVE.iter_unpack(data)
    ]


def pack_prepare(
    command: LoggerCommand, token: int, argument: int, expected: int = ANY_COUNT
) -> bytes:
    """Return the prepare registers; expected: readings the caller knows to be on the logger."""
    return _PREPARE.pack(command, token, argument, expected)


def unpack_prepare(data: bytes) -> tuple[int, int, int, int]:
    """Return command code, token, argument and expected readings."""
    command, token, argument, expected = _PREPARE.unpack(data)
    return command, token, argument, expected


_OVERVIEW = struct.Struct(">HHI")


def pack_overview(kind: int, every: int, first: int) -> int:
    """Return the argument of the overview command; its expected readings are where it ends."""
    return int.from_bytes(_OVERVIEW.pack(kind, every, first), "big", signed=True)


def unpack_overview(argument: int) -> tuple[int, int, int]:
    """Return kind, readings a value and first reading of an overview command's argument."""
    kind, every, first = _OVERVIEW.unpack(argument.to_bytes(8, "big", signed=True))
    return kind, every, first


def registers(data: bytes) -> list[int]:
    """Return bytes as 16-bit registers."""
    return list(struct.unpack(f">{len(data) // 2}H", data))


def register_bytes(values: list[int]) -> bytes:
    """Return 16-bit registers as bytes."""
    return struct.pack(f">{len(values)}H", *values)


# -- enveloped files: length, check sum, CBOR; padded to whole records -----------------------
_ENVELOPE = struct.Struct(">II")
ENVELOPE_BYTES = _ENVELOPE.size


def seal(content: Any) -> bytes:
    """Return CBOR content in its envelope: length, CRC-32, bytes, padding to an even length."""
    body = cbor2.dumps(content)
    return seal_bytes(body)


def seal_bytes(body: bytes) -> bytes:
    """Return bytes in an envelope."""
    return _ENVELOPE.pack(len(body), zlib.crc32(body)) + body + b"\0" * (len(body) % 2)


def envelope_length(start: bytes) -> int:
    """Return how many bytes the whole envelope takes, padding included."""
    length, _ = _ENVELOPE.unpack(start[:ENVELOPE_BYTES])
    return ENVELOPE_BYTES + int(length) + int(length) % 2


def unseal_bytes(data: bytes) -> bytes | None:
    """Return the body of an envelope, or None when its check sum is wrong."""
    if len(data) < ENVELOPE_BYTES:
        return None
    length, crc = _ENVELOPE.unpack(data[:ENVELOPE_BYTES])
    body = data[ENVELOPE_BYTES : ENVELOPE_BYTES + length]
    return body if len(body) == length and zlib.crc32(body) == crc else None
