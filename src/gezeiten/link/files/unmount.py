"""Unmounting a drive through the system's disk service (UDisks2 over D-Bus), where there is one."""

from __future__ import annotations

import os
from contextlib import closing
from pathlib import Path

from jeepney import DBusAddress, new_method_call
from jeepney.io.blocking import open_dbus_connection
from jeepney.wrappers import DBusErrorResponse, unwrap_msg

from gezeiten.errors import SurroundingsError

_SERVICE = "org.freedesktop.UDisks2"
_WAIT_S = 30.0


def unmount(device: str, bus: str = "SYSTEM") -> bool:
    """Write out and unmount a device; returns False where there is no disk service to ask.

    Raises:
        SurroundingsError: the service refuses, because a program still uses the drive.
    """
    path = "/org/freedesktop/UDisks2/block_devices/" + _escaped(Path(device).name)
    address = DBusAddress(path, _SERVICE, _SERVICE + ".Filesystem")
    try:
        connection = open_dbus_connection(bus)
    except (OSError, KeyError, ValueError):
        return False
    with closing(connection):
        try:
            call = new_method_call(address, "Unmount", "a{sv}", ({},))
            unwrap_msg(connection.send_and_get_reply(call, timeout=_WAIT_S))
        except DBusErrorResponse as exc:
            if "ServiceUnknown" in exc.name or "NameHasNoOwner" in exc.name:
                return False
            raise SurroundingsError(
                f"The system does not unmount {device} ({exc.name.rpartition('.')[2]}); "
                "close what uses it and try again."
            ) from exc
        except (OSError, TimeoutError) as exc:
            raise SurroundingsError(
                f"The system's disk service does not answer for {device}; unmount it by hand."
            ) from exc
    return True


def _escaped(name: str) -> str:
    """Return a device's name as the service writes it in object paths."""
    return "".join(s if s.isascii() and s.isalnum() else f"_{ord(s):02x}" for s in name)


def sync_file_system(root: Path) -> None:
    """Make sure that everything written to a file system is on it.

    Raises:
        SurroundingsError: it is gone, or cannot be written.
    """
    try:
        descriptor = os.open(root, os.O_RDONLY)
        try:
            os.fsync(descriptor)
        finally:
            os.close(descriptor)
        os.sync()
    except OSError as exc:
        raise SurroundingsError(
            f"{root} cannot be written to; it may be gone already, connect it again."
        ) from exc
