"""Who may see an archive: its maker alone, unless it is made in a folder that a group shares."""

from __future__ import annotations

import stat
from collections.abc import Iterable
from contextlib import suppress
from pathlib import Path

_OWN_FOLDER, _OWN_FILE = 0o700, 0o600
_GROUP = 0o070


def make_folder(folder: Path) -> bool:
    """Make an archive's folder where it is not there; return whether it is new. A new one is
    private, in a folder with the group's bit (setgid) as open as that."""
    if folder.is_dir():
        return not any(folder.iterdir())
    folder.parent.mkdir(parents=True, exist_ok=True)
    folder.mkdir(mode=_OWN_FOLDER)
    return True


def set_rights(folder: Path, files: Iterable[Path]) -> None:
    """Give a new archive's folder, its folders and some files their rights. A disk that knows none
    keeps its own."""
    above = folder.parent.stat().st_mode
    is_shared = bool(above & stat.S_ISGID)
    group = above & _GROUP if is_shared else 0
    with suppress(OSError):
        for part in (folder, *(one for one in folder.iterdir() if one.is_dir())):
            own = stat.S_ISGID | _OWN_FOLDER | group if is_shared else _OWN_FOLDER
            part.chmod(own)
        for file in files:
            if file.exists():
                file.chmod(_OWN_FILE | (group & 0o060))


def rights_as_above(path: Path) -> None:
    """Give a folder or file that was made in an archive the rights of the folder that it lies in,
    so that whoever shares that shares it too."""
    with suppress(OSError):
        above = path.parent.stat().st_mode
        if above & stat.S_ISGID:
            is_folder = path.is_dir()
            path.chmod(stat.S_IMODE(above) if is_folder else stat.S_IMODE(above) & 0o666)


def read_only_mode(folder: Path) -> int:
    """Return the rights of a file that nobody changes: its owner reads it, and whoever can read the
    folder by its group."""
    return 0o400 | (0o040 if folder.stat().st_mode & stat.S_ISGID else 0)
