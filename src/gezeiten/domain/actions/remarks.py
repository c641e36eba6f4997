"""Actions on remarks: a note on an instant or a stretch of a series, a point or a site."""

from __future__ import annotations

from dataclasses import dataclass

from gezeiten.domain.actions.base import Action, Subject, instant_text
from gezeiten.domain.actions.scope import no_scope
from gezeiten.domain.quantities.quantities import quantity


@dataclass(frozen=True, slots=True)
class RemarkMade(Action, kind="remark made", word="remark", about="point", affects=no_scope):
    """A note on [start_ms, end_ms), or on an instant where both are one. remark: its id; series:
    the key of the one that it is about, "" for all of the point; whole_site: for all points of its
    site."""

    point: str
    remark: str
    series: str
    whole_site: bool
    start_ms: int
    end_ms: int
    words: str

    def describe(self, subject: Subject) -> str:
        until = f" to {instant_text(self.end_ms, subject.zone)}"
        until = until if self.end_ms > self.start_ms else ""
        about = f" ({quantity(self.series).name})" if self.series else ""
        about = " (the whole site)" if self.whole_site else about
        return f"{instant_text(self.start_ms, subject.zone)}{until}{about}: {self.words}"


@dataclass(frozen=True, slots=True)
class RemarkWithdrawn(
    Action, kind="remark taken back", word="undo", about="point", affects=no_scope
):
    """A remark does not stand any more. words: what it said."""

    point: str
    remark: str
    words: str

    def describe(self, subject: Subject) -> str:
        return f"Remark withdrawn: {self.words}"
