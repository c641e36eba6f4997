"""Quantities of one's own: added, changed, taken out; known in every place from then on."""

from __future__ import annotations

import re
import unicodedata

from gezeiten.archive.queries.quantities import is_measured, own_quantities
from gezeiten.archive.store.ids import fresh_id
from gezeiten.desk.base.workspace import Workspace
from gezeiten.domain.actions.quantities import QuantityDeleted, QuantitySaved
from gezeiten.domain.quantities.quantities import (
    SHIPPED,
    UNITS,
    Quantity,
    checked_quantity,
    own_facts,
    quantity,
    set_own_quantities,
)
from gezeiten.errors import InputError


def load_quantities(desk: Workspace) -> None:
    """Know the quantities that users of this archive added."""
    with desk.archive.reading() as session:
        set_own_quantities(one.quantity for one in own_quantities(session))


def key_of_name(name: str) -> str:
    """Return the key of a new quantity by its name: small letters, digits and _ alone."""
    plain = unicodedata.normalize("NFKD", name.casefold()).encode("ascii", "ignore").decode()
    key = re.sub(r"[^a-z0-9]+", "_", plain).strip("_")
    return key if key[:1].isalpha() else f"q_{key}".rstrip("_")


def save_quantity(desk: Workspace, wanted: Quantity) -> None:
    """Add a quantity, or change one that somebody added: by its key. A unit stays what it was where
    there are readings.

    Raises:
        InputError: it makes no sense, or there is one of that name.
    """
    wanted = checked_quantity(wanted, UNITS)
    if any(
        one.name.casefold() == wanted.name.casefold() and one.key != wanted.key
        for one in SHIPPED.values()
    ):
        raise InputError(f"There is already a quantity “{wanted.name}”; choose another name.")
    with desk.archive.writing() as session:
        known = {one.quantity.key: one for one in own_quantities(session)}
        before = known.get(wanted.key)
        is_other = before is not None and before.quantity.unit != wanted.unit
        if before is not None and is_other and is_measured(session, wanted.key):
            raise InputError(
                f"There are readings of {before.quantity.name} in {before.quantity.unit}; add "
                "another quantity for the other unit."
            )
        uid = before.uid if before else fresh_id()
        facts = own_facts(before.quantity) if before else None
        desk.do_within(session, QuantitySaved(uid, wanted.key, own_facts(wanted), facts))
    load_quantities(desk)


def drop_quantity(desk: Workspace, key: str) -> None:
    """Take a quantity that somebody added out of the list.

    Raises:
        InputError: it is none of these, or there are readings of it.
    """
    with desk.archive.writing() as session:
        found = next((one for one in own_quantities(session) if one.quantity.key == key), None)
        if found is None:
            raise InputError(f"{quantity(key).name} is built in and stays in the list.")
        if is_measured(session, key):
            raise InputError(f"There are readings of {quantity(key).name}; it stays in the list.")
        desk.do_within(session, QuantityDeleted(found.uid, key, own_facts(found.quantity)))
    load_quantities(desk)
