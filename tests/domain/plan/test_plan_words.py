"""Plans and rules in words, field by field."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime
from zoneinfo import ZoneInfo

import pytest

from gezeiten.domain.limits.limits import LimitRule, no_sensor_rule
from gezeiten.domain.limits.windows import NIGHTS, WEEKENDS, WORKING_HOURS, WeeklyWindow
from gezeiten.domain.plan.plan import ChannelSetting, DeviceOptions, Plan
from gezeiten.domain.plan.plan_words import (
    compared,
    device_option_texts,
    end_text,
    plan_fields,
    rule_text,
    start_text,
)
from gezeiten.domain.series.timeline import to_ms

COLD = Plan(("probe_temperature",), 300, limits=(LimitRule("probe_temperature", "above", 7.0),))
BERLIN = "Europe/Berlin"
AT_MS = to_ms(datetime(2026, 11, 30, 6, 30, tzinfo=ZoneInfo(BERLIN)))


def test_rules_and_plans_in_words() -> None:
    rule = LimitRule(
        "probe_temperature", "above", 7.0, 1800, "accumulated", True, "warning", 0.5, NIGHTS
    )
    assert rule_text(rule) == (
        "warning above 7 °C for 30 min, accumulated daily, hysteresis 0.5 °C, in nights"
    )
    dusty = LimitRule("particles_from_0_5", "above", 12_000_000.0)
    assert rule_text(dusty) == "alarm above 12,000,000 per m³"
    lines = compared(COLD, replace(COLD, interval_s=60, channels=("room_temperature",)), "UTC")
    differing = {line.name: (line.mine, line.other) for line in lines if line.differs}
    assert differing["Interval"] == ("5 min", "1 min")
    assert differing["Store temperature"] == ("on; alarm above 7 °C", "off")
    assert differing["Room around the store"] == ("off", "on")
    assert set(plan_fields(COLD, "UTC")) <= {line.name for line in lines}


@pytest.mark.parametrize(
    ("rule", "words"),
    [
        (no_sensor_rule("co2", 1800, "warning"), "warning without a sensor for 30 min"),
        (
            LimitRule("co2", "below", 400.5, counting="accumulated"),
            "alarm below 400.5 ppm, accumulated",
        ),
        (
            LimitRule("co2", "above", 1000.0, 60, hysteresis=50.0, window=WORKING_HOURS),
            "alarm above 1,000 ppm for 1 min, hysteresis 50 ppm, in working hours",
        ),
        (
            LimitRule("co2", "above", 800.0, window=WEEKENDS.other()),
            "alarm above 800 ppm, outside weekends",
        ),
        (
            LimitRule("co2", "above", 800.0, window=WeeklyWindow((2,), 60, 120, True)),
            "alarm above 800 ppm, outside Wed 01:00–02:00",
        ),
        (LimitRule("aura", "above", 3.0, hysteresis=1.0), "alarm above 3, hysteresis 1"),
    ],
)
def test_a_rule_in_words(rule: LimitRule, words: str) -> None:
    assert rule_text(rule) == words


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"start": "at", "start_ms": AT_MS}, "at 2026-11-30 06:30"),
        ({"start": "button"}, "by its button"),
        ({"start": "button", "start_delay_s": 90}, "by its button, 1 min 30 s later"),
        ({"start": "now"}, "immediately"),
        ({"start": "next_interval"}, "on the next full interval"),
    ],
)
def test_a_start_in_words(change: dict[str, object], words: str) -> None:
    assert start_text(replace(COLD, **change), BERLIN) == words


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"end": "at", "end_ms": AT_MS}, "at 2026-11-30 06:30"),
        ({"end": "count", "end_count": 2880}, "after 2,880 readings"),
        ({"end": "button"}, "by its button"),
        ({"end": "button", "restart": True}, "by its button, restart allowed"),
        ({"end": "full"}, "when memory is full"),
        ({"end": "wrap"}, "never (overwrite oldest)"),
    ],
)
def test_an_end_in_words(change: dict[str, object], words: str) -> None:
    assert end_text(replace(COLD, **change), BERLIN) == words


def test_manners_in_words() -> None:
    quiet = dict(device_option_texts(COLD))
    assert quiet == {
        "Display": "off",
        "Alarm sound": "off",
        "Key tone": "off",
        "Alarm light": "off",
        "Check reminders": "off",
        "Memory for events": "usual",
    }
    loud = replace(COLD, manners=DeviceOptions("press", 7, True, True, True, True, 2048))
    assert dict(device_option_texts(loud)) == {
        "Display": "7 min after a press",
        "Alarm sound": "on",
        "Key tone": "on",
        "Alarm light": "on",
        "Check reminders": "on",
        "Memory for events": "64 events",
    }
    one = replace(COLD, manners=DeviceOptions("on", light=True, event_bytes=32))
    texts = dict(device_option_texts(one))
    assert (texts["Display"], texts["Memory for events"]) == ("on", "1 event")
    assert (texts["Alarm sound"], texts["Alarm light"]) == ("off", "on")


def test_every_field_of_a_plan_in_words() -> None:
    plan = replace(
        COLD,
        point_name="Nave",
        mission_name="Winter",
        remark="by the door",
        end="at",
        end_ms=AT_MS,
        start="at",
        start_ms=AT_MS,
        outside_interval_s=60,
        settings=(ChannelSetting("probe_temperature", "pt100", "Core", "#0E5A66", "K"),),
    )
    fields = plan_fields(plan, BERLIN)
    assert list(fields)[:8] == [
        "Point",
        "Mission",
        "Remark",
        "Interval",
        "Interval outside limits",
        "First reading",
        "Ends",
        "Store temperature",
    ]
    assert list(fields.values())[:8] == [
        "Nave",
        "Winter",
        "by the door",
        "5 min",
        "1 min",
        "at 2026-11-30 06:30",
        "at 2026-11-30 06:30",
        "on; Core; pt100; K; #0E5A66; alarm above 7 °C",
    ]
    assert list(plan_fields(COLD, BERLIN).values())[:5] == ["—", "—", "—", "5 min", "—"]


def test_two_plans_side_by_side() -> None:
    other = replace(COLD, channels=("co2",), limits=(), end="at", end_ms=AT_MS)
    mine = replace(COLD, start="at", start_ms=AT_MS)
    lines = {line.name: line for line in compared(mine, other, BERLIN)}
    assert lines["First reading"].mine == "at 2026-11-30 06:30"
    assert (lines["Ends"].mine, lines["Ends"].other) == (
        "when memory is full",
        "at 2026-11-30 06:30",
    )
    assert (lines["Carbon dioxide"].mine, lines["Carbon dioxide"].other) == ("off", "on")
    assert lines["Store temperature"].other == "off"
    assert not lines["Interval"].differs
    assert list(lines)[-1] == "Carbon dioxide"
