"""The quantities that channels measure: unit, decimals, short symbol. Data, not behaviour."""

from __future__ import annotations

from dataclasses import dataclass


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


_ALL = (
    Quantity("air_temperature", "Air temperature", "T", "°C", 2, True, "°C·h"),
    Quantity("relative_humidity", "Relative humidity", "RH", "%", 1, False, "%·h"),
    Quantity("water_pressure", "Absolute pressure", "P", "kPa", 3, False, "kPa·h"),
    Quantity("air_pressure", "Air pressure", "P air", "kPa", 3, False, "kPa·h"),
    Quantity("water_temperature", "Water temperature", "T", "°C", 2, True, "°C·h"),
    Quantity("conductivity", "Conductivity", "EC", "mS/cm", 2, False, "mS/cm·h"),
    Quantity("probe_temperature", "Store temperature", "T", "°C", 2, True, "°C·h"),
    Quantity("room_temperature", "Room around the store", "T room", "°C", 2, True, "°C·h"),
    Quantity("particles_fine", "Particles 0.5–2.5 µm", "PC", "per 0.01 ft³", 0),
    Quantity("particles_coarse", "Particles over 2.5 µm", "PC coarse", "per 0.01 ft³", 0),
    Quantity("water_level", "Water level", "h", "m", 3, False, "m·h"),
    Quantity("pm25", "Fine dust PM2.5", "PM2.5", "µg/m³", 1, False, "µg/m³·h"),
    Quantity("wind_speed", "Wind speed", "v", "m/s", 1, False, "m/s·h"),
    Quantity("precipitation", "Precipitation", "N", "mm", 1),
    Quantity("battery_voltage", "Battery voltage", "U", "V", 2, False, "V·h"),
    Quantity("co2", "Carbon dioxide", "CO2", "ppm", 0, False, "ppm·h"),
)
QUANTITIES: dict[str, Quantity] = {quantity.key: quantity for quantity in _ALL}


def quantity(key: str) -> Quantity:
    """Return the quantity of a key; an unknown key keeps its name and has no unit."""
    return QUANTITIES.get(key) or Quantity(key, key.replace("_", " "), key, "", 2)
