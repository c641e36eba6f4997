"""Files in the incoming folder that a program left behind: each taken by one process, none lost."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

from gezeiten.archive.store.faults import translated
from gezeiten.desk.base.workspace import Workspace
from gezeiten.domain.actions.carriers import FileQuarantined
from gezeiten.errors import DeviceError, InputError
from gezeiten.link.transfer import lock_incoming

LEFT_BEHIND = "the program ended unexpectedly."
_Taken = TypeVar("_Taken")


def import_left_behind(
    desk: Workspace, suffix: str, take: Callable[[Path], _Taken]
) -> list[_Taken]:
    """Take every incoming file of a suffix that nobody writes any more; returns what came of it.

    One that cannot be read is put aside under its own name, and the others go on.
    """
    imported = []
    for path in sorted(desk.archive.incoming.glob(f"*{suffix}")):
        with translated(desk.archive.folder):
            lock = lock_incoming(path)
        if lock is None:
            continue  # another program is writing it now
        try:
            imported.append(take(path))
        except (DeviceError, InputError) as exc:
            _quarantine(desk, path, str(exc))
        finally:
            os.close(lock)
    return imported


def _quarantine(desk: Workspace, path: Path, reason: str) -> None:
    if not path.exists():
        return  # it held nothing
    aside = path.with_suffix(".unreadable")
    with translated(desk.archive.folder):
        path.rename(aside)
    desk.do(FileQuarantined(aside.name, reason))
