"""Speed of the routes: serial line, following many, mission file and text into the archive."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
import polars as pl

from bench.timing import best_of_both, report
from gezeiten.archive.intake.missions import Circumstances
from gezeiten.desk.base.pin_store import MemoryPins
from gezeiten.desk.base.workspace import TrustedClock
from gezeiten.desk.intake.follower import Follower, PollingPace
from gezeiten.desk.logger.offloading import import_file
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.domain.plan.plan import Plan
from gezeiten.link import registers as reg
from gezeiten.link.files import mission_blocks as mb
from gezeiten.link.files import mission_file as mf
from gezeiten.link.lines.address import Address, CablePort
from gezeiten.link.lines.rtu import ModbusRtu
from gezeiten.link.offload import offload
from gezeiten.link.session import LoggerSession
from gezeiten.standin.process import StandinProcess

_DAY_MS = 86_400_000
_FOLLOWED = 200
_FOLLOW_S = 20.0
_RUNS = 5


def serial_line() -> None:
    """Mission bytes over a pty that is paced like 115 200 baud 8E1."""
    begin = time.time() * 1000 - 60 * _DAY_MS
    with tempfile.TemporaryDirectory() as folder:
        port = CablePort(str(Path(folder) / "port"))
        standin = StandinProcess("D-2041", base_ms=begin, cable=port).wait_until_ready()
        try:
            with ModbusRtu(port) as line:
                session = LoggerSession(line)
                session.identify()
                session.stage_plan(Plan(("air_temperature", "relative_humidity"), 600))
                session.command(reg.LoggerCommand.LAUNCH)
                standin.order("time", ms=begin + 50 * _DAY_MS, speed=0.0)
                [entry] = session.directory()
                elapsed = []
                for _ in range(3):
                    began = time.perf_counter()
                    transfer = offload(session, entry, [entry.numbers_in_memory], Path(folder))
                    elapsed.append(time.perf_counter() - began)
                    transfer.release()
                size = transfer.path.stat().st_size
        finally:
            standin.end()
    report(
        "offload by cable, 115 200 baud / the line's limit",
        size / min(elapsed) / 1000,
        port.bytes_per_s / 1000,
        "kB/s",
        "≥ 0.9",
    )


def following() -> None:
    """Processor time of following 200 loggers that are served by one process."""
    command = [sys.executable, "-m", "bench.many", str(_FOLLOWED)]
    many = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
    assert many.stdout is not None
    ports = [int(port) for port in many.stdout.readline().split()]
    try:
        for words, pace in (
            ("usual pace", PollingPace()),
            ("fetched every 15 s", PollingPace(10.0, 15.0)),
        ):
            share, fetches = _followed(ports, pace)
            if not fetches:
                raise SystemExit("Nobody was followed: this figure would be a lie.")
            aim = "≤ 0.25" if pace == PollingPace() else "none"
            report(f"following {_FOLLOWED} loggers, {words} / one core", share, 1.0, "   ", aim)
            print(f"{'':46} {fetches} fetches in {_FOLLOW_S:.0f} s")
    finally:
        many.communicate("")


def _followed(ports: list[int], pace: PollingPace) -> tuple[float, int]:
    """Return the share of a core and the number of fetches while loggers are followed."""
    fetched = 0

    def heard(news: object) -> None:
        nonlocal fetched
        fetched += getattr(news, "kind", "") == "fetched"

    with tempfile.TemporaryDirectory() as folder:
        desk = open_workspace(Path(folder), computer=TrustedClock(), pins=MemoryPins())
        addresses = [Address("127.0.0.1", port) for port in ports]
        end = [0.0]
        follower = Follower(
            desk, addresses, heard, pace, cancelled=lambda: 0 < end[0] < time.monotonic()
        )
        with ThreadPoolExecutor(8) as pool:
            follower.poll_due(pool, pool)  # finding and the first fetch are not following
            follower.settle()
        for i, one in enumerate(follower._followed):  # as after hours: fetches come one by one
            one.fetched_s = time.monotonic() - pace.fetch_s * i / len(ports)
        first, end[0] = fetched, time.monotonic() + _FOLLOW_S
        used, began = time.process_time(), time.monotonic()
        follower.run(time.sleep)
        share = (time.process_time() - used) / (time.monotonic() - began)
        desk.close()
    return share, fetched - first


def mission_file() -> None:
    """A mission of a million readings of four channels, from file to archive."""
    count, keys = 1_000_000, ("particles_from_0_5", "particles_from_5_0", "co2", "air_temperature")
    channels = tuple(mb.FileChannel(key, "", "int32", 100, 0.0) for key in keys)
    rng = np.random.default_rng(1)
    columns = [np.round(rng.normal(size=count).cumsum() * 10).astype(np.int64) for _ in keys]
    plan = Plan(keys, 60, point_name="A · B").as_dict()
    header = mf.Header("B-0508", "Brise A4", "1", 1, 0, 60_000, 60_000, channels, plan)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "big.mission"
        with path.open("wb") as out:
            out.write(mf.encode_header(header))
            for at in range(0, count, mb.READINGS_PER_BLOCK):
                part = [c[at : at + mb.READINGS_PER_BLOCK] for c in columns]
                out.write(mb.encode_block(channels, at, part))
            out.write(mf.encode_tail([], {"readings": count}))
        values = {key: column / 100 for key, column in zip(keys, columns, strict=True)}
        frame = pl.DataFrame({"t": np.arange(count) * 60_000, **values})
        desks = []
        for run in range(_RUNS):
            target = Path(folder) / f"archive-{run}"
            target.mkdir()
            desks.append(open_workspace(target, computer=TrustedClock(), pins=MemoryPins()))
        fresh = iter(desks)
        took, reference = best_of_both(
            lambda: import_file(next(fresh), path, Circumstances(0, "JA", "drive")),
            lambda: frame.write_parquet(Path(folder) / "x.parquet"),
            _RUNS,
        )
        for desk in desks:
            desk.close()
    report("mission of 1 M × 4 into the archive / Parquet", took, reference, "s ", "≤ 2.5")
