"""Series calculated from others: what can be, which are, and how one comes and goes."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from gezeiten.archive.local_cache.layout import layout
from gezeiten.archive.queries.calculated_series import CalculationNote, calculation_notes
from gezeiten.archive.queries.sensor_depths import hangings
from gezeiten.archive.queries.sites import stored_point, stored_sites
from gezeiten.archive.store.ids import fresh_id
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.record.views.records import extent, read_around
from gezeiten.desk.sites.places import ChannelPlace, PointPlace, points
from gezeiten.domain.actions.calculated_series import CalculationRemoved, Input, SeriesCalculated
from gezeiten.domain.board.route import distance_km
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.series import Series
from gezeiten.domain.series.series_keys import as_label, channel_of, derived_key, own_label
from gezeiten.domain.series.timeline import DAY_MS, EVER_MS, from_ms
from gezeiten.domain.steps.calculated_series import CalculatedSeries
from gezeiten.domain.steps.calculation import derive
from gezeiten.domain.steps.formulas import Formula, Parameter, is_own, newest_of, with_units
from gezeiten.domain.steps.formulas.typed_value import FROM_MS, UNTIL_MS
from gezeiten.domain.steps.sensor_depth import SensorDepth
from gezeiten.errors import InputError

_SHOWN_MS = 7 * DAY_MS


@dataclass(frozen=True, slots=True)
class Calculation:
    """A series that somebody wants calculated. inputs: by role, the first at the point that it is
    to be at; label: "" for the only one of its quantity there. result: the channel that an own
    formula gives, "" of all others."""

    formula: Formula
    inputs: tuple[tuple[PointPlace, str], ...]
    parameters: Mapping[str, float]
    label: str = ""
    result: str = ""

    @property
    def point(self) -> PointPlace:
        """Where it is."""
        return self.inputs[0][0]

    @property
    def channel(self) -> str:
        """What comes out."""
        return self.result or self.formula.result(channel_of(self.inputs[0][1]))

    @property
    def checked_formula(self) -> Formula:
        """Its formula, ready to be applied.

        Raises:
            InputError: the units of an own formula do not fit together.
        """
        if not is_own(self.formula.key):
            return self.formula
        units = [quantity(channel_of(key)).unit for _, key in self.inputs]
        return with_units(self.formula, units, quantity(self.channel).unit)


@dataclass(frozen=True, slots=True)
class CalculationView:
    """A series of a point that is calculated: how, from what (names by role), and who said so."""

    series: CalculatedSeries
    inputs: tuple[tuple[str, str], ...]
    note: CalculationNote


def calculations(desk: Workspace, point_id: int) -> list[CalculationView]:
    """Return the calculated series of a point."""
    names = {point.uid: point.full_name for point in points(desk)}
    with desk.archive.reading() as session:
        made = layout(session)
        said = calculation_notes(session)
    its = [one for one in made.derived.values() if one.point == made.points[point_id]]
    return [
        CalculationView(one, tuple((names[uid], key) for uid, key in one.inputs), said[one.uid])
        for one in its
    ]


def formula_texts(desk: Workspace, point: PointPlace) -> dict[str, str]:
    """Return how each calculated series of a point comes about, in a sentence without its end."""
    return {
        calculation.series.series: _formula_text(calculation, point)
        for calculation in calculations(desk, point.id)
    }


def _formula_text(calculation_view: CalculationView, point: PointPlace) -> str:
    formula, said = calculation_view.series.formula_in_force, calculation_view.note
    names = [
        quantity(key).name + ("" if name == point.full_name else f" of {name}")
        for name, key in calculation_view.inputs
    ]
    numbers = [
        _parameter_text(parameter, calculation_view.series.parameters[parameter.key], point.zone)
        for parameter in formula.parameters
    ]
    if formula.is_of_any:
        numbers[0] = (
            f"{numbers[0]} {quantity(channel_of(calculation_view.series.series)).unit}".rstrip()
        )
    numbers += [
        f"rim {depths.rim_m:g} m and sensor {depths.length_m:g} m below it from "
        f"{from_ms(depths.since_ms, point.zone):%Y-%m-%d %H:%M}"
        for depths in calculation_view.series.sensor_depths
        if formula.uses_sensor_depth
    ]
    why = f": {said.reason}" if said.reason else ""
    since = f"{from_ms(said.at_ms, point.zone):%Y-%m-%d %H:%M}"
    given = "".join(f", {words}" for words in numbers)
    old = f"; to be recalculated: {formula.superseded}" if formula.superseded else ""
    return (
        f"calculated from {' and '.join(names)} ({formula.name}, {formula.source}{given}), set "
        f"by {said.person} {since}{why}{old}"
    )


def _parameter_text(parameter: Parameter, value: float, zone: str) -> str:
    """Return a parameter in words; an instant as such, without end as "until further notice"."""
    if not parameter.is_instant:
        return f"{parameter.name.lower()} {value:g} {parameter.unit}".rstrip()
    if not 0 < value < EVER_MS:
        return "from the first reading on" if value <= 0 else "until further notice"
    return f"{parameter.name.lower()} {from_ms(round(value), zone):%Y-%m-%d %H:%M}"


@dataclass(frozen=True, slots=True)
class NearPlace:
    """A point whose series can be an input of a calculation at another one. where: in
    words: "same point", "same site", "12 km away", "" where its position is not known."""

    point: PointPlace
    where: str


def by_nearness(desk: Workspace, point: PointPlace) -> list[NearPlace]:
    """Return all points in the order in which they are proposed for a point: itself, those of its
    site, the others by distance, those of which no position is known last."""
    with desk.archive.reading() as session:
        positions = {
            key: (site.facts.latitude, site.facts.longitude)
            for key, site in stored_sites(session).items()
        }

    def to_point_km(one: PointPlace) -> float:
        here, there = positions[point.site_id], positions[one.site_id]
        if None in (*here, *there):
            return math.inf
        return distance_km((here[0] or 0.0, here[1] or 0.0), (there[0] or 0.0, there[1] or 0.0))

    found = []
    for one in points(desk):
        far = to_point_km(one)
        how = "" if math.isinf(far) else f"{far:.0f} km away" if far >= 1 else "under 1 km away"
        if one.site_id == point.site_id:
            far, how = (-2.0, "same point") if one.id == point.id else (-1.0, "same site")
        found.append((far, NearPlace(one, how)))
    return [one for _, one in sorted(found, key=lambda pair: pair[0])]


def that_fit(point: PointPlace, formula: Formula, position: int) -> list[ChannelPlace]:
    """Return the series of a point that can stand in a role of a formula, by its position."""
    role = formula.roles[position]
    fitting = [
        place for place in point.channels if role.accepts(quantity(channel_of(place.channel)))
    ]
    if position or is_own(formula.key) or formula.is_of_any:
        return fitting
    return [one for one in fitting if formula.starts_from(channel_of(one.channel))]


def checked(calculation: Calculation) -> dict[str, float]:
    """Return all parameters of a calculation that makes sense.

    Raises:
        InputError: it makes none; the sentence says why.
    """
    as_label(calculation.label)
    since, until = (
        calculation.parameters.get(key, usual)
        for key, usual in ((FROM_MS, 0.0), (UNTIL_MS, EVER_MS))
    )
    if calculation.formula.is_of_any and not since < until:
        raise InputError(
            "The period of the typed value ends before it begins; correct one of the two."
        )
    quantities = tuple(quantity(channel_of(key)) for _, key in calculation.inputs)
    reason = calculation.formula.problem(quantities)
    if reason:
        raise InputError(f"“{calculation.formula.name}” cannot be calculated from these: {reason}.")
    try:
        return calculation.checked_formula.checked(calculation.parameters)
    except ValueError as exc:
        raise InputError(f"“{calculation.formula.name}” cannot be calculated: {exc}.") from exc


def _refuse_unhung(desk: Workspace, calculation: Calculation) -> None:
    if calculation.formula.uses_sensor_depth and not _sensor_depths(desk, calculation.point):
        raise InputError(
            "The sensor depth there is not known; enter it first (Sites and points, Sensor depth)."
        )


def preview(desk: Workspace, calculation: Calculation) -> Series:
    """Return what would be calculated of the last week of the first input.

    Raises:
        InputError: it makes no sense.
        ArchiveDamagedError: readings are damaged.
    """
    parameters = checked(calculation)
    _refuse_unhung(desk, calculation)
    whole = extent(desk, calculation.point.id, [calculation.inputs[0][1]])
    if whole is None:
        raise InputError("The first input has no reading yet; offload its logger first.")
    span = (whole[1] - _SHOWN_MS, whole[1] + 1)
    window_ms = calculation.formula.window_ms(parameters)
    if window_ms:
        point, key = calculation.inputs[0]
        wide = read_around(desk, point.id, key, (span[0] - window_ms, span[1]))
        inputs = [(wide, channel_of(key))]
        return derive(calculation.checked_formula, parameters, inputs, calculation.channel).between(
            *span
        )
    series = [read_around(desk, point.id, key, span) for point, key in calculation.inputs]
    channels = [channel_of(key) for _, key in calculation.inputs]
    inputs = list(zip([series[0].between(*span), *series[1:]], channels, strict=True))
    return derive(
        calculation.checked_formula,
        parameters,
        inputs,
        calculation.channel,
        _sensor_depths(desk, calculation.point),
    )


def _sensor_depths(desk: Workspace, point: PointPlace) -> list[SensorDepth]:
    with desk.archive.reading() as session:
        return [one.depth for one in hangings(session).get(point.uid, [])]


def calculate(desk: Workspace, calculation: Calculation, words: str = "") -> str:
    """Let a series be calculated from now on, for all time; returns its key.

    Raises:
        InputError: it makes no sense, is there already, or would be calculated from itself.
    """
    parameters, formula = checked(calculation), calculation.formula
    _refuse_unhung(desk, calculation)
    with desk.archive.reading() as session:
        inputs = tuple(
            Input(stored_point(session, point.id).uid, key) for point, key in calculation.inputs
        )
    key = derived_key(calculation.channel, as_label(calculation.label))
    action = SeriesCalculated(
        inputs[0].point,
        fresh_id(),
        key,
        formula.key,
        formula.version,
        parameters,
        inputs,
        words.strip(),
    )
    desk.do(action)
    return key


def recalculate(desk: Workspace, calculated: CalculatedSeries, words: str = "") -> None:
    """Let a series be calculated by the newest version of its formula from now on.

    Raises:
        InputError: it is so already, or another series is calculated from it.
    """
    newest = newest_of(calculated.formula_in_force)
    if newest is None:
        raise InputError("This series already uses the latest version of its formula.")
    parameters = newest.checked(dict(calculated.parameters))
    result = newest.result(channel_of(calculated.inputs[0][1])) or channel_of(calculated.series)
    key = derived_key(result, own_label(calculated.series).removeprefix("="))
    inputs = tuple(Input(*its) for its in calculated.inputs)
    action = SeriesCalculated(
        calculated.point,
        fresh_id(),
        key,
        newest.key,
        newest.version,
        parameters,
        inputs,
        words.strip() or "with the latest version of the formula",
    )
    with desk.archive.writing() as session:
        desk.do_within(
            session, CalculationRemoved(calculated.point, calculated.uid, calculated.series)
        )
        desk.do_within(session, action)


def remove_calculation(desk: Workspace, calculated: CalculatedSeries) -> None:
    """Let a series not be calculated any more; what was measured stays as it is.

    Raises:
        InputError: another series is calculated from it.
    """
    desk.do(CalculationRemoved(calculated.point, calculated.uid, calculated.series))
