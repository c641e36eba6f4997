"""Values on the screen in the units that the user (or a plan, for its channel) wants."""

from __future__ import annotations

from dataclasses import dataclass, field

from gezeiten.desk.base.settings import Settings, series_name
from gezeiten.desk.sites.places import PointPlace
from gezeiten.domain.base.wording import error_decimals
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.quantities.units import ShownUnit, shown_unit
from gezeiten.domain.series.series_keys import channel_of
from gezeiten.link.registers import LiveValue, SensorStatus
from gezeiten.ui.format.i18n import number, tr


@dataclass(frozen=True, slots=True)
class Units:
    """The units of the settings. usual: by the unit that is recorded; selected: by quantity, and by
    series, which win in this order; what a plan asks for its channel lies between these."""

    usual: dict[str, str]
    selected: dict[str, str] = field(default_factory=dict)

    def of(self, key: str, own: str = "") -> ShownUnit:
        """Return the unit to show a quantity in; own: what a channel's plan asks for."""
        recorded = quantity(key).unit
        wanted = own or self.selected.get(channel_of(key)) or self.usual.get(recorded)
        return shown_unit(recorded, wanted or recorded)

    def own(self, point: PointPlace, key: str) -> str:
        """Return the unit that somebody chose for a series, or that its plan asks for; "" where
        neither."""
        place = next((channel for channel in point.channels if channel.channel == key), None)
        selected = self.selected.get(series_name(point.uid, key), "")
        return selected or (place.shown_unit if place else "")

    def of_series(self, point: PointPlace, key: str) -> ShownUnit:
        """Return the unit to show a series of a point in."""
        return self.of(key, self.own(point, key))

    def value(self, key: str, recorded: float, own: str = "") -> str:
        """Return a recorded value of a quantity with its unit."""
        name = quantity(key)
        unit = self.of(key, own)
        decimals = max(name.decimals + unit.extra_decimals, 0)
        return f"{number(unit.shown(recorded), decimals)} {unit.name}".strip()

    def span(self, key: str, low: float, high: float) -> str:
        """Return "low – high unit" of recorded values of a quantity."""
        name = quantity(key)
        unit = self.of(key)
        decimals = max(name.decimals + unit.extra_decimals, 0)
        first, last = sorted((unit.shown(low), unit.shown(high)))
        return f"{number(first, decimals)} – {number(last, decimals)} {unit.name}".strip()

    def error(self, point: PointPlace, key: str, recorded: float) -> str:
        """Return an expected error of a series, "± 0.03 °C"; of what is summed that of the sum."""
        unit = self.of_series(point, key)
        words = f"± {_error(unit.shown_difference(recorded), key, unit)} {unit.name}".strip()
        return tr("%1 in total").replace("%1", words) if _is_summed(key) else words

    def difference_text(self, point: PointPlace, key: str, median: float, spread: float) -> str:
        """Return how far another series lies beside one of a point, "+0.12 ± 0.05 °C"."""
        unit = self.of_series(point, key)
        wide = abs(unit.shown_difference(spread))
        shown = number(unit.shown_difference(median), error_places(wide, key, unit))
        sign = "+" if median > 0 else ""
        return f"{sign}{shown} ± {_error(wide, key, unit)} {unit.name}".strip()

    def reading(self, key: str, live: LiveValue, own: str = "") -> str:
        """Return a present value as text."""
        if live.status == SensorStatus.NO_SENSOR:
            return tr("no sensor")
        return self.value(key, live.value, own)


def error_places(error: float, key: str, unit: ShownUnit) -> int:
    """Return how many decimals say an error of a series in the unit shown."""
    return error_decimals(error, max(quantity(key).decimals + unit.extra_decimals + 1, 0))


def _error(error: float, key: str, unit: ShownUnit) -> str:
    """Return an error in the unit shown, by two digits that count."""
    return number(error, error_places(error, key, unit))


def _is_summed(key: str) -> bool:
    return quantity(channel_of(key)).averages == "sum"


def units_of(settings: Settings) -> Units:
    """Return the units that the settings ask for."""
    usual = {
        "°C": settings.unit_temperature,
        "kPa": settings.unit_pressure,
        "mS/cm": settings.unit_conductivity,
        "per m³": settings.unit_particles,
    }
    return Units(usual, settings.units)
