"""Check readings, out of the archive."""

from __future__ import annotations

import math

from sqlalchemy.orm import Session

from gezeiten.archive.queries.statements import POINT, standing
from gezeiten.archive.store.tables import CheckReadingRow
from gezeiten.domain.steps.checks.reading import CheckReading

_CONTENT = ("value", "u", "low", "high", "dip_m", "rim_m", "by", "words")
_OF_POINT = standing(
    CheckReadingRow, "uid", POINT, "series", "at_ms", *_CONTENT, order=("at_ms",), of_point=True
)


def checks_at(session: Session, point_id: int) -> list[CheckReading]:
    """Return the check readings of all series of a point that stand, in order of time."""
    return [
        CheckReading(uid, point, series, at_ms, math.nan if value is None else value, *rest)
        for uid, point, series, at_ms, value, *rest in _OF_POINT.all(
            session.connection(), its_id=point_id
        )
    ]
