"""Series that may help to estimate a gap of another one: those that go together with it most."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

import numpy as np

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.gaps import BookedGap
from gezeiten.desk.record.views.records import read_around
from gezeiten.desk.sites.places import PointPlace, points
from gezeiten.domain.quantities.quantities import Quantity, quantity
from gezeiten.domain.series.gaps import Gap
from gezeiten.domain.series.series import Series
from gezeiten.domain.series.series_keys import channel_of, is_derived
from gezeiten.domain.series.timeline import HOUR_MS, Span, Values
from gezeiten.domain.steps.calculation import at_instants
from gezeiten.domain.steps.filling.candidates import Companion
from gezeiten.domain.steps.filling.hidden_periods import trusted_readings
from gezeiten.domain.steps.filling.sums import amounts
from gezeiten.domain.steps.filling.vapour import at_one_vapour_pressure, at_the_vapour_of
from gezeiten.domain.steps.formulas.formula import Role
from gezeiten.errors import ArchiveDamagedError

_MOST_LOOKED_AT, _MOST_COMPANIONS = 24, 3
_BESIDE_MS = 7 * HOUR_MS
_HUMIDITY = "relative_humidity"
_OF_THE_AIR = ("air_temperature", "room_temperature", "probe_temperature", "surface_temperature")


def companions(desk: Workspace, booked: BookedGap, key: str, span: Span) -> list[Companion]:
    """Return the series that go together most with one around its gap: of the same unit, those of
    the same point and site first; of humidity what vapour makes of measured temperatures, too."""
    wide = (span[0] - _BESIDE_MS, span[1] + _BESIDE_MS)
    own = read_around(desk, booked.point.id, key, span)
    listed: list[tuple[float, Companion]] = []
    for companion in _evaluated(desk, booked, key, wide):
        together = _difference_correlation(own, companion.series, booked.gap, companion.quantity)
        if together > 0:
            listed.append((together, companion))
    listed.sort(key=lambda one: -one[0])
    return [one for _, one in listed[:_MOST_COMPANIONS]]


def _evaluated(desk: Workspace, booked: BookedGap, key: str, wide: Span) -> Iterator[Companion]:
    found = list(_others(desk, booked.point, key))[:_MOST_LOOKED_AT]
    for point, other in found:
        series = _known_readings(desk, point, other, wide)
        if series is not None:
            name = f"{quantity(other).name}{_of(point, booked.point)}"
            yield Companion(name, series, quantity(other))
    if channel_of(key) == _HUMIDITY:
        yield from _by_vapour(desk, booked, wide, [point for point, _ in found])


def _known_readings(desk: Workspace, point: PointPlace, key: str, wide: Span) -> Series | None:
    try:
        return trusted_readings(read_around(desk, point.id, key, wide).between(*wide))
    except ArchiveDamagedError:
        return None  # a damaged neighbour is no help, and told elsewhere


def _of(point: PointPlace, here: PointPlace) -> str:
    return "" if point.id == here.id else f" of {point.full_name}"


def _by_vapour(
    desk: Workspace, booked: BookedGap, wide: Span, where: Iterable[PointPlace]
) -> Iterator[Companion]:
    """Yield what humidity would be by the temperature here, where that was measured in the gap."""
    here = _air(desk, booked.point, wide)
    if here is None or not len(here[1].between(booked.gap.start_ms, booked.gap.end_ms)):
        return
    name, temp = here
    humidity = quantity(_HUMIDITY)
    yield Companion(f"{name} and even vapour", at_one_vapour_pressure(temp), humidity)
    for point in dict.fromkeys(where):
        there = _air(desk, point, wide) if point.id != booked.point.id else None
        percent = _known_readings(desk, point, _HUMIDITY, wide) if there is not None else None
        if there is not None and percent is not None:
            series = at_the_vapour_of(temp, percent, there[1])
            yield Companion(f"{name} and the vapour of {point.full_name}", series, humidity)


def _air(desk: Workspace, point: PointPlace, wide: Span) -> tuple[str, Series] | None:
    """Return the temperature of the air at a point and its name, None where it is not measured."""
    measured = {place.channel for place in point.channels}
    key = next((one for one in _OF_THE_AIR if one in measured), None)
    series = _known_readings(desk, point, key, wide) if key else None
    return (quantity(key).name, series) if key and series is not None else None


def _others(desk: Workspace, here: PointPlace, key: str) -> Iterable[tuple[PointPlace, str]]:
    unit = quantity(key).unit
    listed = sorted(points(desk), key=lambda one: (one.id != here.id, one.site != here.site))
    for point in listed:
        for place in point.channels:
            its = quantity(place.channel)
            is_itself = point.id == here.id and place.channel == key
            if (
                its.unit == unit
                and not is_itself
                and its.averages == quantity(key).averages
                and not is_derived(place.channel)
            ):
                yield point, place.channel


def _difference_correlation(own: Series, other: Series, gap: Gap, its: Quantity) -> float:
    """Return how closely the first differences of two series (of what is summed, the amounts) go
    together, 0 to 1; 0 where the other one has nothing in the gap."""
    if not len(other.between(gap.start_ms, gap.end_ms)) or len(own) < 3:
        return 0.0
    if its.averages == "sum":
        a, b = own.values, amounts(other, own.times_utc_ms, own.interval_ms)
        return _correlated(a, b)
    step = max(1, len(own) // 5_000)
    times = own.times_utc_ms[::step]
    there, _ = at_instants(other, times, Role("", its.unit), its.averages)
    return _correlated(np.diff(own.values[::step]), np.diff(there))


def _correlated(a: Values, b: Values) -> float:
    both = np.isfinite(a) & np.isfinite(b)
    if both.sum() < 50 or a[both].std() == 0 or b[both].std() == 0:
        return 0.0
    return abs(float(np.corrcoef(a[both], b[both])[0, 1]))
