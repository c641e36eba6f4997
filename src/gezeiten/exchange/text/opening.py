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
from gezeiten.exchange.text.form import Opening
from gezeiten.exchange.text.sheets import is_workbook, sheet_names, sheet_text

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
            f"{path.name} is packed, but damaged or cut off; have it sent once more."
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
    raise InputError(f"“{kind}” is no way to open a file; update Gezeiten.")


def _member(outer: IO[bytes], member: str, name: str) -> IO[bytes]:
    try:
        return zipfile.ZipFile(outer).open(member)
    except KeyError as exc:
        raise InputError(f"{name} holds no “{member}”; choose what it holds.") from exc
    except (RuntimeError, NotImplementedError) as exc:
        raise InputError(
            f"{name} is packed with a password or in a way that is not known; unpack it first."
        ) from exc


def openings(path: Path) -> list[Opening]:
    """Return what of a file may be a text: one way for a plain one, several for packed ones.

    Raises:
        InputError: it cannot be read.
    """
    return _within(path, ())


def _within(path: Path, so_far: Opening) -> list[Opening]:
    with opened(path, so_far) as (inner, _):
        head = inner.read(8)
    if len(so_far) >= _MOST_DEEP:
        return [so_far]
    if head.startswith(_GZ):
        return _within(path, (*so_far, ("gz", "")))
    if is_workbook(head):
        with opened(path, so_far) as (inner, _):
            return [(*so_far, ("sheet", name)) for name in sheet_names(inner)]
    if not head.startswith(_ZIP):
        return [so_far]
    with opened(path, so_far) as (inner, _), _whole(inner) as whole:
        names = sheet_names(whole)
        if names:
            return [(*so_far, ("sheet", name)) for name in names]
        members = [
            one.filename for one in zipfile.ZipFile(whole).infolist()
            if not one.is_dir() and not one.filename.rpartition("/")[2].startswith(".")
            and not one.filename.startswith("__MACOSX/")
        ]  # fmt: skip
    if not members:
        raise InputError(f"{path.name} holds no files; choose another one.")
    found: list[Opening] = []
    for member in members[:_MOST_INSIDE]:
        found += _within(path, (*so_far, ("zip", member)))
    return found


@contextmanager
def _whole(inner: IO[bytes]) -> Iterator[IO[bytes]]:
    yield inner
    inner.seek(0)


def opening_words(opening: Opening) -> str:
    """Return what of a file this is, as people say it: "Sheet1", "2024.csv"; "" of the whole."""
    return " · ".join(member for _, member in opening if member)
