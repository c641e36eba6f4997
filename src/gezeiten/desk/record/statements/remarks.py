"""Remarks on what was measured: written where it is seen, shown in every picture and paper."""

from __future__ import annotations

from gezeiten.archive.queries.remarks import remarks_on
from gezeiten.archive.queries.sites import stored_point
from gezeiten.archive.store.ids import fresh_id
from gezeiten.desk.base.workspace import Workspace
from gezeiten.domain.actions.remarks import RemarkMade, RemarkWithdrawn
from gezeiten.domain.facts.stored import Remark
from gezeiten.domain.series.timeline import Span


def remarks(desk: Workspace, point_id: int) -> list[Remark]:
    """Return the remarks on a point and on its site, the oldest first."""
    with desk.archive.reading() as session:
        return remarks_on(session, point_id)


def write_remark(
    desk: Workspace,
    point_id: int,
    span: Span,
    words: str,
    *,
    series: str = "",
    whole_site: bool = False,
) -> None:
    """Write a remark on a stretch, or on an instant where begin and end are one.

    Args:
        series: the key of the one that it is about, "" for all of the point.

    Raises:
        InputError: no words, or an end before its begin.
    """
    with desk.archive.reading() as session:
        point = stored_point(session, point_id).uid
    series = "" if whole_site else series
    desk.do(RemarkMade(point, fresh_id(), series, whole_site, *span, words.strip()))


def withdraw_remark(desk: Workspace, remark: Remark) -> None:
    """Take a remark back; what it said stays in the logbook."""
    desk.do(RemarkWithdrawn(remark.point, remark.uid, remark.text))
