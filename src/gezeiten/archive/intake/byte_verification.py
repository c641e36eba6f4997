"""Which bytes were read whole and found right: so that a check that was stopped goes on where it
was, and a quick one leaves out what the last whole one read."""

from __future__ import annotations

from contextlib import suppress

from sqlalchemy import delete, insert, select, update

from gezeiten.archive.database import Archive
from gezeiten.archive.files.vault import Vault
from gezeiten.archive.local_cache.tables import VerificationRow, VerifiedBytesRow
from gezeiten.errors import ArchiveLockedError

_NOTED_TOGETHER = 100


class ByteVerification:
    """The bytes that one check looks at, or leaves out. A file counts as the one that was read as
    long as its size and the instant of its last change are the same."""

    def __init__(
        self, archive: Archive, now_ms: int, *, quick: bool, restart: bool = False
    ) -> None:
        """Begin a check, or go on with a whole one that was stopped.

        Args:
            quick: leave out what was read since the last whole check began, or since the one that
                was stopped.
            restart: from the beginning, even where one was stopped.
        """
        self._archive, self._now_ms, self._quick = archive, now_ms, quick
        self._noted: dict[str, dict[str, int | str]] = {}
        self.left_out = 0
        """How many files were left out."""
        with archive.reading() as session:
            last = session.scalars(
                select(VerificationRow).order_by(VerificationRow.id.desc()).limit(1)
            ).first()
            self.goes_on = last is not None and last.ended_ms is None and not restart and not quick
            since_ms = last.began_ms if last and (quick or self.goes_on) else None
            known = select(
                VerifiedBytesRow.file, VerifiedBytesRow.size, VerifiedBytesRow.changed_ns
            )
            rows = (
                session.execute(known.where(VerifiedBytesRow.at_ms >= since_ms)) if since_ms else ()
            )
            self._known = {row.file: (row.size, row.changed_ns) for row in rows}
        if not (quick or self.goes_on):
            # another program may be writing: then nothing can be left out later, no more
            with suppress(ArchiveLockedError), archive.writing() as session:
                session.execute(delete(VerificationRow))
                session.execute(insert(VerificationRow).values(began_ms=now_ms, ended_ms=None))

    def covers_all(self, vault: Vault, *fingerprints: str) -> bool:
        """Whether all of these need not be read again."""
        is_known = all(
            sha256 in self._known and self._known[sha256] == vault.stamp(sha256)
            for sha256 in fingerprints
        )
        self.left_out += len(fingerprints) if is_known else 0
        return is_known

    def note(self, vault: Vault, *fingerprints: str) -> None:
        """Note that these were read whole and are right."""
        for sha256 in fingerprints:
            stamp = vault.stamp(sha256)
            if stamp is not None:
                self._noted[sha256] = {
                    "file": sha256,
                    "size": stamp[0],
                    "changed_ns": stamp[1],
                    "at_ms": self._now_ms,
                }
        if len(self._noted) >= _NOTED_TOGETHER:
            self.save_progress()

    def save_progress(self, *, is_over: bool = False) -> None:
        """Keep what was noted; is_over: the check has come to its end."""
        files = list(self._noted)
        with suppress(ArchiveLockedError), self._archive.writing() as session:
            session.execute(delete(VerifiedBytesRow).where(VerifiedBytesRow.file.in_(files)))
            if files:
                session.execute(insert(VerifiedBytesRow), list(self._noted.values()))
            if is_over and not self._quick:
                session.execute(update(VerificationRow).values(ended_ms=self._now_ms))
        self._noted.clear()


def is_check_open(archive: Archive) -> bool:
    """Whether a whole check was stopped and has not come to its end since."""
    with archive.reading() as session:
        query = select(VerificationRow.id).where(VerificationRow.ended_ms.is_(None))
        return session.scalars(query).first() is not None
