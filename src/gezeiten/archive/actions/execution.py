"""The way to write: an action is refused, or applied and entered as a whole."""

from __future__ import annotations

from typing import TYPE_CHECKING

from sqlalchemy import Connection, bindparam, select
from sqlalchemy.exc import NoResultFound
from sqlalchemy.orm import Session

from gezeiten.archive.actions.affected_points import affected_points
from gezeiten.archive.actions.entry_writing import Author
from gezeiten.archive.files.chains import Body
from gezeiten.archive.local_cache.changes import record_changed
from gezeiten.archive.projection import Authorship, apply, refuse
from gezeiten.archive.store.action_codec import as_stored, from_stored
from gezeiten.archive.store.ids import fresh_id
from gezeiten.archive.store.prepared import PreparedStatement
from gezeiten.archive.store.tables import Logger, Person, Point, Site
from gezeiten.domain.actions import Action, Subject
from gezeiten.domain.actions.people import PersonNamed
from gezeiten.domain.facts.sites import full_name
from gezeiten.errors import InputError

if TYPE_CHECKING:
    from gezeiten.archive.database import Archive

_KNOWN = PreparedStatement(select(Person.uid).where(Person.name == bindparam("name")))
_SITE = PreparedStatement(select(Site.name, Site.zone).where(Site.uid == bindparam("its_uid")))
_places = select(Site.name, Point.name, Site.zone).join(Site)
_PLACE = PreparedStatement(_places.where(Point.uid == bindparam("its_uid")))
_PLACE_OF_LOGGER = PreparedStatement(
    _places.join(Logger, Logger.point_id == Point.id).where(
        Logger.serial == bindparam("its_serial")
    )
)


def do(session: Session, action: Action, authorship: Authorship) -> None:
    """Do an action inside the caller's transaction.

    Raises:
        InputError: it cannot be done on the archive as it is now; nothing of it was.
    """
    _do(session, action, authorship, _person(session, authorship))


def do_by_itself(session: Session, action: Action, at_ms: int) -> None:
    """Do an action that nobody did: the program itself."""
    _do(session, action, Authorship(at_ms, ""), "")


def _person(session: Session, authorship: Authorship) -> str:
    """Return the id of who acts, named first where this is new."""
    known = _KNOWN.value(session.connection(), name=authorship.person)
    if known is not None:
        return str(known)
    person = fresh_id()
    _do(session, PersonNamed(person, authorship.person), authorship, person)
    return person


def _do(session: Session, action: Action, authorship: Authorship, person: str) -> None:
    stored = as_stored(action)
    action = from_stored(stored)  # what is applied now is what will be applied again
    connection = session.connection()
    refuse(connection, action)
    conflicts = apply(connection, action, authorship)
    if conflicts:
        raise InputError("Somebody else changed this meanwhile; reload it and try again.")
    scope = action.scope
    changed = record_changed(connection, affected_points(connection, scope), scope.period)
    session.info.setdefault("changed points", {}).update(dict.fromkeys(changed))
    session.expire_all()  # what was read before may be something else now
    subject = subject_of(connection, action)
    body = Body(action.entry_word, subject.name, action.describe(subject), stored)
    archive: Archive = session.info["archive"]
    archive.enter(session, body, Author(person, authorship.person, authorship.at_ms))


def subject_of(connection: Connection, action: Action) -> Subject:
    """Return what an action is about, as it is called now."""
    if action.named:
        return Subject(action.named)
    if action.ABOUT == "logger":
        return _logger_as_subject(connection, action.subject_id, getattr(action, "point", ""))
    query = _SITE if action.ABOUT == "site" else _PLACE
    row = query.first_row(connection, its_uid=action.subject_id)
    if row is None:
        raise NoResultFound
    return Subject(*row) if action.ABOUT == "site" else Subject(full_name(*row[:2]), row[2])


def _logger_as_subject(connection: Connection, serial: str, point: str) -> Subject:
    """A logger at the point that the action names, else where it measures now."""
    if point:
        row = _PLACE.first_row(connection, its_uid=point)
    else:
        row = _PLACE_OF_LOGGER.first_row(connection, its_serial=serial)
    if row is None:
        return Subject(serial)
    return Subject(serial, row[2], full_name(row[0], row[1]))
