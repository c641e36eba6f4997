"""Plans: what is kept of them, first readings, lengths of time typed by people."""

from __future__ import annotations

from dataclasses import fields, replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.domain.base.intervals import interval_text, parse_interval_s
from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.plan.models import MODELS, PRIEL_W3, logger_model
from gezeiten.domain.plan.plan import (
    ChannelSetting,
    DeviceOptions,
    Plan,
    differences,
    due_readings,
    first_due_ms,
    plan_from_dict,
    waits_for_button,
)
from gezeiten.errors import InputError, PlanError

GOOD = Plan(
    ("air_temperature", "relative_humidity"), 600, point_name="Alte Lotsenwacht · Textile store"
)


LIMIT = LimitRule("air_temperature", "above", 24.0, 3600)


@given(st.integers(0, 2 * 10**12), st.sampled_from([1, 7, 60, 360, 600, 3600, 86_400]))
def test_the_first_reading_comes_on_the_next_full_interval(now_ms: int, interval_s: int) -> None:
    due = first_due_ms(replace(GOOD, interval_s=interval_s), now_ms)
    assert due % (interval_s * 1000) == 0
    assert 0 < due - now_ms <= interval_s * 1000


def test_right_away_is_the_next_whole_second_and_a_set_time_is_itself() -> None:
    assert first_due_ms(replace(GOOD, start="now"), 1_234_567) == 1_235_000
    assert first_due_ms(replace(GOOD, start="at", start_ms=99), 5) == 99


@given(st.integers(0, 10**6), st.integers(1, 500), st.integers(-5000, 10**6))
def test_due_readings_are_those_that_can_be_listed(first: int, step_s: int, ahead: int) -> None:
    plan = replace(GOOD, interval_s=step_s)
    until = first + ahead
    listed = len(range(first, until + 1, step_s * 1000)) if until >= first else 0
    assert due_readings(plan, first, until) == listed


def test_the_end_itself_is_not_recorded_any_more() -> None:
    plan = replace(GOOD, interval_s=10, end="at", end_ms=30_000)
    assert due_readings(plan, 0, 10**6) == 3  # at 0, 10 and 20 seconds


@pytest.mark.parametrize(
    ("text", "seconds"),
    [
        ("6 min", 360),
        ("0:06", 360),
        ("360", 360),
        ("1 h 30 min", 5400),
        ("1.5 h", 5400),
        ("1,5 h", 5400),
        ("90s", 90),
        ("1 d", 86_400),
        ("0:00:10", 10),
        ("  2 MIN ", 120),
    ],
)
def test_lengths_as_people_type_them(text: str, seconds: int) -> None:
    assert parse_interval_s(text) == seconds


@pytest.mark.parametrize(
    "text", ["", "soon", "6 parsecs", "-5", "1:75", "0.3 s", "9" * 20, "6 min x"]
)
def test_what_is_no_length_is_said_so(text: str) -> None:
    with pytest.raises(PlanError, match="is not an interval; type it like"):
        parse_interval_s(text)


@given(st.integers(1, 10**7))
def test_an_interval_reads_back(seconds: int) -> None:
    assert parse_interval_s(interval_text(seconds)) == seconds


def test_plans_read_back_from_their_dict() -> None:
    plan = replace(GOOD, limits=(LIMIT,), end="wrap", mission_name="Winter")
    assert plan_from_dict(plan.as_dict()) == plan
    assert differences(plan, replace(plan, interval_s=60)) == ["interval_s"]
    assert differences(plan, plan) == []


@pytest.mark.parametrize(
    "change",
    [
        {"start": "soon"},
        {"end": "never"},
        {"interval_s": "x"},
        {"limits": [{}]},
        {"start_ms": 2**53},
        {"end_ms": -(2**53)},
    ],
)
def test_dicts_that_are_no_plan_are_refused(change: dict[str, object]) -> None:
    with pytest.raises(PlanError, match=r"This is not a plan \("):
        plan_from_dict({**GOOD.as_dict(), **change})
    with pytest.raises(PlanError):
        plan_from_dict({})


def test_models_are_found_by_name_and_by_what_they_say_of_themselves() -> None:
    for model in MODELS.values():
        assert logger_model(model.name) is logger_model(model.code) is model
        assert model.code.isascii()
    with pytest.raises(InputError, match="not known to this version"):
        logger_model("Flut X9")


def test_a_missing_channel_names_the_model() -> None:
    with pytest.raises(InputError, match="Priel W3 has no channel “co2”"):
        PRIEL_W3.channel("co2")


FULL = Plan(
    ("co2",),
    60,
    "button",
    5,
    "count",
    9,
    (LIMIT,),
    "Winter",
    "Nave",
    "by the door",
    90,
    100,
    True,
    30,
    (ChannelSetting("co2", "s", "n", "#112233", "ppm"),),
    DeviceOptions("press", 7, True, True, True, True, 64),
)


