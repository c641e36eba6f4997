"""Speed of texts: looking at one, reading plain and odd ones, memory while a large one is taken."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import polars as pl

from bench.timing import best_of_both, report
from gezeiten.exchange.text.form import SPACES, TextForm, TimeForm
from gezeiten.exchange.text.proposal import propose
from gezeiten.exchange.text.reading import read_text

_RUNS = 3
_COUNT = 2_000_000
_PLAIN = "%d.%m.%Y %H:%M:%S"
_MONTHS = (
    "Jan",
    "Feb",
    "März",
    "April",
    "Mai",
    "Juni",
    "Juli",
    "Aug.",
    "Sept.",
    "Okt.",
    "Nov.",
    "Dez.",
)


def _values() -> pl.DataFrame:
    rng = np.random.default_rng(1)
    times = np.datetime64("2020-01-01", "ms") + np.arange(_COUNT) * np.timedelta64(60_000, "ms")
    return pl.DataFrame(
        {
            "t": pl.Series(times),
            "a": np.round(rng.random(_COUNT) * 30, 2),
            "b": np.round(rng.random(_COUNT) * 100, 1),
        }
    )


def _plain(frame: pl.DataFrame, path: Path) -> None:
    frame.with_columns(pl.col("t").dt.strftime(_PLAIN)).write_csv(path, separator=";")


def texts() -> None:
    """Texts of two million lines, against polars told everything about the plain one."""
    frame = _values()
    with tempfile.TemporaryDirectory() as folder:
        plain = Path(folder) / "plain.csv"
        _plain(frame, plain)

        def reference() -> None:
            pl.read_csv(plain, separator=";", schema_overrides={"t": pl.String}).with_columns(
                pl.col("t").str.to_datetime(_PLAIN)
            )

        for name, (columns, sign, pattern, aim) in _layouts().items():
            path = Path(folder) / "odd.csv"
            written = frame.select(*columns, "a", "b")
            many = len(columns)
            written.write_csv(path, separator=sign, quote_style="never")
            form = TextForm(
                "utf-8",
                SPACES if sign == " " else sign,
                ".",
                2,
                many + 2,
                TimeForm(tuple(range(many)), pattern, "UTC"),
            )

            def ours(path: Path = path, form: TextForm = form, many: int = many) -> None:
                pieces = read_text(path, form, (many, many + 1))
                assert sum(len(piece.times) for piece in pieces) == _COUNT

            took, theirs = best_of_both(ours, reference, _RUNS)
            report(f"text of 2 M lines, {name} / polars, plain", took, theirs, "s ", aim)


_Layout = tuple[list[pl.Expr], str, str, str]


def _layouts() -> dict[str, _Layout]:
    """Columns of the time, the sign between columns, the pattern, the aim."""
    at = pl.col("t").dt
    parts = [
        at.year().alias("year"),
        at.month().alias("month"),
        at.day().alias("day"),
        at.hour().alias("hour"),
        at.minute().alias("minute"),
    ]
    hhmm = (at.hour().cast(pl.Int32) * 100 + at.minute()).alias("hhmm")
    named = pl.concat_str(
        at.day().cast(pl.String),
        at.month().cast(pl.String).replace({str(i): f". {m}" for i, m in enumerate(_MONTHS, 1)}),
        at.strftime(" %Y %H:%M"),
    ).alias("t")
    half_days = "%m/%d/%Y %I:%M %p"
    apart = [at.strftime("%Y-%m-%d").alias("date"), at.strftime("%H:%M:%S").alias("time")]
    return {
        "plain": ([at.strftime(_PLAIN).alias("t")], ";", _PLAIN, "≤ 2"),
        "with blanks": (apart, " ", "%Y-%m-%d %H:%M:%S", "≤ 5"),
        "am and pm": ([at.strftime(half_days).alias("t")], ",", half_days, "≤ 5"),
        "five columns": (parts, ",", "%Y %m %d %H %M", "≤ 5"),
        "day of year, hhmm": (
            [at.year().alias("y"), at.ordinal_day().alias("j"), hhmm],
            ",",
            "%Y %j %H%M",
            "≤ 5",
        ),
        "months in German": ([named], ";", "%d. %b %Y %H:%M", "≤ 5"),
        "milliseconds": ([at.epoch("ms").alias("t")], ",", "epoch_ms", "≤ 5"),
    }


def looking() -> None:
    """Looking at a text of a gigabyte until the proposal stands; the reference reads its ends."""
    frame = _values()
    with tempfile.TemporaryDirectory(dir=".cache") as folder:
        path, one = Path(folder) / "big.csv", Path(folder) / "one.csv"
        _plain(frame, one)
        data = one.read_bytes()
        with path.open("wb") as out:
            while out.tell() < 1_000_000_000:
                out.write(data)

        def ends() -> None:
            with path.open("rb") as file:
                file.read(1 << 18)
                file.seek(-(1 << 16), os.SEEK_END)
                file.read()

        took, theirs = best_of_both(lambda: propose(path), ends, _RUNS)
        report("looking at a text of 1 GB / reading its ends", took, theirs, "s ", "< 1 s")
        command = [
            sys.executable,
            "-c",
            "import sys; from pathlib import Path; from "
            "gezeiten.exchange.text.proposal import propose; propose(Path(sys.argv[1]))",
            str(path),
        ]
        began = time.perf_counter()
        subprocess.run(command, check=True)
        print(f"{'':46} a new program, with its imports: {time.perf_counter() - began:.2f} s")


_BIG = """
import sys
from pathlib import Path
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.intake.texts.text_files import import_text
from gezeiten.exchange.text.form import ColumnMapping, TextForm, ImportTemplate, TimeForm
form = TextForm("utf-8", ",", ".", 1, 5, TimeForm((0,), "epoch_s"))
ties = tuple(ColumnMapping(i, k, u) for i, (k, u) in enumerate((("air_temperature", "°C"),
    ("co2", "ppm"), ("relative_humidity", "%"), ("air_pressure", "kPa")), 1))
desk = open_workspace(Path(sys.argv[1]))
taken = import_text(desk, Path(sys.argv[2]), ImportTemplate("Big", "A · B", form, ties))
status = dict(line.split(":", 1) for line in open("/proc/self/status"))
print(taken.readings, int(status["VmHWM"].split()[0]) / 1024)
"""


def memory() -> None:
    """Resident memory while a text of a gigabyte is taken into an archive."""
    with tempfile.TemporaryDirectory(dir=".cache") as folder:
        path, written, second = Path(folder) / "big.csv", 0, 1_000_000_000
        with path.open("w") as out:
            while written < 1_000_000_000:
                lines = "".join(
                    f"{second + i},{i % 40}.25,{400 + i % 90},{i % 100}.5,101.{i % 900:03}\n"
                    for i in range(200_000)
                )
                second += 200_000
                written += out.write(lines)
        (Path(folder) / "archive").mkdir()
        command = [sys.executable, "-c", _BIG, str(Path(folder) / "archive"), str(path)]
        began = time.perf_counter()
        said = subprocess.run(command, capture_output=True, text=True, check=True).stdout.split()
        elapsed = time.perf_counter() - began
        size = os.path.getsize(path) / 1e6
    report("resident while taking a text of 1 GB / 1000 MB", float(said[1]), 1000.0, "MB", "≤ 1")
    print(f"{'':46} {size:.0f} MB, {int(said[0]) / 1e6:.1f} M lines of 4 values in {elapsed:.0f} s")
