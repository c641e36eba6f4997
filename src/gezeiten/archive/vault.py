"""The raw vault: bytes as received, under their SHA-256, read-only, for ever."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Iterator
from pathlib import Path

from gezeiten.errors import ArchiveDamagedError


def fingerprint(data: bytes) -> str:
    """Return the SHA-256 of bytes as 64 hexadecimal digits."""
    return hashlib.sha256(data).hexdigest()


class Vault:
    """A folder of files named by their fingerprint, spread over 256 folders."""

    def __init__(self, folder: Path, suffix: str = ".mission", what: str = "raw offload") -> None:
        """Keep bytes in a folder; what: how errors call them."""
        self._folder, self._suffix, self._what = folder, suffix, what

    def path(self, sha256: str) -> Path:
        """Return where bytes of this fingerprint lie (or would lie)."""
        return self._folder / sha256[:2] / f"{sha256}{self._suffix}"

    def put(self, data: bytes) -> str:
        """Keep bytes and return their fingerprint; the same bytes twice are kept once.

        On disk for good when this returns. Raises OSError when the disk is full.
        """
        sha256 = fingerprint(data)
        target = self.path(sha256)
        if target.exists():
            return sha256
        target.parent.mkdir(parents=True, exist_ok=True)
        fresh = target.with_suffix(f".{os.getpid()}.new")
        try:
            with fresh.open("wb") as out:
                out.write(data)
                out.flush()
                os.fsync(out.fileno())
            fresh.chmod(0o444)
            fresh.replace(target)
        finally:
            fresh.unlink(missing_ok=True)
        return sha256

    def get(self, sha256: str) -> bytes:
        """Return kept bytes, checked.

        Raises:
            ArchiveDamagedError: they are gone or are not what was kept.
        """
        try:
            data = self.path(sha256).read_bytes()
        except OSError as exc:
            raise ArchiveDamagedError(
                f"The {self._what} {sha256[:12]} cannot be read; fetch the archive's last copy."
            ) from exc
        if fingerprint(data) != sha256:
            raise ArchiveDamagedError(
                f"The {self._what} {sha256[:12]} was changed since it was kept; "
                "fetch the archive's last copy."
            )
        return data

    def fingerprints(self) -> Iterator[str]:
        """Yield the fingerprints of everything kept."""
        for path in sorted(self._folder.glob(f"*/*{self._suffix}")):
            yield path.stem
