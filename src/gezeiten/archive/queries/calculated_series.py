"""Series that are calculated from others, out of the archive."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import Connection, select
from sqlalchemy.orm import Session

from gezeiten.archive.queries.statements import POINT, standing
from gezeiten.archive.store.prepared import PreparedStatement
from gezeiten.archive.store.tables import DerivedInput, DerivedRow, Point
from gezeiten.domain.steps.calculated_series import CalculatedSeries

_CONTENT = ("series", "formula", "version", "parameters")
_STANDING = standing(DerivedRow, "id", "uid", POINT, *_CONTENT, order=("said_ms",))
_INPUTS = PreparedStatement(
    select(DerivedInput.derived_id, Point.uid, DerivedInput.series)
    .join(Point, Point.id == DerivedInput.point_id)
    .order_by(DerivedInput.derived_id, DerivedInput.position)
)


def stated_calculations(connection: Connection) -> list[CalculatedSeries]:
    """Return the series that somebody said are calculated, in the order in which that was said;
    which of them are is for `domain/steps/calculated_series.in_force` to say."""
    rows = _STANDING.all(connection)
    inputs: dict[int, list[tuple[str, str]]] = {}
    for key, point, series in _INPUTS.all(connection) if rows else ():
        inputs.setdefault(key, []).append((point, series))
    return [
        CalculatedSeries(
            uid, point, series, formula, version, parameters, tuple(inputs.get(key, ()))
        )
        for key, uid, point, series, formula, version, parameters, *_ in rows
    ]


@dataclass(frozen=True, slots=True)
class CalculationNote:
    """Who said that a series is calculated, when (UTC ms) and why."""

    at_ms: int
    person: str
    reason: str


def calculation_notes(session: Session) -> dict[str, CalculationNote]:
    """Return who said of each series that it is calculated, by the id of what was said."""
    rows = select(DerivedRow.uid, DerivedRow.said_ms, DerivedRow.said_by, DerivedRow.words)
    return {
        uid: CalculationNote(at_ms, person, words)
        for uid, at_ms, person, words in session.execute(rows)
    }
