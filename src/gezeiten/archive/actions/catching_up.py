"""Entries that chain files hold and the tables do not: applied, oldest first.

So a program that was killed after it had written its line, and a database that was deleted, come to
what the logbook says. Readings are made from their bytes afterwards, by whoever can read them.
"""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass

from sqlalchemy import Connection, func, insert, select
from sqlalchemy.orm import Session

from gezeiten.archive.actions.affected_points import affected_points
from gezeiten.archive.actions.beginnings import archive_begin_of_entry, dump_of
from gezeiten.archive.actions.conflicts import store_conflicts, unseen_conflicts
from gezeiten.archive.actions.entry_writing import add_entry, ends, move_chain
from gezeiten.archive.actions.joining import find_conflicts, is_out_of_order, make_in_order
from gezeiten.archive.actions.logbook import entry_at, entry_of_line, name_of, names_in
from gezeiten.archive.actions.verification.projected_tables import insert_rows
from gezeiten.archive.actions.verification.replay import CANNOT, reapply
from gezeiten.archive.files.chains import ChainFiles, ChainLine, read_line
from gezeiten.archive.local_cache.changes import matches_archive, record_changed, start_over
from gezeiten.archive.local_cache.excursions import match_all_assessments
from gezeiten.archive.store.action_codec import from_stored, is_action
from gezeiten.archive.store.tables import LogbookRow, Person
from gezeiten.domain.actions.archives import ArchiveBegun
from gezeiten.domain.facts.entries import Entry
from gezeiten.errors import ArchiveDamagedError


@dataclass(frozen=True, slots=True)
class _NewLine:
    """A line that the tables do not have yet, and where in its file it ends."""

    line: ChainLine
    end: int


def catch_up(
    session: Session,
    chains: ChainFiles,
    bytes_of: Callable[[str], bytes],
    report: Callable[[str], None],
) -> bool:
    """Apply what chain files hold beyond what was applied; returns whether there was any. Call it
    under the write lock.

    Args:
        bytes_of: the dump of a fingerprint, for an archive whose database was deleted.
        report: hears of a torn line that was put aside.
    """
    sizes = chains.sizes()
    connection = session.connection()
    applied = lengths_applied(connection)
    behind = {chain for chain, size in sizes.items() if size > applied.get(chain, 0)}
    if not matches_archive(connection):
        start_over(connection)
        with suppress(ArchiveDamagedError):  # verify names it
            find_conflicts(session, bytes_of)
    if not behind:
        return False
    fresh = [one for chain in behind for one in _read(chains, chain, applied.get(chain, 0), report)]
    fresh.sort(key=lambda one: one.line.order)
    names = {**people(connection), **names_in(one.line for one in fresh)}
    is_empty = not connection.execute(select(func.count()).select_from(LogbookRow)).scalar()
    if not is_empty and is_out_of_order(session, (one.line for one in fresh)):
        with suppress(ArchiveDamagedError):  # verify names it; then they are applied as they come
            make_in_order(session, chains, bytes_of)
            match_all_assessments(session)
            _report_conflicts(session, report)
            return True
    began = _restore_beginning(connection, fresh, bytes_of) if is_empty else None
    since = began.order if began else None
    try:
        with session.begin_nested():
            _enter_and_apply(session, fresh, names, since, carefully=False)
    except CANNOT:
        _enter_and_apply(session, fresh, names, since, carefully=True)
    match_all_assessments(session)
    _report_conflicts(session, report)
    return bool(fresh)


def _report_conflicts(session: Session, report: Callable[[str], None]) -> None:
    many = len(unseen_conflicts(session))
    if many == 1:
        report("1 conflict was found; the Logbook shows it.")
    elif many:
        report(
            f"{many:,} acts found something otherwise than it should be; the Logbook shows which."
        )


def lengths_applied(connection: Connection) -> dict[str, int]:
    """Return up to which byte each chain file was applied."""
    return {chain: end.bytes for chain, end in ends(connection).items()}


def _read(
    chains: ChainFiles, chain: str, start: int, report: Callable[[str], None]
) -> list[_NewLine]:
    """Return the whole lines of a chain from a byte on; one that cannot be read ends them."""
    found, end = [], start
    for raw in chains.raw_lines(chain, start):
        if not raw.endswith(b"\n"):
            whither = "was set aside" if chains.cut_torn(chain) else "stays where it is"
            report(
                "The last entry of the logbook is incomplete, so it does not count; "
                f"the incomplete part {whither}."
            )
            break
        end += len(raw)
        try:
            found.append(_NewLine(read_line(raw), end))
        except ArchiveDamagedError:
            break  # verify names it; what follows cannot be known to follow
    return found


def _restore_beginning(
    connection: Connection, fresh: list[_NewLine], bytes_of: Callable[[str], bytes]
) -> ChainLine | None:
    """Put in what the archive began with, the last time it said so; returns that entry."""
    for one in reversed(fresh):
        if one.line.body is not None and one.line.envelope.kind == ArchiveBegun.KIND:
            made, old = dump_of(archive_begin_of_entry(one.line.body.act), bytes_of)
            insert_rows(connection, made)
            if old:
                connection.execute(insert(LogbookRow), old)
            return one.line
    return None


def people(connection: Connection) -> dict[str, str]:
    """Return the names of people by their ids."""
    return {row.uid: row.name for row in connection.execute(select(Person.uid, Person.name))}


def _enter_and_apply(
    session: Session,
    fresh: list[_NewLine],
    names: dict[str, str],
    since: tuple[int, str, int] | None,
    *,
    carefully: bool,
) -> None:
    """Enter all and apply those since the archive began; carefully: one that cannot be applied
    spares the others (`replay.apply_again`)."""
    for one in fresh:
        entry = _enter(session, one, names)
        if entry is not None and (since is None or one.line.order > since):
            _apply(session, entry, carefully=carefully)


def _enter(session: Session, one: _NewLine, names: dict[str, str]) -> Entry | None:
    """Enter a line; returns its entry where the table did not have it."""
    connection = session.connection()
    envelope, body = one.line.envelope, one.line.body
    move_chain(connection, envelope.chain, envelope, one.line.hash, one.end)
    if entry_at(session, envelope.chain, envelope.number) is not None:
        return None  # only how far it was applied had been lost
    add_entry(connection, envelope, body, one.line.hash, name_of(envelope.person, names))
    return entry_of_line(one.line, envelope.number, names)


def _apply(session: Session, entry: Entry, *, carefully: bool) -> None:
    if not is_action(entry.details):
        return
    connection = session.connection()
    conflicts, failed = reapply(connection, [entry], carefully=carefully)
    if conflicts:
        store_conflicts(session, conflicts)
    if not failed:
        action = from_stored(entry.details)
        record_changed(connection, affected_points(connection, action.scope), action.scope.period)
