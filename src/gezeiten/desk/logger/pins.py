"""PINs of locked loggers: one for each group of loggers; never written into the logbook."""

from __future__ import annotations

from gezeiten.archive.queries.loggers import find_logger
from gezeiten.desk.base.pin_store import MemoryPins
from gezeiten.desk.base.workspace import Workspace
from gezeiten.domain.actions.loggers import PinGroupSet
from gezeiten.errors import InputError, LoggerLockedError
from gezeiten.link.registers import Flag, LoggerCommand, LoggerState
from gezeiten.link.session import LoggerSession

USUAL_GROUP = "all loggers"


def parse_pin(text: str) -> int:
    """Return the PIN of four to nine digits.

    Raises:
        InputError: the text is none.
    """
    cleaned = text.strip()
    if not (cleaned.isascii() and cleaned.isdigit() and 4 <= len(cleaned) <= 9):
        raise InputError("A PIN has four to nine digits; type it as set on the logger.")
    return int(cleaned)


def use_pin_once(desk: Workspace, serial: str, text: str) -> None:
    """Use a PIN for a logger until the program ends, without keeping it anywhere.

    Raises:
        InputError: the text is no PIN.
    """
    pins = MemoryPins()
    pins.store(pin_group(desk, serial), parse_pin(text))
    desk.use_pins(pins)


def pin_group(desk: Workspace, serial: str) -> str:
    """Return the group whose PIN a logger shares: its own choice, else its site."""
    with desk.archive.reading() as session:
        logger = find_logger(session, serial)
    if logger is None:
        return USUAL_GROUP
    return logger.pin_group or logger.site or USUAL_GROUP


def set_pin_group(desk: Workspace, serial: str, group: str) -> None:
    """Put a logger into a group of loggers that share a PIN; "" is its site's."""
    with desk.archive.reading() as session:
        logger = find_logger(session, serial)
    before = logger.pin_group if logger else ""
    desk.do(PinGroupSet(serial, before, group.strip()))


def is_locked(state: LoggerState) -> bool:
    """Whether a logger wants its PIN before it changes anything."""
    return bool(state.flags & Flag.LOCKED) and not state.flags & Flag.UNLOCKED_NOW


def unlock(desk: Workspace, session: LoggerSession, serial: str) -> None:
    """Give a locked logger the PIN of its group; loggers that are open are left alone.

    Raises:
        LoggerLockedError: no PIN is known, or the logger does not take it.
    """
    if not is_locked(session.state()):
        return
    group = pin_group(desk, serial)
    pin = desk.pins.get(group)
    if pin is None:
        raise LoggerLockedError(
            f"{serial} is locked; enter the PIN of “{group}” and try again. Nothing was changed."
        )
    try:
        session.command(LoggerCommand.UNLOCK, pin)
    except LoggerLockedError as exc:
        desk.pins.forget(group)
        raise LoggerLockedError(
            f"{serial} does not accept the PIN of “{group}”; type it again. Nothing was changed."
        ) from exc
