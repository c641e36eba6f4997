"""The texts that were taken, and taking one of them out of the record again."""

from __future__ import annotations

from gezeiten.archive.intake import text_removal
from gezeiten.archive.intake.text_removal import ImportedText
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.intake.raw_bytes import decoding

__all__ = ["ImportedText", "imported_texts", "remove_text"]


def imported_texts(desk: Workspace) -> list[ImportedText]:
    """Return what texts and live lines brought, the newest first."""
    with desk.archive.reading() as session:
        return text_removal.imported_texts(session)


def remove_text(desk: Workspace, sha256: str, reason: str) -> None:
    """Take a whole file out of the record, of every source it was taken for. Its bytes stay, and it
    can be taken again.

    Raises:
        InputError: it is not in the record.
    """
    with desk.archive.writing() as session:
        text_removal.remove_text(session, sha256, reason.strip(), decoding(desk), desk.authorship)
