"""Quantities that users add, as actions make them."""

from __future__ import annotations

from sqlalchemy import Connection, delete, select

from gezeiten.archive.projection.rows import Authorship, Conflicts, Family, add, only, update_by_uid
from gezeiten.archive.store.tables import OwnQuantity
from gezeiten.domain.actions.quantities import QuantityDeleted, QuantitySaved
from gezeiten.domain.quantities.quantities import SHIPPED, own_quantity
from gezeiten.errors import InputError

_TABLE = OwnQuantity.__table__


def _apply_saved(
    connection: Connection, action: QuantitySaved, authorship: Authorship
) -> Conflicts:
    by = {"changed_ms": authorship.at_ms, "changed_by": authorship.person}
    if action.before is None:
        add(connection, _TABLE, uid=action.quantity, key=action.key, facts=action.facts, **by)
        return []
    [found] = only(connection, select(_TABLE.c.facts).where(_TABLE.c.uid == action.quantity))
    update_by_uid(connection, _TABLE, action.quantity, facts=action.facts, **by)
    return [] if found == action.before else ["the quantity was different before"]


def _dropped(connection: Connection, action: QuantityDeleted, _authorship: Authorship) -> Conflicts:
    done = connection.execute(delete(OwnQuantity).where(OwnQuantity.uid == action.quantity))
    return [] if done.rowcount else ["the quantity had already been removed"]


def _refuse_quantity(connection: Connection, action: QuantitySaved) -> None:
    own_quantity(action.key, action.facts)
    query = select(OwnQuantity.id).where(
        OwnQuantity.key == action.key, OwnQuantity.uid != action.quantity
    )
    if action.key in SHIPPED or connection.execute(query).first():
        raise InputError(f"There is already a quantity “{action.key}”; choose another name.")


FAMILY = Family(
    {QuantitySaved: _apply_saved, QuantityDeleted: _dropped}, {QuantitySaved: _refuse_quantity}
)
