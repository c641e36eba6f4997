"""Logger models are files: those that ship, a new family, and files that contradict themselves."""

from __future__ import annotations

from importlib.resources import files

import pytest

from gezeiten.domain.plan.models import (
    MODELS,
    SHIPPED_MODELS,
    contradictions,
    find_model,
    load_models,
    read_model,
)
from gezeiten.domain.plan.outlook import readings_that_fit
from gezeiten.domain.plan.plan import Plan
from gezeiten.domain.plan.plan_check import check_plan
from gezeiten.errors import InputError

SHIPPED = files("gezeiten.domain").joinpath("data/models")
STORE = SHIPPED.joinpath("reif-c2.toml").read_text("utf-8")
NEW = STORE.replace("Reif C2", "Watt S1").replace("REIF-C2", "WATT-S1")


def test_what_ships_makes_sense_and_is_what_it_was() -> None:
    assert sorted(SHIPPED_MODELS) == ["Brise A4", "Düne T2", "Priel W3", "Reif C2", "Wolke B1"]
    for model in SHIPPED_MODELS.values():
        assert list(contradictions(model)) == []
    store = SHIPPED_MODELS["Reif C2"]
    assert (store.memory_bytes, store.event_choices) == (262_144, (4_096, 2_048, 8_192))
    assert store.channel("probe_temperature").range_with("thermocouple_t") == (-200.0, 300.0)


def test_a_new_family_needs_no_code() -> None:
    assert load_models([("watt-s1.toml", NEW)]) == []
    model = find_model("WATT-S1")
    assert model is not None
    plan = Plan(("probe_temperature", "room_temperature"), 300)
    # (262,144 - 1,024 - 4,096) bytes at two counts of two bytes a reading
    assert readings_that_fit(model, plan) == (262_144 - 1_024 - 4_096) // 4
    assert check_plan(plan, model, 0) == []
    assert load_models([]) == []
    assert find_model("WATT-S1") is None
    assert MODELS == SHIPPED_MODELS


@pytest.mark.parametrize(
    ("old", "new", "said"),
    [
        ("[battery]", "[battery", "cannot be read"),
        ("memory_bytes = 262144", 'memory_bytes = "much"', "cannot be read"),
        ('count_type = "int16"', 'count_type = "int8"', "cannot be read"),
        ("shorter_outside", "shorter_inside", "“shorter_inside” is not known"),
        ("divisor = 100", "divisor = 0", "has a divisor of 0"),
        ("divisor = 100", "divisor = 1000", "do not fit into int16"),
        ("memory_bytes = 262144", "memory_bytes = 9000", "no memory for readings"),
        ("shortest_interval_s = 1\n", "shortest_interval_s = 50000\n", "shortest interval"),
        ("low = -30.0", "low = 60.0", "ends before it begins"),
        ("low = -90.0\nhigh", "low = -80.0\nhigh", "another range than its usual sensor"),
        ('key = "room_temperature"', 'key = "probe_temperature"', "stands in it twice"),
        ('key = "room_temperature"', 'key = "aura"', "no quantity that is known"),
        ("settling_s = 180", 'settling_s = 180\nneeds = "co2"', "which is no other channel"),
        ('code = "REIF-C2"', 'code = "RÉIF"', "a code in ASCII"),
        ("capacity_mah = 5200.0", "capacity_mah = 0.0", "charge above 0"),
    ],
)
def test_a_file_that_contradicts_itself_says_where(old: str, new: str, said: str) -> None:
    text = STORE.replace("capacity_mah = 5200\n", "capacity_mah = 5200.0\n")
    assert old in text
    with pytest.raises(InputError, match=said):
        read_model(text.replace(old, new, 1), "watt.toml")


def test_a_faulty_file_is_named_and_spares_the_others() -> None:
    listed = [("a.toml", "name = 5"), ("b.toml", NEW), ("c.toml", STORE)]
    problems = load_models(listed)
    assert [words.split()[0] for words in problems] == ["a.toml", "c.toml"]
    assert find_model("Watt S1") is not None
    load_models([])
