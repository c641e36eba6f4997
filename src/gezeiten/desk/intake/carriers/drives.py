"""Drives: what is on them, taking it, keeping the logger's own reports, and letting them go."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path

from gezeiten.archive.intake.missions import Circumstances, Intake
from gezeiten.archive.queries.loggers import find_logger, has_report, known_report_sizes
from gezeiten.archive.queries.offloads import is_offloaded
from gezeiten.archive.store.faults import translated
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.intake.carriers.carried_records import (
    UNUSABLE,
    CarriedRecord,
    Clearing,
    carried_meter,
    describe_record,
    import_arrived,
    import_each,
    locked_incoming,
    unusable,
)
from gezeiten.desk.logger.offloading import Offloaded
from gezeiten.domain.actions.carriers import DriveCleared, DriveReleased, ReportNotKept
from gezeiten.domain.actions.loggers import ReportStored
from gezeiten.errors import DeviceError, GezeitenError, LoggerAnswerError, LoggerAwayError
from gezeiten.link.files.drive import (
    LARGEST_REPORT,
    MOST_FILES,
    SUFFIX,
    DriveSeen,
    copy,
    drives,
    mission_paths,
    read_small,
    report_paths,
)
from gezeiten.link.files.mission_file import decode_mission_file
from gezeiten.link.transfer import INCOMING, UNWATCHED, Meter, Watch


@dataclass(frozen=True, slots=True)
class DriveCard:
    """A drive as just seen. reports: names of reports that are not kept yet."""

    drive: DriveSeen
    records: tuple[CarriedRecord, ...]
    reports: tuple[str, ...]
    at_ms: int

    @property
    def new(self) -> list[CarriedRecord]:
        """The records that the archive does not have yet."""
        return [record for record in self.records if record.is_new]


@dataclass(frozen=True, slots=True)
class DriveImport:
    """What taking a drive brought; reports: how many of its reports were kept."""

    results: list[Offloaded]
    reports: int

    @property
    def error(self) -> str:
        """The first thing that went wrong, "" where nothing did."""
        return next((result.error for result in self.results if result.error), "")


def connected_drives(desk: Workspace) -> list[DriveSeen]:
    """Return the drives at hand: removable ones and the folders of the settings."""
    named = [part.strip() for part in desk.settings.watched_folders.split(",")]
    return drives([Path(name).expanduser() for name in [*filter(None, named), *desk.more_folders]])


def survey_drive(
    desk: Workspace, drive: DriveSeen, cancelled: Callable[[], bool] = lambda: False
) -> DriveCard:
    """Return what is on a drive and what of it is new. Every file is read once.

    Raises:
        DeviceError: the drive was pulled out.
    """
    records = []
    with _translate_removal(drive):
        for path in mission_paths(drive.root):
            if cancelled():
                break
            records.append(_survey_record(desk, drive, path))
        if len(records) >= MOST_FILES:
            words = f"More than {MOST_FILES:,} mission files are here; import these, move them away"
            records.append(unusable("…", 0, f"{words} and search again."))
        reports = tuple(path.name for path in _new_reports(desk, drive))
    return DriveCard(drive, tuple(records), reports, desk.now_ms())


@contextmanager
def _translate_removal(drive: DriveSeen) -> Iterator[None]:
    """Translate the errors of a drive that is pulled out while its folders are listed."""
    try:
        yield
        if not drive.root.is_dir():
            raise FileNotFoundError(drive.root)
    except OSError as exc:
        raise LoggerAwayError(
            f"{drive.label} can no longer be read; connect the drive again."
        ) from exc


def survey_file(desk: Workspace, path: Path) -> DriveCard:
    """Return what is known of one mission file, as of a drive that holds nothing else."""
    drive = DriveSeen(path.parent, path.name)
    return DriveCard(drive, (_survey_record(desk, drive, path),), (), desk.now_ms())


def is_mission_file(path: Path) -> bool:
    """Whether a file calls itself a mission file; all others are taken for texts."""
    return path.suffix.lower() == SUFFIX


def _survey_record(desk: Workspace, drive: DriveSeen, path: Path) -> CarriedRecord:
    key = str(path.relative_to(drive.root))
    try:
        raw = read_small(path)
        file = decode_mission_file(raw)
    except DeviceError as exc:
        if not path.exists():
            raise
        return unusable(key, path.stat().st_size, str(exc))  # the others may be good
    with desk.archive.reading() as session:
        return describe_record(session, key, file, hashlib.sha256(raw).hexdigest(), len(raw))


def import_from_drive(
    desk: Workspace, card: DriveCard, keys: set[str] | None = None, watch: Watch = UNWATCHED
) -> DriveImport:
    """Take records from a drive, and its reports.

    Args:
        keys: the records wanted; default: all that are new.
    """
    wanted = [r for r in card.records if (r.is_new if keys is None else r.key in keys)]
    meter = carried_meter(wanted, watch)

    def import_record(record: CarriedRecord) -> Intake:
        return _import_record(desk, card.drive, record, meter, watch)

    results = import_each(desk, wanted, import_record)
    stored = 0
    with suppress(LoggerAwayError), _translate_removal(card.drive):
        stored = _store_reports(desk, card.drive)  # pulled out: they come the next time
    return DriveImport(results, stored)


def _import_record(
    desk: Workspace, drive: DriveSeen, record: CarriedRecord, meter: Meter, watch: Watch
) -> Intake:
    name = record.sha256[:24] or f"{record.serial}-{record.mission}"
    with locked_incoming(desk, f"{name}.drive{INCOMING}", record.serial) as path:
        with translated(desk.archive.folder):
            try:
                with path.open("wb") as out:
                    received = copy(
                        drive.root / record.key,
                        out,
                        received=meter.count_bytes,
                        cancelled=watch.cancelled,
                    )
            except BaseException:
                path.unlink()
                raise
        if received != record.sha256:
            path.unlink()
            raise LoggerAnswerError(f"{record.key} has changed; read the drive again.")
        circumstances = Circumstances(desk.now_ms(), desk.person, "drive")
        return import_arrived(desk, path, circumstances)


# -- the logger's own reports ----------------------------------------------------------------------
def _new_reports(desk: Workspace, drive: DriveSeen) -> list[Path]:
    """Return the reports on a drive that are not kept yet; only loggers write reports."""
    with desk.archive.reading() as session:
        stored = known_report_sizes(session)
    return [
        path for path in report_paths(drive.root) if (path.name, path.stat().st_size) not in stored
    ]


def _store_reports(desk: Workspace, drive: DriveSeen) -> int:
    count = 0
    for path in _new_reports(desk, drive):
        try:
            raw = read_small(path, LARGEST_REPORT)
        except DeviceError as exc:
            desk.do(ReportNotKept(drive.label, str(exc)))
            continue
        count += _store_report(desk, drive, path.name, raw)
    return count


def _store_report(desk: Workspace, drive: DriveSeen, name: str, raw: bytes) -> bool:
    """Keep one report beside the logger that its name or its drive tells; False for nobody's."""
    news = re.match(r"([A-Za-z0-9_-]+)-(\d+)(?!\d)", name)
    with desk.archive.writing() as session:
        logger = find_logger(session, news[1]) if news else None
        logger = logger or find_logger(session, drive.serial)
        if logger is None:
            return False
        number = int(news[2]) if news and news[1] == logger.serial else None
        with translated(desk.archive.folder):
            sha256 = desk.archive.reports.store(raw)
        if has_report(session, logger.id, sha256):
            return False
        desk.do_within(session, ReportStored(logger.serial, name, sha256, len(raw), number))
        return True


