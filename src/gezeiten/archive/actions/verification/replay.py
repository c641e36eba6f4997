"""Tables rebuilt beside the archive, from the actions of the logbook, and held against those kept.

An archive begins with what it held when actions began to make its tables (`founding.py`); what
actions did since is done again.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextlib import contextmanager, nullcontext
from dataclasses import dataclass
from functools import cache
from typing import Any

from sqlalchemy import Connection, MetaData, UniqueConstraint, create_engine
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.pool import StaticPool

from gezeiten.archive.actions.verification.projected_tables import Rows, insert_rows, rows
from gezeiten.archive.projection import Authorship, Conflicts, apply
from gezeiten.archive.store.action_codec import from_stored, is_action
from gezeiten.archive.store.prepared import make_all
from gezeiten.archive.store.tables import Base
from gezeiten.domain.facts.entries import Entry
from gezeiten.errors import GezeitenError

CANNOT = (GezeitenError, SQLAlchemyError, KeyError, TypeError, ValueError)
"""What applying an action can raise where tables or actions are not what they were."""


@dataclass(frozen=True, slots=True)
class Difference:
    """Where a kept row is not what actions made. column: "" where the whole row is too many
    (`expected` None) or missing (`actual` None)."""

    table: str
    key: str
    column: str
    actual: Any
    expected: Any

    @property
    def sentence(self) -> str:
        """What is where, and what should be."""
        what = f"{self.table.replace('_', ' ')} {self.key[:40]}"
        if self.column:
            return (
                f"“{self.column}” of {what} is {_short(self.actual)}, the logbook says "
                f"{_short(self.expected)}; gezeiten verify --rebuild repairs it."
            )
        if self.expected is None:
            return f"No entry made {what}; gezeiten verify --rebuild removes it."
        return (
            f"{what} is in the logbook but missing from the tables; gezeiten verify "
            "--rebuild restores it."
        )


def _short(value: Any) -> str:
    text = repr(value)
    return text if len(text) <= 40 else text[:38] + "…"


def reapply(
    connection: Connection, entries: Iterable[Entry], *, carefully: bool = False
) -> tuple[dict[str, Conflicts], list[str]]:
    """Put the actions of entries, oldest first, into the tables of a connection; entries that only
    tell are passed over. Returns what did not fit, by the hash of the entry, and what could not be
    applied.

    carefully: an action that cannot be applied leaves nothing behind and the others go on; else it
    raises, which is three times as fast.
    """
    conflicts: dict[str, Conflicts] = {}
    failed = []
    for entry in entries:
        if not is_action(entry.details):
            continue
        try:
            with connection.begin_nested() if carefully else nullcontext():
                action = from_stored(entry.details)
                found = apply(connection, action, Authorship(entry.at_ms, entry.person))
        except CANNOT as exc:
            if not carefully:
                raise
            failed.append(f"Entry {entry.seq} cannot be replayed: {exc}")
            continue
        if found:
            conflicts[entry.hash] = found
    return conflicts, failed


def differences(stored: Connection, wanted: Rows) -> list[Difference]:
    """Return where what is kept is not what actions made."""
    return list(_differences(rows(stored), wanted))


@dataclass(frozen=True, slots=True)
class ReplayedTables:
    """Tables rebuilt. failed: which actions could not be applied again, a sentence each; conflicts:
    what actions found otherwise than they say, by the hash of their entry."""

    rows: Rows
    failed: list[str]
    conflicts: dict[str, Conflicts]


def replayed_tables(began: Rows, entries: Iterable[Entry]) -> ReplayedTables:
    """Return what actions make of what the archive began with, entries since then, oldest first;
    they are asked for again where an action cannot be applied."""
    try:
        return _replayed_tables(began, entries, carefully=False)
    except CANNOT:
        return _replayed_tables(began, entries, carefully=True)


def _replayed_tables(began: Rows, entries: Iterable[Entry], *, carefully: bool) -> ReplayedTables:
    with scratch() as anew:
        insert_rows(anew, began)
        conflicts, failed = reapply(anew, entries, carefully=carefully)
        return ReplayedTables(rows(anew), failed, conflicts)


@contextmanager
def scratch() -> Iterator[Connection]:
    """Empty tables in memory."""
    engine = create_engine("sqlite://", poolclass=StaticPool)
    try:
        with engine.begin() as connection:
            make_all(connection, _without_unique_names())
            yield connection
    finally:
        engine.dispose()


@cache
def _without_unique_names() -> MetaData:
    """The tables, without saying that names are unique: old rows have today's from the first."""
    made = MetaData()
    for table in Base.metadata.sorted_tables:
        copied = table.to_metadata(made)
        for constraint in list(copied.constraints):
            if isinstance(constraint, UniqueConstraint):
                copied.constraints.discard(constraint)
    return made


def _differences(found: Rows, wanted: Rows) -> Iterable[Difference]:
    for table in wanted:
        there, should = found[table], wanted[table]
        for key in there.keys() - should.keys():
            yield Difference(table, key, "", there[key], None)
        for key in should.keys() - there.keys():
            yield Difference(table, key, "", None, should[key])
        for key in there.keys() & should.keys():
            for column, value in should[key].items():
                if there[key][column] != value:
                    yield Difference(table, key, column, there[key][column], value)
