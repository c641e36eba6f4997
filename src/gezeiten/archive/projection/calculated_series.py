"""Series that are calculated from others, as actions make them."""

from __future__ import annotations

from sqlalchemy import Connection

from gezeiten.archive.projection.rows import Authorship, Conflicts, Family, add, key_of
from gezeiten.archive.projection.statements import StatementTable
from gezeiten.archive.queries.calculated_series import stated_calculations
from gezeiten.archive.store.tables import DerivedInput, DerivedRow, Point
from gezeiten.domain.actions.calculated_series import CalculationRemoved, SeriesCalculated
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.steps.calculated_series import (
    CalculatedSeries,
    closes_a_circle,
    in_force,
    transitive_inputs,
)
from gezeiten.errors import InputError

_SERIES = StatementTable(DerivedRow.__table__, "derived")
_INPUTS = DerivedInput.__table__


def _apply_calculated(
    connection: Connection, action: SeriesCalculated, authorship: Authorship
) -> Conflicts:
    before = in_force(stated_calculations(connection))
    _SERIES.state(connection, action, authorship)
    key = key_of(connection, _SERIES.table, action.derived)
    for position, one in enumerate(action.inputs):
        point = key_of(connection, Point.__table__, one.point)
        row = {"derived_id": key, "position": position, "point_id": point, "series": one.series}
        add(connection, _INPUTS, **row)
    calculated = _calculated_series(action)
    if calculated.key in before:
        return ["a series of this name was already calculated there"]
    return ["it would be calculated from itself"] if closes_a_circle(calculated, before) else []


def _calculated_series(action: SeriesCalculated) -> CalculatedSeries:
    inputs = tuple((one.point, one.series) for one in action.inputs)
    return CalculatedSeries(
        action.derived,
        action.point,
        action.series,
        action.formula,
        action.version,
        action.parameters,
        inputs,
    )


# -- refusing --------------------------------------------------------------------------------------
def _refuse_derived(connection: Connection, action: SeriesCalculated) -> None:
    made, standing = _calculated_series(action), in_force(stated_calculations(connection))
    if made.key in standing:
        raise InputError(
            f"“{quantity(action.series).name}” is already calculated at this point; "
            "give this one another label."
        )
    if closes_a_circle(made, standing):
        raise InputError(
            "This series would be calculated from itself; choose inputs that do not depend on it."
        )


def _refuse_withdrawal(connection: Connection, action: CalculationRemoved) -> None:
    standing = in_force(stated_calculations(connection))
    its = next((one.key for one in standing.values() if one.uid == action.derived), None)
    for one in standing.values():
        if its in transitive_inputs(one, standing):
            raise InputError(
                f"“{quantity(one.series).name}” is calculated from this series; remove "
                "that one first."
            )


FAMILY = Family(
    {SeriesCalculated: _apply_calculated, CalculationRemoved: _SERIES.withdraw},
    {SeriesCalculated: _refuse_derived, CalculationRemoved: _refuse_withdrawal},
)
