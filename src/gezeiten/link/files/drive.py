"""Loggers and sticks that appear as a drive: recognised by what lies on them (docs/drive.md).

Whatever is read here may be pulled out at any moment, may be damaged, or made to do harm: links
are not followed, names are taken apart, sizes are believed only as far as they can be true.
"""

from __future__ import annotations

import hashlib
import os
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, BinaryIO

from gezeiten.domain.base.untrusted import json_of
from gezeiten.errors import CancelledError, LoggerAnswerError, LoggerAwayError

MARKER = "gezeiten-drive.json"
MISSIONS, REPORTS = "missions", "reports"
SUFFIX = ".mission"
REPORT_SUFFIXES = (".pdf", ".csv", ".txt", ".html")
LARGEST_MISSION = 1 << 30
LARGEST_REPORT = 50 << 20
MOST_FILES = 5_000
_MARKER_BYTES = 16_384
_CHUNK = 1 << 18
_MEDIA_ROOTS = ("/media/", "/run/media/", "/mnt/")
_MOUNTS = Path("/proc/self/mountinfo")


@dataclass(frozen=True, slots=True)
class DriveSeen:
    """A drive or folder with missions on it. device: block device behind it, "" for a folder.

    serial: of the logger that it is, "" for a stick. label: what people call it.
    """

    root: Path
    label: str
    serial: str = ""
    device: str = ""

    @property
    def route(self) -> str:
        """The way as offloads name it: "drive"."""
        return "drive"

    def __str__(self) -> str:
        return str(self.root)


@dataclass(frozen=True, slots=True)
class Mount:
    """A mounted file system."""

    root: Path
    device: str


def mounts(listing: Path = _MOUNTS) -> list[Mount]:
    """Return the mounted file systems of block devices, as the kernel lists them."""
    found = []
    try:
        lines = listing.read_text(errors="replace").splitlines()
    except OSError:
        return []
    for line in lines:
        before, _, after = line.partition(" - ")
        fields, source = before.split(" "), after.split(" ")
        if len(fields) > 4 and len(source) > 1:
            found.append(Mount(Path(_unescaped(fields[4])), source[1]))
    return found


def _unescaped(text: str) -> str:
    """Undo the kernel's octal escapes of blanks in names."""
    for code, sign in (("\\040", " "), ("\\011", "\t"), ("\\012", "\n"), ("\\134", "\\")):
        text = text.replace(code, sign)
    return text


def drives(watched: Sequence[Path] = (), mounted: Sequence[Mount] | None = None) -> list[DriveSeen]:
    """Return the drives at hand: removable ones that are mounted, and watched folders.

    A place counts only when missions or our marker lie on it.
    """
    listed = mounts() if mounted is None else mounted
    removable = {m.root: m.device for m in listed if str(m.root).startswith(_MEDIA_ROOTS)}
    roots: dict[Path, str] = dict(removable)
    for folder in watched:
        roots.setdefault(folder, "")
    seen = (_recognised(root, device) for root, device in sorted(roots.items()))
    return [drive for drive in seen if drive is not None]


def _recognised(root: Path, device: str) -> DriveSeen | None:
    try:
        marker = _marker(root)
        if marker is None and next(mission_paths(root), None) is None:
            return None
    except OSError:
        return None  # it is just being pulled out
    serial = str((marker or {}).get("serial", ""))[:40]
    return DriveSeen(root, serial or root.name, serial, device)


def _marker(root: Path) -> dict[str, Any] | None:
    try:
        with (root / MARKER).open("rb") as file:
            content = json_of(file.read(_MARKER_BYTES))
    except (OSError, ValueError):
        return None
    return content if isinstance(content, dict) else None


def mission_paths(root: Path) -> Iterator[Path]:
    """Yield the mission files of a drive: in its root and in its folder of missions."""
    return _files(root, (root, root / MISSIONS), (SUFFIX,))


def report_paths(root: Path) -> Iterator[Path]:
    """Yield the reports that a logger has written by itself."""
    return _files(root, (root / REPORTS,), REPORT_SUFFIXES)


def _files(root: Path, folders: Sequence[Path], suffixes: Sequence[str]) -> Iterator[Path]:
    count = 0
    for folder in folders:
        if folder.is_symlink() or not folder.is_dir():
            continue
        for entry in sorted(os.scandir(folder), key=lambda entry: entry.name):
            if not entry.is_file(follow_symlinks=False):
                continue
            if entry.name.lower().endswith(tuple(suffixes)) and not entry.name.startswith("."):
                count += 1
                if count > MOST_FILES:
                    return
                yield Path(entry.path)


def read_small(path: Path, largest: int = LARGEST_MISSION) -> bytes:
    """Return a file of a drive as a whole.

    Raises:
        LoggerAnswerError: it claims to be larger than such a file can be.
        LoggerAwayError: the drive was pulled out, or the file cannot be read.
    """
    pieces: list[bytes] = []

    class _Memory:
        def write(self, data: bytes) -> int:
            pieces.append(data)
            return len(data)

    copy(path, _Memory(), largest=largest)
    return b"".join(pieces)


def copy(
    path: Path,
    out: BinaryIO | Any,
    *,
    largest: int = LARGEST_MISSION,
    received: Callable[[int], None] = lambda _: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> str:
    """Copy a file of a drive and return the SHA-256 of what came.

    received: hears how many bytes each piece brought.

    Raises:
        LoggerAnswerError: it claims to be larger than such a file can be.
        LoggerAwayError: the drive was pulled out, or the file cannot be read.
        CancelledError: as wished.
    """
    digest = hashlib.sha256()
    try:
        with path.open("rb", buffering=0) as file:
            size = os.fstat(file.fileno()).st_size
            if size > largest:
                raise LoggerAnswerError(
                    f"{path.name} claims {size} bytes, more than a mission file can have; "
                    "it was not read."
                )
            left = size
            while left > 0:
                if cancelled():
                    raise CancelledError("Import was cancelled; complete records are saved.")
                data = file.read(min(_CHUNK, left))
                if not data:
                    break
                out.write(data)
                digest.update(data)
                left -= len(data)
                received(len(data))
    except OSError as exc:
        raise _pulled(path) from exc
    if left or not path.exists():
        raise _pulled(path)
    return digest.hexdigest()


def _pulled(path: Path) -> LoggerAwayError:
    return LoggerAwayError(
        f"{path.name} could not be read to its end; connect the drive again and import it again."
    )
