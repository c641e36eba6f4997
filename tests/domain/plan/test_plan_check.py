"""What keeps a plan from its logger: each fault alone, in its own words; what just fits."""

from __future__ import annotations

from dataclasses import replace

import pytest

from gezeiten.domain.limits.limits import LimitRule, no_sensor_rule
from gezeiten.domain.limits.windows import NIGHTS
from gezeiten.domain.plan.models import BRISE_A4, DUENE_T2, PRIEL_W3, REIF_C2, LoggerModel
from gezeiten.domain.plan.plan import ChannelSetting, DeviceOptions, Plan
from gezeiten.domain.plan.plan_check import PlanFault, check_plan, fits
from gezeiten.errors import InputError

NOW = 1_795_417_200_000
DAY_MS = 86_400_000
ROOM = Plan(("air_temperature", "relative_humidity"), 600)
HIGH = LimitRule("air_temperature", "above", 24.0, 3600)
LOW = LimitRule("air_temperature", "below", 10.0)
NAN, INF = float("nan"), float("inf")


@pytest.mark.parametrize(
    ("field", "change", "sentence"),
    [
        ("channels", {"channels": ()}, "No channel is on; switch on at least one."),
        (
            "channels",
            {"channels": ("relative_humidity",)},
            "Relative humidity needs Air temperature; switch it on too.",
        ),
        (
            "channels",
            {"channels": ("air_temperature", "co2")},
            "Düne T2 has no Carbon dioxide; remove it.",
        ),
        (
            "interval",
            {"interval_s": 0},
            "Düne T2 records every 1 s to 1 d; choose an interval in between.",
        ),
        (
            "interval",
            {"interval_s": 86_401},
            "Düne T2 records every 1 s to 1 d; choose an interval in between.",
        ),
        (
            "interval",
            {"outside_interval_s": 60, "limits": (HIGH,)},
            "Düne T2 has no shorter interval outside limits; remove it.",
        ),
        (
            "start",
            {"start": "at", "start_ms": NOW},
            "The start time has passed; choose a later one.",
        ),
        (
            "start",
            {"start": "at", "start_ms": NOW + 183 * DAY_MS + 1},
            "The start is more than six months away; choose an earlier one.",
        ),
        (
            "end",
            {"end": "at", "end_ms": NOW + 600_000},
            "The end comes before the second reading; choose a later one.",
        ),
        (
            "end",
            {"end": "at", "end_ms": NOW + 700_000, "start": "at", "start_ms": NOW + 100_000},
            "The end comes before the second reading; choose a later one.",
        ),
        (
            "limits",
            {"limits": (replace(HIGH, value=85.5),)},
            "The limit 85.5 of Air temperature lies outside the sensor's range -40 "
            "to 85; choose a value inside.",
        ),
        (
            "limits",
            {"limits": (replace(HIGH, value=-40.5),)},
            "The limit -40.5 of Air temperature lies outside the sensor's range -40 "
            "to 85; choose a value inside.",
        ),
        (
            "limits",
            {"limits": (replace(HIGH, value=NAN),)},
            "The limit nan of Air temperature lies outside the sensor's range -40 to "
            "85; choose a value inside.",
        ),
        (
            "limits",
            {"limits": (replace(HIGH, delay_s=-1),)},
            "The delay of Air temperature is negative; enter 0 or more.",
        ),
        (
            "limits",
            {"limits": (HIGH, replace(HIGH, value=25.0))},
            "The same limit is set twice; remove one.",
        ),
        (
            "limits",
            {"limits": (HIGH, replace(LOW, value=24.0))},
            "The lower limit of Air temperature is not below the upper one; swap them.",
        ),
        (
            "limits",
            {"limits": (HIGH, replace(LOW, value=25.0, hysteresis=1.0))},
            "The lower limit of Air temperature is not below the upper one; swap them.",
        ),
        (
            "limits",
            {"limits": (replace(HIGH, hysteresis=8.0), replace(LOW, hysteresis=6.5))},
            "The hystereses of Air temperature overlap; make them smaller.",
        ),
        (
            "limits",
            {"limits": tuple(replace(r, value=30.0, window=NIGHTS) for r in (HIGH, LOW))},
            "The lower limit of Air temperature is not below the upper one; swap them.",
        ),
        (
            "limits",
            {"limits": (HIGH, replace(HIGH, level="warning"))},
            "The warning of Air temperature is above its alarm; lower it.",
        ),
        (
            "limits",
            {"limits": (LOW, replace(LOW, level="warning"))},
            "The warning of Air temperature is below its alarm; raise it.",
        ),
        (
            "limits",
            {"limits": (replace(HIGH, hysteresis=-0.1),)},
            "The hysteresis of Air temperature is out of range; enter 0 or more.",
        ),
        (
            "limits",
            {"limits": (replace(HIGH, hysteresis=125.0),)},
            "The hysteresis of Air temperature is out of range; enter 0 or more.",
        ),
        (
            "limits",
            {"limits": (replace(HIGH, hysteresis=INF),)},
            "The hysteresis of Air temperature is out of range; enter 0 or more.",
        ),
        (
            "limits",
            {"limits": (replace(HIGH, channel="co2"),)},
            "Carbon dioxide has a limit but is off; switch the channel on or remove the limit.",
        ),
        (
            "limits",
            {
                "limits": (replace(HIGH, channel="relative_humidity"),),
                "channels": ("air_temperature",),
            },
            (
                "Relative humidity has a limit but is off; switch the channel on or "
                "remove the limit."
            ),
        ),
        (
            "limits",
            {"limits": (replace(no_sensor_rule("air_temperature", 60), counting="accumulated"),)},
            "“No sensor” of Air temperature counts consecutive time only; choose “consecutive”.",
        ),
        (
            "limits",
            {
                "limits": (
                    replace(LOW, value=1.0),
                    HIGH,
                    replace(LOW, value=2.0, window=NIGHTS),
                    replace(HIGH, value=21.0, window=NIGHTS),
                    replace(HIGH, value=22.0, window=NIGHTS.other()),
                )
            },
            "Düne T2 has up to 4 limits per channel; remove some of Air temperature.",
        ),
        (
            "settings",
            {"settings": (ChannelSetting("air_temperature", "nose"),)},
            "The channel air_temperature has no sensor “nose”; choose another one.",
        ),
        (
            "settings",
            {"settings": (ChannelSetting("air_temperature", color="r" * 21),)},
            f"“{'r' * 20}” is not a colour; type it like #0E5A66.",
        ),
        (
            "settings",
            {"settings": (ChannelSetting("air_temperature", color="#0E5A666"),)},
            "“#0E5A666” is not a colour; type it like #0E5A66.",
        ),
        (
            "settings",
            {"settings": (ChannelSetting("air_temperature", name="ü" * 33),)},
            "The name of Air temperature is too long; shorten it.",
        ),
        (
            "mission_name",
            {"mission_name": "ü" * 33},
            f"“{'ü' * 20}…” is longer than 64 bytes; shorten it.",
        ),
        (
            "point_name",
            {"point_name": "x" * 65},
            f"“{'x' * 20}…” is longer than 64 bytes; shorten it.",
        ),
        ("remark", {"remark": "x" * 401}, f"“{'x' * 20}…” is longer than 400 bytes; shorten it."),
        (
            "point_name",
            {"point_name": "a\nb"},
            "The name contains a control character; type it again.",
        ),
        ("remark", {"remark": "a\x1fb"}, "The name contains a control character; type it again."),
        (
            "mission_name",
            {"mission_name": "a/b"},
            "“/” is not allowed in a file name; remove it from “a/b”.",
        ),
        (
            "point_name",
            {"point_name": "nul"},
            "“nul” is a name reserved by some file systems; add a word.",
        ),
        (
            "manners",
            {"manners": DeviceOptions("press", 61)},
            "The display stays on for 1 to 60 minutes after a press.",
        ),
        (
            "manners",
            {"manners": DeviceOptions("press", 0)},
            "The display stays on for 1 to 60 minutes after a press.",
        ),
        (
            "manners",
            {"manners": DeviceOptions(event_bytes=77)},
            "Düne T2 does not have that much memory for events; choose another size.",
        ),
    ],
)
def test_each_fault_is_one_sentence_at_its_field(
    field: str, change: dict[str, object], sentence: str
) -> None:
    plan = replace(ROOM, **change)  # type: ignore[arg-type]
    assert check_plan(plan, DUENE_T2, NOW) == [PlanFault(field, sentence)]  # type: ignore[arg-type]
    assert not fits(plan, DUENE_T2, NOW)


