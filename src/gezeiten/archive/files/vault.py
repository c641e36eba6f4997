"""The raw vault: bytes as received, under their SHA-256, read-only, for ever."""

from __future__ import annotations

import contextlib
import hashlib
import io
import os
import secrets
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

from gezeiten.archive.files.atomic_files import sync_folder
from gezeiten.archive.files.rights import read_only_mode, rights_as_above
from gezeiten.archive.files.unfinished_files import delete_stale
from gezeiten.errors import ArchiveDamagedError


def fingerprint(data: bytes) -> str:
    """Return the SHA-256 of bytes as 64 hexadecimal digits."""
    return hashlib.sha256(data).hexdigest()


_PIECE_BYTES = 1 << 20


@dataclass(frozen=True, slots=True)
class TemporaryCopy:
    """A copy of bytes that is whole on the disk and not kept yet."""

    path: Path
    sha256: str
    size: int


class Vault:
    """A folder of files named by their fingerprint, spread over 256 folders."""

    def __init__(
        self,
        folder: Path,
        suffix: str = ".mission",
        what: str = "raw offload",
        remedy: str = "restore the archive's last copy",
    ) -> None:
        """Keep bytes in a folder; what: how errors call them, remedy: what to do about damage."""
        self._folder, self._suffix, self._what, self._remedy = folder, suffix, what, remedy

    def path(self, sha256: str) -> Path:
        """Return where bytes of this fingerprint lie (or would lie)."""
        return self._folder / sha256[:2] / f"{sha256}{self._suffix}"

    def store(self, data: bytes, sha256: str = "") -> str:
        """Keep bytes and return their fingerprint; the same bytes twice are kept once.

        sha256: their fingerprint, where it was taken already.

        Bytes that were damaged since they were kept are whole again afterwards. On disk for good
        when this returns. Raises OSError when the disk is full.
        """
        sha256 = sha256 or fingerprint(data)
        return sha256 if self.is_intact(sha256) else self._link_into_place(io.BytesIO(data), sha256)

    def store_file(self, source: Path) -> str:
        """Keep a file of any size and return its fingerprint; it stays where it is. As `put`."""
        with self.copy_in(source) as fresh:
            return self.commit(fresh)

    def _link_into_place(self, source: BinaryIO, sha256: str) -> str:
        with self._copied(source, sha256) as fresh:
            return self.commit(fresh)

    @contextlib.contextmanager
    def copy_in(self, source: Path) -> Iterator[TemporaryCopy]:
        """Copy a file of any size into the vault's folder, to be read there before it is kept: what
        is read is what is kept then, even where the file goes on growing. Gone at the end unless
        `keep` was called. Raises OSError when the disk is full."""
        with source.open("rb") as file, self._copied(file) as fresh:
            yield fresh

    @contextlib.contextmanager
    def _copied(self, source: BinaryIO, known: str = "") -> Iterator[TemporaryCopy]:
        """Copy into the vault's folder, fingerprint on the way where it is not known."""
        self._folder.mkdir(parents=True, exist_ok=True)
        fresh = self._folder / f"{os.getpid()}-{secrets.token_hex(4)}.new"
        digest = hashlib.sha256()
        size = 0
        try:
            with fresh.open("wb") as out:
                while piece := source.read(_PIECE_BYTES):
                    if not known:
                        digest.update(piece)
                    size += out.write(piece)
                out.flush()
                os.fsync(out.fileno())
            yield TemporaryCopy(fresh, known or digest.hexdigest(), size)
        finally:
            fresh.unlink(missing_ok=True)

    def commit(self, temporary_copy: TemporaryCopy) -> str:
        """Make a copy that was begun appear under its fingerprint, which is returned."""
        target = self.path(temporary_copy.sha256)
        if not self.is_intact(temporary_copy.sha256):
            is_new = not target.parent.exists()
            target.parent.mkdir(parents=True, exist_ok=True)
            if is_new:
                rights_as_above(target.parent)
                sync_folder(self._folder)
            temporary_copy.path.chmod(read_only_mode(target.parent))
            temporary_copy.path.replace(target)
            sync_folder(target.parent)
        return temporary_copy.sha256

    def clear_all_but(self, sha256: str) -> None:
        """Delete everything else for good."""
        for path in self._folder.rglob(f"*{self._suffix}"):
            if path != self.path(sha256):
                path.unlink()

    def check(self, sha256: str) -> None:
        """Compare kept bytes of any size with their fingerprint.

        Raises:
            ArchiveDamagedError: they are gone or are not what was kept.
        """
        digest = hashlib.sha256()
        try:
            with self.path(sha256).open("rb") as file:
                while piece := file.read(_PIECE_BYTES):
                    digest.update(piece)
        except OSError as exc:
            raise self._missing_error(sha256) from exc
        if digest.hexdigest() != sha256:
            raise self._changed(sha256)

    def stamp(self, sha256: str) -> tuple[int, int] | None:
        """Return size and last change (ns) of the file of these bytes, None where it is gone."""
        try:
            found = self.path(sha256).stat()
        except OSError:
            return None
        return found.st_size, found.st_ctime_ns

    def is_intact(self, sha256: str) -> bool:
        """Whether bytes of this fingerprint are kept and are what was kept."""
        try:
            self.check(sha256)
        except ArchiveDamagedError:
            return False
        return True

    def _missing_error(self, sha256: str) -> ArchiveDamagedError:
        return ArchiveDamagedError(
            f"The {self._what} {sha256[:12]} cannot be read; {self._remedy}."
        )

    def _changed(self, sha256: str) -> ArchiveDamagedError:
        return ArchiveDamagedError(
            f"The {self._what} {sha256[:12]} was changed since it was saved; {self._remedy}."
        )

    def get(self, sha256: str) -> bytes:
        """Return kept bytes, checked.

        Raises:
            ArchiveDamagedError: they are gone or are not what was kept.
        """
        try:
            data = self.path(sha256).read_bytes()
        except OSError as exc:
            raise self._missing_error(sha256) from exc
        if fingerprint(data) != sha256:
            raise self._changed(sha256)
        return data

    def delete_stale(self, now_s: float) -> int:
        """Remove what intakes began that are gone since an hour and more; returns how many."""
        return delete_stale(self._folder, now_s, "*.new")

    def fingerprints(self) -> Iterator[str]:
        """Yield the fingerprints of everything kept."""
        for path in sorted(self._folder.glob(f"*/*{self._suffix}")):
            yield path.stem
