"""The chains of series, out of the archive."""

from __future__ import annotations

from sqlalchemy.orm import Session

from gezeiten.archive.queries.statements import POINT, standing
from gezeiten.archive.store.tables import CorrectionRow
from gezeiten.domain.steps.chain import Correction, outdated_marked

_CONTENT = ("series", "kind", "version", "start_ms", "end_ms", "parameters", "words")
_OF_POINT = standing(
    CorrectionRow, "is_on", "uid", POINT, *_CONTENT, order=("said_ms",), of_point=True
)


def corrections_at(session: Session, point_id: int) -> list[Correction]:
    """Return the steps of all series of a point that were not taken back, on or off, in the order
    in which they were said."""
    rows = _OF_POINT.all(session.connection(), its_id=point_id)
    found = [Correction(*(*row, is_on)) for is_on, *row in rows]
    series = dict.fromkeys(one.series for one in found)
    stand = [
        correction
        for key in series
        for correction in outdated_marked([x for x in found if x.series == key])
    ]
    return sorted(stand, key=lambda one: (one.stated_ms, one.uid))


def chain_of(session: Session, point_id: int, series: str) -> list[Correction]:
    """Return the steps of one series (its key), on or off."""
    return [
        correction
        for correction in corrections_at(session, point_id)
        if correction.series == series
    ]
