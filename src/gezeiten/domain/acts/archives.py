"""Acts on the archive as a whole: begun, with what it held before there were acts."""

from __future__ import annotations

from dataclasses import dataclass

from gezeiten.domain.acts.base import Act, Subject
from gezeiten.domain.wording import counted


@dataclass(frozen=True, slots=True)
class ArchiveBegun(Act, kind="archive begun", word="archive begun", about="archive"):
    """An archive from here on made from acts. archive: its id for ever; tables: those that acts
    make; dump: fingerprint of what they held at this moment, "" for nothing; rows: how many."""

    archive: str
    tables: tuple[str, ...]
    dump: str
    rows: int

    @property
    def named(self) -> str:
        return "archive"

    def told(self, subject: Subject) -> str:
        if not self.dump:
            return "The archive was begun."
        held = counted(self.rows, "row", "rows")
        return f"What the archive held before, {held}, was kept as {self.dump[:12]}."
