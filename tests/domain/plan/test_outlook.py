"""How long a mission lasts: capacities and batteries worked by hand."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.domain.plan.models import BRISE_A4, DUENE_T2, MODELS, PRIEL_W3, REIF_C2, LoggerModel
from gezeiten.domain.plan.outlook import (
    Outlook,
    battery_assumption,
    battery_days,
    draw_uah_per_day,
    duration_s,
    event_bytes,
    interval_for,
    outlook,
    reading_bytes,
    readings_that_fit,
)
from gezeiten.domain.plan.plan import DeviceOptions, Plan
from gezeiten.domain.series.timeline import DAY_MS

T_RH = Plan(("air_temperature", "relative_humidity"), 600)


def test_readings_that_fit_as_worked_by_hand() -> None:
    # 65 536 - 1 024 - 2 048 = 62 464 bytes, two channels of two bytes each
    assert readings_that_fit(DUENE_T2, T_RH) == 15_616
    # one channel of two bytes: twice as many
    assert readings_that_fit(DUENE_T2, Plan(("air_temperature",), 60)) == 31_232
    # 259 072 bytes, 4 + 2 + 2 a set: 32 384
    assert readings_that_fit(PRIEL_W3, Plan(tuple(c.key for c in PRIEL_W3.channels), 60)) == 32_384
    assert readings_that_fit(PRIEL_W3, Plan((), 60)) == 0


@pytest.mark.parametrize("model", MODELS.values(), ids=lambda m: m.code)
def test_what_fits_fits_and_one_more_does_not(model: object) -> None:
    keys = tuple(c.key for c in model.channels)
    room = model.memory_bytes - model.header_bytes - model.event_bytes
    fit = readings_that_fit(model, Plan(keys, 60))
    assert fit * reading_bytes(model, keys) <= room < (fit + 1) * reading_bytes(model, keys)


def test_battery_days_as_worked_by_hand() -> None:
    # idle 110 uA x 24 h = 2640 uAh; 144 readings of 2 channels x 0.011 uAh = 3.168 uAh
    assert battery_days(DUENE_T2, T_RH, 1.0) == pytest.approx(2_600_000 / 2643.168)
    # at -10 degrees thirty kelvin below 20 take 30 x 0.4 % = 12 %
    assert battery_days(DUENE_T2, T_RH, 0.5, -10.0) == pytest.approx(
        0.5 * 0.88 * 2_600_000 / 2643.168
    )
    assert battery_days(DUENE_T2, T_RH, 1.0, 35.0) == battery_days(DUENE_T2, T_RH, 1.0, 20.0)


@given(st.integers(60, 86_400), st.integers(60, 86_400), st.floats(0, 1))
def test_a_longer_interval_never_shortens_anything(a: int, b: int, charge: float) -> None:
    short, long = sorted((a, b))
    plans = [replace(T_RH, interval_s=s) for s in (short, long)]
    assert battery_days(BRISE_A4, plans[0], charge) <= battery_days(BRISE_A4, plans[1], charge)
    looks = [outlook(DUENE_T2, p, first_ms=0, now_ms=0, charge=charge) for p in plans]
    assert looks[0].ends_ms <= looks[1].ends_ms


def test_memory_is_full_after_readings_times_interval() -> None:
    look = outlook(DUENE_T2, T_RH, first_ms=1000, now_ms=0, charge=1.0)
    assert look.ends_ms == 1000 + 15_616 * 600_000
    assert look.at_risk_readings == 0  # without a visit nothing is put at risk


def test_a_set_end_comes_before_a_full_memory() -> None:
    plan = replace(T_RH, end="at", end_ms=5 * DAY_MS)
    assert outlook(DUENE_T2, plan, first_ms=0, now_ms=0, charge=1.0).ends_ms == 5 * DAY_MS


def test_wrapping_never_fills_but_overwrites() -> None:
    plan = replace(T_RH, end="wrap", interval_s=60)
    look = outlook(DUENE_T2, plan, first_ms=0, now_ms=0, charge=1.0, visit_ms=20 * DAY_MS)
    assert look.ends_ms is None
    recorded = 20 * 1440 + 1
    assert look.at_risk_readings == 15_616
    assert look.overwritten_readings == recorded - 15_616


def test_at_risk_is_what_falls_due_until_the_visit_and_still_fits() -> None:
    look = outlook(DUENE_T2, T_RH, first_ms=0, now_ms=0, charge=1.0, visit_ms=10 * DAY_MS)
    assert look.at_risk_readings == 10 * 144 + 1
    late = outlook(DUENE_T2, T_RH, first_ms=0, now_ms=0, charge=1.0, visit_ms=400 * DAY_MS)
    assert late.at_risk_readings == 15_616


def test_a_battery_that_dies_first_records_no_more() -> None:
    look = outlook(
        BRISE_A4,
        replace(T_RH, interval_s=600),
        first_ms=0,
        now_ms=0,
        charge=0.01,
        visit_ms=50 * DAY_MS,
    )
    days = battery_days(BRISE_A4, T_RH, 0.01)
    assert days < 10
    assert look.at_risk_readings == int(days * 144) + 1


def test_an_end_by_number_comes_after_so_many_readings_or_a_full_memory() -> None:
    plan = replace(T_RH, end="count", end_count=100)
    assert outlook(DUENE_T2, plan, first_ms=7, now_ms=0, charge=1.0).ends_ms == 7 + 100 * 600_000
    many = replace(plan, end_count=20_000)
    full = 7 + 15_616 * 600_000
    assert outlook(DUENE_T2, many, first_ms=7, now_ms=0, charge=1.0).ends_ms == full


FULL_MS = 15_616 * 600_000
"""108 days and ten and two thirds hours from the first reading on."""


@pytest.mark.parametrize(
    ("visit_ms", "change", "wanted_s"),
    [
        (FULL_MS, {}, None),  # full just when somebody comes: it reaches
        (FULL_MS + 1000, {}, 720),  # a second later it does not: 600.00006 s, twelve minutes
        (2 * FULL_MS, {}, 1200),
        (2 * FULL_MS, {"end": "at", "end_ms": 2 * FULL_MS}, 1200),
        (2 * FULL_MS, {"end": "at", "end_ms": 2 * FULL_MS - 1000}, None),  # it would end before
        (2 * FULL_MS, {"outside_interval_s": 500}, 1500),  # a multiple of the shorter interval
        (DAY_MS * 30, {"end": "count", "end_count": 10}, None),  # the plan's own end is in the way
        (FULL_MS, {"end": "at", "end_ms": FULL_MS - 1000}, None),
        (15_616 * 86_400_000, {}, 86_400),  # the longest interval of the model
        (15_616 * 86_400_000 + 1, {}, None),  # none is as long as that
        (2 * FULL_MS, {"end": "wrap"}, None),
        (2 * FULL_MS, {"channels": ()}, None),
    ],
)
def test_which_interval_reaches_the_visit(
    visit_ms: int, change: dict[str, object], wanted_s: int | None
) -> None:
    plan = replace(T_RH, **change)
    look = outlook(DUENE_T2, plan, first_ms=0, now_ms=0, charge=1.0, visit_ms=visit_ms)
    assert look.reach_interval_s == wanted_s
    if plan.end == "full":  # what counts is the time from the first reading to the visit
        look = outlook(
            DUENE_T2, plan, first_ms=7000, now_ms=0, charge=1.0, visit_ms=visit_ms + 7000
        )
        assert look.reach_interval_s == wanted_s
    without = outlook(DUENE_T2, plan, first_ms=0, now_ms=0, charge=1.0)
    assert without.reach_interval_s is None


def test_the_shortest_interval_for_a_length_as_worked_by_hand() -> None:
    # 15,616 readings in 108 d 10 h 40 min are ten minutes; one second more wants one second more
    assert interval_for(DUENE_T2, T_RH, 15_616 * 600) == 600
    assert interval_for(DUENE_T2, T_RH, 15_616 * 600 + 1) == 601
    assert interval_for(DUENE_T2, T_RH, 1) == DUENE_T2.shortest_interval_s
    assert interval_for(DUENE_T2, Plan((), 60), 1000) == 0
    assert duration_s(DUENE_T2, T_RH) == 15_616 * 600


def test_every_figure_of_an_outlook_as_worked_by_hand() -> None:
    plan = replace(T_RH, outside_interval_s=60, end="count", end_count=15_616)
    look = outlook(
        DUENE_T2,
        plan,
        first_ms=5000,
        now_ms=3000,
        charge=0.5,
        temp_c=-10.0,
        calibration_due_ms=77,
        visit_ms=10 * DAY_MS,
        stored=41,
    )
    # half a charge at -10 degrees is 0.44 of 2 600 000 uAh; idle 2640 uAh a day, a reading of two
    # channels 0.022 uAh, 144 of them a day as usual, 1440 a day outside limits
    usable_uah = 0.44 * 2_600_000
    assert look == Outlook(
        readings_fit=15_616,
        ends_ms=5000 + 15_616 * 600_000,
        ends_by_plan=True,
        battery_empty_ms=3000 + int(usable_uah / (2640 + 0.022 * 144) * DAY_MS),
        calibration_due_ms=77,
        at_risk_readings=1440 - 41,  # from 5 s after midnight on: the last at 9 d 23 h 50 min 5 s
        overwritten_readings=0,
        worst_ends_ms=5000 + 15_616 * 60_000,
        worst_battery_ms=3000 + int(usable_uah / (2640 + 0.022 * 1440) * DAY_MS),
        reach_interval_s=None,
    )
    plain = outlook(DUENE_T2, T_RH, first_ms=5000, now_ms=3000, charge=1.0)
    assert (plain.worst_ends_ms, plain.worst_battery_ms) == (None, None)
    assert (plain.ends_by_plan, plain.at_risk_readings, plain.overwritten_readings) == (False, 0, 0)
    more = replace(plan, end_count=15_617)
    assert not outlook(DUENE_T2, more, first_ms=0, now_ms=0, charge=1.0).ends_by_plan


@pytest.mark.parametrize(
    ("kept", "at_risk", "overwritten"),
    [(5000, 15_616, 8185), (20_000, 8801, 0), (28_801, 0, 0), (30_000, 0, 0)],
)
def test_what_is_kept_already_is_at_risk_no_more(kept: int, at_risk: int, overwritten: int) -> None:
    plan = replace(T_RH, end="wrap", interval_s=60)  # 28 801 readings in twenty days
    look = outlook(
        DUENE_T2, plan, first_ms=0, now_ms=0, charge=1.0, visit_ms=20 * DAY_MS, stored=kept
    )
    assert (look.at_risk_readings, look.overwritten_readings) == (at_risk, overwritten)


def test_display_light_and_sound_draw_what_their_model_says() -> None:
    cell, loud = REIF_C2.battery, DeviceOptions("press", 6, sound=True, light=True)
    plan = Plan(("probe_temperature",), 300)
    base = draw_uah_per_day(REIF_C2, plan, 300)
    assert base == pytest.approx(cell.idle_ua * 24 + cell.reading_uah * 288)
    assert draw_uah_per_day(REIF_C2, plan, 1) > 100 * cell.reading_uah + cell.idle_ua * 24
    assert draw_uah_per_day(REIF_C2, plan, 0) == pytest.approx(cell.idle_ua * 24)
    # four looks of six minutes are 0.4 h; 24 blinks; a minute of sound
    more = 0.4 * cell.display_ua + 24 * cell.light_uah + cell.sound_uah
    assert min(cell.display_ua, cell.light_uah, cell.sound_uah) > 0
    assert draw_uah_per_day(REIF_C2, replace(plan, manners=loud), 300) == pytest.approx(base + more)
    lit = draw_uah_per_day(REIF_C2, replace(plan, manners=DeviceOptions("on")), 300)
    assert lit == pytest.approx(base + 24 * cell.display_ua)
    # a model without display and sound draws nothing for them
    wired = Plan(("water_pressure",), 300)
    blinks = 24 * PRIEL_W3.battery.light_uah
    assert draw_uah_per_day(PRIEL_W3, replace(wired, manners=loud), 300) == pytest.approx(
        draw_uah_per_day(PRIEL_W3, wired, 300) + blinks
    )


@pytest.mark.parametrize(
    ("model", "manners", "temp_c", "words"),
    [
        (PRIEL_W3, DeviceOptions("on", sound=True, light=True), 8.4, "at 8 °C, 24 blinks a day"),
        (PRIEL_W3, DeviceOptions("on", sound=True), 19.6, "at 20 °C"),
        (DUENE_T2, DeviceOptions(), 20.0, "at 20 °C, display off"),
        (DUENE_T2, DeviceOptions("on"), 35.0, "at 20 °C, display on"),
        (
            REIF_C2,
            DeviceOptions("press", light=True),
            -4.6,
            "at -5 °C, 4 looks a day at the display, 24 blinks a day",
        ),
        (REIF_C2, DeviceOptions(sound=True), 20.0, "at 20 °C, display off, 1 min of sound a day"),
    ],
)
def test_the_battery_figure_says_what_it_assumes(
    model: LoggerModel, manners: DeviceOptions, temp_c: float, words: str
) -> None:
    plan = Plan((model.channels[0].key,), 600, manners=manners)
    assert battery_assumption(model, plan, temp_c) == words


def test_a_plans_own_room_for_events_leaves_less_for_readings() -> None:
    room = replace(T_RH, manners=DeviceOptions(event_bytes=4096))
    assert event_bytes(DUENE_T2, room) == 4096
    assert event_bytes(DUENE_T2, T_RH) == DUENE_T2.event_bytes
    assert readings_that_fit(DUENE_T2, room) == (65_536 - 1024 - 4096) // 4