COLD = Plan(("probe_temperature",), 300, limits=(LimitRule("probe_temperature", "above", 7.0),))
WET = Plan(("water_pressure",), 600)
DUST = Plan(("co2",), 600)


@pytest.mark.parametrize(
    ("model", "plan", "field", "sentence"),
    [
        (
            PRIEL_W3,
            replace(WET, start="button"),
            "start",
            "Priel W3 has no button to start it; choose a time.",
        ),
        (
            PRIEL_W3,
            replace(WET, end="button"),
            "end",
            "Priel W3 has no button to end it; choose another end.",
        ),
        (
            PRIEL_W3,
            replace(WET, manners=DeviceOptions("on")),
            "manners",
            "Priel W3 has no display; remove it.",
        ),
        (
            PRIEL_W3,
            replace(WET, manners=DeviceOptions(sound=True)),
            "manners",
            "Priel W3 has no alarm sound; remove it.",
        ),
        (
            PRIEL_W3,
            replace(WET, manners=DeviceOptions(key_tone=True)),
            "manners",
            "Priel W3 has no key tone; remove it.",
        ),
        (
            PRIEL_W3,
            replace(WET, manners=DeviceOptions(reminders=True)),
            "manners",
            "Priel W3 has no check reminders; remove it.",
        ),
        (
            REIF_C2,
            replace(COLD, start="button", start_delay_s=86_401),
            "start",
            "The delay after the button is more than a day; choose a shorter one.",
        ),
        (
            REIF_C2,
            replace(COLD, start="button", start_delay_s=-1),
            "start",
            "The delay after the button is more than a day; choose a shorter one.",
        ),
        (
            REIF_C2,
            replace(COLD, end="count", end_count=1),
            "end",
            "A mission has at least two readings; enter a larger number.",
        ),
        (
            REIF_C2,
            replace(COLD, end="count", end_count=128_513),
            "end",
            "Only 128,512 readings fit; enter a smaller number.",
        ),
        (
            REIF_C2,
            replace(COLD, outside_interval_s=300),
            "interval",
            "The interval outside limits must be shorter than the normal interval.",
        ),
        (
            REIF_C2,
            replace(COLD, outside_interval_s=-1),
            "interval",
            "The interval outside limits must be shorter than the normal interval.",
        ),
        (
            REIF_C2,
            replace(COLD, outside_interval_s=70),
            "interval",
            "1 min 10 s does not divide 5 min; choose an interval outside limits that does.",
        ),
        (
            REIF_C2,
            replace(COLD, outside_interval_s=60, limits=()),
            "interval",
            (
                "A shorter interval outside limits needs an alarm limit; set one or "
                "remove the interval."
            ),
        ),
        (
            REIF_C2,
            replace(
                COLD, outside_interval_s=60, limits=(replace(COLD.limits[0], level="warning"),)
            ),
            "interval",
            (
                "A shorter interval outside limits needs an alarm limit; set one or "
                "remove the interval."
            ),
        ),
        (
            REIF_C2,
            replace(COLD, outside_interval_s=60, limits=(no_sensor_rule("probe_temperature", 60),)),
            "interval",
            (
                "A shorter interval outside limits needs an alarm limit; set one or "
                "remove the interval."
            ),
        ),
        (
            REIF_C2,
            replace(COLD, limits=(replace(COLD.limits[0], value=61.0),)),
            "limits",
            "The limit 61 of Store temperature lies outside the sensor's range -90 "
            "to 60; choose a value inside.",
        ),
        (
            BRISE_A4,
            replace(DUST, interval_s=59),
            "interval",
            "Brise A4 records every 1 min to 1 d; choose an interval in between.",
        ),
    ],
)
def test_other_models_have_faults_of_their_own(
    model: LoggerModel, plan: Plan, field: str, sentence: str
) -> None:
    assert check_plan(plan, model, NOW) == [PlanFault(field, sentence)]  # type: ignore[arg-type]


