"""Tables made anew beside the archive, from the acts of the logbook, and held against those kept.

What acts make so far: sites, points, plans, ties, services, rounds, documents, steps, assessments,
and of loggers whether they are in use and whose PIN they share. Rows from before there were acts
are known by the ids that they got then (`ids.id_of_old_row`); they are taken as they are, and what
acts did to them since is done again.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextlib import contextmanager, nullcontext
from dataclasses import dataclass
from functools import cache
from typing import Any, TypeAlias

from sqlalchemy import (
    Connection,
    MetaData,
    Table,
    UniqueConstraint,
    create_engine,
    insert,
    select,
)
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session
from sqlalchemy.pool import StaticPool

from gezeiten.archive.act_form import from_stored, is_act
from gezeiten.archive.apply import Misfits, Said, apply
from gezeiten.archive.ids import id_of_old_row
from gezeiten.archive.tables import Base
from gezeiten.domain.entries import Entry
from gezeiten.errors import GezeitenError

MADE = (
    "site", "point", "kept_plan", "kept_tie", "service", "visit_round", "round_task", "handover",
    "step", "assessment",
)  # fmt: skip
"""Tables whose rows acts make."""
_NEEDED = ("logger", "mission", "offload")
_PARTLY_MADE = {"logger": ("pin_group", "retired_ms")}
_OF_THIS_COMPUTER = {"point": ("record_version", "excursions_version")}
_CANNOT = (GezeitenError, SQLAlchemyError, KeyError, TypeError, ValueError)
"""What applying an act can raise where tables or acts are not what they were."""
Row: TypeAlias = dict[str, Any]
Rows: TypeAlias = dict[str, dict[str, Row]]
"""Rows by table and identity."""


@dataclass(frozen=True, slots=True)
class Difference:
    """Where a kept row is not what acts made. column: "" where the whole row is too many (`wanted`
    None) or missing (`found` None)."""

    table: str
    key: str
    column: str
    found: Any
    wanted: Any

    @property
    def sentence(self) -> str:
        """What is where, and what should be."""
        what = f"{self.table.replace('_', ' ')} {self.key[:8]}"
        if self.column:
            return (
                f"“{self.column}” of {what} is {_short(self.found)}, its acts say "
                f"{_short(self.wanted)}; gezeiten verify --rebuild puts it right."
            )
        if self.wanted is None:
            return f"No act made {what}; gezeiten verify --rebuild takes it out."
        return f"Acts made {what}, which is missing; gezeiten verify --rebuild makes it anew."


def _short(value: Any) -> str:
    text = repr(value)
    return text if len(text) <= 40 else text[:38] + "…"


def apply_again(
    connection: Connection, entries: Iterable[Entry], *, carefully: bool = False
) -> tuple[list[tuple[int, Misfits]], list[str]]:
    """Put the acts of entries, oldest first, into the tables of a connection; entries that only
    tell are passed over. Returns by entry what did not fit, and what could not be applied.

    carefully: an act that cannot be applied leaves nothing behind and the others go on; else it
    raises, which is three times as fast.
    """
    misfits, failed = [], []
    for entry in entries:
        if not is_act(entry.details):
            continue
        try:
            with connection.begin_nested() if carefully else nullcontext():
                act = from_stored(entry.details)
                found = apply(connection, act, Said(entry.at_ms, entry.person))
        except _CANNOT as exc:
            if not carefully:
                raise
            failed.append(f"The act of entry {entry.seq} cannot be applied again: {exc}")
            continue
        if found:
            misfits.append((entry.seq, found))
    return misfits, failed


def differences(session: Session, entries: list[Entry]) -> tuple[list[Difference], list[str]]:
    """Make the tables anew from entries, oldest first, and return where those kept differ, and
    which acts could not be applied again."""
    first = entries[0].hash if entries else ""
    kept = session.connection()
    try:
        wanted, failed = _made_anew(kept, entries, first, carefully=False)
    except _CANNOT:
        wanted, failed = _made_anew(kept, entries, first, carefully=True)
    return list(_between(rows(kept), wanted)), failed


def _made_anew(
    kept: Connection, entries: list[Entry], first: str, *, carefully: bool
) -> tuple[Rows, list[str]]:
    with scratch() as anew:
        for name in (*_NEEDED, *MADE):
            _copy(kept, anew, Base.metadata.tables[name], None if name in _NEEDED else first)
        _, failed = apply_again(anew, entries, carefully=carefully)
        return rows(anew), failed


@contextmanager
def scratch() -> Iterator[Connection]:
    """Empty tables in memory."""
    engine = create_engine("sqlite://", poolclass=StaticPool)
    try:
        with engine.begin() as connection:
            _without_unique_names().create_all(connection, checkfirst=False)
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


def _copy(kept: Connection, anew: Connection, table: Table, only_old: str | None) -> None:
    """Copy rows; of what acts make only those from before there were acts."""
    listed = [dict(row) for row in kept.execute(select(table)).mappings()]
    if only_old is not None:
        # ids of rows that were there before the first entry are derived from none
        listed = [
            row for row in listed
            if row["uid"] in {id_of_old_row(h, table.name, row["id"]) for h in (only_old, "")}
        ]  # fmt: skip
    if listed:
        anew.execute(insert(table), listed)


def rows(connection: Connection) -> Rows:
    """Return what acts make: rows by table and identity, without keys; what they refer to is told
    by its identity."""
    metadata = Base.metadata
    identity: dict[str, dict[int, str]] = {}
    for name in (*_NEEDED, *MADE):
        table = metadata.tables[name]
        column = table.c["uid" if name in MADE else "id"]
        pairs = connection.execute(select(table.c.id, column)).all()
        identity[name] = {key: str(uid) for key, uid in pairs}
    made: Rows = {}
    for name in MADE:
        table = metadata.tables[name]
        made[name] = {
            row["uid"]: _told(table, row, identity)
            for row in connection.execute(select(table)).mappings()
        }
    for name, columns in _PARTLY_MADE.items():
        table = metadata.tables[name]
        made[name] = {
            str(row["id"]): {column: row[column] for column in columns}
            for row in connection.execute(select(table)).mappings()
        }
    return made


def _told(table: Table, row: Any, identity: dict[str, dict[int, str]]) -> Row:
    told: Row = {}
    for column in table.columns:
        if column.name in ("id", "uid", *_OF_THIS_COMPUTER.get(table.name, ())):
            continue
        value = row[column.name]
        for reference in column.foreign_keys:
            value = identity[reference.column.table.name].get(value, value)
        told[column.name] = value
    return told


def _between(found: Rows, wanted: Rows) -> Iterable[Difference]:
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
