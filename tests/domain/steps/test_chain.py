"""The chain of corrections: offset and gain, points, marks; switched in any order."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.domain.series.quality import Quality
from gezeiten.domain.series.series import Series, make_series
from gezeiten.domain.steps.chain import Correction, corrected, in_order
from gezeiten.domain.steps.corrections import CORRECTIONS

MINUTE = 60_000


def series(*values: float) -> Series:
    return make_series(np.arange(len(values), dtype=np.int64) * MINUTE, np.array(values), MINUTE)


def step(
    kind: str, parameters: dict[str, Any], start: int = 0, end: int | None = None, said: int = 0
) -> Correction:
    checked = CORRECTIONS[kind, 1].checked(parameters)
    return Correction(
        f"{kind}{start}{said}",
        "p",
        "s",
        kind,
        1,
        start * MINUTE,
        None if end is None else end * MINUTE,
        checked,
        "",
        said,
        "JA",
    )


def told(made: Series) -> list[tuple[int, float, str]]:
    rows = zip(made.times_utc_ms, made.values, made.quality, strict=True)
    return [(int(t) // MINUTE, round(float(v), 9), Quality(int(q)).file_code) for t, v, q in rows]


def test_offset_and_gain_hold_from_begin_to_end_without_it() -> None:
    made = corrected(series(1, 2, 3, 4), [step("linear", {"offset": 0.5, "gain": 2}, 1, 3)])
    assert [value for _, value, _ in told(made)] == [1, 4.5, 6.5, 4]


def test_points_are_linear_between_and_their_end_beyond_suspect() -> None:
    """By hand: +0.2 at 0, -0.4 at 10; at 5 half way, -0.1; at -1 and 12 as at the ends."""
    its = step("points", {"points": [[10, 9.6], [0, 0.2]]})
    assert told(corrected(series(-1, 0, 5, 10, 12), [its])) == [
        (0, -0.8, "suspect"), (1, 0.2, "good"), (2, 4.9, "good"), (3, 9.6, "good"),
        (4, 11.6, "suspect"),
    ]  # fmt: skip


def test_one_point_is_an_offset_everywhere() -> None:
    made = corrected(series(3, 300), [step("points", {"points": [[20, 20.5]]})])
    assert told(made) == [(0, 3.5, "good"), (1, 300.5, "good")]


def test_a_sensor_that_drifts_is_corrected_in_proportion_to_time() -> None:
    """As left +0.0, as found four minutes later +0.8 at 10: after one minute a quarter."""
    its = step("points", {"points": [[10, 10.0]], "as_found": [[10, 10.8]]}, 0, 4)
    values = [value for _, value, _ in told(corrected(series(10, 10, 10, 10, 10), [its]))]
    assert values == [10, 10.2, 10.4, 10.6, 10]


def test_calibrations_come_before_marks_whenever_they_were_said() -> None:
    chain = [step("mark", {"mark": "suspect"}, 1, 2, said=1), step("linear", {"offset": 1}, said=2)]
    assert [one.kind for one in in_order(chain)] == ["linear", "mark"]
    assert told(corrected(series(1, 2, 3), chain))[1] == (1, 3, "suspect")


@pytest.mark.parametrize(
    ("marks", "left"),
    [
        (["taken out"], [(0, 1, "good"), (3, 4, "good")]),
        (["taken out", "kept"], [(0, 1, "good"), (1, 2, "good"), (2, 3, "good"), (3, 4, "good")]),
        (["kept", "taken out"], [(0, 1, "good"), (3, 4, "good")]),
        (
            ["taken out", "suspect"],
            [(0, 1, "good"), (1, 2, "suspect"), (2, 3, "suspect"), (3, 4, "good")],
        ),
    ],
)
def test_of_several_marks_the_last_stands(marks: list[str], left: list[object]) -> None:
    chain = [step("mark", {"mark": mark}, 1, 3, said=i) for i, mark in enumerate(marks)]
    assert told(corrected(series(1, 2, 3, 4), chain)) == left


def test_readings_out_of_place_are_taken_out() -> None:
    assert told(corrected(series(1, 2, 3), [step("trim", {}, 0, 2)])) == [(2, 3, "good")]


def test_what_gives_no_number_gives_no_reading() -> None:
    its = replace(step("linear", {"gain": 2}), parameters={"offset": 0, "gain": 1e308, "u": 0})
    assert told(corrected(series(0, 1e10), [its])) == [(0, 0, "good")]


def test_what_a_newer_version_said_has_no_effect() -> None:
    its = replace(step("linear", {"gain": 2}), version=99)
    assert told(corrected(series(1, 2), [its])) == told(series(1, 2))


@pytest.mark.parametrize(
    ("kind", "parameters", "reason"),
    [
        ("linear", {}, "changes nothing"),
        ("linear", {"gain": 0}, "a gain of 0 makes all readings equal"),
        ("linear", {"offset": "x"}, "is not a number"),
        ("linear", {"offset": float("nan")}, "too large"),
        ("linear", {"offset": 1, "slope": 2}, "slope cannot be set"),
        ("linear", {"offset": 1, "u": -1}, "below 0"),
        ("points", {"points": []}, "at least one"),
        ("points", {"points": [[1, 2], [1, 3]]}, "the same reading"),
        ("points", {"points": [[1, 2], [2, 1]]}, "must rise"),
        ("points", {"points": [[1]]}, "both numbers"),
        ("points", {"points": [[1, float("inf")]]}, "both numbers"),
        ("mark", {"mark": "odd"}, "one of"),
        ("trim", {"x": 1}, "cannot be set"),
    ],
)
def test_parameters_that_make_no_sense_are_refused(
    kind: str, parameters: dict[str, Any], reason: str
) -> None:
    with pytest.raises(ValueError, match=reason):
        CORRECTIONS[kind, 1].checked(parameters)


STEPS = st.one_of(
    st.builds(
        step,
        st.just("linear"),
        st.fixed_dictionaries({"offset": st.floats(0.1, 5), "gain": st.floats(0.5, 2)}),
        st.integers(0, 20),
        st.integers(21, 40),
        st.integers(0, 9),
    ),
    st.builds(
        step,
        st.just("mark"),
        st.fixed_dictionaries({"mark": st.sampled_from(["kept", "suspect", "taken out"])}),
        st.integers(0, 20),
        st.integers(21, 40),
        st.integers(0, 9),
    ),
    st.builds(
        step,
        st.just("points"),
        st.just({"points": [[0.0, 1.0], [9.0, 9.5]]}),
        st.integers(0, 20),
        st.integers(21, 40),
        st.integers(0, 9),
    ),
)


@given(st.lists(STEPS, max_size=5), st.permutations(range(5)), st.integers(0, 40))
def test_neither_order_nor_cutting_nor_what_is_off_matters(
    steps: list[Correction], order: list[int], cut: int
) -> None:
    """The order in which steps are given, pieces in which readings come, steps that are off: the
    same bits come out. Taking all off gives what was there."""
    named = [replace(one, uid=str(i)) for i, one in enumerate(steps)]
    whole = series(*np.sin(np.arange(41.0)) * 9)
    made = corrected(whole, named)
    shuffled = [named[i] for i in order if i < len(named)]
    off = [replace(one, uid=f"off{i}", is_on=False) for i, one in enumerate(steps)]
    assert told_bits(corrected(whole, [*shuffled, *off])) == told_bits(made)
    at = cut * MINUTE
    parts = [corrected(whole.between(-1, at), named), corrected(whole.between(at, 10**9), named)]
    assert b"".join(part.values.tobytes() for part in parts) == made.values.tobytes()
    assert told_bits(corrected(whole, off)) == told_bits(whole)


def told_bits(made: Series) -> tuple[bytes, ...]:
    return (made.times_utc_ms.tobytes(), made.values.tobytes(), made.quality.tobytes())
