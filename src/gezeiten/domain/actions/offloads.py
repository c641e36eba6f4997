"""Actions of bytes that arrive: a mission's readings, a text, an overview. They say what the bytes
hold; what of it is new follows from what was there before."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from gezeiten.domain.actions.base import Action, Subject
from gezeiten.domain.actions.scope import Scope, no_scope, point_scope, raw_bytes_scope
from gezeiten.domain.base.wording import readings_text
from gezeiten.domain.series.coverage import Range, size

TEXT_MODEL = "Text"
"""Model of the source of text files, in place of a logger's."""
LIVE_MODEL = "Live line"
SOURCES = (TEXT_MODEL, LIVE_MODEL)
"""Models of what brings readings without numbers."""


@dataclass(frozen=True, slots=True)
class RawBytes:
    """Bytes in a vault, by their SHA-256, and how they came. carried: by which courier, when, and
    how it left the logger."""

    sha256: str
    size: int
    route: str
    carried: dict[str, Any] | None = None


@dataclass(frozen=True, slots=True)
class ReaderVersion:
    """By which version of its reader bytes are read, and the fingerprint of the readings that came
    out (`domain/series/fingerprints.py`), "" where nobody noted it."""

    reader: int = 1
    readings: str = ""


@dataclass(frozen=True, slots=True)
class StatedMission:
    """What bytes say of their mission. point: id of where it was launched for; first_ms: 0 while it
    waits for its button."""

    model: str
    firmware: str
    number: int
    launched_ms: int
    first_ms: int
    interval_ms: int
    point: str
    plan: dict[str, Any]


@dataclass(frozen=True, slots=True)
class FirstIntake:
    """By whom and when bytes were first taken, where that was not now and here (a copy of a vault
    brings what others took)."""

    at_ms: int
    person: str


@dataclass(frozen=True, slots=True)
class MissionOffloaded(
    Action,
    kind="mission offloaded",
    word="offload",
    about="logger",
    version=2,
    affects=raw_bytes_scope,
):
    """Readings of a mission that came: numbers `received`, in the bytes `raw`. damaged: of those,
    what stayed damaged; missed: what arrived damaged this time, for the next launch to ask about,
    None where the logger itself was not asked. events: what the logger noted. read: how the bytes
    were read, unknown in version 1."""

    logger: str
    mission: StatedMission
    raw: RawBytes
    received: tuple[Range, ...]
    damaged: tuple[Range, ...]
    missed: tuple[Range, ...] | None
    events: tuple[tuple[int, str], ...]
    clock_difference_ms: float | None = None
    clock_uncertainty_ms: float | None = None
    cut_short: str = ""
    taken: FirstIntake | None = None
    read: ReaderVersion = ReaderVersion()

    @property
    def point(self) -> str:
        """Where its readings belong."""
        return self.mission.point

    def describe(self, subject: Subject) -> str:
        received = readings_text(size(self.received))
        sentence = f"{received} of mission {self.mission.number} saved for {subject.place}."
        if self.damaged:
            sentence += f" {readings_text(size(self.damaged))} damaged in transfer, set aside."
        return sentence + _reason_of_early_version(self.cut_short)


@dataclass(frozen=True, slots=True)
class DamageNoted(Action, kind="damage noted", word="offload", about="logger", affects=no_scope):
    """An offload that brought nothing new: what of a mission arrived damaged this time."""

    logger: str
    number: int
    launched_ms: int
    missed: tuple[Range, ...]

    def describe(self, subject: Subject) -> str:
        if not self.missed:
            return f"Nothing of mission {self.number} arrives damaged any more."
        return f"{readings_text(size(self.missed))} of mission {self.number} arrived damaged."


@dataclass(frozen=True, slots=True)
class TextImported(
    Action, kind="text taken in", word="offload", about="logger", version=3, affects=raw_bytes_scope
):
    """A text, or the journal of a live line. logger: the name of the source; reading: the tie by
    which its bytes are read; readings: how many they hold; earliest_ms: of the first one; read: how
    they were read, unknown before version 3."""

    logger: str
    mission: StatedMission
    raw: RawBytes
    file_name: str
    reading: dict[str, Any]
    readings: int
    earliest_ms: int
    read: ReaderVersion = ReaderVersion()

    @property
    def point(self) -> str:
        """Where its readings belong."""
        return self.mission.point

    def describe(self, subject: Subject) -> str:
        return f"{readings_text(self.readings)} of {self.file_name} imported for {subject.place}."

    @classmethod
    def upgrade(cls, content: dict[str, Any], version: int) -> dict[str, Any]:
        """Version 1 told only what of it was new, and which numbers that got."""
        if version > 1:
            return content
        return {name: content[name] for name in cls.__slots__ if name in content}


def _text_removed_scope(action: TextRemoved) -> Scope:
    return Scope((action.point,), sha256=action.sha256)


@dataclass(frozen=True, slots=True)
class TextRemoved(
    Action, kind="text taken out", word="offload", about="logger", affects=_text_removed_scope
):
    """A whole text taken out of the record again: its bytes stay, its readings count no more.
    logger: the name of the source; file_name: "" where nobody noted it."""

    logger: str
    point: str
    sha256: str
    file_name: str
    why: str

    def describe(self, subject: Subject) -> str:
        named = self.file_name or f"The file {self.sha256[:12]}"
        reason = f" ({self.why})" if self.why else ""
        return (
            f"{named} removed from the record of {subject.place}{reason}; the file "
            "stays in the vault."
        )


@dataclass(frozen=True, slots=True)
class BytesReread(Action, kind="read anew", word="offload", about="logger", affects=point_scope):
    """Bytes kept before are read in another way from now on. sha256: of the bytes; point: where
    their readings belong."""

    logger: str
    point: str
    sha256: str
    before: ReaderVersion
    after: ReaderVersion

    def describe(self, subject: Subject) -> str:
        how = f"version {self.before.reader} → {self.after.reader} of the reader"
        if self.before.reader == self.after.reader:
            how = f"version {self.after.reader} of the reader, as it is now"
        return f"The file {self.sha256[:12]} was read again: {how}."


@dataclass(frozen=True, slots=True)
class OverviewImported(
    Action, kind="overview taken", word="overview", about="logger", affects=no_scope
):
    """A mission seen by one value for every so many readings; came: the readings that its values
    stand for. No reading is kept by it."""

    logger: str
    mission: StatedMission
    raw: RawBytes
    thinned: str
    every: int
    came: tuple[Range, ...]
    cut_short: str = ""

    @property
    def point(self) -> str:
        """Where its readings belong."""
        return self.mission.point

    def describe(self, subject: Subject) -> str:
        return (
            f"An overview of {readings_text(size(self.came))} of mission {self.mission.number} "
            f"offloaded for {subject.place}, one value for every {self.every}; the "
            f"readings themselves are still to offload.{_reason_of_early_version(self.cut_short)}"
        )


@dataclass(frozen=True, slots=True)
class ReadingsRescued(
    Action, kind="readings rescued", word="offload", about="logger", affects=no_scope
):
    """Bytes were found to be lost, but for the readings that the database of an older version still
    had: those are kept as bytes from now on. lost: SHA-256 of what is gone."""

    logger: str
    lost: str
    kept: RawBytes

    def describe(self, subject: Subject) -> str:
        return f"The file {self.lost[:12]} is lost; the readings made from it are kept instead."


def _reason_of_early_version(reason: str) -> str:
    return f" Ended early: {reason}" if reason else ""
