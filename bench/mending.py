"""What mending costs: a chain of corrections, estimates for a gap, a corrected barometer."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

import numpy as np

from bench.record import NOW_MS, ZONE
from bench.timing import best_of_both, report
from gezeiten.archive.intake.missions import (
    Circumstances,
    RawChannel,
    RawMission,
    import_mission_file,
)
from gezeiten.desk.base.workspace import TrustedClock, Workspace
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.record.excursion_book import refresh_stale
from gezeiten.desk.record.statements.calculated_series import Calculation, calculate
from gezeiten.desk.record.statements.corrections import proposed, save_correction
from gezeiten.desk.record.views.records import view
from gezeiten.desk.sites.places import PointPlace, points
from gezeiten.domain.plan.plan import Plan
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.gaps import Gap
from gezeiten.domain.series.series import Series, make_series
from gezeiten.domain.steps.chain import Correction, corrected
from gezeiten.domain.steps.corrections import CORRECTIONS
from gezeiten.domain.steps.filling.candidates import Companion, candidates
from gezeiten.domain.steps.filling.hidden_periods import has_enough_training_data, training_spans
from gezeiten.domain.steps.formulas import FORMULAS

_MINUTE = 60_000
_WELLS = 4


def chain_of_six() -> None:
    """Six steps over a million readings beside the bare arithmetic of the same."""
    n = 1_000_000
    times = np.arange(n, dtype=np.int64) * _MINUTE
    series = make_series(times, np.sin(np.arange(n) / 700) * 9, _MINUTE)
    half = int(times[n // 2])
    steps = [
        _step("trim", {}, 0, int(times[500])),
        _step("linear", {"offset": 0.3}, 0, half),
        _step("linear", {"gain": 1.01}, half, None),
        _step("points", {"points": [[-10, -9.9], [10, 10.2]]}, 0, None),
        _step("mark", {"mark": "suspect"}, half, half + 1000 * _MINUTE),
        _step("mark", {"mark": "taken out"}, int(times[700_000]), int(times[700_900])),
    ]

    def bare() -> None:
        values = series.values.copy()
        values[: n // 2] = 0.3 + values[: n // 2]
        values[n // 2 :] = 1.01 * values[n // 2 :]
        share = np.clip((values + 10) / 20, 0, 1)
        values = values + (0.1 + 0.1 * share)
        quality = series.quality.copy()
        quality[n // 2 : n // 2 + 1000] = 1
        keep_ = np.ones(n, bool)
        keep_[:500] = keep_[700_000:700_900] = False
        _ = (times[keep_], values[keep_], quality[keep_])

    ours, reference = best_of_both(lambda: corrected(series, steps), bare, 9)
    report("six steps over a million readings / NumPy", ours, reference, "s ", "≤ 10")


def _step(kind: str, parameters: dict[str, object], start: int, end: int | None) -> Correction:
    checked = CORRECTIONS[kind, 1].checked(parameters)
    return Correction(f"{kind}{start}", "p", "s", kind, 1, start, end, checked, "", start, "JA")


def estimates_of_two_weeks() -> None:
    """A gap of two weeks at one minute with three companions: all, and the first."""
    rng = np.random.default_rng(5)
    n = 365 * 1440
    times = np.arange(n, dtype=np.int64) * _MINUTE
    hours = np.arange(n) / 60
    common = np.cumsum(rng.normal(0, 0.02, n)) + 2 * np.cos(2 * np.pi * hours / 24)
    its = quantity("air_temperature")
    first = n // 2
    gap = Gap(int(times[first]), int(times[first + 14 * 1440]), _MINUTE)
    keep_ = np.ones(n, np.bool_)
    keep_[first : first + 14 * 1440] = False
    whole = make_series(times[keep_], (common + rng.normal(0, 0.05, n))[keep_], _MINUTE)
    beside = [
        make_series(times, 1 + 0.9 * common + np.cumsum(rng.normal(0, 0.002 * (i + 1), n)), _MINUTE)
        for i in range(3)
    ]
    took: list[tuple[float, float]] = []
    for _ in range(3):
        began = time.perf_counter()
        series, span = _learnt(whole, gap)
        companions = [Companion(f"c{i}", one.between(*span), its) for i, one in enumerate(beside)]
        heard = [time.perf_counter() - began for _ in candidates(series, gap, its, companions)]
        took.append((heard[-1], heard[0]))
    report("estimates of two weeks, three companions", min(a for a, _ in took), 2.0, "s ", "≤ 1")
    report("the first of them", min(b for _, b in took), 0.1, "s ", "≤ 1")


def _learnt(whole: Series, gap: Gap) -> tuple[Series, tuple[int, int]]:
    span = (0, 0)
    series = whole
    for span in training_spans(gap):
        series = whole.between(*span)
        if has_enough_training_data(series, gap):
            break
    return series, span


def barometer_of_four_wells() -> None:
    """One reading of a barometer is taken out: until four levels of ten years, calculated from it,
    are ready to be drawn again."""
    with tempfile.TemporaryDirectory() as folder:
        desk = open_workspace(
            Path(folder), now_ms=lambda: NOW_MS, computer=TrustedClock(), zone=ZONE
        )
        hut = _laid(desk, "Hut", "air_pressure", 101.0)
        wells = [_laid(desk, f"Well {i}", "water_pressure", 120.0) for i in range(_WELLS)]
        keys = [
            calculate(
                desk,
                Calculation(
                    FORMULAS["water_level", 2],
                    ((well, "water_pressure"), (hut, "air_pressure")),
                    {},
                ),
            )
            for well in wells
        ]
        for well, key in zip(wells, keys, strict=True):
            view(desk, well.id, key)
        refresh_stale(desk)
        took = []
        for turn in range(3):
            at_ms = NOW_MS - (turn + 100) * 86_400_000
            span = (at_ms, at_ms + 20 * _MINUTE)
            step = proposed(hut, "air_pressure", "mark", span, {"mark": "taken out"})
            began = time.perf_counter()
            save_correction(desk, hut, step, "a door slammed")
            for well, key in zip(wells, keys, strict=True):
                view(desk, well.id, key)
            took.append(time.perf_counter() - began)
        desk.close()
    report("a barometer corrected, levels of four wells", min(took), 0.2, "s ", "≤ 1")


def _laid(desk: Workspace, name: str, channel: str, about: float) -> PointPlace:
    n = 3650 * 144
    numbers = np.arange(n, dtype=np.int64)
    begin = NOW_MS - n * 10 * _MINUTE
    values = np.round(about + np.sin(numbers / 500) + np.cos(numbers / 7777), 3)
    plan = Plan((channel,), 600, point_name=f"Shore · {name}")
    raw = RawMission(
        f"D-{name}",
        "Priel W3",
        "1.4",
        1,
        begin - _MINUTE,
        begin,
        10 * _MINUTE,
        plan.as_dict(),
        (RawChannel(channel, "kPa"),),
        numbers,
        begin + numbers * 10 * _MINUTE,
        0,
        [values],
        [(0, n)],
        [],
        [],
    )
    import_mission_file(desk.archive, name.encode(), raw, Circumstances(NOW_MS, "JA", "network"))
    return next(point for point in points(desk) if point.name == name)