# -- clearing --------------------------------------------------------------------------------------
def clearing_of_drive(desk: Workspace, card: DriveCard) -> Clearing:
    """Return which mission files of a drive can be deleted: their very bytes are in the vault."""
    goes, stays = [], []
    for record in card.records:
        reason = _not_safe(desk, record)
        if reason:
            stays.append(f"{record.key}: {reason}")
        else:
            goes.append(record)
    return Clearing(tuple(goes), tuple(stays))


def _not_safe(desk: Workspace, record: CarriedRecord) -> str:
    if record.state == UNUSABLE:
        return "it cannot be read."
    with desk.archive.reading() as session:
        if not is_offloaded(session, record.sha256):
            return "it is not in the vault; import it first."
    try:
        desk.archive.vault.get(record.sha256)
    except GezeitenError as exc:
        return str(exc)
    return ""


def clear_drive(desk: Workspace, card: DriveCard) -> Clearing:
    """Delete the mission files of a drive that are safely kept; each is read once more before.

    Raises:
        LoggerAwayError: the drive was pulled out; what was deleted until then is in the vault.
    """
    clearing = clearing_of_drive(desk, card)
    goes, stays = [], list(clearing.stays)
    with _translate_removal(card.drive):
        for record in clearing.cleared:
            path = card.drive.root / record.key
            if hashlib.sha256(read_small(path)).hexdigest() != record.sha256:
                stays.append(f"{record.key}: the file has changed.")
                continue
            path.unlink()
            goes.append(record)
    deleted = {record.key: record.sha256 for record in goes}
    desk.do(DriveCleared(card.drive.label, deleted, tuple(stays)))
    return Clearing(tuple(goes), tuple(stays))


# -- letting go ------------------------------------------------------------------------------------
def release(desk: Workspace, drive: DriveSeen) -> str:
    """Write a drive out and unmount it; returns a sentence that says what may be done now.

    Raises:
        SurroundingsError: a program still uses it.
    """
    if not drive.device.startswith("/dev/"):
        return f"{drive.label} is a folder; nothing needs to be ejected."
    from gezeiten.link.files.unmount import (  # the message bus is needed here only
        sync_file_system,
        unmount,
    )

    sync_file_system(drive.root)
    if unmount(drive.device):
        desk.do(DriveReleased(drive.label, drive.device))
        return f"{drive.label} is unmounted and safe to unplug."
    return (
        f"Everything is written to {drive.label}, but this computer has no disk "
        f"service; unmount {drive.device} by hand before it is unplugged."
    )
