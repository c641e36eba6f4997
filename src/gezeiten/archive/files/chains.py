"""Chain files: the logbook as it lies on the disk, one file of JSON Lines for each computer's stay
at an archive. What they hold is true; the table of entries is made from them.

A line has an envelope, a salt and a body. The entry's hash is SHA-256 over the envelope's bytes as
written; the envelope names the hash before it, and the SHA-256 over salt and body. So a body can be
withheld and the chain still holds. Nobody encodes a line anew: what is hashed is what is written.
"""

from __future__ import annotations

import hashlib
import os
import secrets
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import msgspec

from gezeiten.archive.files.atomic_files import sync_folder
from gezeiten.archive.files.rights import rights_as_above
from gezeiten.errors import ArchiveDamagedError

FOLDER = "logbook"
_SUFFIX = ".jsonl"


class Envelope(msgspec.Struct, frozen=True, omit_defaults=True):
    """What stays of an entry whatever becomes of its body. number: from 1 in its chain; previous:
    hash of the entry before, at a chain's begin of the one that it follows; stamp: later than all
    that was known here (ms); at_ms: the computer's clock; person: id, "" where the program acted by
    itself; way: window, command or watch; body: SHA-256 over salt and body."""

    chain: str
    number: int
    previous: str
    stamp: int
    at_ms: int
    person: str
    computer: str
    way: str
    kind: str
    version: int
    body: str
    was: str = ""


class Body(msgspec.Struct, frozen=True):
    """What an entry says: the action, and the sentence that described it when it was done."""

    word: str
    subject: str
    sentence: str
    act: dict[str, Any]


WITHHELD = Body("withheld", "", "Not in this copy of the archive.", {})
"""What is shown in place of a body that was withheld or erased."""


class _Written(msgspec.Struct):
    """A line, its parts as they were written."""

    envelope: msgspec.Raw
    salt: str
    body: msgspec.Raw


@dataclass(frozen=True, slots=True)
class ChainLine:
    """An entry as it was read; hash: over its envelope. body: None where it was withheld."""

    envelope: Envelope
    body: Body | None
    hash: str
    body_holds: bool

    @property
    def order(self) -> tuple[int, str, int]:
        """Sorts the entries of all chains as their actions are applied."""
        return self.envelope.stamp, self.envelope.chain, self.envelope.number


def line_of(envelope: Envelope, body: Body) -> tuple[bytes, str]:
    """Return an entry as its line is written, and its hash; the envelope's own `body` is set."""
    told, salt = msgspec.json.encode(body), secrets.token_hex(16)
    sealed = msgspec.structs.replace(envelope, body=_of_body(salt, told))
    written = msgspec.json.encode(sealed)
    line = b'{"envelope":%s,"salt":"%s","body":%s}\n' % (written, salt.encode(), told)
    return line, hashlib.sha256(written).hexdigest()


def without_body(line: bytes) -> bytes:
    """Return a line whose body, and the salt with which it could be guessed, are gone; as long as
    before."""
    envelope = bytes(msgspec.json.decode(line, type=_Written).envelope)
    fresh = b'{"envelope":%s,"salt":"","body":null' % envelope
    return fresh + b" " * (len(line) - len(fresh) - 2) + b"}\n"


def _of_body(salt: str, told: bytes) -> str:
    return hashlib.sha256(salt.encode() + told).hexdigest()


def read_line(line: bytes) -> ChainLine:
    """Return the entry of a line.

    Raises:
        ArchiveDamagedError: it is none.
    """
    try:
        written = msgspec.json.decode(line, type=_Written)
        envelope = msgspec.json.decode(written.envelope, type=Envelope)
        text = bytes(written.body).strip()
        body = None if text == b"null" else msgspec.json.decode(text, type=Body)
    except (msgspec.DecodeError, UnicodeDecodeError) as exc:
        raise ArchiveDamagedError(
            "An entry of the logbook cannot be read; restore the archive's last copy."
        ) from exc
    holds = body is None or envelope.body == _of_body(written.salt, text)
    return ChainLine(envelope, body, hashlib.sha256(bytes(written.envelope)).hexdigest(), holds)


class ChainFiles:
    """The chain files of an archive's folder."""

    def __init__(self, folder: Path, *, may_write: bool = True) -> None:
        """Take the archive's folder. may_write: whether a torn line may be put aside."""
        self._folder = folder / FOLDER
        self._may_write = may_write

    def path(self, chain: str) -> Path:
        """Return where a chain lies."""
        return self._folder / f"{chain}{_SUFFIX}"

    def sizes(self) -> dict[str, int]:
        """Return how many bytes each chain has."""
        try:
            found = [entry for entry in os.scandir(self._folder) if entry.name.endswith(_SUFFIX)]
        except FileNotFoundError:
            return {}
        return {entry.name.removesuffix(_SUFFIX): entry.stat().st_size for entry in found}

    def append(self, chain: str, lines: bytes) -> None:
        """Write lines behind those of a chain and have them on the disk for good.

        Raises:
            OSError: the disk does not take them; nothing of them stays.
        """
        path = self.path(chain)
        is_new = not path.exists()
        if not self._folder.exists():
            self._folder.mkdir(parents=True, exist_ok=True)
            rights_as_above(self._folder)
        with path.open("ab") as file:
            at = file.tell()
            try:
                file.write(lines)
                file.flush()
                os.fsync(file.fileno())
            except BaseException:
                file.truncate(at)
                raise
        if is_new:
            rights_as_above(path)
            sync_folder(self._folder)
            sync_folder(self._folder.parent)

    def raw_lines(self, chain: str, start: int = 0) -> Iterator[bytes]:
        """Yield the lines of a chain from a byte on, each with its end; a torn last one without."""
        try:
            with self.path(chain).open("rb") as file:
                file.seek(start)
                yield from file
        except FileNotFoundError:
            return

    def withhold(self, chain: str, number: int) -> None:
        """Take the body of an entry out of a chain, for good; the file stays as long as it is."""
        path = self.path(chain)
        lines = path.read_bytes().splitlines(keepends=True)
        lines[number - 1] = without_body(lines[number - 1])
        fresh = path.with_suffix(".new")
        with fresh.open("wb") as file:
            file.write(b"".join(lines))
            file.flush()
            os.fsync(file.fileno())
        fresh.replace(path)
        sync_folder(self._folder)

    def cut_torn(self, chain: str) -> bytes:
        """Put a torn last line aside and return it, b"" where there is none; call it under the
        write lock only: a line that is being written looks the same."""
        if not self._may_write:
            return b""
        path = self.path(chain)
        if not path.exists():
            return b""
        with path.open("rb+") as file:
            data = file.read()
            whole = data.rfind(b"\n") + 1
            torn = data[whole:]
            if torn:
                aside = path.with_name(f"{chain}.torn-{whole}")
                aside.write_bytes(torn)
                file.truncate(whole)
        return torn
