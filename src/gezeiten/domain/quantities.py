"""The quantities that channels measure: unit, decimals, short symbol. Data, not behaviour."""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import pairwise

from gezeiten.domain.series_keys import channel_of, label_of


@dataclass(frozen=True, slots=True)
class Quantity:
    """One measured quantity. `is_temperature` allows a kinetic mean (unit °C)."""

    key: str
    name: str
    symbol: str
    unit: str
    decimals: int
    is_temperature: bool = False
    dose_unit: str = ""


PARTICLE_SIZES_UM = (0.3, 0.5, 1.0, 2.5, 5.0, 10.0)
"""Lower bounds of the size classes of the trade (0.5, 1 and 5 µm are those of ISO 14644-1 too)."""


def particles_from(size_um: float) -> str:
    """Return the key of the cumulative count: all particles from a size on."""
    return f"particles_from_{size_um}".replace(".", "_")


def particles_between(low_um: float, high_um: float) -> str:
    """Return the key of the differential count: particles from a size on, below another."""
    return f"particles_{low_um}_to_{high_um}".replace(".", "_")


def particle_quantities() -> tuple[Quantity, ...]:
    """Return counts per cubic metre (ISO 14644-1), cumulative and by class."""
    whole = [
        Quantity(particles_from(size), f"Particles ≥ {size:g} µm", f"≥ {size:g}", "per m³", 0)
        for size in PARTICLE_SIZES_UM
    ]
    parts = [
        Quantity(particles_between(low, high), f"Particles {low:g}–{high:g} µm",
                 f"{low:g}–{high:g}", "per m³", 0)
        for low, high in pairwise(PARTICLE_SIZES_UM)
    ]  # fmt: skip
    return (*whole, *parts)


_ALL = (
    Quantity("air_temperature", "Air temperature", "T", "°C", 2, True, "°C·h"),
    Quantity("relative_humidity", "Relative humidity", "RH", "%", 1, False, "%·h"),
    Quantity("water_pressure", "Absolute pressure", "P", "kPa", 3, False, "kPa·h"),
    Quantity("air_pressure", "Air pressure", "P air", "kPa", 3, False, "kPa·h"),
    Quantity("water_temperature", "Water temperature", "T", "°C", 2, True, "°C·h"),
    Quantity("conductivity", "Conductivity", "EC", "mS/cm", 2, False, "mS/cm·h"),
    Quantity("probe_temperature", "Store temperature", "T", "°C", 2, True, "°C·h"),
    Quantity("room_temperature", "Room around the store", "T room", "°C", 2, True, "°C·h"),
    *particle_quantities(),
    Quantity("water_level", "Water level", "h", "m", 3, False, "m·h"),
    Quantity("pm25", "Fine dust PM2.5", "PM2.5", "µg/m³", 1, False, "µg/m³·h"),
    Quantity("wind_speed", "Wind speed", "v", "m/s", 1, False, "m/s·h"),
    Quantity("precipitation", "Precipitation", "N", "mm", 1),
    Quantity("battery_voltage", "Battery voltage", "U", "V", 2, False, "V·h"),
    Quantity("co2", "Carbon dioxide", "CO2", "ppm", 0, False, "ppm·h"),
)
QUANTITIES: dict[str, Quantity] = {quantity.key: quantity for quantity in _ALL}


def quantity(key: str) -> Quantity:
    """Return the quantity of a key; an unknown key keeps its name and has no unit. That of a series
    with a label carries it in its name."""
    known = QUANTITIES.get(key)
    if known is not None:
        return known
    channel, label = channel_of(key), label_of(key)
    if label:
        of_channel = quantity(channel)
        return replace(of_channel, key=key, name=f"{of_channel.name} ({label})")
    return Quantity(key, key.replace("_", " "), key, "", 2)
