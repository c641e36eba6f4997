"""People, as actions name and erase them."""

from __future__ import annotations

from sqlalchemy import Connection, select, update

from gezeiten.archive.projection.rows import Authorship, Family, add, update_by_uid
from gezeiten.archive.store.tables import Base, Person
from gezeiten.domain.actions.people import ERASED, PersonErased, PersonNamed

_PEOPLE = Person.__table__
_COLUMNS = ("person", "made_by", "undone_by", "changed_by", "said_by")
"""Columns in which the name of whoever acted stands."""


def _named(connection: Connection, action: PersonNamed, _authorship: Authorship) -> None:
    add(connection, _PEOPLE, uid=action.person, name=action.name)


def _erased(connection: Connection, action: PersonErased, _authorship: Authorship) -> None:
    """The name goes wherever it stands. Where its own entry was withheld already, nobody knows it
    any more, and nothing was made under it."""
    known = connection.execute(select(_PEOPLE.c.name).where(_PEOPLE.c.uid == action.person)).first()
    if known is None:
        add(connection, _PEOPLE, uid=action.person, name=ERASED)
        return
    update_by_uid(connection, _PEOPLE, action.person, name=ERASED)
    for table in Base.metadata.tables.values():
        for column in table.columns:
            if column.name in _COLUMNS:
                its = update(table).where(column == known[0])
                if "chain" in table.c:  # entries from before chain files are hashed with the name
                    its = its.where(table.c.chain != "")
                connection.execute(its.values({column.name: ERASED}))


FAMILY = Family({PersonNamed: _named, PersonErased: _erased}, {})
