"""What a chart is asked to draw: lanes with their lines, limits, tints and overviews."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from gezeiten.desk.intake.overviews import OverviewLine
from gezeiten.desk.record.views.record_view import DrawnPictures, RecordView
from gezeiten.domain.facts.stored import Remark
from gezeiten.domain.limits.limits import InForce, LimitRule
from gezeiten.domain.quantities.quantities import QUANTITIES, Averages
from gezeiten.domain.series.drawing.pyramid import Picture
from gezeiten.domain.series.series import Series
from gezeiten.domain.series.series_keys import channel_of
from gezeiten.domain.series.timeline import Span


@dataclass(frozen=True, slots=True)
class Trace:
    """One line: a name and the series it shows; factor, offset: to the unit shown; color: #rrggbb,
    or "".

    rules: the limits now in force on it, in the unit shown; limits: all it had, by when.
    """

    name: str
    view: RecordView
    factor: float = 1.0
    offset: float = 0.0
    color: str = ""
    rules: tuple[LimitRule, ...] = ()
    limits: tuple[InForce, ...] = ()
    averages: Averages = "plain"

    def picture(self, span: Span, columns: int) -> DrawnPictures:
        """Return the pictures of a stretch in the unit shown, measured and estimated apart."""
        drawn = self.view.picture(span, columns)
        return replace(
            drawn, measured=self._in_unit(drawn.measured), estimated=self._in_unit(drawn.estimated)
        )

    def _in_unit(self, picture: Picture) -> Picture:
        if (self.factor, self.offset) == (1.0, 0.0):
            return picture
        return replace(picture, values=picture.values * self.factor + self.offset)

    def nearest(self, at_ms: int) -> float | None:
        """Return the reading nearest to an instant in the unit shown, None where there is none.

        Raises:
            LookupError: it is not in memory.
        """
        value = self.view.nearest(at_ms)
        return None if value is None else value * self.factor + self.offset

    def in_unit(self, series: Series) -> Series:
        """Return readings in the unit shown."""
        if (self.factor, self.offset) == (1.0, 0.0):
            return series
        return replace(series, values=series.values * self.factor + self.offset)

    def limits_in(self, span: Span) -> tuple[LimitRule, ...]:
        """Return the limits that are in force in a stretch, each once; those now in force where it
        is not known when."""
        if not self.limits:
            return self.rules
        return tuple(
            dict.fromkeys(
                rule
                for limit in self.limits
                if limit.start_ms < span[1] and limit.end_ms > span[0]
                for rule in limit.rules
            )
        )


@dataclass(frozen=True, slots=True)
class Tint:
    """A tinted stretch; side "above" or "below" adds a triangle, "" none. hatched: readings are
    absent there, as the whole product shows what is absent."""

    span: Span
    color: str
    side: str = ""
    alpha: int = 60
    hatched: bool = False

    @property
    def kind(self) -> Tint:
        """The same without its stretch."""
        return replace(self, span=(0, 0))


@dataclass(frozen=True, slots=True)
class ShownCheck:
    """A value read by hand, with its uncertainty (k = 2) and the lowest and highest since the look
    before where these were read; in the unit shown. value: NaN where only those were."""

    at_ms: int
    value: float
    u: float
    low: float | None = None
    high: float | None = None


@dataclass(frozen=True, slots=True)
class Lane:
    """One quantity: all lines share its scale. proposal: dashed; band: of it, its lower and its
    upper edge; remarks: on any of its lines; checks: read by hand for any of them."""

    title: str
    unit: str
    decimals: int
    traces: tuple[Trace, ...]
    tints: tuple[Tint, ...] = ()
    proposal: Series | None = None
    overviews: tuple[OverviewLine, ...] = ()
    symbol: str = ""
    band: tuple[Series, Series] | None = None
    remarks: tuple[Remark, ...] = ()
    checks: tuple[ShownCheck, ...] = ()

    @property
    def is_non_negative(self) -> bool:
        """Whether none of its lines can lie below zero: counts, humidity, rain."""
        keys = [channel_of(trace.view.key) for trace in self.traces]
        return bool(keys) and all(QUANTITIES[key].low == 0 for key in keys if key in QUANTITIES)

    def checked_in(self, span: Span) -> list[float]:
        """Return what was read by hand in a stretch."""
        return [
            check.value
            for check in self.checks
            if span[0] <= check.at_ms < span[1] and not math.isnan(check.value)
        ]

    def rules_in(self, span: Span) -> tuple[LimitRule, ...]:
        """The limits of all lines in a stretch, each once."""
        return tuple(dict.fromkeys(rule for trace in self.traces for rule in trace.limits_in(span)))
