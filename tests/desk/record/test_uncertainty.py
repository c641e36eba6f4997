"""How sure the mean of a stretch is, by the steps that were in force in its parts."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.gap_filling import fill_by_line, steps_of
from gezeiten.desk.field.gaps import gaps
from gezeiten.desk.intake.texts.import_templates import proposed_template, recognise_text
from gezeiten.desk.intake.texts.text_files import import_text
from gezeiten.desk.record.day_by_day import day_by_day
from gezeiten.desk.record.statements.calculated_series import (
    Calculation,
    calculate,
    calculations,
    formula_texts,
    recalculate,
)
from gezeiten.desk.record.statements.corrections import proposed, save_correction
from gezeiten.desk.record.uncertainty import mean_uncertainty, reading_uncertainty
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import PointPlace, points
from gezeiten.domain.series.timeline import Span
from gezeiten.domain.steps.formulas import FORMULAS, own_formula
from gezeiten.errors import InputError
from tests.conftest import ANCHOR_MS, Lab
from tests.small_blocks import KEY, MINUTE, Kept, kept_in

BEGIN = ANCHOR_MS + 2_000 * MINUTE
WHOLE: Span = (BEGIN, BEGIN + 600 * MINUTE)
RESOLUTION = 0.01 / math.sqrt(12)


@pytest.fixture
def kept(tmp_path: Path) -> Iterator[Kept]:
    with kept_in(tmp_path) as made:
        made.take(0, 600)
        yield made


def point_of(kept: Kept) -> PointPlace:
    return points(kept.desk)[0]


def calibrated(kept: Kept, start_ms: int, end_ms: int | None, u: float) -> None:
    parameters = {"offset": 0.5, "u": u}
    step = proposed(point_of(kept), KEY, "linear", (start_ms, end_ms), parameters)
    save_correction(kept.desk, point_of(kept), step, "certificate")


def test_a_mean_over_two_calibrations_and_none(kept: Kept) -> None:
    """By hand: U = 0.2 °C over the first half, 0.4 °C over the second: u = 0.05 + 0.1."""
    desk, point = kept.desk, point_of(kept)
    n = len(record(desk, point.id, KEY).between(*WHOLE))
    bare = mean_uncertainty(desk, point, KEY, WHOLE)
    assert bare is not None
    assert bare.is_least
    assert bare.expanded == pytest.approx(2 * RESOLUTION / math.sqrt(n))
    half = BEGIN + 300 * MINUTE
    calibrated(kept, BEGIN, half, 0.2)
    calibrated(kept, half, None, 0.4)
    sure = mean_uncertainty(desk, point, KEY, WHOLE)
    assert sure is not None
    assert not sure.is_least
    assert sure.expanded == pytest.approx(2 * math.hypot(0.15, RESOLUTION / math.sqrt(n)), rel=0.01)
    assert mean_uncertainty(desk, point, KEY, (0, 1)) is None  # nothing was read there


def test_a_fill_counts_by_its_share_of_the_time(tmp_path: Path) -> None:
    """One reading in eleven is missing; one of these is filled by a line. An hour is looked at."""
    with kept_in(tmp_path) as kept:
        kept.take(0, 600)
        desk, point = kept.desk, point_of(kept)
        booked = gaps(desk)[20]
        fill_by_line(desk, booked)
        [filled] = [step for step in steps_of(desk, point.id) if step.does.has_estimates]
        half = (filled.facts["high"] - filled.facts["low"]) / 2
        around = (booked.gap.start_ms - 30 * MINUTE, booked.gap.start_ms + 30 * MINUTE)
        sure = mean_uncertainty(desk, point, KEY, around)
        assert sure is not None
        [u] = [share.u for share in sure.shares if share.kind == "fill"]
        assert u == pytest.approx(1 / 60 * half / 2, rel=0.1)


def test_what_is_calculated_is_as_sure_as_its_inputs_make_it(kept: Kept) -> None:
    desk, point = kept.desk, point_of(kept)
    calibrated(kept, BEGIN, None, 0.2)
    kept.take_elsewhere(0, 600)
    other = next(one for one in points(desk) if one.id == kept.elsewhere)
    key = calculate(desk, Calculation(FORMULAS["difference", 1], ((point, KEY), (other, KEY)), {}))
    sure = mean_uncertainty(desk, point, key, WHOLE)
    assert sure is not None
    assert sure.is_least  # nobody calibrated the other one
    assert sure.expanded == pytest.approx(0.2, rel=0.01)


def over_an_hour(kept: Kept, formula: str) -> str:
    calculation = Calculation(FORMULAS[formula, 1], ((point_of(kept), KEY),), {"window_h": 1.0})
    return calculate(kept.desk, calculation)


def test_a_running_mean_is_as_sure_as_the_mean_of_its_window(kept: Kept) -> None:
    """Its hour begins 20 minutes before a calibration of U = 0.2 ends and one of 0.4 begins: u is
    a third of 0.1 and two thirds of 0.2."""
    desk, point = kept.desk, point_of(kept)
    half = BEGIN + 300 * MINUTE
    calibrated(kept, BEGIN, half, 0.2)
    calibrated(kept, half, None, 0.4)
    key, at_ms = over_an_hour(kept, "running_mean"), half + 40 * MINUTE
    n = len(record(desk, point.id, KEY, (at_ms - 60 * MINUTE, at_ms)))
    sure = reading_uncertainty(desk, point, key, at_ms)
    assert sure is not None
    constant = [share.u for share in sure.shares if share.kind == "calibration"]
    assert constant == [pytest.approx(0.1 / 3 + 0.4 / 3, rel=0.05)]  # some readings are missing
    assert sure.expanded == pytest.approx(2 * math.hypot(*constant, RESOLUTION / math.sqrt(n)))
    mean = mean_uncertainty(desk, point, key, (at_ms, at_ms + MINUTE))
    assert mean is not None
    assert mean.expanded == pytest.approx(sure.expanded)


@pytest.mark.parametrize(("formula", "pick"), [("running_highest", max), ("running_lowest", min)])
def test_a_running_extreme_is_as_sure_as_its_reading(kept: Kept, formula: str, pick: Any) -> None:
    desk, point = kept.desk, point_of(kept)
    half = BEGIN + 300 * MINUTE
    calibrated(kept, BEGIN, half, 0.2)
    calibrated(kept, half, None, 0.4)
    key = over_an_hour(kept, formula)
    seen = set()
    for minutes in range(0, 60, 4):
        at_ms = half + minutes * MINUTE
        window = record(desk, point.id, KEY, (at_ms - 60 * MINUTE, at_ms))
        sure = reading_uncertainty(desk, point, key, at_ms)
        if sure is None:
            continue  # there is no reading of its own
        pairs = zip(window.values.tolist(), window.times_utc_ms.tolist(), strict=True)
        _, its = pick(pairs, key=lambda pair: pair[0])
        u = 0.1 if its < half else 0.2
        assert sure.expanded == pytest.approx(2 * math.hypot(u, RESOLUTION))
        seen.add(u)
    assert seen == {0.1, 0.2}


def gauge(desk: Workspace, folder: Path) -> PointPlace:
    """Return a point with 1 mm of rain every ten minutes, eighteen times."""
    lines = ["Date;Time;Precipitation (mm)"]
    lines += [f"2026-11-22;{i // 6:02}:{i % 6 * 10:02}:00;1.0" for i in range(18)]
    path = folder / "gauge.txt"
    path.write_text("\n".join(lines) + "\n", encoding="utf-8")
    template = proposed_template(recognise_text(desk, path), "Roof")
    form = replace(template.form, time=replace(template.form.time, zone="UTC"))
    import_text(desk, path, replace(template, point="Ost · Roof", form=form))
    [point] = points(desk)
    return point


def test_running_sums_are_averaged_and_as_sure_as_all_their_readings(
    lab: Lab, tmp_path: Path
) -> None:
    """1 mm every ten minutes over an hour: 6 mm in each of the last twelve of eighteen, nowhere
    added up once more. By hand: in twelve sums of six the first and last five of seventeen readings
    stand 1 to 5 times each, the seven between six times."""
    desk, point = lab.desk, gauge(lab.desk, tmp_path)
    calculation = Calculation(
        FORMULAS["running_sum", 2], ((point, "precipitation"),), {"window_h": 1.0}
    )
    key = calculate(desk, calculation)
    sums = record(desk, point.id, key)
    end_ms = int(sums.times_utc_ms[-1])
    span = (end_ms - 110 * MINUTE, end_ms + 1)
    [day] = day_by_day(desk, point, key, span).days
    assert day.numbers.mean == 6.0
    sure = mean_uncertainty(desk, point, key, span)
    assert sure is not None
    counts = [*range(1, 6), *[6] * 7, *range(5, 0, -1)]
    u = 0.1 / math.sqrt(12) * math.sqrt(sum(one**2 for one in counts)) / 12
    assert sure.expanded == pytest.approx(2 * u)
    assert sure.is_least


@pytest.mark.parametrize(
    ("typed", "result", "wanted"),
    [
        # rain to a depth: the mean of eighteen values, each sure to ± 0.2: 0.2
        ("a", "water_depth", 0.2e-3),
        ("2 * a", "water_depth", 0.4e-3),
        # rain to rain: the sum of eighteen, by one calibration: 18 x 0.2
        ("a", "precipitation", 3.6),
        ("2 * a", "precipitation", 7.2),
    ],
)
def test_sums_turned_into_means_and_sums(
    lab: Lab, tmp_path: Path, typed: str, result: str, wanted: float
) -> None:
    desk, point = lab.desk, gauge(lab.desk, tmp_path)
    step = proposed(point, "precipitation", "linear", (0, None), {"offset": 0.01, "u": 0.2})
    save_correction(desk, point, step, "certificate")
    calculation = Calculation(own_formula(typed), ((point, "precipitation"),), {}, result=result)
    key = calculate(desk, calculation)
    series = record(desk, point.id, key)
    span = (int(series.times_utc_ms[0]), int(series.times_utc_ms[-1]) + 1)
    sure = mean_uncertainty(desk, point, key, span)
    assert sure is not None
    [u] = [share.u for share in sure.shares if share.kind == "calibration"]
    assert 2 * u == pytest.approx(wanted)


def test_a_sum_of_version_1_is_to_be_recalculated(lab: Lab, tmp_path: Path) -> None:
    desk, point = lab.desk, gauge(lab.desk, tmp_path)
    calculation = Calculation(
        FORMULAS["running_sum", 1], ((point, "precipitation"),), {"window_h": 1.0}
    )
    old = calculate(desk, calculation)
    [point] = points(desk)
    assert "to be recalculated: its sums" in formula_texts(desk, point)[old]
    [seen] = calculations(desk, point.id)
    before = record(desk, point.id, old)
    recalculate(desk, seen.series)
    [point] = points(desk)
    [now] = calculations(desk, point.id)
    assert (now.series.version, now.series.parameters["window_h"]) == (2, 1.0)
    assert "to be recalculated" not in formula_texts(desk, point)[now.series.series]
    assert record(desk, point.id, now.series.series).values.tolist() == before.values.tolist()
    with pytest.raises(
        InputError, match="This series already uses the latest version of its formula"
    ):
        recalculate(desk, now.series)


def test_a_rate_of_change_drops_the_calibration(kept: Kept) -> None:
    """Against NumPy's own straight line: its unscaled covariance is 1 / sum of squares."""
    desk, point = kept.desk, point_of(kept)
    calibrated(kept, BEGIN, None, 0.2)
    key, at_ms = over_an_hour(kept, "rate_of_change"), BEGIN + 100 * MINUTE
    series = record(desk, point.id, KEY, (at_ms - 60 * MINUTE, at_ms + 1))
    _, covariance = np.polyfit(series.times_utc_ms / 3.6e6 - 4e5, series.values, 1, cov="unscaled")
    sure = reading_uncertainty(desk, point, key, at_ms)
    assert sure is not None
    assert sure.expanded == pytest.approx(2 * RESOLUTION * math.sqrt(covariance[0][0]), rel=1e-4)
    assert not sure.is_least
