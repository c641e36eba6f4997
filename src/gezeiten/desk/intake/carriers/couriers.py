"""Couriers: what they bring home, taking it, and making them ready for the next round.

Nothing on a courier is cleared before it was read back from the vault.
"""

from __future__ import annotations

import hashlib
import os
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace
from pathlib import Path

from gezeiten.archive.database import ArchiveSession
from gezeiten.archive.intake.missions import Circumstances, Intake
from gezeiten.archive.queries.offloads import is_offloaded
from gezeiten.archive.store.faults import translated
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.intake.carriers.carried_records import (
    KEPT,
    NEW,
    UNUSABLE,
    CarriedRecord,
    Clearing,
    carried_meter,
    import_arrived,
    import_each,
    locked_incoming,
    new_readings,
)
from gezeiten.desk.logger.erasing import verify_in_vault
from gezeiten.desk.logger.offloading import Offloaded, import_file
from gezeiten.domain.actions.carriers import CourierCleared, CourierClockSet, CourierConfigured
from gezeiten.domain.base.clock import ClockDifference
from gezeiten.domain.base.wording import counted
from gezeiten.domain.plan.models import MODELS, logger_model
from gezeiten.errors import (
    CancelledError,
    DeviceError,
    GezeitenError,
    InputError,
    LoggerAnswerError,
    LoggerRefusedError,
)
from gezeiten.link.courier import CourierRecord, CourierSession
from gezeiten.link.find import FoundCourier
from gezeiten.link.lines.address import Endpoint
from gezeiten.link.lines.waiting import open_line
from gezeiten.link.registers import CourierMode, CourierState
from gezeiten.link.transfer import UNWATCHED, Meter, Watch

HALF = "half"
_TROUBLE_WORDS = {
    "too large": "The record was too large for the courier; offload the logger itself.",
    "unknown model": "The courier does not know this model; offload the logger itself.",
    HALF: (
        "The courier was disconnected while collecting; the readings collected can be imported."
    ),
}


@dataclass(frozen=True, slots=True)
class CourierCard:
    """A courier as just seen."""

    address: Endpoint
    serial: str
    firmware: str
    state: CourierState
    clock: ClockDifference
    records: tuple[CarriedRecord, ...]
    at_ms: int

    @property
    def new(self) -> list[CarriedRecord]:
        """The records that the archive does not have yet."""
        return [record for record in self.records if record.is_new]

    @property
    def is_empty(self) -> bool:
        """Whether it holds nothing any more."""
        return not self.records


@contextmanager
def _conversation(desk: Workspace, address: Endpoint, serial: str) -> Iterator[CourierSession]:
    with open_line(address, desk.limits) as line:
        yield CourierSession(line, serial)


def contact_courier(desk: Workspace, courier: FoundCourier) -> CourierCard:
    """Look at a courier and what it holds.

    Raises:
        DeviceError: it is away, answers nonsense, or is another one.
    """
    with _conversation(desk, courier.address, courier.serial) as session:
        return _read_card(desk, session, courier.address)


def _read_card(desk: Workspace, session: CourierSession, address: Endpoint) -> CourierCard:
    clock = session.clock(desk.clock)
    listed = session.records()
    with desk.archive.reading() as db:
        records = tuple(
            _carried(record, *_fresh(db, record), clock.difference_ms) for record in listed
        )
    return CourierCard(
        address, session.serial, session.firmware, session.state(), clock, records, desk.now_ms()
    )


def _fresh(db: ArchiveSession, record: CourierRecord) -> tuple[int, bool]:
    """Return how many readings of a record are new, and whether its very bytes are kept."""
    held = [(record.first_held, record.readings)]
    fresh = new_readings(
        db,
        record.serial,
        record.mission,
        record.launched_ms,
        held,
    )
    return fresh, is_offloaded(db, record.sha256)


