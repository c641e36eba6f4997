"""Which computer this is: told apart from another one that has the same name."""

from __future__ import annotations

import hashlib
import socket
import uuid
from functools import cache
from pathlib import Path

from gezeiten.archive.files.head_hashes import MACHINE

_FILES = (MACHINE, Path("/var/lib/dbus/machine-id"))
_LENGTH = 12


def computer_name() -> str:
    """Return the name of this computer, as people know it."""
    return socket.gethostname()


@cache
def machine_id() -> str:
    """Return what tells this computer from all others: made from the id that its system was given
    when it was installed, which itself is told to nobody (man 5 machine-id); of its network card
    where there is none."""
    for file in _FILES:
        try:
            known = file.read_text().strip()
        except OSError:
            continue
        if known and known != "uninitialized":
            return _hashed(known)
    return _hashed(f"{uuid.getnode():x}")


def _hashed(known: str) -> str:
    return hashlib.sha256(f"gezeiten {known}".encode()).hexdigest()[:_LENGTH]
