"""Acts at what carries records home: drives and couriers, copies of a vault, files put aside. They
change nothing in the tables; the logbook tells them."""

from __future__ import annotations

from dataclasses import dataclass

from gezeiten.domain.actions.base import Action, Subject
from gezeiten.domain.actions.scope import no_scope
from gezeiten.domain.base.wording import counted, grouped


class _StoredOnCarrier(Action):
    """An action about a thing that no table keeps, by the name it has."""

    __slots__ = ()

    @property
    def named(self) -> str:
        return self.subject_id


@dataclass(frozen=True, slots=True)
class CourierCleared(
    _StoredOnCarrier,
    kind="courier made ready",
    word="courier made ready",
    about="courier",
    affects=no_scope,
):
    """Records cleared from a courier whose bytes are in the vault; its clock is set when nothing
    stays. stay: a sentence for each that stays."""

    courier: str
    cleared: int
    stay: tuple[str, ...]

    def describe(self, subject: Subject) -> str:
        clock = "clock left as it is until the rest is imported" if self.stay else "clock set"
        return (
            f"{counted(self.cleared, 'record', 'records')} cleared from the courier "
            f"{self.courier}, {grouped(len(self.stay))} kept; {clock}."
        )


@dataclass(frozen=True, slots=True)
class CourierClockSet(
    _StoredOnCarrier,
    kind="courier clock set",
    word="courier clock",
    about="courier",
    affects=no_scope,
):
    """A courier's clock set; clock_difference_ms: how far it was off, courier minus computer."""

    courier: str
    clock_difference_ms: float

    def describe(self, subject: Subject) -> str:
        off_s = self.clock_difference_ms / 1000
        return f"The clock of the courier {self.courier} was set; it was {off_s:+.1f} s wrong."


@dataclass(frozen=True, slots=True)
class CourierConfigured(
    _StoredOnCarrier, kind="courier told", word="courier told", about="courier", affects=no_scope
):
    """Whether a courier launches loggers again after collecting, or leaves them running."""

    courier: str
    launch_again: bool

    def describe(self, subject: Subject) -> str:
        does = "launches loggers again" if self.launch_again else "leaves loggers running"
        return f"The courier {self.courier} {does} from now on."


@dataclass(frozen=True, slots=True)
class DriveCleared(
    _StoredOnCarrier, kind="drive cleared", word="drive cleared", about="drive", affects=no_scope
):
    """Mission files deleted from a drive, by their fingerprints; stay: a sentence for each that
    stays."""

    drive: str
    deleted: dict[str, str]
    stay: tuple[str, ...]

    def describe(self, subject: Subject) -> str:
        files = counted(len(self.deleted), "mission file", "mission files")
        return f"{files} deleted from {self.drive}, {grouped(len(self.stay))} kept."


@dataclass(frozen=True, slots=True)
class DriveReleased(
    _StoredOnCarrier, kind="drive released", word="drive released", about="drive", affects=no_scope
):
    """A drive written out and unmounted."""

    drive: str
    device: str

    def describe(self, subject: Subject) -> str:
        return f"{self.device} was unmounted."


@dataclass(frozen=True, slots=True)
class ReportNotKept(
    _StoredOnCarrier,
    kind="report not kept",
    word="report not kept",
    about="drive",
    affects=no_scope,
):
    """A logger's own report that could not be read."""

    drive: str
    why: str

    def describe(self, subject: Subject) -> str:
        return self.why


@dataclass(frozen=True, slots=True)
class VaultCopyExported(
    _StoredOnCarrier, kind="vault given", word="vault handed on", about="to", affects=no_scope
):
    """The whole vault written as one file, or copied to a folder of another disk; damaged: raw
    offloads left out, a sentence each (the first hundred)."""

    to: str
    offloads: int
    damaged: tuple[str, ...]
    as_folder: bool

    @property
    def entry_word(self) -> str:
        return "vault copied" if self.as_folder else self.WORD

    def describe(self, subject: Subject) -> str:
        how = f"copied to {self.to}" if self.as_folder else f"exported as {self.to}"
        return f"The vault, {counted(self.offloads, 'raw offload', 'raw offloads')}, was {how}."


@dataclass(frozen=True, slots=True)
class VaultCopyImported(
    _StoredOnCarrier, kind="copy taken in", word="vault taken in", about="file", affects=no_scope
):
    """A copy of a vault taken in; refused: a sentence for each raw offload (the first hundred)."""

    file: str
    offloads: int
    readings: int
    kept_already: int
    mended: int
    refused: tuple[str, ...]
    refused_count: int

    def describe(self, subject: Subject) -> str:
        offloads = counted(self.offloads, "raw offload", "raw offloads")
        readings = counted(self.readings, "new reading", "new readings")
        return (
            f"{offloads} with {readings} "
            f"imported from {self.file}; {grouped(self.kept_already)} were already "
            f"saved, {grouped(self.mended)} of them repaired, {grouped(self.refused_count)} "
            "refused."
        )


@dataclass(frozen=True, slots=True)
class FileQuarantined(
    _StoredOnCarrier, kind="file put aside", word="put aside", about="file", affects=no_scope
):
    """An incoming file that could not be read, kept under another name."""

    file: str
    why: str

    def describe(self, subject: Subject) -> str:
        return f"{self.file} in incoming/ could not be read: {self.why}"
