"""Offloading: everything on a logger that the archive does not hold, kept as it arrives."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path

from gezeiten.archive.files.vault import fingerprint
from gezeiten.archive.intake.missions import (
    Circumstances,
    Intake,
    RawChannel,
    RawMission,
    import_mission_file,
)
from gezeiten.archive.store.faults import translated
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.logger.contact import LoggerCard, UnstoredReadings, read_card, session_with
from gezeiten.desk.logger.incoming import LEFT_BEHIND, import_left_behind
from gezeiten.desk.record.excursion_book import to_assess
from gezeiten.domain.actions.contacts import AttemptFailed
from gezeiten.domain.series.coverage import Range, size
from gezeiten.errors import GezeitenError
from gezeiten.link.files.mission_file import MissionFile, decode_mission_file
from gezeiten.link.lines.address import Endpoint
from gezeiten.link.offload import Transfer, offload
from gezeiten.link.session import LoggerSession
from gezeiten.link.transfer import INCOMING, UNWATCHED, Watch, route_of


@dataclass(frozen=True, slots=True)
class Offloaded:
    """What an offload brought. error: why it ended early, in one sentence, or "".

    excursions_new: to assess at its points, found by this offload; excursions_before: those that
    waited there already.
    """

    serial: str
    point_id: int | None = None
    readings: int = 0
    damaged: int = 0
    excursions_new: int = 0
    excursions_before: int = 0
    error: str = ""
    offload_ids: tuple[int, ...] = ()


def offload_logger(
    desk: Workspace,
    address: Endpoint,
    serial: str,
    watch: Watch = UNWATCHED,
    only: dict[int, list[Range]] | None = None,
) -> Offloaded:
    """Take what is not kept yet from one logger; what came before a cut is kept.

    Args:
        serial: who is expected at the address.
        only: reading ranges by mission number; default is all that is not kept.

    Raises:
        DeviceError, SurroundingsError: nothing could be taken; the logbook has the reason.
    """
    try:
        with session_with(desk, address, serial) as (session, identity):
            card = read_card(desk, session, identity, address)
            return offload_connected(desk, session, card, watch, only)
    except GezeitenError as exc:
        desk.attempt_failed("offload", serial, exc)
        raise
    except OSError as exc:
        with translated(desk.archive.folder):
            raise exc


def offload_connected(
    desk: Workspace,
    session: LoggerSession,
    card: LoggerCard,
    watch: Watch = UNWATCHED,
    only: dict[int, list[Range]] | None = None,
) -> Offloaded:
    """Take what is not kept over an open conversation; see `offload_logger`."""
    recover_incoming(desk)  # what a locked archive kept out would be written over
    results = []
    error, began_ms = "", desk.now_ms()
    for part in _entries_to_fetch(card, only):
        ranges, route = list(part.ranges), card.address.route
        transfer = offload(session, part.entry, ranges, desk.archive.incoming, watch, route)
        results.append((transfer, _import_transfer(desk, transfer, card)))
        if transfer.error is not None:
            error = str(transfer.error)
            break
    if error and not any(intake.readings for _, intake in results):
        desk.do(AttemptFailed(card.serial, "offload", error))
    return _summary(desk, card.serial, results, error, began_ms)


def _entries_to_fetch(
    card: LoggerCard, only: dict[int, list[Range]] | None
) -> list[UnstoredReadings]:
    if only is None:
        return list(card.unstored)
    return [
        UnstoredReadings(entry, tuple(only[entry.mission]))
        for entry in card.directory
        if entry.mission in only
    ]


def _import_transfer(desk: Workspace, transfer: Transfer, card: LoggerCard) -> Intake:
    circumstances = Circumstances(
        at_ms=desk.now_ms(),
        person=desk.person,
        route=card.address.route,
        clock_difference_ms=card.clock.difference_ms,
        clock_uncertainty_ms=card.clock.uncertainty_ms,
        cut_short=str(transfer.error) if transfer.error else "",
    )
    try:
        intake = import_file(desk, transfer.path, circumstances, transfer.damaged)
        with translated(desk.archive.folder):
            transfer.path.unlink()
    finally:
        transfer.release()
    return intake


def import_file(
    desk: Workspace,
    path: Path,
    circumstances: Circumstances,
    damaged: list[Range] | None = None,
    *,
    even_if_known: bool = False,
) -> Intake:
    """Keep a mission file and find the excursions in it; see `import_mission_file`."""
    with translated(desk.archive.folder):
        raw = path.read_bytes()
    with ThreadPoolExecutor(1) as beside:
        printed = beside.submit(fingerprint, raw)
        mission = raw_mission(decode_mission_file(raw), damaged or [])
    return import_mission_file(
        desk.archive,
        raw,
        mission,
        circumstances,
        damaged=damaged,
        even_if_known=even_if_known,
        sha256=printed.result(),
    )


def raw_mission(file: MissionFile, damaged: list[Range]) -> RawMission:
    """Return a decoded mission file in the form the archive takes."""
    header = file.header
    received = file.ranges
    whole = (0, max((end for _, end in received), default=0))
    numbers, times, values = file.numbered(whole)
    return RawMission(
        serial=header.serial,
        model=header.model,
        firmware=header.firmware,
        number=header.mission,
        launched_ms=header.launched_ms,
        first_ms=header.first_ms,
        interval_ms=header.interval_ms,
        plan=header.plan,
        channels=tuple(RawChannel(channel.key, channel.unit) for channel in header.channels),
        numbers=numbers,
        times=times,
        step_ms=header.step_ms,
        values=values,
        received=received,
        damaged=damaged,
        events=file.events,
    )


def _summary(
    desk: Workspace,
    serial: str,
    results: list[tuple[Transfer, Intake]],
    error: str,
    began_ms: int,
) -> Offloaded:
    stored = [intake for _, intake in results if intake.offload_id is not None]
    ids = tuple(intake.offload_id for intake in stored if intake.offload_id is not None)
    damaged = sum(size(transfer.damaged) for transfer, _ in results)
    point_ids = {intake.point_id for intake in stored}
    new = to_assess(desk, point_ids, found_since_ms=began_ms)
    return Offloaded(
        serial=serial,
        point_id=stored[-1].point_id if stored else None,
        readings=sum(intake.readings for intake in stored),
        damaged=damaged,
        excursions_new=new,
        excursions_before=to_assess(desk, point_ids) - new,
        error=error,
        offload_ids=ids,
    )


def merge_offloads(results: list[Offloaded]) -> Offloaded | None:
    """Return several offloads of one logger, one after the other, as one; None without any."""
    if not results:
        return None
    last = results[-1]
    return replace(
        last,
        readings=sum(offloaded.readings for offloaded in results),
        excursions_new=sum(offloaded.excursions_new for offloaded in results),
        excursions_before=results[0].excursions_before,
        offload_ids=tuple(key for offloaded in results for key in offloaded.offload_ids),
        point_id=next((r.point_id for r in reversed(results) if r.point_id is not None), None),
    )


def recover_incoming(desk: Workspace) -> list[Intake]:
    """Take in what an offload that was killed left behind; call it when an archive opens.

    A file without a readable header holds nothing and is put aside under its own name.
    """
    return import_left_behind(desk, INCOMING, lambda path: _recover(desk, path))


def _recover(desk: Workspace, path: Path) -> Intake:
    circumstances = Circumstances(desk.now_ms(), desk.person, route_of(path), cut_short=LEFT_BEHIND)
    intake = import_file(desk, path, circumstances)
    with translated(desk.archive.folder):
        path.unlink()
    return intake