def test_a_choice_of_event_memory_where_there_is_none_is_said() -> None:
    plan = replace(WET, manners=DeviceOptions(event_bytes=1024))
    assert [fault.sentence for fault in check_plan(plan, PRIEL_W3, NOW)] == [
        "Priel W3 has no choice of event memory; remove it.",
        "Priel W3 does not have that much memory for events; choose another size.",
    ]


@pytest.mark.parametrize(
    ("model", "plan"),
    [
        (DUENE_T2, ROOM),
        (DUENE_T2, replace(ROOM, interval_s=86_400)),
        (DUENE_T2, replace(ROOM, start="at", start_ms=NOW + 1)),
        (DUENE_T2, replace(ROOM, start="at", start_ms=NOW + 183 * DAY_MS)),
        (DUENE_T2, replace(ROOM, end="at", end_ms=NOW + 600_001)),
        (DUENE_T2, replace(ROOM, start="now", start_ms=0, start_delay_s=10**6)),
        (DUENE_T2, replace(ROOM, limits=(replace(HIGH, value=85.0), replace(LOW, value=-40.0)))),
        (DUENE_T2, replace(ROOM, limits=(replace(HIGH, delay_s=0, hysteresis=124.9),))),
        (DUENE_T2, replace(ROOM, limits=tuple(replace(r, hysteresis=7.0) for r in (HIGH, LOW)))),
        (
            DUENE_T2,
            replace(
                ROOM,
                limits=(
                    HIGH,
                    replace(HIGH, value=23.9, level="warning"),
                    LOW,
                    replace(LOW, value=10.1, level="warning"),
                ),
            ),
        ),
        (DUENE_T2, replace(ROOM, limits=(HIGH, replace(LOW, value=30.0, window=NIGHTS)))),
        (DUENE_T2, replace(ROOM, limits=(no_sensor_rule("air_temperature", 60),))),
        (DUENE_T2, replace(ROOM, mission_name="ü" * 32, remark="x\n" * 200)),
        (DUENE_T2, replace(ROOM, remark="see a/b")),
        (DUENE_T2, replace(ROOM, point_name="a\x20b")),
        (DUENE_T2, replace(ROOM, manners=DeviceOptions("press", 60, True, True, True, True, 1024))),
        (DUENE_T2, replace(ROOM, manners=DeviceOptions("press", 1))),
        (
            DUENE_T2,
            replace(
                ROOM,
                settings=(
                    ChannelSetting("air_temperature", "probe", "ü" * 32, "#0e5A6f"),
                    ChannelSetting("co2", "of no model here"),
                ),
            ),
        ),
        (PRIEL_W3, replace(WET, manners=DeviceOptions(light=True, event_bytes=2048))),
        (REIF_C2, replace(COLD, start="button", start_delay_s=86_400, end="button")),
        (REIF_C2, replace(COLD, start="button", start_delay_s=0, end="count", end_count=2)),
        (REIF_C2, replace(COLD, end="count", end_count=128_512)),
        (REIF_C2, replace(COLD, outside_interval_s=150)),
        (REIF_C2, replace(COLD, outside_interval_s=1)),
        (REIF_C2, replace(COLD, interval_s=15)),
        (BRISE_A4, replace(DUST, interval_s=60)),
    ],
)
def test_what_just_still_fits(model: LoggerModel, plan: Plan) -> None:
    assert check_plan(plan, model, NOW) == []
    assert fits(plan, model, NOW)


