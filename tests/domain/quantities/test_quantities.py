"""Quantities: the keys, names and symbols that archives and files rely on."""

from __future__ import annotations

from dataclasses import replace

import pytest

from gezeiten.domain.quantities.quantities import (
    QUANTITIES,
    SHIPPED,
    UNITS,
    Quantity,
    in_order,
    particle_quantities,
    particles_between,
    particles_from,
    quantity,
    read_quantities,
    read_units,
)
from gezeiten.domain.quantities.units import shown_unit
from gezeiten.errors import InputError


def test_counts_from_a_size_on_and_between_two() -> None:
    assert particles_from(0.5) == "particles_from_0_5"
    assert particles_between(0.3, 0.5) == "particles_0_3_to_0_5"
    whole, part = quantity("particles_from_10_0"), quantity("particles_5_0_to_10_0")
    assert (whole.name, whole.symbol, whole.unit) == ("Particles ≥ 10 µm", "≥ 10", "per m³")
    assert (part.name, part.symbol, part.decimals) == ("Particles 5–10 µm", "5–10", 0)


def test_each_size_of_the_trade_has_its_counts() -> None:
    counts = [key for key in QUANTITIES if key.startswith("particles_")]
    assert counts == [
        "particles_from_0_3",
        "particles_from_0_5",
        "particles_from_1_0",
        "particles_from_2_5",
        "particles_from_5_0",
        "particles_from_10_0",
        "particles_0_3_to_0_5",
        "particles_0_5_to_1_0",
        "particles_1_0_to_2_5",
        "particles_2_5_to_5_0",
        "particles_5_0_to_10_0",
    ]


def test_every_count_is_whole_particles_in_a_cubic_metre() -> None:
    quantities = particle_quantities()
    assert quantities == tuple(QUANTITIES[one.key] for one in quantities)
    assert [(one.unit, one.decimals, one.dose_unit) for one in quantities] == [
        ("per m³", 0, "")
    ] * 11
    assert [one.symbol for one in quantities] == [
        "≥ 0.3",
        "≥ 0.5",
        "≥ 1",
        "≥ 2.5",
        "≥ 5",
        "≥ 10",
        "0.3–0.5",
        "0.5–1",
        "1–2.5",
        "2.5–5",
        "5–10",
    ]
    assert all(one.name == f"Particles {one.symbol} µm" for one in quantities)


def test_an_unknown_quantity_keeps_its_name() -> None:
    assert quantity("soil_heat_flux") == Quantity(
        "soil_heat_flux", "soil heat flux", "soil_heat_flux", "", 2
    )
    assert quantity("co2").unit == "ppm"


def test_everything_that_loggers_and_their_supplies_measure_is_in_the_list() -> None:
    wanted = {
        "air_temperature",
        "water_temperature",
        "soil_temperature",
        "surface_temperature",
        "probe_temperature",
        "relative_humidity",
        "dew_point",
        "water_pressure",
        "air_pressure",
        "differential_pressure",
        "water_level",
        "water_depth",
        "discharge",
        "flow_velocity",
        "precipitation",
        "conductivity",
        "salinity",
        "dissolved_oxygen",
        "ph",
        "redox_potential",
        "turbidity",
        "chlorophyll_a",
        "pm1",
        "pm25",
        "pm4",
        "pm10",
        "co2",
        "carbon_monoxide",
        "nitrogen_dioxide",
        "ozone",
        "sulphur_dioxide",
        "voc",
        "radon",
        "wind_speed",
        "wind_gust",
        "wind_direction",
        "global_radiation",
        "photosynthetic_radiation",
        "illuminance",
        "ultraviolet_radiation",
        "soil_moisture",
        "sound_level",
        "voltage",
        "current",
        "power",
        "energy",
        "state_of_charge",
        "mass",
        "input_state",
        "pulse_count",
        "event_count",
    }
    assert wanted <= set(SHIPPED)
    assert {quantity(key).averages for key in ("wind_direction",)} == {"direction"}
    assert quantity("precipitation").averages == "sum"
    assert quantity("precipitation").stamp == "end"


def test_every_unit_has_its_code_and_every_quantity_a_known_unit() -> None:
    assert all(one.ucum for one in UNITS.values())
    assert all(one.ucum for unit in UNITS.values() for one in unit.shown)
    assert all(one.unit in UNITS and one.low < one.high for one in SHIPPED.values())
    names = [one.name.casefold() for one in SHIPPED.values()]
    assert len(set(names)) == len(names)


@pytest.mark.parametrize(
    ("recorded", "wanted", "value", "shown"),
    [
        ("m/s", "km/h", 10.0, 36.0),
        ("m/s", "kn", 1852 / 3600, 1.0),  # an international nautical mile an hour
        ("m³/s", "m³/h", 1.0, 3600.0),
        ("Pa", "mbar", 250.0, 2.5),
        ("m", "mm", 1.5, 1500.0),
    ],
)
def test_more_units_by_published_values(
    recorded: str, wanted: str, value: float, shown: float
) -> None:
    assert shown_unit(recorded, wanted).shown(value) == pytest.approx(shown)


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"unit": "furlong"}, "its unit “furlong” is not known"),
        ({"name": " "}, "a name"),
        ({"range": [5, 5]}, "lowest value"),
        ({"decimals": 12}, "decimals"),
        ({"averages": "somehow"}, "its aggregation or timestamp rule is not known"),
        ({"averages": "direction"}, "in °"),
        ({"range": "wide"}, "cannot be read"),
        ({"range": None}, "cannot be read"),
    ],
)
def test_a_quantity_that_makes_no_sense_says_why(change: dict[str, object], said: str) -> None:
    facts = {"name": "Heat flux", "symbol": "q", "unit": "W/m²", "decimals": 1, "range": [-1, 1]}
    assert read_quantities({"heat_flux": facts}, UNITS)["heat_flux"].dose_unit == "W/m²·h"
    with pytest.raises(InputError, match=said):
        read_quantities({"heat_flux": {**facts, **change}}, UNITS)


def test_a_unit_without_a_factor_or_a_code_is_named() -> None:
    for facts in (
        {"shown": []},
        {"ucum": "x", "shown": [{"name": "y", "factor": "0"}]},
        {"ucum": "x", "shown": [{"name": "y", "factor": "1/0"}]},
        {"ucum": "x", "shown": [{"factor": "2"}]},
        5,
    ):
        with pytest.raises(InputError, match="The unit “odd”"):
            read_units({"odd": facts})


def test_usual_ones_come_first_then_own_then_the_rest_by_name() -> None:
    own = replace(quantity("mass"), key="seaweed", name="Seaweed", is_own=True)
    listed = [one.key for one in in_order([own, *SHIPPED.values()])]
    assert listed[0] == "air_temperature"
    assert listed.index("co2") < listed.index("seaweed") < listed.index("carbon_monoxide")
