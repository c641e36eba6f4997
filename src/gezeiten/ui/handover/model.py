"""What would be handed over, what was before, and whether it can be done now; no Qt."""

from __future__ import annotations

from dataclasses import dataclass, field

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.office.issuing import IssuedDocument
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import PointPlace
from gezeiten.domain.series.timeline import DAY_MS, MINUTE_MS, Span

USUAL_DAYS = 14


@dataclass(frozen=True, slots=True)
class Target:
    """A point and a stretch that somebody came with, and the document that it is of ("" none)."""

    point_id: int
    span: Span
    sha256: str = ""


@dataclass(frozen=True, slots=True)
class Contents:
    """What a stretch of a point holds: values, and how many of them are estimated."""

    point_id: int
    span: Span
    values: int
    estimated: int


@dataclass(slots=True)
class HandoverModel:
    """points: with readings; issued: documents, newest first; point: the chosen one; span: the
    chosen stretch; target: waits until its point is known; is_busy: a document is being written."""

    points: list[PointPlace] = field(default_factory=list)
    issued: list[IssuedDocument] = field(default_factory=list)
    point: PointPlace | None = None
    span: Span = (0, 0)
    contents: Contents | None = None
    target: Target | None = None
    is_busy: bool = False

    def set_data(self, points: list[PointPlace], past: list[IssuedDocument]) -> bool:
        """What there is was loaded; returns whether the point that was chosen is there still: else
        the first one is chosen."""
        self.points, self.issued = points, past
        before = self.point
        self.point = self._of_id(before.id) if before else None
        stays = self.point is not None
        if self.point is None and points:
            self.point = points[0]
        return stays

    def select(self, point_id: int | None) -> None:
        """Choose a point."""
        self.point = self._of_id(point_id)

    def select_target(self, target: Target) -> bool:
        """Choose what somebody came with; False where its point is not known yet: it waits."""
        point = self._of_id(target.point_id)
        self.target = None if point else target
        if point is not None:
            self.point = point
        return point is not None

    def _of_id(self, point_id: int | None) -> PointPlace | None:
        return next((point for point in self.points if point.id == point_id), None)

    def point_of(self, document: IssuedDocument) -> PointPlace | None:
        """Return the point that a document is about, None where it has no readings any more."""
        return self._of_id(document.point_id)

    def line_of(self, sha256: str) -> int | None:
        """Return which document has a fingerprint."""
        return next((i for i, one in enumerate(self.issued) if one.sha256 == sha256), None)

    def set_contents(self, contents: Contents) -> bool:
        """What a stretch holds was counted; False where another one is chosen by now."""
        is_current = self.point is not None and contents.point_id == self.point.id
        if is_current and contents.span == self.span:
            self.contents = contents
            return True
        return False

    @property
    def asks(self) -> tuple[PointPlace, Span] | None:
        """Return what is to be counted, None where nothing is chosen or the end lies first."""
        if self.point is None or self.span[1] <= self.span[0]:
            return None
        return self.point, self.span

    @property
    def can_write(self) -> bool:
        """Whether a document of it can be written now."""
        contents = self.contents
        holds_some = contents is None or contents.values > 0  # not counted yet: writing says it
        return not self.is_busy and self.asks is not None and holds_some


def usual_span(whole: Span) -> Span:
    """The stretch that is offered first: the last days of a record (both ends included)."""
    end = whole[1] + 1
    return (max(end - USUAL_DAYS * DAY_MS, whole[0]), end)


def in_minutes(span: Span) -> Span:
    """A stretch as fields of whole minutes show it: nothing of it is left out."""
    return (span[0] // MINUTE_MS * MINUTE_MS, -(-span[1] // MINUTE_MS) * MINUTE_MS)


def count(desk: Workspace, point: PointPlace, span: Span) -> Contents:
    """Count what a stretch of a point holds."""
    parts = [record(desk, point.id, place.channel, span) for place in point.channels]
    estimated = sum(int(part.estimated.sum()) for part in parts)
    return Contents(point.id, span, sum(len(part) for part in parts), estimated)