def test_without_channels_nothing_is_said_of_what_fits() -> None:
    plan = replace(ROOM, channels=(), end="count", end_count=5)
    assert [fault.field for fault in check_plan(plan, DUENE_T2, NOW)] == ["channels"]


def test_two_faulty_limits_are_two_faults() -> None:
    plan = replace(ROOM, limits=(replace(HIGH, value=99.0), replace(LOW, delay_s=-1)))
    assert [fault.sentence.split(" ")[1] for fault in check_plan(plan, DUENE_T2, NOW)] == [
        "limit",
        "delay",
    ]


def test_blocking_faults_come_first() -> None:
    plan = Plan(("water_temperature",), 60, end="count", end_count=1)
    assert [fault.blocking for fault in check_plan(plan, PRIEL_W3, NOW)] == [True, False]


def test_an_interval_below_the_settling_time_is_worth_a_look_only() -> None:
    plan = Plan(("water_temperature",), 60)
    [fault] = check_plan(plan, PRIEL_W3, NOW)
    assert (fault.field, fault.blocking) == ("interval", False)
    assert "Water temperature needs 2 min to settle" in fault.sentence
    assert fits(plan, PRIEL_W3, NOW)


def test_the_sensor_decides_the_range_of_limits() -> None:
    hot = replace(COLD, limits=(LimitRule("probe_temperature", "above", 150.0),))
    assert not fits(hot, REIF_C2, NOW)
    wired = replace(hot, settings=(ChannelSetting("probe_temperature", "thermocouple_k"),))
    assert fits(wired, REIF_C2, NOW)


def test_a_limit_on_a_channel_with_an_unknown_sensor_is_judged_by_the_channel() -> None:
    nosy = replace(ROOM, settings=(ChannelSetting("air_temperature", "nose"),), limits=(HIGH,))
    [fault] = check_plan(nosy, DUENE_T2, NOW)
    assert fault.field == "settings"
    far = replace(nosy, limits=(replace(HIGH, value=90.0),))
    assert [fault.field for fault in check_plan(far, DUENE_T2, NOW)] == ["settings", "limits"]


def test_a_channel_without_choice_has_no_sensor_and_others_have_their_usual_one() -> None:
    assert DUENE_T2.channel("relative_humidity").sensor("") is None
    assert DUENE_T2.channel("air_temperature").sensor("").key == "internal"
    assert DUENE_T2.channel("air_temperature").sensor("probe").key == "probe"
    with pytest.raises(InputError, match="has no sensor"):
        DUENE_T2.channel("relative_humidity").sensor("probe")


def test_an_unknown_sensor_is_said() -> None:
    with pytest.raises(InputError, match="has no sensor"):
        DUENE_T2.channel("air_temperature").sensor("nose")
