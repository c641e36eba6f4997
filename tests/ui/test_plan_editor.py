"""The plan editor: what is typed is the plan, what makes no sense is one sentence at its field."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime
from zoneinfo import ZoneInfo

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from pytestqt.qtbot import QtBot

from gezeiten.desk.base.settings import Settings
from gezeiten.desk.logger.contact import contact
from gezeiten.domain.limits.limits import LimitRule, no_sensor_rule
from gezeiten.domain.limits.windows import WORKING_HOURS
from gezeiten.domain.plan.plan import ChannelSetting, DeviceOptions, Plan
from gezeiten.domain.series.timeline import to_ms
from gezeiten.ui.format.units import units_of
from gezeiten.ui.plan.editor import PlanEditor
from gezeiten.ui.plan.times import STOPS_S, slider_place, stop_at
from gezeiten.ui.shell.app import application
from tests.conftest import COLD_PLAN, STORE_PLAN, Lab
from tests.ui_help import type_into

ZONE = "Europe/Berlin"


def editor_for(qtbot: QtBot, lab: Lab, plan: Plan, settings_: Settings | None = None) -> PlanEditor:
    application()
    units = units_of(settings_ or Settings())
    plan_editor = PlanEditor(lab.desk.now_ms, lambda: units, lambda point: f"{point} by pattern")
    qtbot.addWidget(plan_editor)
    plan_editor.show_plan(contact(lab.desk, lab.standin.address, lab.serial), plan, ZONE)
    return plan_editor


@pytest.fixture
def editor(qtbot: QtBot, lab: Lab) -> PlanEditor:
    return editor_for(qtbot, lab, STORE_PLAN)


RICH = replace(
    COLD_PLAN,
    limits=(
        *COLD_PLAN.limits,
        LimitRule(
            "probe_temperature",
            "above",
            5.0,
            3600,
            "accumulated",
            True,
            "warning",
            0.5,
            WORKING_HOURS.other(),
        ),
        no_sensor_rule("probe_temperature", 600, "warning"),
        LimitRule("room_temperature", "below", -5.0, level="warning", window=WORKING_HOURS),
    ),
    start="button",
    start_delay_s=90,
    end="count",
    end_count=500,
    outside_interval_s=60,
    remark="two probes",
    settings=(ChannelSetting("probe_temperature", "thermocouple_k", "Core", "#aa3300", "°F"),),
    manners=DeviceOptions("press", 7, True, True, True, True, 8192),
)


@pytest.mark.parametrize("plan", [STORE_PLAN, replace(STORE_PLAN, end="button", restart=True)])
def test_a_plan_shown_is_the_plan_read(qtbot: QtBot, lab: Lab, plan: Plan) -> None:
    assert editor_for(qtbot, lab, plan).plan() == plan


def test_a_plan_only_looked_at_is_not_a_changed_one(qtbot: QtBot, lab: Lab) -> None:
    warm = LimitRule("air_temperature", "above", 24.0)
    plan = replace(STORE_PLAN, limits=(*STORE_PLAN.limits, warm))  # not in the channels' order
    assert editor_for(qtbot, lab, plan).plan() == plan


def test_the_richest_plan_survives_the_editor(qtbot: QtBot, cold_lab: Lab) -> None:
    assert editor_for(qtbot, cold_lab, RICH).plan() == RICH
    elsewhere = Settings(unit_temperature="K")
    assert editor_for(qtbot, cold_lab, RICH, elsewhere).plan() == RICH


def test_interval_duration_and_until_determine_each_other(editor: PlanEditor) -> None:
    times = editor.times
    # 62 464 bytes hold 15 616 readings of four bytes
    assert times.fits.text() == "15,616 readings per channel fit"
    assert times.duration.text() == "108 d 10 h"
    type_into(times.duration, "90 d")
    assert editor.plan().interval_s == 498  # 7 776 000 s / 15 616 = 497.95
    assert times.interval.text() == "8 min 18 s"
    editor.channels.line_of("relative_humidity").on.setChecked(False)
    assert editor.plan().interval_s == 249  # the duration leads, twice the readings fit
    type_into(times.interval, "1 h")
    assert times.duration.text() == "1301 d 8 h"
    ends = datetime.fromtimestamp(editor._now_ms() / 1000 + 10 * 86_400, ZoneInfo(ZONE))
    type_into(times.until, f"{ends:%Y-%m-%d %H:%M}")
    assert editor.plan().interval_s in (27, 28)  # 864 000 s / 31 232 = 27.66


def test_the_slider_steps_along_the_usual_stops(editor: PlanEditor) -> None:
    for stop in STOPS_S:
        assert stop_at(slider_place(stop)) == stop
    editor.times.slider.setValue(slider_place(60))
    assert editor.times.interval.text() == "1 min"
    type_into(editor.times.interval, "1 h")
    assert editor.times.slider.value() == slider_place(3600)


@pytest.mark.parametrize("text", ["", "soon", "0x10", "−5 min", "🌊", "1e9 s", "٣ min"])
def test_any_text_in_the_interval_is_one_sentence_at_the_field(
    editor: PlanEditor, text: str
) -> None:
    field = editor.times.interval
    field.setText(text)
    field.textEdited.emit(text)
    assert editor.plan() is None
    assert "is not an interval; type it like" in editor.fault
    assert field.property("wrong")
    assert editor.times.problem.text() == editor.fault
    type_into(field, "6 min")
    assert editor.plan() is not None
    assert not field.property("wrong")


@given(st.data())
@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=60)
def test_no_text_in_any_field_does_more_than_say_so(
    editor: PlanEditor, data: st.DataObject
) -> None:
    limit = editor.channels.line_of("relative_humidity").limits[0]
    fields = (
        editor.names.mission,
        editor.names.remark,
        editor.names.point.lineEdit(),
        editor.times.interval,
        editor.times.duration,
        editor.start_end.count,
        editor.start_end.delay,
        limit.value,
        limit.delay,
        limit.hysteresis,
        limit.hours.lineEdit(),
    )
    field = data.draw(st.sampled_from(fields))
    before, text = field.text(), data.draw(st.text(max_size=40))
    field.setText(text)
    field.textEdited.emit(field.text())
    assert (editor.plan() is None) == bool(editor.fault)
    if editor.fault:
        assert editor.fault.endswith(".")
        assert "\n" not in editor.fault
    field.setText(before)
    field.textEdited.emit(before)


def test_a_limit_that_is_no_number_is_one_sentence(editor: PlanEditor) -> None:
    limit = editor.channels.line_of("relative_humidity").limits[0]
    type_into(limit.value, "wet")
    assert editor.plan() is None
    assert editor.fault == "“wet” is not a number; type Relative humidity again."
    assert editor.channels.problem.text() == editor.fault
    type_into(limit.value, "65")
    assert editor.plan().rules_for("relative_humidity")[0].value == 65.0


def test_crossed_limits_are_said_at_the_limits(editor: PlanEditor) -> None:
    line = editor.channels.line_of("relative_humidity")
    low = line.add_limit()
    low.kind.select("below alarm")
    type_into(low.value, "70")
    words = "The lower limit of Relative humidity is not below the upper one; swap them."
    assert editor.channels.problem.text() == words
    assert editor.plan() is not None  # it can be read; the checks keep it from the logger
    line.drop_limit(low)
    assert editor.channels.problem.isHidden()


def test_a_channel_that_is_off_takes_its_limits_along(editor: PlanEditor) -> None:
    line = editor.channels.line_of("relative_humidity")
    line.on.setChecked(False)
    assert editor.plan().channels == ("air_temperature",)
    assert editor.plan().limits == ()
    assert not line.limits[0].isEnabled()


def test_limits_are_typed_in_the_unit_shown(qtbot: QtBot, cold_lab: Lab) -> None:
    editor = editor_for(qtbot, cold_lab, COLD_PLAN, Settings(unit_temperature="°F"))
    limit = editor.channels.line_of("probe_temperature").limits[0]
    assert limit.value.text() == "44.6"  # 7 °C
    type_into(limit.value, "50")
    type_into(limit.hysteresis, "1.8")
    [rule, _] = editor.plan().limits
    assert rule.value == pytest.approx(10.0)
    assert rule.hysteresis == pytest.approx(1.0)  # a difference has no offset
    editor.channels.line_of("probe_temperature").unit.select("K")
    assert limit.value.text() == "283.15"
    assert editor.plan().limits[0].value == pytest.approx(10.0)


def test_a_start_in_the_skipped_hour_is_said_at_the_field(editor: PlanEditor) -> None:
    section = editor.start_end
    section.start.select("at")
    type_into(section.start_at, "28 Mar 2027 02:30")  # Berlin skips 2:00 to 3:00
    assert editor.plan() is None
    assert "02:30 does not exist on 28.03.2027" in section.problem.text()
    assert section.start_at.property("wrong")


def test_a_start_in_the_repeated_hour_asks_which(qtbot: QtBot, lab: Lab) -> None:
    editor = editor_for(qtbot, lab, STORE_PLAN)
    section = editor.start_end
    section.start.select("at")
    type_into(section.start_at, "31 Oct 2027 02:30")
    assert "02:30 occurs twice on 31.10.2027" in section.problem.text()
    assert not section.second.isHidden()
    section.second.setChecked(True)
    berlin = ZoneInfo(ZONE)
    second = datetime(2027, 10, 31, 2, 30, tzinfo=berlin, fold=1)
    assert editor.plan().start_ms == to_ms(second)
    again = editor_for(qtbot, lab, editor.plan())
    assert again.plan().start_ms == to_ms(second)  # a kept second pass stays the second


def test_the_large_button_says_which_start(editor: PlanEditor) -> None:
    section = editor.start_end
    section.start.select("button")
    type_into(section.delay, "2 min")
    assert editor.first_reading() == "2 min after its button is pressed"
    assert editor.countdown() == ""
    section.start.select("now")
    assert editor.first_reading() == "immediately"
    section.start.select("next_interval")
    assert editor.first_reading().startswith("first reading ")
    minutes, seconds = map(int, editor.countdown().split(":"))
    assert 0 <= minutes * 60 + seconds <= 600


def test_only_what_the_model_has_is_shown(qtbot: QtBot, cold_lab: Lab, start_standin) -> None:  # type: ignore[no-untyped-def]
    cold = editor_for(qtbot, cold_lab, COLD_PLAN)
    assert [line.on.text() for line in cold.channels.lines] == [
        "Store temperature",
        "Room around the store",
    ]
    assert not cold.times.outside.isHidden()
    assert cold.start_end.start.findData("button") >= 0
    water = start_standin("P-0320")
    card = contact(cold_lab.desk, water.address, "P-0320")
    cold.show_plan(card, Plan(("water_pressure",), 600), ZONE)
    assert cold.times.outside.isHidden()
    assert cold.start_end.start.findData("button") < 0
    assert cold.device_options.display.isHidden()
    assert not cold.device_options.switches["light"].isHidden()
    assert cold.channels.line_of("water_pressure").sensor.isHidden()


def test_the_pattern_names_the_mission(editor: PlanEditor) -> None:
    editor.names.by_pattern.click()
    assert editor.plan().mission_name == f"{STORE_PLAN.point_name} by pattern"


def test_a_start_at_a_set_time_is_proposed_for_the_next_full_hour(qtbot: QtBot, lab: Lab) -> None:
    made = editor_for(qtbot, lab, STORE_PLAN)
    made.start_end.start.select("at")
    now = datetime.fromtimestamp(lab.desk.now_ms() / 1000, ZoneInfo(ZONE))
    begins = datetime.fromtimestamp(made.plan().start_ms / 1000, ZoneInfo(ZONE))
    assert (begins.minute, begins.second) == (0, 0)
    assert 0 < (begins - now).total_seconds() <= 3600


def test_memory_for_events_is_said_in_events(editor: PlanEditor) -> None:
    # an event takes 32 bytes (docs/protocol.md); Düne T2 may keep 2,048, 1,024 or 4,096 of them
    words = [
        editor.device_options.events.itemText(i)
        for i in range(editor.device_options.events.count())
    ]
    assert words == ["64 events (usual)", "32 events", "128 events"]
