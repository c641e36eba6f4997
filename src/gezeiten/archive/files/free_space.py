"""Room on the disk checked before an action that cannot be undone."""

from __future__ import annotations

import os
import secrets
from pathlib import Path

_PLENTY = 64 << 20
_FOR_TABLES = 1 << 20
"""What the tables of an entry take at most beside its line, until they are merged."""


def require_free_space(folder: Path, size: int) -> None:
    """See that a folder's disk takes so many bytes of a chain file, and the tables made from them.

    Where there is little room it is really taken, and given back at once.

    Raises:
        OSError: there is not enough.
    """
    needed = 2 * size + _FOR_TABLES
    found = os.statvfs(folder)
    if found.f_bavail * found.f_frsize > needed + _PLENTY:
        return
    path = folder / f".room-{secrets.token_hex(4)}"
    file = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    try:
        os.posix_fallocate(file, 0, needed)
    finally:
        os.close(file)
        path.unlink(missing_ok=True)
