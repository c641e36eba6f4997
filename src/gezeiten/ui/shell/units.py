"""Values on the screen in the units that the user (or a plan, for its channel) wants."""

from __future__ import annotations

from dataclasses import dataclass

from gezeiten.desk.settings import Settings
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.quantities.units import ShownUnit, shown_unit
from gezeiten.link.registers import LiveValue, SensorStatus
from gezeiten.ui.shell.i18n import number, tr


@dataclass(frozen=True, slots=True)
class Units:
    """The units of the settings, by the unit that is recorded."""

    wanted: dict[str, str]

    def of(self, recorded: str, own: str = "") -> ShownUnit:
        """Return the unit to show a recorded one in; own: what a channel's plan asks for."""
        return shown_unit(recorded, own or self.wanted.get(recorded, recorded))

    def value(self, key: str, recorded: float, own: str = "") -> str:
        """Return a recorded value of a quantity with its unit."""
        name = quantity(key)
        unit = self.of(name.unit, own)
        decimals = max(name.decimals + unit.extra_decimals, 0)
        return f"{number(unit.shown(recorded), decimals)} {unit.name}".strip()

    def span(self, key: str, low: float, high: float) -> str:
        """Return "low – high unit" of recorded values of a quantity."""
        name = quantity(key)
        unit = self.of(name.unit)
        decimals = max(name.decimals + unit.extra_decimals, 0)
        first, last = sorted((unit.shown(low), unit.shown(high)))
        return f"{number(first, decimals)} – {number(last, decimals)} {unit.name}".strip()

    def reading(self, key: str, live: LiveValue, own: str = "") -> str:
        """Return a present value as text."""
        if live.status == SensorStatus.NO_SENSOR:
            return tr("no sensor")
        return self.value(key, live.value, own)


def units_of(settings: Settings) -> Units:
    """Return the units that the settings ask for."""
    return Units({
        "°C": settings.unit_temperature,
        "kPa": settings.unit_pressure,
        "mS/cm": settings.unit_conductivity,
        "per m³": settings.unit_particles,
    })  # fmt: skip


def plain(value: float) -> str:
    """Return a number for a field: as short as it is exact, at most four decimals."""
    decimals = next((d for d in range(4) if round(value, d) == round(value, 6)), 4)
    return number(value, decimals)
