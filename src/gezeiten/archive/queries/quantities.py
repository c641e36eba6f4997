"""Quantities that users added, out of the archive."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive.local_cache.tables import Block
from gezeiten.archive.store.tables import OwnQuantity
from gezeiten.domain.quantities.quantities import Quantity, own_quantity
from gezeiten.errors import InputError


@dataclass(frozen=True, slots=True)
class StoredQuantity:
    """A quantity that a user added. uid: its id for ever."""

    uid: str
    quantity: Quantity


def own_quantities(session: Session) -> list[StoredQuantity]:
    """Return the quantities that users added, by key; what makes no sense any more is left out,
    readings of it keep their key as their name."""
    found = []
    for row in session.scalars(select(OwnQuantity).order_by(OwnQuantity.key)):
        try:
            found.append(StoredQuantity(row.uid, own_quantity(row.key, row.facts)))
        except InputError:
            continue
    return found


def is_measured(session: Session, key: str) -> bool:
    """Whether there are readings of a quantity."""
    query = select(Block.id).where(Block.channel == key).limit(1)
    return session.scalars(query).first() is not None
