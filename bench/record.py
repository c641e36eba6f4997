"""What a large record costs: the board of two archives built through the program's own intake, CSV
and PDF of a year."""

from __future__ import annotations

import gc
import resource
import statistics
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path

import numpy as np
import polars as pl

from bench.timing import best_of_both, report
from gezeiten.archive.intake.missions import (
    Circumstances,
    RawChannel,
    RawMission,
    import_mission_file,
)
from gezeiten.desk.base.workspace import TrustedClock, Workspace
from gezeiten.desk.field.board import board
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.record.excursion_book import excursions, refresh_stale
from gezeiten.desk.record.statements.calculated_series import Calculation, calculate
from gezeiten.desk.record.views.records import read_ahead, record, view
from gezeiten.desk.sites.places import points
from gezeiten.domain.limits.limits import LimitRule, constant_limits
from gezeiten.domain.plan.plan import Plan
from gezeiten.domain.series.series import Series, make_series
from gezeiten.domain.series.statistics.figures import daily_numbers, numbers
from gezeiten.domain.steps.formulas import FORMULAS
from gezeiten.exchange.csv_out import CsvChannel, CsvPeriod, CsvTable, write_csv
from gezeiten.report.content import PointReport, ReportChannel, ReportMission

NOW_MS = 1_795_392_000_000
_CHANNELS = (RawChannel("air_temperature", "°C"), RawChannel("relative_humidity", "%"))
ZONE = "Europe/Berlin"


