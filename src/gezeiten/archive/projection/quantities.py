"""Quantities that users add, as acts make them."""

from __future__ import annotations

from sqlalchemy import Connection, delete, select

from gezeiten.archive.projection.rows import Authorship, Family, Misfits, add, only, update_by_uid
from gezeiten.archive.store.tables import OwnQuantity
from gezeiten.domain.actions.quantities import QuantityDeleted, QuantitySaved
from gezeiten.domain.quantities.quantities import SHIPPED, own_quantity
from gezeiten.errors import InputError

_TABLE = OwnQuantity.__table__


def _apply_saved(connection: Connection, act: QuantitySaved, said: Authorship) -> Misfits:
    by = {"changed_ms": said.at_ms, "changed_by": said.person}
    if act.before is None:
        add(connection, _TABLE, uid=act.quantity, key=act.key, facts=act.facts, **by)
        return []
    [found] = only(connection, select(_TABLE.c.facts).where(_TABLE.c.uid == act.quantity))
    update_by_uid(connection, _TABLE, act.quantity, facts=act.facts, **by)
    return [] if found == act.before else ["the quantity was another one before"]


def _dropped(connection: Connection, act: QuantityDeleted, _said: Authorship) -> Misfits:
    done = connection.execute(delete(OwnQuantity).where(OwnQuantity.uid == act.quantity))
    return [] if done.rowcount else ["the quantity had been taken out already"]


def _refuse_quantity(connection: Connection, act: QuantitySaved) -> None:
    own_quantity(act.key, act.facts)
    query = select(OwnQuantity.id).where(
        OwnQuantity.key == act.key, OwnQuantity.uid != act.quantity
    )
    if act.key in SHIPPED or connection.execute(query).first():
        raise InputError(f"There is a quantity “{act.key}” already; choose another name.")


FAMILY = Family(
    {QuantitySaved: _apply_saved, QuantityDeleted: _dropped}, {QuantitySaved: _refuse_quantity}
)