def _carried(record: CourierRecord, fresh: int, is_kept: bool, ahead_ms: float) -> CarriedRecord:
    state = UNUSABLE if not record.bytes else KEPT if is_kept or not fresh else NEW
    return CarriedRecord(
        key=str(record.number),
        serial=record.serial,
        model=_model_name(record.model),
        mission=record.mission,
        mission_name=record.name,
        point=record.point,
        launched_ms=record.launched_ms,
        size=record.bytes,
        readings=record.readings - record.first_held,
        new_readings=0 if is_kept else fresh,
        sha256=record.sha256,
        state=state,
        note=_TROUBLE_WORDS.get(record.trouble, ""),
        left=record.left,
        collected_ms=round(record.collected_ms - ahead_ms),
        stored_ranges=((record.first_held, record.readings),),
    )


def _model_name(code: str) -> str:
    try:
        return logger_model(code).name
    except InputError:
        return code  # one that we do not know either; its own word says most


def offload_courier(
    desk: Workspace, card: CourierCard, keys: set[str] | None = None, watch: Watch = UNWATCHED
) -> list[Offloaded]:
    """Take records from a courier; a cut goes on at the same byte next time.

    Args:
        keys: the records wanted; default: all that are new.

    Raises:
        DeviceError: the courier is away or another one.
    """
    wanted = [r for r in card.records if (r.is_new if keys is None else r.key in keys)]
    with _conversation(desk, card.address, card.serial) as session:
        clock = session.clock(desk.clock)
        listed = {str(record.number): record for record in session.records()}
        meter = carried_meter(wanted, watch, session.limit_bytes_per_s)

        def import_record(carried: CarriedRecord) -> Intake:
            record = listed.get(carried.key)
            if record is None or record.sha256 != carried.sha256:
                raise LoggerAnswerError(
                    f"The courier {card.serial}’s records have changed; read the courier again."
                )
            circumstances = _circumstances(desk, card.serial, record, clock)
            return _import_record(desk, session, record, circumstances, meter)

        return import_each(desk, wanted, import_record)


def _circumstances(
    desk: Workspace, courier: str, record: CourierRecord, clock: ClockDifference
) -> Circumstances:
    """How a record came: the logger's clock was measured by the courier, the courier's by us."""
    return Circumstances(
        desk.now_ms(),
        desk.person,
        "courier",
        record.logger_clock_ms + clock.difference_ms,
        clock.uncertainty_ms,
        carried={
            "by": courier,
            "at_ms": round(record.collected_ms - clock.difference_ms),
            "left": record.left,
        },
    )


def _import_record(
    desk: Workspace,
    session: CourierSession,
    record: CourierRecord,
    circumstances: Circumstances,
    meter: Meter,
) -> Intake:
    with locked_incoming(desk, f"{record.sha256}.courier.begun", record.serial) as path:
        try:
            _fetch(desk, session, record, path, meter)
        except (DeviceError, CancelledError) as exc:
            _import_partial(desk, path, circumstances, str(exc))
            raise
        return import_arrived(desk, path, circumstances, even_if_known=record.trouble == HALF)


def _fetch(
    desk: Workspace, session: CourierSession, record: CourierRecord, path: Path, meter: Meter
) -> None:
    """Bring the incoming file to its full length and compare its fingerprint."""
    with translated(desk.archive.folder):
        with path.open("ab", buffering=0) as out:
            begun = min(out.tell(), record.bytes)
            meter.skip(begun)
            for piece in session.stream(record, begun):
                out.write(piece)
                meter.count_bytes(len(piece))
            os.fsync(out.fileno())
        sha256 = hashlib.sha256(path.read_bytes()).hexdigest()
    if sha256 != record.sha256:
        with translated(desk.archive.folder):
            path.unlink()
        raise LoggerAnswerError(
            f"The record of {record.serial} arrived damaged; import it again, the "
            "courier still has it."
        )


def _import_partial(desk: Workspace, path: Path, circumstances: Circumstances, reason: str) -> None:
    """Keep the readings of a record that was cut off; its begun file stays to go on from."""
    try:
        import_file(desk, path, replace(circumstances, cut_short=reason))
    except DeviceError:
        return  # not even the header is whole: the begun file goes on next time


