"""Verifying an archive: vault against fingerprints, readings against raw bytes, logbook chain."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import partial

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive import anew, logbook
from gezeiten.archive.blocks import decode_values
from gezeiten.archive.readings import block_series
from gezeiten.archive.rebuild import put_right
from gezeiten.archive.tables import (
    Block,
    LoggerReport,
    Offload,
    OverviewRow,
    SeriesRow,
    Service,
)
from gezeiten.desk.context import Desk
from gezeiten.desk.excursion_book import faulty_excursions, find_all_anew
from gezeiten.desk.soundness import Fault, or_fault
from gezeiten.desk.stored_values import faulty_values
from gezeiten.domain.series import Series, join_series, make_series
from gezeiten.errors import ArchiveDamagedError, GezeitenError
from gezeiten.exchange.text_form import tie_from_dict
from gezeiten.link.mission_file import decode_mission_file


@dataclass(slots=True)
class Verdict:
    """What was looked at and what is wrong, a sentence each."""

    offloads: int = 0
    values: int = 0
    entries: int = 0
    faults: list[str] = field(default_factory=list)

    @property
    def is_whole(self) -> bool:
        """Whether everything is as it was kept."""
        return not self.faults


def verify(desk: Desk) -> Verdict:
    """Check every raw offload, every reading against its raw bytes, and the logbook's chain."""
    verdict = Verdict()
    with desk.archive.reading() as session:
        offloads = session.scalars(select(Offload).order_by(Offload.id)).all()
        verdict.faults.extend(faulty_values(session))
        for offload in offloads:
            verdict.offloads += 1
            checked = or_fault(partial(_check_offload, desk, session, offload, verdict))
            if isinstance(checked, Fault):
                verdict.faults.append(
                    f"Raw offload {offload.sha256[:12]} cannot be checked: {checked.sentence}"
                )
        known = {offload.sha256 for offload in offloads}
        _check_beside(desk, session, verdict)
        for sha256 in desk.archive.vault.fingerprints():
            if sha256 not in known:
                verdict.faults.append(
                    f"The vault holds {sha256[:12]}, which nothing names; keep it and offload "
                    "its logger again."
                )
        verdict.entries, breaks = logbook.check_all(session)
        verdict.faults.extend(broken.sentence for broken in breaks)
        verdict.faults.extend(_against_acts(session))
    verdict.faults.extend(faulty_excursions(desk))
    return verdict


def rebuild(desk: Desk) -> None:
    """Put what acts made back in place where something else is kept, and find all excursions
    anew. What came from loggers and texts is not made from acts yet: it stays as it is. The
    database is copied aside first.

    Raises:
        ArchiveDamagedError: the logbook does not hold, so nothing can be made from it; nothing
            was changed.
    """
    desk.archive.copy_aside("rebuild")
    with desk.archive.writing() as session:
        entries = sorted(logbook.entries(session), key=lambda entry: entry.seq)
        differences, failed = anew.differences(session, entries)
        broken = [one.sentence for one in logbook.check(entries)] + failed
        if broken:
            raise ArchiveDamagedError(
                f"The logbook itself does not hold, so nothing was changed: {broken[0]} Fetch the "
                "archive's last copy."
            )
        put_right(session, differences)
    find_all_anew(desk)


def _against_acts(session: Session) -> list[str]:
    """Make anew what acts make, and say where something else is kept."""
    entries = sorted(logbook.entries(session), key=lambda entry: entry.seq)
    made = or_fault(partial(anew.differences, session, entries))
    if isinstance(made, Fault):
        return [f"What acts made cannot be checked: {made.sentence}"]
    differences, failed = made
    return [*failed, *(one.sentence for one in differences)]


def _check_beside(desk: Desk, session: Session, verdict: Verdict) -> None:
    """Check what is kept beside the raw offloads: certificates, loggers' reports, overviews."""
    for vault, column in (
        (desk.archive.certificates, Service.certificate_sha256),
        (desk.archive.reports, LoggerReport.sha256),
        (desk.archive.overviews, OverviewRow.sha256),
    ):
        for sha256 in session.scalars(select(column).where(column.is_not(None)).distinct()):
            try:
                vault.check(str(sha256))
            except GezeitenError as exc:
                verdict.faults.append(str(exc))


def _check_offload(desk: Desk, session: Session, offload: Offload, verdict: Verdict) -> None:
    if offload.reading is not None:
        _check_text(desk, session, offload, verdict)
        return
    file = decode_mission_file(desk.archive.vault.get(offload.sha256))
    keys = [channel.key for channel in file.header.channels]
    blocks = session.execute(
        select(Block, SeriesRow.channel)
        .join(SeriesRow, SeriesRow.id == Block.series_id)
        .where(Block.offload_id == offload.id)
    ).all()
    for block, channel in blocks:
        kept = decode_values(block.data, block.count)
        times, columns = file.readings((block.first, block.first + block.count))
        raw = columns[keys.index(channel)] if channel in keys else np.empty(0)
        verdict.values += block.valid
        same_times = len(times) == block.count and times[0] == block.start_ms
        if not same_times or not np.array_equal(kept, raw, equal_nan=True):
            verdict.faults.append(
                f"Readings {block.first} to {block.first + block.count} of {channel} differ from "
                f"the raw offload {offload.sha256[:12]}; fetch the archive's last copy."
            )


def _check_text(desk: Desk, session: Session, offload: Offload, verdict: Verdict) -> None:
    """Read a kept text anew by its tie and compare every reading that was kept of it."""
    # brings polars along, which the window need not load to start
    from gezeiten.desk.text_files import read_pieces

    desk.archive.vault.check(offload.sha256)
    tie = tie_from_dict(offload.reading or {})
    keys = [one.quantity for one in tie.columns]
    raw: dict[str, Series] = {}
    pieces = [part for _, part in read_pieces(desk.archive.vault.path(offload.sha256), tie)]
    for i, key in enumerate(keys):
        # of an instant that comes in two pieces the first one counts, as when it was taken in
        raw[key] = join_series([make_series(p.times, p.values[i], 1) for p in pieces])
    blocks = session.execute(
        select(Block, SeriesRow.channel)
        .join(SeriesRow, SeriesRow.id == Block.series_id)
        .where(Block.offload_id == offload.id)
    ).all()
    for block, channel in blocks:
        kept = block_series(block)
        verdict.values += block.valid
        series = raw.get(channel)
        at = None if series is None else np.searchsorted(series.times_utc_ms, kept.times_utc_ms)
        if (
            series is None
            or at is None
            or bool((at >= len(series)).any())
            or not np.array_equal(series.times_utc_ms[at], kept.times_utc_ms)
            or not np.array_equal(series.values[at], kept.values)
        ):
            verdict.faults.append(
                f"Readings {block.first} to {block.first + block.count} of {channel} differ from "
                f"the raw text {offload.sha256[:12]}; fetch the archive's last copy."
            )
