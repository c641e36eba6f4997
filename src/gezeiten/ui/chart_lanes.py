"""What a chart is asked to draw: lanes with their lines, limits, tints and overviews."""

from __future__ import annotations

from dataclasses import dataclass

from gezeiten.desk.intake.overviews import OverviewLine
from gezeiten.domain.limits import InForce, LimitRule
from gezeiten.domain.pyramid import Pyramid, split_for_drawing
from gezeiten.domain.quantities import Averages
from gezeiten.domain.series import Series
from gezeiten.domain.timeline import Span


@dataclass(frozen=True, slots=True)
class Trace:
    """One line: a name and its readings, measured and estimated apart; color: #rrggbb, or "".

    rules: the limits now in force on it, in the unit shown; limits: all it had, by when.
    """

    name: str
    series: Series
    measured: Pyramid
    estimated: Pyramid
    color: str = ""
    rules: tuple[LimitRule, ...] = ()
    limits: tuple[InForce, ...] = ()
    averages: Averages = "plain"


def make_trace(name: str, series: Series) -> Trace:
    """Return the trace of a series, with its summaries for drawing."""
    measured, estimated = split_for_drawing(series)
    return Trace(name, series, Pyramid(measured), Pyramid(estimated))


@dataclass(frozen=True, slots=True)
class Tint:
    """A tinted stretch; side "above" or "below" adds a triangle, "" none. hatched: readings are
    absent there, as the whole product shows what is absent."""

    span: Span
    color: str
    side: str = ""
    alpha: int = 60
    hatched: bool = False


@dataclass(frozen=True, slots=True)
class Lane:
    """One quantity: all lines share its scale."""

    title: str
    unit: str
    decimals: int
    traces: tuple[Trace, ...]
    tints: tuple[Tint, ...] = ()
    proposal: Series | None = None
    overviews: tuple[OverviewLine, ...] = ()
    symbol: str = ""

    @property
    def rules(self) -> tuple[LimitRule, ...]:
        """The limits of all lines, each once."""
        return tuple(dict.fromkeys(rule for trace in self.traces for rule in trace.rules))
