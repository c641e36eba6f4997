"""A part of a mission, or an overview of it: which readings a stretch holds, what they cost."""

from __future__ import annotations

from dataclasses import dataclass

from gezeiten.desk.logger.contact import LoggerCard
from gezeiten.domain.series.coverage import Range, missing, numbers_between, size, within
from gezeiten.domain.series.drawing.thinning import MOST_EVERY, ThinKind, Thinning
from gezeiten.domain.series.timeline import Span
from gezeiten.link.files.mission_blocks import READINGS_PER_BLOCK
from gezeiten.link.offload import needed_blocks
from gezeiten.link.session import DirectoryEntry

NEAT_VALUES = 1_000
"""An overview of so many values fills a screen."""


@dataclass(frozen=True, slots=True)
class MissionExtent:
    """The mission in a logger's memory, evenly spaced. open_ranges: readings not kept here."""

    entry: DirectoryEntry
    open_ranges: tuple[Range, ...]

    @property
    def span(self) -> Span:
        """From the oldest reading in memory to the newest."""
        return self.instant(self.entry.first_held), self.instant(max(self.entry.readings - 1, 0))

    @property
    def open_spans(self) -> list[Span]:
        """From the first to the last reading of each stretch that is not kept."""
        return [(self.instant(a), self.instant(b - 1)) for a, b in self.open_ranges]

    def instant(self, number: int) -> int:
        """Return when a reading was due, by the logger's clock."""
        return self.entry.first_ms + number * self.entry.interval_ms

    def numbers_in(self, span: Span) -> Range:
        """Return the numbers of the readings in memory due in a stretch, both ends included."""
        entry = self.entry
        return within(
            numbers_between(entry.first_ms, entry.interval_ms, *span), entry.numbers_in_memory
        )

    def missing_in(self, span: Span) -> list[Range]:
        """Return the readings of a stretch that are not kept yet."""
        selected = self.numbers_in(span)
        return missing(selected, missing(selected, self.open_ranges))

    def blocks(self, ranges: list[Range]) -> int:
        """Return how many blocks have to come for these readings."""
        return sum(map(len, needed_blocks(ranges, self.entry.numbers_in_memory)))

    def bytes_of(self, ranges: list[Range]) -> int:
        """Return how many bytes have to come for these readings."""
        return self.blocks(ranges) * self.entry.block_bytes

    def left_open(self, ranges: list[Range]) -> int:
        """Return how many readings still are not kept when these have come."""
        return size(self.open_ranges) - size(ranges)

    def overview(self, span: Span, kind: ThinKind, every: int) -> Thinning:
        """Return an overview of a stretch, whether kept or not."""
        return Thinning(kind, every, *self.numbers_in(span))

    def neat_every(self, span: Span) -> int:
        """Return of how many readings to make one value so that a screen is filled."""
        first, end = self.numbers_in(span)
        return min(max(-(-(end - first) // NEAT_VALUES), 2), MOST_EVERY)

    def overview_bytes(self, thinning: Thinning) -> int:
        """Return about how many bytes an overview takes; means come with lowest and highest."""
        columns = 3 if thinning.kind == ThinKind.MEANS else 1
        blocks = -(-thinning.values // READINGS_PER_BLOCK)
        return max(blocks, 0) * columns * self.entry.block_bytes


def newest_extent(card: LoggerCard) -> MissionExtent | None:
    """Return the newest mission of a logger, None where it has none or spaces them unevenly."""
    uneven = card.plan is not None and (card.plan.outside_interval_s or card.plan.restart)
    if not card.directory or uneven:
        return None
    entry = card.directory[-1]
    part = next((p for p in card.unstored if p.entry.mission == entry.mission), None)
    return MissionExtent(entry, tuple(part.ranges) if part else ())
