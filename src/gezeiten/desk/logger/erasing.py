"""Erasing a logger's memory as an action of its own: only what was read back from the vault may go.

For loggers that are put away; a launch erases by itself.
"""

from __future__ import annotations

from gezeiten.archive.queries.offloads import raw_of_mission
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.logger.contact import LoggerCard, read_card, session_with
from gezeiten.desk.logger.launch.launch_checks import label_check
from gezeiten.desk.logger.pins import unlock
from gezeiten.domain.actions.contacts import MemoryErased
from gezeiten.domain.base.wording import readings_text
from gezeiten.errors import (
    GezeitenError,
    LoggerRefusedError,
    NotKeptError,
    WrongLoggerError,
)
from gezeiten.link.lines.address import Endpoint
from gezeiten.link.registers import LoggerCommand


def erase_refusal(card: LoggerCard) -> str:
    """Return what stands against erasing a logger's memory as just seen, "" for nothing."""
    if not card.directory:
        return f"{card.serial} has no mission; there is nothing to erase."
    if card.is_recording:
        return f"{card.serial} is still recording; stop its mission first."
    if card.readings_to_offload:
        return (
            f"{card.serial} holds {readings_text(card.readings_to_offload)} to offload; "
            "offload it first."
        )
    return ""


def erase_memory(desk: Workspace, address: Endpoint, serial: str, label: str) -> int:
    """Erase the memory of a logger; returns how many readings were erased there.

    Every raw offload of its missions is read back from the vault and compared with its
    fingerprint before; the logger refuses when it holds another number of readings than was seen.

    Args:
        label: last signs of the label on the case, compared with who answers.

    Raises:
        NotKeptError: something on it is not kept. WrongLoggerError: another label.
        ArchiveDamagedError: what is kept cannot be read back.
        LoggerRefusedError: it still records, or took a reading meanwhile.
        DeviceError: the line; nothing was erased, or the next contact shows an empty memory.
    """
    try:
        return _erase(desk, address, serial, label)
    except GezeitenError as exc:
        desk.attempt_failed("erase", serial, exc)
        raise


def _erase(desk: Workspace, address: Endpoint, serial: str, label: str) -> int:
    compared = label_check(serial, label)
    if compared.weight != "passed":
        raise WrongLoggerError(f"{compared.sentence} Nothing was erased.")
    with session_with(desk, address, serial) as (session, identity):
        card = read_card(desk, session, identity, address)
        reason = erase_refusal(card)
        if reason:
            kind = NotKeptError if card.readings_to_offload else LoggerRefusedError
            raise kind(reason)
        for entry in card.directory:
            verify_in_vault(desk, serial, entry.mission, entry.launched_ms)
        unlock(desk, session, serial)
        readings = card.state.readings
        session.command(LoggerCommand.ERASE, expected=readings)
        read_card(desk, session, identity, address)
    desk.do(MemoryErased(serial, readings))
    return readings


def verify_in_vault(desk: Workspace, serial: str, mission: int, launched_ms: int) -> None:
    """Read every raw offload of a mission back from the vault.

    Raises:
        ArchiveDamagedError: one is gone or is not what was kept.
    """
    with desk.archive.reading() as db:
        parts = raw_of_mission(db, serial, mission, launched_ms)
    for sha256 in parts:
        desk.archive.vault.check(sha256)
