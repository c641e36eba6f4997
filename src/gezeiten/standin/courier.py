"""A simulated courier, the Lotse: goes to loggers, brings their mission files home.

It collects over the same network as anybody else: the bytes it holds are those a logger gave it.
"""

from __future__ import annotations

import hashlib
import json
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any

from gezeiten.errors import GezeitenError
from gezeiten.link import registers as reg
from gezeiten.link.courier import CourierRecord
from gezeiten.link.files.mission_blocks import READINGS_PER_BLOCK
from gezeiten.link.lines.address import Address
from gezeiten.link.lines.modbus import ModbusTcp
from gezeiten.link.session import DirectoryEntry, LoggerSession, measured_clock
from gezeiten.standin.simclock import SimClock
from gezeiten.standin.two_steps import TwoSteps

MEMORY_BYTES = 2_000_000
KNOWN_MODELS = ("DUENE-T2", "PRIEL-W3", "WOLKE-B1", "REIF-C2")
"""It left the works before the Brise was made, so it does not know that one."""
_FILES_PER_RECORD = MEMORY_BYTES // reg.FILE_BYTES + 1
SERIAL = "L-0042"


@dataclass(slots=True)
class CourierMemory:
    """What survives a restart; the bytes of record n lie in a file of their own."""

    basis_true_ms: float
    basis_clock_ms: float
    records: list[dict[str, Any]] = field(default_factory=list)
    next_number: int = 1
    main_permille: int = 870
    clock_battery_mv: int = 3010
    at_loggers: int = reg.CourierMode.LEAVES_RUNNING


