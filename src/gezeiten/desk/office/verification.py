"""Verifying an archive: vault against fingerprints, readings against raw bytes, logbook chain."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial
from typing import Literal

from gezeiten.archive.actions.beginnings import beginning
from gezeiten.archive.actions.conflicts import replace_conflicts, unseen_conflicts
from gezeiten.archive.actions.logbook import EntryStream, entries, entry_stream
from gezeiten.archive.actions.verification import replay
from gezeiten.archive.actions.verification.chain_check import check_chains
from gezeiten.archive.actions.verification.entry_restoration import (
    old_entries_match,
    restore_entries,
)
from gezeiten.archive.actions.verification.lost_entries import (
    LostEntries,
    lost_entries,
    rewrite_lost,
)
from gezeiten.archive.actions.verification.rebuild import repair_tables
from gezeiten.archive.database import ArchiveSession
from gezeiten.archive.files.vault import Vault
from gezeiten.archive.intake import byte_verification as looked_at
from gezeiten.archive.intake.block_check import faulty_readings, rebuild_readings
from gezeiten.archive.intake.byte_verification import ByteVerification
from gezeiten.archive.intake.overviews import overviews_named
from gezeiten.archive.local_cache.readings import count_values
from gezeiten.archive.queries.loggers import certificates_named, reports_named
from gezeiten.desk.base.fault_isolation import Fault, or_fault
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.intake.raw_bytes import are_bytes_lost, decoding
from gezeiten.desk.intake.unnamed_bytes import UnnamedBytes, unnamed_bytes
from gezeiten.desk.office.stored_values import faulty_values
from gezeiten.desk.record.excursion_book import detect_all_excursions, faulty_excursions
from gezeiten.domain.actions.archives import (
    ChainBegun,
    ConflictAcknowledged,
    EntriesRemoved,
    EntriesRestored,
)
from gezeiten.domain.actions.documents import DocumentIssued
from gezeiten.domain.base.wording import counted
from gezeiten.domain.facts.entries import Entry
from gezeiten.domain.series.timeline import iso_utc
from gezeiten.errors import ArchiveDamagedError, CancelledError, GezeitenError


@dataclass(slots=True)
class Verdict:
    """What was looked at and what is wrong, a sentence each. skipped: files that were read whole
    and right before and were not read again; resumed: with a check that was stopped; unnamed: bytes
    that no entry names, and lost: entries that only the tables know, which are among the faults."""

    offloads: int = 0
    values: int = 0
    entries: int = 0
    faults: list[str] = field(default_factory=list)
    skipped: int = 0
    resumed: bool = False
    unnamed: list[UnnamedBytes] = field(default_factory=list)
    lost: list[Entry] = field(default_factory=list)

    @property
    def is_intact(self) -> bool:
        """Whether everything is as it was kept."""
        return not self.faults


Step = Callable[[str, int, int], None]
"""Hears what is looked at, how much of it is done, of how much."""


def verify(
    desk: Workspace,
    step: Step = lambda *_: None,
    cancelled: Callable[[], bool] = lambda: False,
    *,
    quick: bool = False,
    restart: bool = False,
) -> Verdict:
    """Check every raw offload, every reading against its raw bytes, the logbook's chain, and what
    actions made against the actions. A check that was stopped goes on where it was.

    Args:
        quick: leave out bytes, and the readings made of them, that were read whole and right since
            the last whole check began.
        restart: from the beginning, even where one was stopped.

    Raises:
        CancelledError: as wished; nothing is changed by looking.
    """
    looked = ByteVerification(desk.archive, desk.now_ms(), quick=quick, restart=restart)
    try:
        verdict = _verdict(desk, looked, step, cancelled)
    except BaseException:
        looked.save_progress()
        raise
    looked.save_progress(is_over=True)
    verdict.skipped, verdict.resumed = looked.left_out, looked.goes_on
    return verdict


def is_check_open(desk: Workspace) -> bool:
    """Whether a whole check was stopped, so that the next one goes on with it."""
    return looked_at.is_check_open(desk.archive)


def _verdict(
    desk: Workspace, looked: ByteVerification, step: Step, cancelled: Callable[[], bool]
) -> Verdict:

    def report_progress(what: str, done: int, of: int) -> None:
        if cancelled():
            raise CancelledError("Verification was cancelled; nothing was changed.")
        step(what, done, of)

    verdict = Verdict()
    with desk.archive.reading() as session:
        verdict.faults.extend(faulty_values(session))
        verdict.offloads, faults = faulty_readings(
            session,
            desk.archive.vault,
            decoding(desk),
            partial(are_bytes_lost, desk),
            partial(report_progress, "raw offloads"),
            looked,
        )
        verdict.faults.extend(faults)
        verdict.values = count_values(session)
        report_progress("logbook", 0, 1)
        checked = check_chains(session, desk.archive.chains)
        _check_attachments(desk, session, verdict, looked)
        _check_documents(desk, checked.entries, verdict, looked)
        verdict.lost = [entry for one in checked.lost for entry in one.entries]
        verdict.entries = checked.count
        verdict.faults += checked.breaks + checked.differing
        verdict.faults += filter(None, [desk.archive.chain.doubt(session)])
        verdict.faults += _not_as_left(session)
        report_progress("tables", 0, 1)
        # what only the table still tells was done as well
        all_told = entry_stream(session) if checked.lost else checked.entries
        verdict.faults.extend(_compare_with_actions(desk, session, all_told))
        verdict.unnamed = unnamed_bytes(desk, session)
        verdict.faults += [one.sentence for one in verdict.unnamed]
    report_progress("excursions", 0, 1)
    verdict.faults.extend(faulty_excursions(desk))
    return verdict


WithLost = Literal["", "restore", "drop"]
"""What becomes of entries that only the tables know: nobody has said, they are written again, or
they go."""


def rebuild(desk: Workspace, *, with_lost: WithLost = "") -> None:
    """Put what the logbook says back in place where something else is kept: its entries, what
    actions made, readings from their bytes; and detect all excursions again. The database is copied
    aside first.

    with_lost: what becomes of entries that chain files have lost while the tables know them.

    Raises:
        ArchiveDamagedError: the logbook does not hold, so nothing can be made from it, or the
            tables know entries that a chain file has lost and nobody has said what becomes of them;
            nothing was changed.
    """
    with desk.archive.reading() as session:
        lost_lines = lost_entries(session, desk.archive.chains)
    if lost_lines and not with_lost:
        raise ArchiveDamagedError(_lost_entries_text(lost_lines))
    desk.archive.copy_aside("rebuild")
    if lost_lines:
        _restore_or_remove(desk, with_lost)
    with desk.archive.writing() as session:
        checked = check_chains(session, desk.archive.chains)
        broken = checked.breaks
        if not broken:
            began, old, since = beginning(desk.archive.foundings.get, checked.entries)
            replayed_tables = replay.replayed_tables(began, since)
            broken = replayed_tables.failed
        if broken:
            raise _broken(broken)
        restore_entries(session, desk.archive.chains, old)
        repair_tables(session, replayed_tables.rows)
        replace_conflicts(session, replayed_tables.conflicts)
        rebuild_readings(session, decoding(desk))
    detect_all_excursions(desk)


def restore_lost_entries(desk: Workspace) -> int:
    """Write the entries again that chain files have lost, as the tables have them; return how many.

    Raises:
        ArchiveDamagedError: the rest of the logbook does not hold; nothing was changed.
    """
    return _restore_or_remove(desk, "restore")


def _broken(broken: list[str]) -> ArchiveDamagedError:
    return ArchiveDamagedError(
        f"The logbook itself is not intact, so nothing was changed: {broken[0]} "
        "Restore the archive's last copy."
    )


def _restore_or_remove(desk: Workspace, with_lost: WithLost) -> int:
    """Write what chain files have lost again as the tables have it, or enter that it is removed:
    the tables lose it when they are rebuilt. With either somebody has looked. Return how many.

    Raises:
        ArchiveDamagedError: the rest of the logbook does not hold; nothing was changed.
    """
    chains = desk.archive.chains
    with desk.archive.reading() as session:
        checked = check_chains(session, chains)
    if checked.breaks:
        raise _broken(checked.breaks)
    if not checked.lost:
        return 0
    with desk.archive.writing() as session:
        before = unseen_conflicts(session)
        for lost in lost_entries(session, chains):
            first, last = lost.entries[0].number, lost.entries[-1].number
            hashes = tuple(entry.hash for entry in lost.entries)
            if with_lost == "restore":
                fresh = rewrite_lost(session, chains, lost, desk.archive.chain.computer)
                desk.do_within(session, EntriesRestored(lost.chain, first, last, hashes, fresh))
            else:
                chains.cut_torn(lost.chain)
                said = tuple(entry.sentence for entry in lost.entries)
                desk.do_within(session, EntriesRemoved(lost.chain, first, last, hashes, said))
        found = unseen_conflicts(session)
        for entry in list(entries(session, ChainBegun.WORD)):
            if entry.hash in found.keys() - before.keys():
                words = tuple(found[entry.hash])
                conflict_acknowledged = ConflictAcknowledged(
                    entry.hash, entry.sentence, words, entry.subject
                )
                desk.do_within(session, conflict_acknowledged)
    return sum(len(lost.entries) for lost in checked.lost)


_MOST_NAMED = 20


def _lost_entries_text(lost_lines: list[LostEntries]) -> str:
    entries = [entry for one in lost_lines for entry in one.entries]
    many = counted(len(entries), "entry", "entries")
    named = [f"{iso_utc(one.at_ms)} {one.subject}: {one.sentence}" for one in entries[:_MOST_NAMED]]
    more = f" and {len(entries) - _MOST_NAMED} more" if len(entries) > _MOST_NAMED else ""
    return (
        f"The end of the logbook is missing: only the tables still have {many}. "
        "Nothing was changed. Restore the last copy of the archive's logbook "
        "folder; or write the entries again as the tables have them (verify "
        "--rebuild --restore-lost), or remove them from the tables for good "
        f"(verify --rebuild --drop-lost):  {'; '.join(named)}{more}"
    )


def _not_as_left(session: ArchiveSession) -> list[str]:
    """Where a computer found the archive not as it had left it, and nobody has looked since."""
    to_see = unseen_conflicts(session)
    return [
        f"Entry {entry.seq}: {'; '.join(to_see[entry.hash])}. Once that is understood, "
        "acknowledge it in the Logbook."
        for entry in (entries(session, ChainBegun.WORD) if to_see else ())
        if entry.hash in to_see
    ]


def _compare_with_actions(
    desk: Workspace, session: ArchiveSession, actions: EntryStream
) -> list[str]:
    """Replay all actions; return where the tables hold something else."""

    def compared() -> tuple[list[replay.Difference], list[str], bool]:
        began, old, since = beginning(desk.archive.foundings.get, actions)
        replayed_tables = replay.replayed_tables(began, since)
        same_old = old_entries_match(session, old)
        return (
            replay.differences(session.connection(), replayed_tables.rows),
            replayed_tables.failed,
            same_old,
        )

    found = or_fault(compared)
    if isinstance(found, Fault):
        return [f"The tables cannot be verified: {found.sentence}"]
    differences, failed, same_old = found
    more = (
        []
        if same_old
        else [
            "The earliest entries are not those that the archive began with; "
            "gezeiten verify --rebuild restores them."
        ]
    )
    return [*more, *failed, *(difference.sentence for difference in differences)]


def _check_documents(
    desk: Workspace, actions: EntryStream, verdict: Verdict, looked: ByteVerification
) -> None:
    """Check the documents that were handed over since they are kept."""
    for entry in actions:
        details = entry.details
        if details.get("kind") == DocumentIssued.KIND and details["version"] >= _KEPT_SINCE:
            _check_raw(desk.archive.documents, details["act"]["sha256"], verdict, looked)


_KEPT_SINCE = 2
"""Version of the action from which on documents are kept."""


def _check_raw(vault: Vault, sha256: str, verdict: Verdict, looked: ByteVerification) -> None:
    if looked.covers_all(vault, sha256):
        return
    try:
        vault.check(sha256)
        looked.note(vault, sha256)
    except GezeitenError as exc:
        verdict.faults.append(str(exc))


def _check_attachments(
    desk: Workspace, session: ArchiveSession, verdict: Verdict, looked: ByteVerification
) -> None:
    """Check what is kept beside the raw offloads: certificates, loggers' reports, overviews."""
    for vault, named in (
        (desk.archive.certificates, certificates_named(session)),
        (desk.archive.reports, reports_named(session)),
        (desk.archive.overviews, overviews_named(session)),
    ):
        for sha256 in named:
            _check_raw(vault, sha256, verdict, looked)
