"""Which excursions are listed in which order, which follows, and what was typed of one; no Qt."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from gezeiten.desk.record.excursion_book import BookedExcursion


def arranged(events: Iterable[BookedExcursion], *, open_only: bool) -> list[BookedExcursion]:
    """Return excursions as they are listed: sites with something to assess come first, and at each
    what is to assess, latest first."""
    shown = [event for event in events if not (open_only and event.is_settled)]
    is_done: dict[str, bool] = {}
    for event in shown:
        is_done[event.point.site] = is_done.get(event.point.site, True) and event.is_settled
    return sorted(
        shown,
        key=lambda one: (is_done[one.point.site], one.point.site, one.is_settled, -one.start_ms),
    )


@dataclass(frozen=True, slots=True)
class Draft:
    """Cause and words that were typed and not settled yet."""

    cause: str
    comment: str

    def text(self) -> str:
        """As one text; a cause holds no line break."""
        return f"{self.cause}\n{self.comment}"

    @classmethod
    def of(cls, text: str) -> Draft | None:
        """The draft of a text, None for "" """
        cause, _, words = text.partition("\n")
        return cls(cause, words) if text else None


def assessment_of(event: BookedExcursion) -> tuple[str, str]:
    """Cause and words of an excursion; of one that was part of an assessed one, what was said of
    that: offered, not settled."""
    if event.once is not None:
        return event.once.cause, event.once.words
    return event.cause or "", event.comment


def to_replace(marked: list[BookedExcursion]) -> list[BookedExcursion]:
    """Return those whose assessment would be replaced and still holds: somebody is to be asked.
    One of an excursion that has changed since is to be made again anyway."""
    return [
        booked_excursion
        for booked_excursion in marked
        if booked_excursion.is_settled and not booked_excursion.changed
    ]


def next_open(excursions: list[BookedExcursion], settled: list[BookedExcursion]) -> int | None:
    """Return which excursion follows: as the list is sorted, at the same site as long as any is
    to assess there; None when none is left."""
    done = {event.id for event in settled}
    last = max((i for i, event in enumerate(excursions) if event.id in done), default=-1)
    after = [*excursions[last + 1 :], *excursions[: last + 1]]
    rest = [event for event in after if not event.is_settled and event.id not in done]
    here = [
        event for event in rest if last >= 0 and event.point.site == excursions[last].point.site
    ]
    return next((event.id for event in [*here, *rest]), None)