class SimCourier:
    """One courier; `commands` takes what it is told."""

    code, firmware = reg.COURIER_CODE, "2.1"

    def __init__(self, serial: str, clock: SimClock, folder: Path) -> None:
        self.serial, self.clock, self._folder = serial, clock, folder
        folder.mkdir(parents=True, exist_ok=True)
        self.commands = TwoSteps(clock, self._execute_and_note)
        self._bytes: dict[int, bytes] = {}
        state = folder / "courier.json"
        if state.exists():
            self.memory = CourierMemory(**json.loads(state.read_text()))
        else:
            now = clock.now_ms()
            self.memory = CourierMemory(now, now - 4_000)  # four seconds behind

    def save(self) -> None:
        """Write down what survives a restart."""
        fresh = self._folder / "courier.new"
        fresh.write_text(json.dumps(asdict(self.memory)))
        fresh.replace(self._folder / "courier.json")

    # -- clock, memory -----------------------------------------------------------------------------
    def clock_ms(self) -> int:
        """Return what its clock shows; it loses 20 s in a million."""
        since = self.clock.now_ms() - self.memory.basis_true_ms
        return round(self.memory.basis_clock_ms + since * (1 - 20e-6))

    @property
    def battery_is_empty(self) -> bool:
        """Never: a courier is charged in the office."""
        return False

    def used(self) -> int:
        """Return the bytes its records take."""
        return sum(entry["bytes"] for entry in self.memory.records)

    def content(self, number: int) -> bytes:
        """Return the bytes of a record."""
        if number not in self._bytes:
            path = self._folder / f"{number}.mission"
            self._bytes[number] = path.read_bytes() if path.exists() else b""
        return self._bytes[number]

    # -- in the field ------------------------------------------------------------------------------
    def collect(
        self, address: Address, *, relaunch: bool | None = None, stop_after: int | None = None
    ) -> str:
        """Collect all that a logger holds; returns what trouble there was.

        relaunch: begin the same plan anew afterwards; None: as it was told. stop_after: taken
        away after so many bytes.
        """
        with ModbusTcp(address) as line:
            session = LoggerSession(line)
            _, code, _, serial = session.label()
            clock = measured_clock(lambda: session.state().clock_ms, lambda: float(self.clock_ms()))
            listed = session.directory()
            if not listed:
                return "no mission"
            [entry] = listed
            facts = {
                "serial": serial,
                "model": code,
                "mission": entry.mission,
                "name": entry.name,
                "point": entry.point,
                "launched_ms": entry.launched_ms,
                "collected_ms": self.clock_ms(),
                "logger_clock_ms": clock.difference_ms,
            }
            held = (entry.first_held, entry.readings)
            if code not in KNOWN_MODELS:
                return self._note(facts, held, b"", "unknown model", "running")
            content = _mission_file(session, entry)
            if self.used() + len(content) > MEMORY_BYTES:
                return self._note(facts, held, b"", "too large", "running")
            if stop_after is not None:
                return self._note(facts, held, content[:stop_after], "half", "running")
            if relaunch is None:
                relaunch = self.memory.at_loggers == reg.CourierMode.LAUNCHES_AGAIN
            left = _relaunched(session, entry) if relaunch else "running"
            return self._note(facts, held, content, "", left)

    def _note(
        self, facts: dict[str, Any], held: tuple[int, int], content: bytes, trouble: str, left: str
    ) -> str:
        number = self.memory.next_number
        self.memory.next_number += 1
        (self._folder / f"{number}.mission").write_bytes(content)
        record = CourierRecord(
            number=number,
            first_held=held[0],
            readings=held[1],
            bytes=len(content),
            sha256=hashlib.sha256(content).hexdigest() if content else "",
            left=left,
            trouble=trouble,
            file=reg.MEMORY_FILE + (number % 500) * _FILES_PER_RECORD,
            **facts,
        )
        self.memory.records.append(asdict(record))
        self.save()
        return trouble

    # -- registers, files, commands ----------------------------------------------------------------
    def read_registers(self, address: int) -> tuple[int, bytes] | None:
        """Return start and content of the area an address is in."""
        if not reg.COURIER_ADDRESS <= address < reg.COURIER_ADDRESS + 100:
            return None
        memory = self.memory
        state = reg.CourierState(
            reg.MAP_VERSION,
            self.clock_ms(),
            self.used(),
            MEMORY_BYTES,
            memory.main_permille,
            2_400 + memory.main_permille,
            memory.clock_battery_mv,
            self.commands.refusal,
            memory.at_loggers,
        )
        return reg.COURIER_ADDRESS, state.pack()

    def read_file(self, file: int, start: int, length: int) -> bytes | None:
        """Return bytes of a file, zeros after its end; None where there is no such place."""
        if file == reg.DIRECTORY_FILE:
            whole = reg.seal(self.memory.records)
            return whole[start : start + length].ljust(length, b"\0")
        for entry in self.memory.records:
            at = (file - entry["file"]) * reg.FILE_BYTES + start
            if 0 <= file - entry["file"] < _FILES_PER_RECORD and at < entry["bytes"] + 2:
                return self.content(entry["number"])[at : at + length].ljust(length, b"\0")
        return None

    def write_file(self, file: int, start: int, data: bytes) -> bool:
        """Refuse: nothing can be written to a courier."""
        return False

    def _execute_and_note(self, command: int, argument: int, number: int) -> reg.Refusal:
        refusal = self._execute(command, argument, number)
        self.save()
        return refusal

    def _execute(self, command: int, argument: int, number: int) -> reg.Refusal:
        if command == reg.LoggerCommand.SET_CLOCK:
            self.memory.basis_true_ms = self.clock.now_ms()
            self.memory.basis_clock_ms = argument
            return reg.Refusal.NONE
        if command == reg.LoggerCommand.SET_AT_LOGGERS and argument in (1, 2):
            self.memory.at_loggers = argument
            return reg.Refusal.NONE
        if command != reg.LoggerCommand.CLEAR_RECORD:
            return reg.Refusal.NO_MISSION
        for entry in self.memory.records:
            head = bytes.fromhex(entry["sha256"] or "00" * 8)[:8]
            if entry["number"] == number:
                if int.from_bytes(head, "big", signed=True) != argument:
                    return reg.Refusal.OTHER_RECORD
                self.memory.records.remove(entry)
                (self._folder / f"{number}.mission").unlink(missing_ok=True)
                self._bytes.pop(number, None)
                return reg.Refusal.NONE
        return reg.Refusal.OTHER_RECORD

    def damage_at(self, file: int) -> tuple[int, int, int] | None:
        """None: a courier's own memory is never damaged here."""
        return None

    def order(self, kind: str, order: dict[str, Any]) -> dict[str, Any]:
        """Do what the control line says; returns what to answer beside the usual."""
        if kind == "collect":
            host, _, port = order["at"].rpartition(":")
            try:
                trouble = self.collect(
                    Address(host, int(port)),
                    relaunch=order.get("relaunch"),
                    stop_after=order.get("stop_after"),
                )
            except GezeitenError as exc:
                trouble = str(exc)
            return {"trouble": trouble}
        if kind == "batteries":
            self.memory.main_permille = order["permille"]
            self.memory.clock_battery_mv = order["mv"]
        return {}

    def report(self) -> dict[str, Any]:
        """Return what the control line tells at every order."""
        return {
            "serial": self.serial,
            "now_ms": self.clock.now_ms(),
            "records": len(self.memory.records),
        }


def _mission_file(session: LoggerSession, entry: DirectoryEntry) -> bytes:
    """Return the mission file as it would lie on a drive: header, blocks still held, tail."""
    first = entry.first_held // READINGS_PER_BLOCK
    blocks = -(-entry.readings // READINGS_PER_BLOCK) - first
    start = entry.header_bytes + first * entry.block_bytes
    return (
        session.read_file(entry.file, 0, entry.header_bytes)
        + session.read_file(entry.file, start, blocks * entry.block_bytes)
        + session.read_enveloped(entry.tail_file)
    )


def _relaunched(session: LoggerSession, entry: DirectoryEntry) -> str:
    """Begin the same plan anew; a logger that refuses is left running."""
    plan = session.plan()
    assert plan is not None
    try:
        session.stage_plan(plan)
        session.command(reg.LoggerCommand.LAUNCH, 0, entry.readings)
    except GezeitenError:
        return "running"
    return "relaunched"
