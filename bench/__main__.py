"""`make bench`: prints each figure with its reference, its ratio and the aim.

Times are the best or the 95th percentile (pictures) of several runs, so a busy machine shows less;
the reference takes turns with ours, so ratios travel between machines. Names after it measure only
those: `python -m bench window mission_file`.
"""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from bench import acts, mending, record, routes, texts
from bench.timing import best_of_both, median_of_both, report
from gezeiten.cli.demo import open_demo
from gezeiten.domain.limits.excursions import find_excursions
from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.series.drawing.pyramid import Pyramid
from gezeiten.domain.series.series import Series, make_series
from gezeiten.link.lines.modbus import ModbusTcp
from gezeiten.link.offload import offload
from gezeiten.link.session import DirectoryEntry, LoggerSession

READINGS = 10_000_000
COLUMNS = 1200
_ENVIRONMENT = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}

_BARE_WINDOW = """
import sys
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication, QMainWindow
import pyqtgraph as pg
app = QApplication([])
window = QMainWindow()
window.setCentralWidget(pg.PlotWidget(y=[1, 3, 2]))
window.resize(1280, 800)
window.show()
window.grab()
QTimer.singleShot(0, app.quit)
app.exec()
"""
_OUR_WINDOW = """
import gc
import sys
gc.disable()  # as cli/main.py does
from pathlib import Path
from PySide6.QtCore import QEventLoop
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.ui.shell.app import application
from gezeiten.ui.shell.window import MainWindow
app = application()
window = MainWindow(open_workspace(Path(sys.argv[1]), lazy=True))
window.show()
canvas = window.places[0].canvas
first = canvas.board
if sys.argv[2:]:  # until the archive is open and its board has come
    while canvas.board is first:  # waits as the program does, and does not spin
        app.processEvents(QEventLoop.ProcessEventsFlag.WaitForMoreEvents)
assert canvas.board is not None
window.grab()
window.context.works.stop()
"""


def start_of_the_window(archive: Path) -> None:
    def run(script: str, *words: str) -> None:
        subprocess.run(
            [sys.executable, "-c", script, *words],
            check=True,
            env=_ENVIRONMENT,
            stderr=subprocess.DEVNULL,
        )

    for _ in range(2):  # starts before: the first may still change the archive that it opens
        run(_OUR_WINDOW, str(archive), "open")
    ours, reference = median_of_both(
        lambda: run(_OUR_WINDOW, str(archive)), lambda: run(_BARE_WINDOW), 9
    )
    report("window with its board painted / bare window", ours, reference, "s ", "≤ 1.5")
    ours, reference = median_of_both(
        lambda: run(_OUR_WINDOW, str(archive), "open"), lambda: run(_BARE_WINDOW), 9
    )
    report("the same, archive opened, board read anew", ours, reference, "s ", "none")


