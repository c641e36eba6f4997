"""Limits set for series, out of the archive."""

from __future__ import annotations

from sqlalchemy.orm import Session

from gezeiten.archive.queries.statements import standing
from gezeiten.archive.store.tables import SeriesLimit
from gezeiten.domain.facts.stored import StoredLimit
from gezeiten.domain.limits.limits import limit_rule
from gezeiten.errors import ArchiveDamagedError

_CONTENT = ("uid", "point_id", "series", "rule", "start_ms", "end_ms", "words")
_ALL = standing(SeriesLimit, *_CONTENT, order=("start_ms", "uid"))
_OF_POINT = standing(SeriesLimit, *_CONTENT, order=("start_ms", "uid"), of_point=True)


def limits_of_series(session: Session, point_id: int | None = None) -> list[StoredLimit]:
    """Return the limits that stand, of a point or of all, in the order in which they began.

    Raises:
        ArchiveDamagedError: one cannot be read.
    """
    connection = session.connection()
    rows = _ALL.all(connection) if point_id is None else _OF_POINT.all(connection, its_id=point_id)
    try:
        return [
            StoredLimit(uid, key, series, limit_rule({**rule, "origin": uid}), *rest)
            for uid, key, series, rule, *rest in rows
        ]
    except (KeyError, TypeError, ValueError) as exc:
        raise ArchiveDamagedError(
            "A limit of a series cannot be read; verify the archive."
        ) from exc
