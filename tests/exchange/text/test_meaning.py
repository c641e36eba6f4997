"""What a column measures: by words and unit where both agree, else nothing is said."""

from __future__ import annotations

import pytest

from gezeiten.domain.quantities.quantities import SHIPPED
from gezeiten.domain.quantities.units import text_units
from gezeiten.exchange.text.meaning import meaning, trailing_unit, unit_named


@pytest.mark.parametrize(
    ("words", "unit", "quantity", "named"),
    [
        ("Temp", "degC", "air_temperature", "°C"),
        ("Lufttemperatur", "°C", "air_temperature", "°C"),
        ("Water Temp", "°F", "water_temperature", "°F"),
        ("Bodentemperatur 10 cm", "°C", "soil_temperature", "°C"),
        ("Taupunkt", "C", "dew_point", "°C"),
        ("rel. Feuchte", "%rF", "relative_humidity", "%"),
        ("Soil moisture", "%", "soil_moisture", "%"),
        ("RH", "", "relative_humidity", "%"),
        ("Air pressure", "mbar", "air_pressure", "hPa"),
        ("Druck", "hPa", "water_pressure", "hPa"),
        ("Pegel", "cm", "water_level", "cm"),
        ("Abfluss", "m3/s", "discharge", "m³/s"),
        ("Windrichtung", "deg", "wind_direction", "°"),
        ("Wind", "kt", "wind_speed", "kn"),
        ("Leitfähigkeit", "μS/cm", "conductivity", "µS/cm"),
        ("PM10", "ug/m3", "pm10", "µg/m³"),
        ("PM2.5", "ug/m3", "pm25", "µg/m³"),
        ("DO", "mg/l", "dissolved_oxygen", "mg/l"),
        ("DO", "% sat", "oxygen_saturation", "%"),
        ("Ozon", "ppb", "ozone", ""),
        ("Globalstrahlung", "W/m^2", "global_radiation", "W/m²"),
        # in doubt nothing is said
        ("Valve", "%", "", "%"),
        ("Distance", "m", "", "m"),
        ("Angle", "°", "", "°"),
        ("Speed", "furlongs", "", ""),
        ("Temp", "hPa", "", "hPa"),
        ("Record No", "", "", ""),
        ("°C", "°C", "air_temperature", "°C"),
        # the unit is not said: asked
        ("Temperature", "", "air_temperature", ""),
        ("Level", "", "water_level", ""),
    ],
)
def test_words_and_unit_have_to_agree(words: str, unit: str, quantity: str, named: str) -> None:
    assert meaning(words, unit) == (quantity, named)


def test_every_quantity_is_known_by_its_own_name_and_any_of_its_units() -> None:
    for key, one in SHIPPED.items():
        for unit in text_units(one):
            assert meaning(one.name, unit.name) == (key, unit.name)


@pytest.mark.parametrize(
    ("words", "unit"),
    [
        ("T (°C)", "°C"),
        ("T [degC]", "degC"),
        ("Temp °C", "°C"),
        ("CO2 ppm", "ppm"),
        ("RH %", "%"),
        ("level_cm", "cm"),
        ("Sensor A", ""),
        ("m", ""),
        ("Temperature", ""),
    ],
)
def test_a_unit_stands_behind_the_words(words: str, unit: str) -> None:
    assert trailing_unit(words) == unit


def test_units_are_known_however_they_are_written() -> None:
    for text in ("°C", "ºC", "deg C", "DegC", "celsius"):
        assert unit_named(text) == "°C"
    assert unit_named("W m-2") == "W/m²"
    assert unit_named("smoots") == ""