def clear_courier(desk: Workspace, card: CourierCard) -> list[str]:
    """Clear what is safely kept, set the clock; returns a sentence for each record that stays.

    Every record is looked up in the vault, byte for byte, before the courier may clear it. The
    clock is set only when nothing stays: what is noted in a record was measured by the old one.

    Raises:
        DeviceError: the courier is away, another one, or refuses its clock.
    """
    stay: list[str] = []
    cleared = 0
    with _conversation(desk, card.address, card.serial) as session:
        for record in session.records():
            why = _not_safe(desk, record)
            if not why:
                try:
                    session.clear(record)
                    cleared += 1
                except LoggerRefusedError as exc:
                    why = str(exc)
            if why:
                stay.append(f"{record.serial}, mission {record.mission}: {why}")
        if not stay:
            session.set_clock(desk.now_ms())
    desk.do(CourierCleared(card.serial, cleared, tuple(stay)))
    return stay


def clearing(desk: Workspace, card: CourierCard) -> Clearing:
    """Return what making ready would clear from a courier as just seen."""
    goes, stays = [], []
    with _conversation(desk, card.address, card.serial) as session:
        listed = {str(record.number): record for record in session.records()}
    for carried in card.records:
        record = listed.get(carried.key)
        why = _not_safe(desk, record) if record else "it is no longer there."
        if why:
            stays.append(f"{carried.serial}, mission {carried.mission}: {why}")
        else:
            goes.append(carried)
    return Clearing(tuple(goes), tuple(stays))


def clock_refusal(card: CourierCard) -> str:
    """Return why a courier's clock cannot be set now, "" where nothing on it depends on it."""
    count = len(card.new)
    if not count:
        return ""
    records = counted(count, "record on it is dated", "records on it are dated")
    return f"{records} by its clock; import them first."


def set_courier_clock(desk: Workspace, card: CourierCard) -> None:
    """Set a courier's clock without clearing anything.

    Raises:
        InputError: a record that is not kept is dated by the clock as it is.
        DeviceError: the courier is away, another one, or refuses.
    """
    with _conversation(desk, card.address, card.serial) as session:
        courier_card = _read_card(desk, session, card.address)
        reason = clock_refusal(courier_card)
        if reason:
            raise InputError(f"The clock of the courier {card.serial} stays: {reason}")
        session.set_clock(desk.now_ms())
    desk.do(CourierClockSet(card.serial, courier_card.clock.difference_ms))


def set_at_loggers(desk: Workspace, card: CourierCard, *, launch_again: bool) -> None:
    """Say whether a courier launches loggers again after collecting, or leaves them running."""
    what = CourierMode.LAUNCHES_AGAIN if launch_again else CourierMode.LEAVES_RUNNING
    with _conversation(desk, card.address, card.serial) as session:
        session.set_at_loggers(what)
    desk.do(CourierConfigured(card.serial, launch_again))


def room_left(card: CourierCard) -> list[tuple[str, int]]:
    """Return how many more records with a full memory fit, by model."""
    free = card.state.memory_size - card.state.memory_used
    return [(model.name, max(free, 0) // model.memory_bytes) for model in MODELS.values()]


def _not_safe(desk: Workspace, record: CourierRecord) -> str:
    """Return why a record may not be cleared, "" where its bytes are in the vault."""
    if not record.bytes:
        return ""  # only a note that there was nothing to carry
    with desk.archive.reading() as db:
        fresh, is_kept = _fresh(db, record)
    if not is_kept:
        return "not saved yet." if fresh else _unsafe_reason(desk, record)
    try:
        desk.archive.vault.get(record.sha256)
    except GezeitenError as exc:
        return str(exc)
    return ""


def _unsafe_reason(desk: Workspace, record: CourierRecord) -> str:
    """Its readings came by another route, maybe in parts; they are safe where all these can be
    read back."""
    try:
        verify_in_vault(desk, record.serial, record.mission, record.launched_ms)
    except GezeitenError as exc:
        return str(exc)
    return ""
