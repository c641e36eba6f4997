"""Missing time of calculated series: where their first input has readings and they have none."""

from __future__ import annotations

from dataclasses import dataclass

from gezeiten.archive.local_cache.layout import layout
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.record.views.calculated_view import CalculatedView
from gezeiten.desk.record.views.corrected_view import CorrectedView
from gezeiten.desk.record.views.records import view
from gezeiten.desk.sites.places import PointPlace, points
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.gaps import Gap
from gezeiten.domain.series.series_keys import channel_of
from gezeiten.domain.steps.calculated_series import CalculatedSeries
from gezeiten.domain.steps.missing_values import NO_INPUT, joined


@dataclass(frozen=True, slots=True)
class MissingTime:
    """A stretch of a calculated series (its key) without values, and why in a few words."""

    series: str
    gap: Gap
    reason: str


def missing_time(desk: Workspace, point: PointPlace) -> list[MissingTime]:
    """Return where calculated series of a point lack a value, by series and time.

    Raises:
        ArchiveDamagedError: readings that they follow from are damaged.
    """
    with desk.archive.reading() as session:
        its = [one for one in layout(session).derived.values() if one.point == point.uid]
    if not its:
        return []
    names = {place.uid: place.full_name for place in points(desk)}
    found = []
    for how in its:
        made = view(desk, point.id, how.series).source
        its_own = made.uncorrected.source if isinstance(made, CorrectedView) else made
        assert isinstance(its_own, CalculatedView)  # a calculated series is
        lacks = joined(lack for piece in its_own.listed for lack in piece.missing)
        found += [MissingTime(how.series, one.gap, _reason(how, one.cause, names)) for one in lacks]
    return found


def _reason(calculated: CalculatedSeries, cause: int, names: dict[str, str]) -> str:
    if cause == NO_INPUT:
        return "the formula has no value there"
    point, series = calculated.inputs[cause]
    name = quantity(channel_of(series)).name.lower()
    return f"no {name} of {names.get(point, point)} near enough"
