"""Units for showing, by published values."""

from __future__ import annotations

import pytest

from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.quantities.units import shown_unit, shown_units, text_unit


@pytest.mark.parametrize(
    ("recorded", "wanted", "value", "shown"),
    [
        ("°C", "°F", 37.0, 98.6),
        ("°C", "K", -40.0, 233.15),
        ("kPa", "hPa", 101.325, 1013.25),
        ("kPa", "mmHg", 101.325, 760.0),
        ("kPa", "psi", 6.894757, 1.0),
        ("mS/cm", "µS/cm", 1.413, 1413.0),
        ("per m³", "per l", 3_520_000.0, 3520.0),
        ("per m³", "per ft³", 35.31467, 1.0),
        ("per l", "per ft³", 1.0, 28.316847),
        ("%", "°F", 50.0, 50.0),
    ],
)
def test_units_by_published_values(recorded: str, wanted: str, value: float, shown: float) -> None:
    unit = shown_unit(recorded, wanted)
    assert unit.shown(value) == pytest.approx(shown, rel=1e-6)
    assert unit.recorded(unit.shown(value)) == pytest.approx(value)


def test_a_unit_of_texts_is_shown_nowhere() -> None:
    odd = text_unit(quantity("particles_from_0_5"), "per 0.01 ft³")  # 1 ft³ = 0.028 316 846 592 m³
    assert odd.recorded(1.0) == pytest.approx(100 / 0.028316846592)
    assert odd.name not in [unit.name for unit in shown_units("per m³")]
    assert text_unit(quantity("air_temperature"), "per 0.01 ft³").name == "°C"


def test_the_recorded_unit_comes_first() -> None:
    assert [unit.name for unit in shown_units("°C")] == ["°C", "°F", "K"]
    assert shown_units("ppm")[0].shown(400.0) == 400.0


def test_a_difference_has_no_offset() -> None:
    fahrenheit = shown_unit("°C", "°F")
    assert fahrenheit.shown_difference(10.0) == pytest.approx(18.0)
    assert fahrenheit.recorded_difference(18.0) == pytest.approx(10.0)
    assert shown_units("ppm")[0].name == "ppm"
