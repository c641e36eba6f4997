"""Actions on series that are calculated from others."""

from __future__ import annotations

from dataclasses import dataclass

from gezeiten.domain.actions.base import Action, Subject
from gezeiten.domain.actions.scope import point_scope
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.steps.formulas import formula_title


@dataclass(frozen=True, slots=True)
class Input:
    """A series that another one is calculated from."""

    point: str
    series: str


@dataclass(frozen=True, slots=True)
class SeriesCalculated(
    Action, kind="series derived", word="calculated", about="point", affects=point_scope
):
    """A series of a point is calculated from others from now on, for all time. derived: its id;
    series: its key; inputs: by role; parameters: all that can be set, in their units."""

    point: str
    derived: str
    series: str
    formula: str
    version: int
    parameters: dict[str, float]
    inputs: tuple[Input, ...]
    words: str

    def describe(self, subject: Subject) -> str:
        names = " and ".join(quantity(one.series).name for one in self.inputs)
        by = formula_title(self.formula, self.version)
        why = f": {self.words}" if self.words else ""
        return f"{quantity(self.series).name} is calculated from {names} ({by}){why}."


@dataclass(frozen=True, slots=True)
class CalculationRemoved(
    Action, kind="derived taken back", word="calculated", about="point", affects=point_scope
):
    """A series is not calculated any more; nothing that was measured changes. series: its key."""

    point: str
    derived: str
    series: str

    def describe(self, subject: Subject) -> str:
        return f"{quantity(self.series).name} of {subject.name} is no longer calculated."
