"""Dated statements read out of their tables: those that stand, in one way for every family."""

from __future__ import annotations

from typing import Any

from sqlalchemy import bindparam, select

from gezeiten.archive.store.prepared import PreparedStatement
from gezeiten.archive.store.tables import Base, Point

POINT = "point"
"""Stands for the id of the point that a statement is about, among the names of columns."""
_AUTHOR = ("said_ms", "said_by")


def standing(
    table: type[Base], *columns: str, order: tuple[str, ...], of_point: bool = False
) -> PreparedStatement:
    """Return the query for all statements of a family that were not withdrawn.

    Args:
        columns: what a row holds, by names of columns and POINT; who said it and when (UTC ms)
            come behind them.
        order: of rows, by names of columns, then by when they were said and their id.
        of_point: only those of one point, whose key is handed over as `its_id`.
    """
    row: Any = table
    asked: list[Any] = [
        Point.uid if name == POINT else getattr(row, name) for name in (*columns, *_AUTHOR)
    ]
    query = select(*asked).join(Point, Point.id == row.point_id).where(row.undone_ms.is_(None))
    if of_point:
        query = query.where(Point.id == bindparam("its_id"))
    ordering = dict.fromkeys((*order, "said_ms", "uid"))
    return PreparedStatement(query.order_by(*(getattr(row, name) for name in ordering)))
