"""From a file to its bytes of text: as it is, packed, or a sheet of a workbook."""

from __future__ import annotations

import gzip
import io
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO

from gezeiten.errors import InputError
from gezeiten.exchange.text.form import ACROSS, COMMAS, OBJECTS, PLAIN, QUOTED, Opening
from gezeiten.exchange.text.layout.arrangement import join_decimal_commas, joined, unfolded
from gezeiten.exchange.text.layout.encoding import decoded_lines
from gezeiten.exchange.text.layout.objects import (
    is_of_objects,
    lines_of_objects,
    starts_like_object,
)
from gezeiten.exchange.text.layout.sheets import is_workbook, sheet_names, sheet_text

_MOST_INSIDE = 200
"""So many members of a packed file are offered at most."""
_MOST_DEEP = 3
_GZ, _ZIP = b"\x1f\x8b", b"PK\x03\x04"


@contextmanager
def opened(path: Path, opening: Opening = ()) -> Iterator[tuple[IO[bytes], IO[bytes]]]:
    """Open the bytes of text in a file; the second is the file itself, to tell how far it is.

    Raises:
        InputError: it cannot be read, or is packed in another way than said. Also while reading.
    """
    try:
        with path.open("rb") as file:
            inner: IO[bytes] = file
            for kind, member in opening:
                inner = _unpacked(inner, kind, member, path.name)
            yield inner, file
    except (zipfile.BadZipFile, zlib.error, EOFError, gzip.BadGzipFile) as exc:
        raise InputError(
            f"{path.name} is a damaged or incomplete compressed file; ask for it again."
        ) from exc
    except OSError as exc:
        raise InputError(f"{path.name} cannot be read; check its name and rights.") from exc


def _unpacked(outer: IO[bytes], kind: str, member: str, name: str) -> IO[bytes]:
    if kind == "gz":
        return gzip.open(outer)  # type: ignore[return-value]  # it is one
    if kind == "zip":
        return _member(outer, member, name)
    if kind == "sheet":
        return io.BytesIO(sheet_text(outer, member))
    if kind == OBJECTS:
        return _of_lines(lines_of_objects(outer))
    if kind in _ARRANGED:
        lines = _ARRANGED[kind](decoded_lines(outer))
        return _of_lines(f"{line}\n".encode(errors="replace") for line in lines)
    if kind == PLAIN:
        return outer
    raise InputError(f"“{kind}” is not a known way to open a file; update Gezeiten.")


_ARRANGED = {ACROSS: unfolded, QUOTED: joined, COMMAS: join_decimal_commas}


class _LineStream(io.RawIOBase):
    """Lines as a file that is read from its begin to its end."""

    def __init__(self, lines: Iterator[bytes]) -> None:
        self._lines, self._rest = lines, b""

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: memoryview) -> int:  # type: ignore[override]  # the one it gets
        while not self._rest:
            line = next(self._lines, None)
            if line is None:
                return 0
            self._rest = line
        part, self._rest = self._rest[: len(buffer)], self._rest[len(buffer) :]
        buffer[: len(part)] = part
        return len(part)


def _of_lines(lines: Iterator[bytes]) -> IO[bytes]:
    return io.BufferedReader(_LineStream(lines), 1 << 16)


def _member(outer: IO[bytes], member: str, name: str) -> IO[bytes]:
    try:
        return zipfile.ZipFile(outer).open(member)
    except KeyError as exc:
        raise InputError(f"{name} does not contain “{member}”; choose one of its files.") from exc
    except RuntimeError as exc:
        raise InputError(
            f"{name} has a password or an unknown compression; unpack it first."
        ) from exc


def openings(path: Path) -> list[Opening]:
    """Return what of a file may be a text: one way for a plain one, several for packed ones.

    Raises:
        InputError: it cannot be read.
    """
    return _within(path, ())


def _within(path: Path, so_far: Opening) -> list[Opening]:
    with opened(path, so_far) as (inner, _):
        head = inner.read(64)
    if len(so_far) >= _MOST_DEEP:
        return [so_far]
    if head.startswith(_GZ):
        return _within(path, (*so_far, ("gz", "")))
    if is_workbook(head):
        with opened(path, so_far) as (inner, _):
            return [(*so_far, ("sheet", name)) for name in sheet_names(inner)]
    if starts_like_object(head):
        with opened(path, so_far) as (inner, _):
            return [(*so_far, (OBJECTS, ""))] if is_of_objects(inner) else [so_far]
    if not head.startswith(_ZIP):
        return [so_far]
    with opened(path, so_far) as (inner, _), _complete(inner) as whole:
        names = sheet_names(whole)
        if names:
            return [(*so_far, ("sheet", name)) for name in names]
        members = [
            one.filename
            for one in zipfile.ZipFile(whole).infolist()
            if not one.is_dir()
            and not one.filename.rpartition("/")[2].startswith(".")
            and not one.filename.startswith("__MACOSX/")
        ]
    if not members:
        raise InputError(f"{path.name} contains no files; choose another one.")
    found: list[Opening] = []
    for member in members[:_MOST_INSIDE]:
        found += _within(path, (*so_far, ("zip", member)))
    return found


@contextmanager
def _complete(inner: IO[bytes]) -> Iterator[IO[bytes]]:
    yield inner
    inner.seek(0)


def opening_text(opening: Opening) -> str:
    """Return what of a file this is, as people say it: "Sheet1", "2024.csv"; "" of the whole."""
    said = (member or _WORDS.get(kind, "") for kind, member in opening)
    return " · ".join(words for words in said if words)


_WORDS = {
    ACROSS: "its columns one below the other",
    COMMAS: "its numbers joined",
    PLAIN: "its lines as they are",
}
