"""What Mend knows of the chosen gap, what could fill it and what can be done; no Qt."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Literal

from gezeiten.desk.field.alternative_sources import AlternativeReadings
from gezeiten.desk.field.estimates import FillMethod
from gezeiten.desk.field.gap_filling import LineOffer, LoggerOffer
from gezeiten.desk.field.gaps import BookedGap
from gezeiten.domain.series.gaps import Gap
from gezeiten.domain.series.timeline import DAY_MS, HOUR_MS, Span
from gezeiten.domain.steps.steps import MEASURED, NOT_CALCULATED

Source = Literal["logger", "line", "way", "other"]
LoggerSays = Literal["what it holds", "fetched", "undo first", "not needed", "calculated"]
LineSays = Literal["refusal", "between the ends", "filled", "otherwise", "not needed", "calculated"]


def arranged(gaps: Iterable[BookedGap]) -> list[BookedGap]:
    """Return gaps as they are listed: by site, in the order of the first open one at each; open
    ones first."""
    listed = sorted(gaps, key=lambda one: one.state != "open")
    sites = list(dict.fromkeys(one.point.site for one in listed))
    return sorted(listed, key=lambda one: sites.index(one.point.site))


def surroundings(gap: Gap) -> Span:
    """The stretch in which a gap is shown."""
    beside_ms = max(gap.length_ms * 0.6, DAY_MS / 8)
    return (round(gap.start_ms - beside_ms), round(gap.end_ms + beside_ms))


def table_span(gap: Gap) -> Span:
    """The stretch whose readings are shown as a table."""
    beside_ms = max(gap.length_ms, 12 * HOUR_MS)
    return (gap.start_ms - beside_ms, gap.end_ms + beside_ms)


def draft_key(booked: BookedGap) -> str:
    """Under which a reason is kept until the gap is left open."""
    return f"gap:{booked.point.id}:{booked.gap.start_ms}:{booked.gap.end_ms}"


@dataclass(frozen=True, slots=True)
class SourceOffers:
    """What the two sources say of a gap in the state it is in.

    can_ask, can_draw: whether the logger, or a line, can fill it now. covers: how many of its
    readings each would bring, or brought, None where that is not said.
    """

    logger: LoggerOffer
    line: LineOffer
    logger_offer: LoggerSays
    logger_covers: int | None
    is_measured: bool
    line_offer: LineSays
    line_covers: int | None
    shows_errors: bool
    can_ask: bool
    can_draw: bool

    @property
    def usual(self) -> Source | None:
        """Which is chosen by itself: what is measured comes before what is estimated."""
        return "logger" if self.can_ask else "line" if self.can_draw else None


def offers(
    booked: BookedGap, logger: LoggerOffer, line: LineOffer, *, by_line: bool = False
) -> SourceOffers:
    """Return what the sources say of a gap. by_line: where it is filled, a line fills it."""
    is_open = booked.state in ("open", "left open")
    holds_some = bool(logger.readings) or logger.undone_offload is not None
    missing = booked.gap.missing
    if booked.state == NOT_CALCULATED:
        return SourceOffers(
            logger, line, "calculated", None, False, "calculated", None, False, False, False
        )
    if booked.state in MEASURED:
        fetched = booked.state == "from the logger"
        return SourceOffers(
            logger,
            line,
            "fetched" if fetched else "not needed",
            missing if fetched else None,
            fetched,
            "not needed",
            None,
            False,
            False,
            False,
        )
    if booked.state == "estimated":
        return SourceOffers(
            logger,
            line,
            "undo first",
            logger.readings if holds_some else None,
            holds_some,
            "filled" if by_line else "otherwise",
            missing if by_line else None,
            True,
            False,
            False,
        )
    fits = not line.refusal
    return SourceOffers(
        logger,
        line,
        "what it holds",
        logger.readings if holds_some else None,
        holds_some,
        "between the ends" if fits else "refusal",
        line.readings if fits else None,
        True,
        holds_some and is_open,
        fits and is_open,
    )


@dataclass(slots=True)
class SelectedGap:
    """The chosen gap and what is being done about it. source: by which it would be filled; is_busy:
    something is being done; methods: to estimate it, as far as they are known; method: the
    selected one; by_hand: somebody selected it; others: what was measured beside its logger;
    other: the selected one."""

    booked: BookedGap | None = None
    offers: SourceOffers | None = None
    source: Source | None = None
    is_busy: bool = False
    methods: list[FillMethod] = field(default_factory=list)
    method: FillMethod | None = None
    by_hand: bool = False
    others: list[AlternativeReadings] = field(default_factory=list)
    other: AlternativeReadings | None = None

    def set_gap(
        self, booked: BookedGap, source_offers: SourceOffers, others: list[AlternativeReadings]
    ) -> None:
        """A gap was looked at; what would fill it is chosen anew: what is measured before what is
        estimated, the logger itself before another one."""
        self.booked, self.offers, self.source = booked, source_offers, source_offers.usual
        self.methods, self.method, self.by_hand = [], None, False
        self.others, self.other = others, None
        best = next(
            (
                alternative_readings
                for alternative_readings in others
                if not alternative_readings.refusal
            ),
            None,
        )
        if best is not None and self.is_open and not source_offers.can_ask:
            self.source, self.other = "other", best

    def leave(self) -> None:
        """No gap is chosen any more."""
        self.booked = self.offers = self.source = self.method = self.other = None
        self.methods, self.others = [], []

    def select(self, source: Source) -> None:
        """Choose what fills it, where that can be."""
        told = self.offers
        if told is not None and (told.can_ask if source == "logger" else told.can_draw):
            self.source, self.method, self.other, self.by_hand = source, None, None, True

    def select_method(self, method: FillMethod) -> None:
        """Choose an estimate, where the gap is open."""
        if self.is_open and not method.refusal:
            self.source, self.method, self.other, self.by_hand = "way", method, None, True

    def select_alternative(self, other: AlternativeReadings) -> None:
        """Choose what was measured beside it, where the gap is open."""
        if self.is_open and not other.refusal:
            self.source, self.method, self.other, self.by_hand = "other", None, other, True

    def set_methods(self, methods: list[FillMethod]) -> None:
        """Ways were found. As long as nobody chose, the best one is chosen where nothing measured
        can fill the gap and it does better than a straight line, or no line may be drawn; what was
        the best before all were known is not."""
        self.methods = methods
        if self.by_hand and self.method is not None:
            self.method = next(
                (fill_method for fill_method in methods if fill_method.name == self.method.name),
                self.method,
            )
            return
        told, best = (
            self.offers,
            next((fill_method for fill_method in methods if not fill_method.refusal), None),
        )
        if told is None or self.by_hand or not self.is_open or told.can_ask:
            return
        if self.other is not None:
            return
        if best is not None and (best.beats_line or not told.can_draw):
            self.source, self.method = "way", best
        else:
            self.source, self.method = told.usual, None

    @property
    def is_open(self) -> bool:
        """Whether nothing fills it yet."""
        return self.booked is not None and self.booked.state in ("open", "left open")

    @property
    def can_fill(self) -> bool:
        """Whether it can be filled now."""
        return self.source is not None and not self.is_busy

    @property
    def can_leave(self) -> bool:
        """Whether it can be left open now."""
        return self.booked is not None and self.booked.state == "open" and not self.is_busy

    @property
    def can_undo(self) -> bool:
        """Whether what was done about it can be undone now."""
        return self.booked is not None and bool(self.booked.steps) and not self.is_busy

    @property
    def shows_line(self) -> bool:
        """Whether the line that is offered is drawn."""
        return self.source == "line"
