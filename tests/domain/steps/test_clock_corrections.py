"""Clocks stretched between contacts by hand, and what they are sure to."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from gezeiten.domain.series.clocks.clock_map import clock_map
from gezeiten.domain.series.clocks.clock_uncertainty import ClockUncertainty, clock_u_ms
from gezeiten.domain.series.timeline import DAY_MS, HOUR_MS
from gezeiten.domain.steps.clock_corrections import (
    ClockRead,
    drift_between_contacts,
    u_between_contacts_ms,
    usual_drifts,
)


def test_between_contacts_it_is_least_sure_in_the_middle() -> None:
    """By hand: ten days, ends sure to 500 and 100 ms: there 250 and 50, and 10 ppm of ten days."""
    a, b = ClockRead(0, 0, 500), ClockRead(10 * DAY_MS + 9_000, 10 * DAY_MS, 100)
    assert u_between_contacts_ms(a, b, 0.5) == pytest.approx(math.hypot(math.hypot(250, 50), 8640))
    assert u_between_contacts_ms(a, b, 0.0) == 500
    clock_fit = drift_between_contacts([b, a])
    assert clock_fit.clock.corrected_instant(10 * DAY_MS + 9_000) == 10 * DAY_MS
    middle_ms = 2 * math.hypot(math.hypot(250, 50), 8640)
    assert clock_fit.uncertainty.u_ms == math.ceil(middle_ms)
    assert clock_u_ms(clock_fit.clock, clock_fit.uncertainty, 5 * DAY_MS) == pytest.approx(
        middle_ms, rel=1e-3
    )
    assert clock_u_ms(clock_fit.clock, clock_fit.uncertainty, 10 * DAY_MS) == 200
    assert clock_fit.jumps == ()


def test_beyond_the_last_contact_it_grows_by_two_seconds_a_day() -> None:
    """Of a clock read twice to 0.1 s in ten days, 9 s fast: 10.42 ppm, hardly less by what is
    usual (11.57 and 0.59 ppm: 10.39). Ten days later: 20 s and 0.2 s."""
    a, b = ClockRead(0, 0, 500), ClockRead(10 * DAY_MS + 9_000, 10 * DAY_MS, 100)
    clock_fit = drift_between_contacts([a, b])
    later = clock_fit.clock.corrected_instant(20 * DAY_MS + 18_000)
    assert later == pytest.approx(20 * DAY_MS, abs=40)
    at_20_days = clock_u_ms(clock_fit.clock, clock_fit.uncertainty, 20 * DAY_MS)
    assert at_20_days == pytest.approx(math.hypot(20_000, 200))
    assert clock_u_ms(clock_fit.clock, clock_fit.uncertainty, -DAY_MS) == pytest.approx(
        math.hypot(2000, 1000)
    )


def test_a_clock_set_wrongly_says_nothing_of_its_rate() -> None:
    """Set 0.4 s late and read an hour later: taken as a rate it would be 111 ppm, 461 s in the 48
    days after."""
    clock_fit = drift_between_contacts(
        [ClockRead(0, 0, 500), ClockRead(HOUR_MS - 400, HOUR_MS, 20)]
    )
    end_ms = HOUR_MS + 48 * DAY_MS
    assert abs(clock_fit.clock.corrected_instant(end_ms - 400) - end_ms) < 5_000
    assert clock_u_ms(clock_fit.clock, clock_fit.uncertainty, end_ms) > 90_000
    assert clock_fit.jumps == ()


@given(
    rate_ppm=st.floats(-23, 23),
    u_ms=st.floats(1, 500),
    days=st.floats(0.05, 60),
    beyond=st.floats(0, 60),
    seed=st.integers(0, 10_000),
)
def test_a_clock_that_drifts_as_usual_stays_within_what_is_promised(
    rate_ppm: float, u_ms: float, days: float, beyond: float, seed: int
) -> None:
    """A made clock of a steady rate, each contact wrong by up to twice what it is sure to."""
    rng = np.random.default_rng(seed)
    reads = []
    for at in (0, 0.6 * days * DAY_MS, days * DAY_MS):
        shown = round(at * (1 + 1e-6 * rate_ppm) + rng.uniform(-1, 1) * u_ms)
        reads.append(ClockRead(shown, round(at), u_ms))
    assume(reads[0].shown_ms < reads[1].shown_ms < reads[2].shown_ms)
    clock_fit = drift_between_contacts(reads)
    truth = round((days + beyond) * DAY_MS)
    found = clock_fit.clock.corrected_instant(round(truth * (1 + 1e-6 * rate_ppm)))
    assert (
        abs(found - truth) <= clock_u_ms(clock_fit.clock, clock_fit.uncertainty, truth) * 1.05 + 5
    )


def test_an_old_correction_grows_by_what_its_contacts_could_tell() -> None:
    """No rate was said with it: two contacts a day apart, both to 1 s, tell a rate to 16 ppm."""
    old = clock_map([(0, 0), (DAY_MS, DAY_MS)])
    grown = clock_u_ms(old, ClockUncertainty(1000), 11 * DAY_MS)
    assert grown == pytest.approx(math.hypot(1000, 10 * math.hypot(2000, math.sqrt(2) * 1000)))
    assert clock_u_ms(old, ClockUncertainty(1000), DAY_MS // 2) == 1000


def test_what_is_known_of_a_model_needs_five_clocks() -> None:
    """By hand: root mean square of 3, 4, 3, 4, 3 ppm is 3.435; a jump is no drift."""
    known = usual_drifts({"Ebb T1": [3, -4, 3, 4, -3, 9_000], "Siel L1": [3, 3, 3, 3]})
    assert known == {"Ebb T1": pytest.approx(2 * math.sqrt(59 / 5))}


def test_what_no_clock_drifts_is_a_jump() -> None:
    """An hour in a day is 4 per cent; 15 s in a day are 174 ppm."""
    reads = [
        ClockRead(0, 0, 1),
        ClockRead(DAY_MS + 15_000, DAY_MS, 1),
        ClockRead(2 * DAY_MS + HOUR_MS, 2 * DAY_MS, 1),
    ]
    assert drift_between_contacts(reads).jumps == (2 * DAY_MS,)
