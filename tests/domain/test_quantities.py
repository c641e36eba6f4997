"""Quantities: the keys, names and symbols that archives and files rely on."""

from __future__ import annotations

from gezeiten.domain.quantities import (
    QUANTITIES,
    Quantity,
    particle_quantities,
    particles_between,
    particles_from,
    quantity,
)  # fmt: skip


def test_counts_from_a_size_on_and_between_two() -> None:
    assert particles_from(0.5) == "particles_from_0_5"
    assert particles_between(0.3, 0.5) == "particles_0_3_to_0_5"
    assert quantity("particles_from_10_0") == Quantity(
        "particles_from_10_0", "Particles ≥ 10 µm", "≥ 10", "per m³", 0
    )
    assert quantity("particles_5_0_to_10_0") == Quantity(
        "particles_5_0_to_10_0", "Particles 5–10 µm", "5–10", "per m³", 0
    )


def test_each_size_of_the_trade_has_its_counts() -> None:
    counts = [key for key in QUANTITIES if key.startswith("particles_")]
    assert counts == [
        "particles_from_0_3", "particles_from_0_5", "particles_from_1_0", "particles_from_2_5",
        "particles_from_5_0", "particles_from_10_0", "particles_0_3_to_0_5",
        "particles_0_5_to_1_0", "particles_1_0_to_2_5", "particles_2_5_to_5_0",
        "particles_5_0_to_10_0",
    ]  # fmt: skip


def test_every_count_is_whole_particles_in_a_cubic_metre() -> None:
    made = particle_quantities()
    assert made == tuple(QUANTITIES[one.key] for one in made)
    assert [(one.unit, one.decimals, one.dose_unit) for one in made] == [("per m³", 0, "")] * 11
    assert [one.symbol for one in made] == [
        "≥ 0.3", "≥ 0.5", "≥ 1", "≥ 2.5", "≥ 5", "≥ 10", "0.3–0.5", "0.5–1", "1–2.5", "2.5–5",
        "5–10",
    ]  # fmt: skip
    assert all(one.name == f"Particles {one.symbol} µm" for one in made)


def test_an_unknown_quantity_keeps_its_name() -> None:
    assert quantity("soil_heat_flux") == Quantity(
        "soil_heat_flux", "soil heat flux", "soil_heat_flux", "", 2
    )
    assert quantity("co2").unit == "ppm"
