"""Bytes in the vault that no entry names: an intake was killed before its action, or a vault lies
beside an older logbook. They can be imported again; who took them, and when, is not known."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from gezeiten.archive.database import ArchiveSession
from gezeiten.archive.intake.block_check import all_raw_bytes
from gezeiten.archive.intake.missions import Circumstances
from gezeiten.archive.store.faults import translated
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.logger.offloading import Offloaded, import_file
from gezeiten.domain.series.coverage import size
from gezeiten.errors import ArchiveDamagedError, DeviceError, GezeitenError, InputError
from gezeiten.link.files.mission_file import decode_mission_file

ROUTE = "found in the vault"
_DIGITS = 6
_BEGIN_BYTES = 2**20


@dataclass(frozen=True, slots=True)
class UnnamedBytes:
    """Bytes that no entry names. serial, mission, readings: of a mission file, else "" and 0."""

    sha256: str
    path: Path
    serial: str = ""
    mission: int = 0
    readings: int = 0

    @property
    def is_mission_file(self) -> bool:
        """Whether it can be imported without a question."""
        return bool(self.serial)

    @property
    def sentence(self) -> str:
        """What it is, and how it is imported again."""
        how = f"import it again: gezeiten import --unnamed {self.sha256[:12]}"
        if not self.is_mission_file:
            return (
                f"The vault holds {self.sha256[:12]}, a text file without a logbook entry; {how}."
            )
        return (
            f"The vault holds {self.sha256[:12]}, mission {self.mission} of {self.serial} "
            f"with {self.readings:,} readings, without a logbook entry; {how}."
        )


def unnamed_bytes(desk: Workspace, session: ArchiveSession) -> list[UnnamedBytes]:
    """Return the bytes in the vault that no entry names; damaged ones are left out."""
    known = {raw.sha256 for raw in all_raw_bytes(session)}
    found = []
    for sha256 in desk.archive.vault.fingerprints():
        if sha256 not in known:
            try:
                found.append(_describe(desk, sha256))
            except ArchiveDamagedError:
                continue  # what nobody names and is damaged was never kept whole
    return found


def _describe(desk: Workspace, sha256: str) -> UnnamedBytes:
    path = desk.archive.vault.path(sha256)
    desk.archive.vault.check(sha256)
    with translated(desk.archive.folder), path.open("rb") as stored:
        begin = stored.read(_BEGIN_BYTES)
    try:
        decode_mission_file(begin)
    except DeviceError:
        return UnnamedBytes(sha256, path)  # a text, however large
    file = decode_mission_file(desk.archive.vault.get(sha256))
    held = size(file.ranges)
    return UnnamedBytes(sha256, path, file.header.serial, file.header.mission, held)


def unnamed_of(desk: Workspace, digits: str) -> UnnamedBytes:
    """Return the unnamed bytes whose fingerprint begins with these digits.

    Raises:
        InputError: none, or several, begin so.
    """
    with desk.archive.reading() as session:
        found = [
            one for one in unnamed_bytes(desk, session) if one.sha256.startswith(digits.casefold())
        ]
    if len(digits) < _DIGITS or len(found) != 1:
        raise InputError(
            f"“{digits}” matches no file without a logbook entry, or several; gezeiten "
            "verify lists them, type twelve digits of the fingerprint."
        )
    return found[0]


def import_unnamed(
    desk: Workspace, unnameds: list[UnnamedBytes], cancelled: Callable[[], bool] = lambda: False
) -> list[Offloaded]:
    """Import mission files that no entry names; one that fails is said and keeps none waiting."""
    results = []
    for one in unnameds:
        if cancelled():
            break
        circumstances = Circumstances(desk.now_ms(), desk.person, ROUTE)
        try:
            intake = import_file(desk, one.path, circumstances, even_if_known=True)
        except GezeitenError as exc:
            results.append(Offloaded(one.serial, error=str(exc)))
        else:
            results.append(Offloaded(one.serial, readings=intake.readings))
    return results