def test_a_plan_of_which_every_field_was_set_reads_back_whole() -> None:
    data = FULL.as_dict()
    assert plan_from_dict(data) == FULL
    assert set(data) == {field.name for field in fields(Plan)}
    assert data["channels"] == ["co2"]
    assert data["limits"] == [LIMIT.as_dict()]
    assert data["settings"][0] == {
        "channel": "co2",
        "sensor": "s",
        "name": "n",
        "color": "#112233",
        "unit": "ppm",
    }


def test_what_an_older_plan_lacks_takes_its_usual_value() -> None:
    old = {"channels": ["co2"], "interval_s": 60, "start": "now", "end": "full", "limits": []}
    assert plan_from_dict(old) == Plan(("co2",), 60, "now")
    part = {**old, "manners": {"sound": True}, "settings": [{"channel": "co2"}]}
    assert plan_from_dict(part) == Plan(
        ("co2",), 60, "now", manners=DeviceOptions(sound=True), settings=(ChannelSetting("co2"),)
    )


@pytest.mark.parametrize(
    ("change", "reason"),
    [
        ({"interval_s": 2**62}, "interval_s: Expected `int` <= 4611686018427387903"),
        ({"end_count": -(2**62)}, "end_count: Expected `int` >= -4611686018427387903"),
        ({"start": "soon"}, "start: Invalid enum value 'soon'"),
        ({"end": "never"}, "end: Invalid enum value 'never'"),
        ({"manners": {"display": "dim"}}, "manners.display: Invalid enum value 'dim'"),
        ({"start_ms": 2**53}, "start_ms: Expected `int` <= 7258118399999"),
    ],
)
def test_what_is_wrong_with_a_dict_is_said(change: dict[str, object], reason: str) -> None:
    with pytest.raises(PlanError) as caught:
        plan_from_dict({**GOOD.as_dict(), **change})
    assert str(caught.value) == f"This is not a plan ({reason}); create it again on the Field desk."


def test_numbers_just_within_reason_are_taken() -> None:
    most = {**GOOD.as_dict(), "interval_s": 2**62 - 1, "end_count": -(2**62) + 1}
    assert plan_from_dict(most).interval_s == 2**62 - 1


@pytest.mark.parametrize(
    ("change", "due_ms"),
    [
        ({"start": "now"}, 11_000),
        ({"start": "now", "start_delay_s": 5}, 11_000),  # a delay belongs to the button
        ({"start": "button"}, 11_000),
        ({"start": "button", "start_delay_s": 5}, 16_000),
        ({"start": "button", "start_delay_s": 3600}, 3_611_000),
        ({"start": "at", "start_ms": 77}, 77),
        ({"start": "next_interval"}, 600_000),
    ],
)
def test_when_the_first_reading_is_due(change: dict[str, object], due_ms: int) -> None:
    plan = replace(GOOD, **change)
    assert first_due_ms(plan, 10_000) == due_ms
    assert waits_for_button(plan) == (change["start"] == "button")


def test_the_last_millisecond_of_a_second_still_belongs_to_it() -> None:
    assert first_due_ms(replace(GOOD, start="now"), 10_999) == 11_000
    assert first_due_ms(replace(GOOD, start="button", start_delay_s=1), 10_999) == 12_000


@pytest.mark.parametrize(
    ("change", "until_ms", "due"),
    [
        ({}, 999, 0),
        ({}, 1000, 1),
        ({}, 10_999, 1),
        ({}, 11_000, 2),
        ({"end": "count", "end_count": 2}, 10**6, 2),
        ({"end": "count", "end_count": 2}, 1000, 1),
        ({"end": "at", "end_ms": 500}, 10**6, 0),
        ({"end": "at", "end_ms": 1001}, 10**6, 1),
        ({"end": "at", "end_ms": 11_001}, 10**6, 2),
    ],
)
def test_how_many_readings_fall_due(change: dict[str, object], until_ms: int, due: int) -> None:
    assert due_readings(replace(GOOD, interval_s=10, **change), 1000, until_ms) == due


def test_settings_and_rules_of_a_channel() -> None:
    assert FULL.setting("co2") == FULL.settings[0]
    assert FULL.setting("pm25") == ChannelSetting("pm25")
    assert [ChannelSetting("a", **{name: "x"}).is_usual for name in ("sensor", "unit")] == [
        False
    ] * 2
    assert ChannelSetting("a").is_usual
    assert replace(GOOD, limits=(LIMIT,)).rules_for("air_temperature") == (LIMIT,)
    assert FULL.rules_for("co2") == ()