def long_series() -> Series:
    """Ten million readings, a minute apart: tides, drift, noise, some gaps."""
    rng = np.random.default_rng(7)
    index = np.arange(READINGS, dtype=np.int64)
    values = 4 + np.sin(index / 119.0) + 0.3 * rng.normal(size=READINGS)
    times = index * 60_000
    times[READINGS // 3 :] += 90 * 60_000
    return make_series(times, values, 60_000)


def pictures(series: Series) -> None:
    began = time.perf_counter()
    pyramid = Pyramid.of_series(series)
    built = time.perf_counter() - began
    rng = np.random.default_rng(3)
    times_ms, plain_ms = [], []
    end = int(series.times_utc_ms[-1])
    for _ in range(300):
        length = int(end * 10 ** rng.uniform(-6, 0))
        start = int(rng.uniform(0, end - length))
        began = time.perf_counter()
        pyramid.picture(start, start + length, COLUMNS)
        times_ms.append((time.perf_counter() - began) * 1000)
        a, b = np.searchsorted(series.times_utc_ms, (start, start + length))
        began = time.perf_counter()
        series.values[a:b].min(initial=0), series.values[a:b].max(initial=0)
        plain_ms.append((time.perf_counter() - began) * 1000)
    ours = statistics.quantiles(times_ms, n=20)[-1]
    plain = statistics.quantiles(plain_ms, n=20)[-1]
    report("picture of any stretch of 10 M, 95th pct", ours, plain, "ms", "≤ 16 ms")
    print(
        f"{'':46} reference: lowest and highest of the same readings by NumPy; "
        f"summaries made once in {built:.2f} s"
    )


def excursions(series: Series) -> None:
    rule = LimitRule("t", "above", 5.0, 1800)
    found = find_excursions(series, rule)
    outside = float(np.mean(series.values > rule.value))
    rare = LimitRule("t", "above", 5.7, 1800)

    def compare() -> object:
        return series.values > rule.value

    ours, reference = best_of_both(lambda: find_excursions(series, rare), compare, 9)
    share = float(np.mean(series.values > rare.value))
    report(f"excursions in 10 M, {share:.2%} outside / comparison", ours, reference, "s ", "≤ 15")
    ours, reference = best_of_both(
        lambda: find_excursions(series, rule, alarmed_only=True), compare, 3
    )
    runs = f"{len(found) // 1000} 000 runs"
    report(f"the same, {outside:.0%} outside in {runs}", ours, reference, "s ", "none")


def take(session: LoggerSession, entry: DirectoryEntry, folder: Path) -> int:
    """Offload a whole mission; returns its bytes."""
    transfer = offload(session, entry, [entry.numbers_in_memory], folder)
    transfer.release()
    return transfer.path.stat().st_size


def offloading(archive: Path, fleet: list[object]) -> None:
    """Mission bytes over Modbus TCP on loopback, against plain socket reads of as many bytes."""
    process = next(p for p in fleet if p.serial == "P-0331")  # type: ignore[attr-defined]
    with ModbusTcp(process.address) as line, tempfile.TemporaryDirectory() as folder:  # type: ignore[attr-defined]
        session = LoggerSession(line)
        session.identify()
        [entry] = session.directory()
        at = entry.header_bytes + entry.first_held // 240 * entry.block_bytes
        # the stand-in computes each block when it is first read; the second time it only sends
        size = take(session, entry, Path(folder))
        elapsed, one_by_one = best_of_both(
            lambda: take(session, entry, Path(folder)),
            lambda: [session.read_file(entry.file, at + i * 240, 240) for i in range(50)],
            3,
        )
    ours = size / elapsed / 1000
    report(
        "offload from a stand-in / one question at a time",
        ours,
        50 * 0.24 / one_by_one,
        "kB/s",
        "≥ 1000 kB/s",
    )


def main(wanted: list[str]) -> None:
    """Measure everything, or what is named ("window", "offload", a function of `routes`, ...)."""
    print(f"Python {sys.version.split()[0]}, NumPy {np.__version__}, {os.cpu_count()} cores")

    def is_wanted(*names: str) -> bool:
        return not wanted or any(name in wanted for name in names)

    if is_wanted("window", "offload"):
        demo = open_demo(Path(".cache/bench-demo").absolute(), lambda _: None)
        try:
            if is_wanted("window"):
                start_of_the_window(demo.folder / "archive")
            if is_wanted("offload"):
                offloading(demo.folder / "archive", list(demo.fleet))
        finally:
            demo.close()
    for measure in (
        routes.serial_line,
        routes.mission_file,
        texts.texts,
        texts.looking,
        routes.following,
        texts.memory,
        acts.done_one_by_one,
        acts.applied_again,
        acts.come_back,
        record.boards,
        record.late_readings,
        record.missions_at_a_point,
        record.long_pictures,
        record.calculated,
        record.excursions_of_200,
        record.csv_of_a_year,
        record.pdf_of_a_year,
        mending.chain_of_six,
        mending.estimates_of_two_weeks,
        mending.barometer_of_four_wells,
    ):
        if is_wanted(measure.__name__):
            measure()
    if is_wanted("pictures", "excursions"):
        series = long_series()
        pictures(series)
        excursions(series)


if __name__ == "__main__":
    main(sys.argv[1:])
