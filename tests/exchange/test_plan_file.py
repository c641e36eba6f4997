"""Plan files: by their schema, read back the same, refused in one sentence when they are none."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import jsonschema
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from gezeiten.domain.plan.plan import Plan
from gezeiten.errors import InputError
from gezeiten.exchange.plan_file import NamedPlan, read_plan_file, write_plan_file
from tests.conftest import STORE_PLAN
from tests.domain.plan.test_fitting import plans
from tests.ui.test_plan_editor import RICH

SCHEMA = json.loads((Path(__file__).parents[2] / "docs" / "plan-file.schema.json").read_text())


@pytest.mark.parametrize("plan", [STORE_PLAN, RICH, replace(STORE_PLAN, remark="zwei\nZeilen")])
def test_files_follow_the_schema_and_read_back(plan: Plan, tmp_path: Path) -> None:
    named = NamedPlan("Kühlraum, Nacht", "Reif C2", plan)
    path = write_plan_file(named, tmp_path / "night")
    assert path.name == "night.plan.json"
    jsonschema.validate(json.loads(path.read_text(encoding="utf-8")), SCHEMA)
    assert read_plan_file(path) == named


@given(plans)
@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=40)
def test_any_plan_follows_the_schema(tmp_path: Path, plan: Plan) -> None:
    path = write_plan_file(NamedPlan("any", "", plan), tmp_path / "any.plan.json")
    jsonschema.validate(json.loads(path.read_text()), SCHEMA)
    assert read_plan_file(path).plan == plan


def test_the_schema_refuses_what_is_no_plan() -> None:
    content = {"kind": "logger plan", "version": 1, "name": "x", "plan": STORE_PLAN.as_dict()}
    jsonschema.validate(content, SCHEMA)
    content["plan"]["limits"][0]["side"] = "beside"  # type: ignore[index]
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate(content, SCHEMA)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", r"odd\.json is not a plan file"),
        ("[]", r"odd\.json is not a plan file"),
        ('{"kind": "recipe"}', r"odd\.json is not a plan file"),
        ("[" * 100_000, r"odd\.json is not a plan file"),
        ('{"kind": "logger plan", "version": 2}', "newer Gezeiten; update this one"),
        ('{"kind": "logger plan", "version": 1}', "is not valid"),
        ('{"kind": "logger plan", "version": 1, "plan": {"channels": 3}}', "is not valid"),
        ('{"kind": "logger plan", "version": 1, "plan": null}', "is not valid"),
        ("x" * 1_000_001, r"odd\.json is not a plan file"),
    ],
)
def test_other_files_are_refused_in_one_sentence(text: str, words: str, tmp_path: Path) -> None:
    path = tmp_path / "odd.json"
    path.write_text(text)
    with pytest.raises(InputError, match=words):
        read_plan_file(path)


@given(st.binary(max_size=300))
@settings(suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_no_bytes_are_taken_for_a_plan(tmp_path: Path, data: bytes) -> None:
    path = tmp_path / "fuzz.json"
    path.write_bytes(data)
    with pytest.raises(InputError):
        read_plan_file(path)


def test_a_name_that_cannot_be_becomes_that_of_the_file(tmp_path: Path) -> None:
    path = write_plan_file(NamedPlan("a/b", "", STORE_PLAN), tmp_path / "shore.plan.json")
    assert read_plan_file(path).name == "shore"