def boards() -> None:
    """All rows of the Tideboard, in processor time and resident memory of this process."""
    for many, days, step_s, name in (
        (200, 365, 300, "board, 200 points x 1 year x 5 min x 2"),
        (10, 3650, 60, "board, 10 points x 10 years x 1 min x 2"),
    ):
        with tempfile.TemporaryDirectory() as folder:
            desk = open_workspace(
                Path(folder), now_ms=lambda: NOW_MS, computer=TrustedClock(), zone=ZONE
            )
            for number in range(many):
                _take(desk, _mission(number, days * 86_400 // step_s, step_s))
            first = _processor_s(partial(board, desk))
            again = min(_processor_s(partial(board, desk)) for _ in range(5))
            size = (Path(folder) / "local.db").stat().st_size
            readings = many * days * 86_400 // step_s * len(_CHANNELS)
            report(name, again, 0.1, "s ", "≤ 1")
            resident = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
            print(
                f"{'':46} the first time {first:.3f} s; {size / readings:.2f} bytes a reading; "
                f"{resident:.0f} MB at most so far"
            )
            desk.close()


_LIMITS = (
    LimitRule("air_temperature", "above", 19.5, 3600),
    LimitRule("air_temperature", "below", 3.5, 600),
)


def _mission(
    number: int,
    count: int,
    step_s: int,
    part: slice = slice(None),
    limits: tuple[LimitRule, ...] = (),
) -> RawMission:
    """Return some readings of a mission of so many."""
    dice = np.random.default_rng(number)
    numbers_ = np.arange(count, dtype=np.int64)
    first_ms = NOW_MS - count * step_s * 1000
    turn = numbers_ * step_s / 86_400 * 2 * np.pi
    warm = np.round(12 + 8 * np.sin(turn) + dice.normal(0, 0.2, count), 2)
    damp = np.round(60 + 20 * np.sin(turn + 1) + dice.normal(0, 0.5, count), 1)
    plan = Plan(
        tuple(one.key for one in _CHANNELS),
        step_s,
        limits=limits,
        point_name=f"Site {number // 10:02} · Point {number:03}",
    )
    received = numbers_[part]
    return RawMission(
        f"D-{number:04}",
        "Düne T2",
        "1.4",
        1,
        first_ms - 60_000,
        first_ms,
        step_s * 1000,
        plan.as_dict(),
        _CHANNELS,
        received,
        first_ms + received * step_s * 1000,
        0,
        [warm[part], damp[part]],
        [(int(received[0]), int(received[-1]) + 1)],
        [],
        [],
    )


def _take(desk: Workspace, raw: RawMission) -> None:
    what = f"{raw.serial} {raw.number} {raw.received}".encode()
    import_mission_file(desk.archive, what, raw, Circumstances(NOW_MS, "JA", "network"))


_TEN_YEARS, _MONTH = 5_256_000, 45_888
"""In minutes; the last block of both is filled as far, else packing it anew takes longer in one."""


def late_readings() -> None:
    """Twelve readings that come late, into a record of ten years and into one of a month, in turns:
    taken in, joined, excursions found anew."""
    took: dict[int, list[float]] = {_TEN_YEARS: [], _MONTH: []}
    with tempfile.TemporaryDirectory() as folder:
        desks = {}
        for count in took:
            desk = open_workspace(
                Path(folder) / str(count), now_ms=lambda: NOW_MS, computer=TrustedClock(), zone=ZONE
            )
            _take(desk, _mission(1, count, 60, slice(0, count - 400), _LIMITS))
            refresh_stale(desk)
            desks[count] = desk
        for turn in range(25):
            for count, desk in desks.items():
                first = count - 400 + 12 * turn
                late = _mission(1, count, 60, slice(first, first + 12), _LIMITS)
                began = time.perf_counter()
                _take(desk, late)
                refresh_stale(desk)
                took[count].append(time.perf_counter() - began)
        for desk in desks.values():
            desk.close()
    ours, reference = (statistics.median(took[count]) for count in (_TEN_YEARS, _MONTH))
    report("12 late readings: ten years / a month", ours, reference, "s ", "≤ 1.2")


_WEEK = 10_080
_FOUR = (
    *_LIMITS,
    LimitRule("relative_humidity", "above", 85.0, 1800),
    LimitRule("relative_humidity", "below", 35.0, 3600, "accumulated", True),
)


_TURNS = 16


def missions_at_a_point() -> None:
    """Twelve readings that begin a new mission of four limits, where 120 missions of a week stood
    before and where one did, in turns: taken in, joined, excursions found anew."""
    took: dict[int, list[float]] = {120: [], 1: []}
    with tempfile.TemporaryDirectory() as folder:
        # made before: what has just been worked on is quicker than what was not
        ones = [_with_missions(Path(folder) / f"one {turn}", 1) for turn in range(_TURNS)]
        many = _with_missions(Path(folder) / "many", 120)
        for turn, one in enumerate(ones):
            for desk, begun in ((many, 120 + turn), (one, 1)):
                first = _week_of(begun, slice(0, 12))
                gc.collect()  # by itself, as in the window (ui/work/main_thread_gc.py)
                began = time.perf_counter()
                _take(desk, first)
                refresh_stale(desk)
                took[120 if desk is many else 1].append(time.perf_counter() - began)
        for desk in (*ones, many):
            desk.close()
    ours, reference = (statistics.median(its[1:]) for its in took.values())
    report("12 readings begin a mission: after 120 / 1", ours, reference, "s ", "≤ 1.3")


def _with_missions(folder: Path, many: int) -> Workspace:
    desk = open_workspace(folder, now_ms=lambda: NOW_MS, computer=TrustedClock(), zone=ZONE)
    for begun in range(many):
        _take(desk, _week_of(begun))
    refresh_stale(desk)
    return desk


def _week_of(begun: int, part: slice = slice(None)) -> RawMission:
    """Return readings of the mission of a week that a logger began after so many others."""
    raw = _mission(1, _WEEK, 60, part, _FOUR)
    later = (begun - 200) * (_WEEK + 60) * 60_000
    return replace(
        raw,
        number=begun + 1,
        launched_ms=raw.launched_ms + later,
        first_ms=raw.first_ms + later,
        times=raw.times + later,
    )


def long_pictures() -> None:
    """Pictures of any stretch of ten years at one minute, 1200 columns: readings from the disk
    where they are wanted, and once more from memory."""
    dice = np.random.default_rng(3)
    with tempfile.TemporaryDirectory() as folder:
        desk = open_workspace(
            Path(folder), now_ms=lambda: NOW_MS, computer=TrustedClock(), zone=ZONE
        )
        _take(desk, _mission(1, 3650 * 1440, 60))
        point = next(iter(points(desk))).id
        seen = view(desk, point, "air_temperature")
        cold: list[float] = []
        warm: list[float] = []
        for _ in range(100):
            length = int(10 ** dice.uniform(5, 11.4))
            start = NOW_MS - int(dice.uniform(0, 3650 * 86_400_000 - length)) - length
            desk.chunks.clear()
            for took in (cold, warm):
                began = time.perf_counter()
                seen = read_ahead(desk, seen, (start, start + length))
                seen.picture((start, start + length), 1200)
                took.append(time.perf_counter() - began)
        desk.close()
    for took, name, aim in ((cold, "cold", 0.020), (warm, "warm", 0.005)):
        report(
            f"picture of ten years at 1 min, 95th pct, {name}",
            float(np.percentile(took, 95)),
            aim,
            "s ",
            "≤ 1",
        )


def calculated() -> None:
    """A dew point of ten years at one minute: all of it looked at for the first time beside reading
    its two inputs; and once more after twelve readings came late, beside the first time."""
    with tempfile.TemporaryDirectory() as folder:
        desk = open_workspace(
            Path(folder), now_ms=lambda: NOW_MS, computer=TrustedClock(), zone=ZONE
        )
        _take(desk, _mission(1, 3650 * 1440, 60, slice(0, 3650 * 1440 - 12)))
        point = next(iter(points(desk)))
        inputs = tuple((point, one.key) for one in _CHANNELS)
        key = calculate(desk, Calculation(FORMULAS["dew_point", 1], inputs, {}))
        reading = _processor_s(lambda: [record(desk, point.id, one.key) for one in _CHANNELS])
        desk.chunks.clear()
        first = _processor_s(lambda: view(desk, point.id, key))
        _take(desk, _mission(1, 3650 * 1440, 60, slice(3650 * 1440 - 12, 3650 * 1440)))
        again = _processor_s(lambda: view(desk, point.id, key))
        desk.close()
    report("dew point of ten years / reading its inputs", first, reading, "s ", "none set")
    report("the same after 12 late readings / at first", again, first, "s ", "≤ 0.1")


def excursions_of_200() -> None:
    """Excursions of 200 points with a year at one minute, found from nothing by four limits each
    and kept, in processor time."""
    limits = (
        LimitRule("air_temperature", "above", 20.3, 240),
        LimitRule("air_temperature", "below", 3.7, 240),
        LimitRule("relative_humidity", "above", 81.0, 240),
        LimitRule("relative_humidity", "below", 39.0, 240),
    )
    with tempfile.TemporaryDirectory() as folder:
        desk = open_workspace(
            Path(folder), now_ms=lambda: NOW_MS, computer=TrustedClock(), zone=ZONE
        )
        desk.follow = lambda _points: None  # they are found all at once, below
        for number in range(200):
            _take(desk, _mission(number, 365 * 1440, 60, limits=limits))
        took = _processor_s(lambda: refresh_stale(desk))
        found = len(excursions(desk))
        desk.close()
    if not found:
        raise AssertionError("this measures nothing: no excursion was found")
    report("excursions of 200 points x 1 year x 1 min", took, 20.0, "s ", "≤ 1")
    print(f"{'':46} {found} found")


def _processor_s(run: Callable[[], object]) -> float:
    began = time.process_time()
    run()
    return time.process_time() - began


def _year(step_s: int) -> tuple[Series, Series]:
    count = 365 * 86_400 // step_s
    times = NOW_MS - np.arange(count, 0, -1, dtype=np.int64) * step_s * 1000
    turn = np.arange(count) * step_s / 86_400 * 2 * np.pi
    dice = np.random.default_rng(5)
    warm = np.round(12 + 8 * np.sin(turn) + dice.normal(0, 0.2, count), 2)
    damp = np.round(60 + 20 * np.sin(turn), 1)
    return make_series(times, warm, step_s * 1000), make_series(times, damp, step_s * 1000)


def csv_of_a_year() -> None:
    """A year at one minute with two series, against polars writing the same columns typed."""
    warm, damp = _year(60)
    rules = constant_limits((LimitRule("air_temperature", "above", 19.0),))
    table = CsvTable(
        "Site",
        "Point",
        ZONE,
        (
            CsvChannel("air_temperature", "°C", warm, rules),
            CsvChannel("relative_humidity", "%", damp),
        ),
        (CsvPeriod(0, "D-1", 1),),
    )
    with tempfile.TemporaryDirectory() as folder:
        out = Path(folder) / "year.csv"
        ours, reference = best_of_both(
            lambda: write_csv(table, out), lambda: _typed(warm, damp, Path(folder)), 7
        )
    report("CSV of a year at 1 min, read back / polars", ours, reference, "s ", "≤ 1.0")


def _typed(warm: Series, damp: Series, folder: Path) -> None:
    many, path = len(warm), folder / "typed.csv"
    at = pl.from_epoch(pl.Series(warm.times_utc_ms), "ms").dt.replace_time_zone("UTC")
    same = {name: pl.repeat(name, many, eager=True) for name in ("site", "point", "logger")}
    frame = pl.DataFrame(
        {
            **same,
            "mission": pl.repeat(1, many, eager=True),
            "utc": at,
            "local": at.dt.convert_time_zone(ZONE),
            "warm": warm.values,
            "damp": damp.values,
            **{name: pl.repeat("good", many, eager=True) for name in ("a", "b", "c", "d")},
        }
    )
    frame.write_csv(path, datetime_format="%Y-%m-%dT%H:%M:%S%:z")
    assert len(pl.read_csv(path)) == many


def pdf_of_a_year() -> None:
    """A year at five minutes, one channel: content and writing, processor time."""
    from gezeiten.report.pdf import write_pdf

    warm, _ = _year(300)
    span = (int(warm.times_utc_ms[0]), NOW_MS)
    limits = constant_limits((LimitRule("air_temperature", "above", 19.0),))

    def make() -> None:
        whole = numbers(warm, span, limits, kinetic=True, zone=ZONE)
        days = tuple(daily_numbers(warm, span, ZONE, limits, kinetic=True))
        channel = ReportChannel("air_temperature", "°C", warm, limits, whole, days)
        mission = ReportMission("D-1", "Düne T2", 1, span[0], "recorded", 300, "full", ())
        point_report = PointReport(
            "Site", "Point", ZONE, span, NOW_MS, "JA", (channel,), (mission,), (), (), "ab" * 32
        )
        with tempfile.TemporaryDirectory() as folder:
            write_pdf(point_report, Path(folder) / "year.pdf")

    report(
        "PDF of a year at 5 min, one channel",
        min(_processor_s(make) for _ in range(3)),
        1.0,
        "s ",
        "≤ 1.0 s",
    )
