"""Records that were carried home, on a drive or by a courier: which are new, and keeping them."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from gezeiten.archive.database import ArchiveSession
from gezeiten.archive.intake.missions import Circumstances, Intake
from gezeiten.archive.queries.missions import mission_ranges
from gezeiten.archive.queries.offloads import is_offloaded
from gezeiten.archive.store.faults import translated
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.logger.offloading import Offloaded, import_file
from gezeiten.desk.record.excursion_book import to_assess
from gezeiten.domain.plan.models import logger_model
from gezeiten.domain.series.coverage import Range, missing, size
from gezeiten.errors import GezeitenError, InputError, LoggerBusyError
from gezeiten.link.files.mission_file import Header, MissionFile
from gezeiten.link.transfer import Meter, Watch, lock_incoming

NEW, KEPT, UNUSABLE = "new", "kept", "unusable"


@dataclass(frozen=True, slots=True)
class CarriedRecord:
    """One record on a drive or a courier, as seen.

    key: names it there. sha256: of its bytes, "" where they could not be read. readings: how many
    it holds, new_readings: how many of them the archive lacks. state: NEW, KEPT (nothing in it is
    new) or UNUSABLE. note: what is to be said about it, "". left: how the courier left the logger,
    "running", "relaunched" or "stopped". launched_ms, collected_ms: 0 where unknown. stored_ranges:
    which numbers it holds.
    """

    key: str
    serial: str
    model: str
    mission: int
    mission_name: str
    point: str
    launched_ms: int
    size: int
    readings: int
    new_readings: int
    sha256: str
    state: str
    note: str = ""
    left: str = ""
    collected_ms: int = 0
    stored_ranges: tuple[Range, ...] = ()

    @property
    def is_new(self) -> bool:
        """Whether the archive has nothing of it yet."""
        return self.state == NEW


def unusable(key: str, size_bytes: int, words: str, **known: Any) -> CarriedRecord:
    """Return a record that cannot be taken, with what is known of it."""
    facts: dict[str, Any] = dict.fromkeys(
        ("serial", "model", "mission_name", "point", "sha256"), ""
    )
    facts.update(dict.fromkeys(("mission", "launched_ms", "readings", "new_readings"), 0))
    facts.update(known)
    return CarriedRecord(key=key, size=size_bytes, state=UNUSABLE, note=words, **facts)


def new_readings(
    session: ArchiveSession, serial: str, mission: int, launched_ms: int, held: list[Range]
) -> int:
    """Return how many of the readings `held` of a mission the archive lacks."""
    stored = mission_ranges(session, serial, mission, launched_ms)
    return sum(size(missing(part, stored)) for part in held)


def describe_record(
    session: ArchiveSession, key: str, file: MissionFile, sha256: str, size_bytes: int
) -> CarriedRecord:
    """Return what is known of a record whose bytes could be read."""
    header, held = file.header, file.ranges
    facts = _facts(header)
    readings = size(held)
    try:
        logger_model(header.model)
    except InputError as exc:
        return unusable(key, size_bytes, str(exc), **{**facts, "readings": readings})
    fresh = new_readings(session, header.serial, header.mission, header.launched_ms, held)
    stored = fresh == 0 or is_offloaded(session, sha256)
    if not readings:
        return unusable(key, size_bytes, "It contains no readings yet.", **facts)
    words = ""
    if file.trailer is None:
        words = (
            "The file ends early, as when writing was interrupted; the readings up "
            "to there can be imported."
        )
    elif file.damaged:
        words = f"{len(file.damaged)} of its parts are damaged; the rest can be imported."
    return CarriedRecord(
        key=key,
        size=size_bytes,
        readings=readings,
        new_readings=fresh,
        sha256=sha256,
        state=KEPT if stored else NEW,
        note=words,
        stored_ranges=tuple(held),
        **facts,
    )


def _facts(header: Header) -> dict[str, Any]:
    plan = header.plan
    return {
        "serial": header.serial,
        "model": header.model,
        "mission": header.mission,
        "mission_name": str(plan.get("mission_name", "")),
        "point": str(plan.get("point_name", "")),
        "launched_ms": header.launched_ms,
    }


def import_arrived(
    desk: Workspace, path: Path, circumstances: Circumstances, *, even_if_known: bool = False
) -> Intake:
    """Take a file that has come whole into the archive and read it back from the vault.

    even_if_known: keep its bytes though no reading in them is new, so that they are recognised.

    Raises:
        GezeitenError: it is not in the vault as it came; the incoming file stays then.
    """
    intake = import_file(desk, path, circumstances, even_if_known=even_if_known)
    if intake.offload_id is not None:
        desk.archive.vault.get(intake.sha256)  # what is safe is what can be read back
    with translated(desk.archive.folder):
        path.unlink()
    return intake


@contextmanager
def locked_incoming(desk: Workspace, name: str, serial: str) -> Iterator[Path]:
    """Yield the incoming file of this name, for us alone.

    Raises:
        LoggerBusyError: another window or program is taking it.
    """
    path = desk.archive.incoming / name
    with translated(desk.archive.folder):
        lock = lock_incoming(path)
    if lock is None:
        raise LoggerBusyError(
            f"The record of {serial} is being imported by another window or program; wait for it."
        )
    try:
        yield path
    finally:
        os.close(lock)


def carried_meter(
    records: list[CarriedRecord], watch: Watch, limit_bytes_per_s: float | None = None
) -> Meter:
    """Return a meter over all these records together."""
    return Meter(
        watch,
        sum(record.size for record in records),
        sum(record.readings for record in records),
        "Import was cancelled; it continues from there next time.",
        limit_bytes_per_s,
    )


@dataclass(frozen=True, slots=True)
class Clearing:
    """What of a courier or a drive can be cleared now, and why the rest stays, a sentence each."""

    cleared: tuple[CarriedRecord, ...]
    stays: tuple[str, ...]


def import_each(
    desk: Workspace, records: list[CarriedRecord], take: Callable[[CarriedRecord], Intake]
) -> list[Offloaded]:
    """Take records one after the other; one that fails is said and keeps nobody waiting.

    A cancel ends it: what is whole is kept.
    """
    results = []
    for record in records:
        try:
            began_ms = desk.now_ms()
            intake = take(record)
        except GezeitenError as exc:
            desk.attempt_failed("offload", record.serial, exc)
            results.append(Offloaded(record.serial, error=str(exc)))
            if exc.exit_code != 4:
                break  # cancelled, or the computer itself: the others would fare no better
            continue
        ids = () if intake.offload_id is None else (intake.offload_id,)
        at = {intake.point_id} if ids else set()
        new = to_assess(desk, at, found_since_ms=began_ms)
        results.append(
            Offloaded(
                record.serial,
                intake.point_id,
                intake.readings,
                excursions_new=new,
                excursions_before=to_assess(desk, at) - new,
                offload_ids=ids,
            )
        )
    return results
