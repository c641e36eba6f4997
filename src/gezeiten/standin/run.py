"""Running one stand-in in this process, until told to quit."""

from __future__ import annotations

import asyncio
import contextlib
import json
import sys
import tempfile
import time
from pathlib import Path

from gezeiten.link.lines.address import CablePort
from gezeiten.standin.courier import SERIAL as COURIER_SERIAL
from gezeiten.standin.courier import SimCourier
from gezeiten.standin.device import SimLogger
from gezeiten.standin.device_state import state_from_dict
from gezeiten.standin.messages import Device
from gezeiten.standin.scenario import standin
from gezeiten.standin.server import StandinServer
from gezeiten.standin.simclock import SimClock


def _until_stdin_closes() -> None:
    sys.stdin.read()


def run_standin(
    serial: str,
    *,
    host: str = "127.0.0.1",
    port: int = 0,
    state_file: Path | None = None,
    anchor_ms: int | None = None,
    base_ms: float | None = None,
    speed: float = 1.0,
    until_stdin_closes: bool = False,
    cable: tuple[Path, CablePort] | None = None,
) -> None:
    """Serve a logger of the scenario; goes on from `state_file` where there is one.

    cable: where its serial port shall appear too, and how that is set.
    """
    clock = SimClock(base_ms, speed)
    server = StandinServer(_device(serial, clock, state_file, anchor_ms), cable)

    async def serve() -> None:
        tasks = [asyncio.create_task(server.serve(host, port, 0))]
        if until_stdin_closes:
            # whoever started us holds the other end; when it dies, however, we end too
            tasks.append(asyncio.create_task(asyncio.to_thread(_until_stdin_closes)))
        await asyncio.wait(tasks, return_when=asyncio.FIRST_COMPLETED)

    with contextlib.suppress(KeyboardInterrupt):
        asyncio.run(serve())


def _device(serial: str, clock: SimClock, state_file: Path | None, anchor_ms: int | None) -> Device:
    if serial == COURIER_SERIAL:
        folder = state_file.with_suffix("") if state_file else Path(tempfile.mkdtemp())
        return SimCourier(serial, clock, folder)
    anchor = round(time.time() * 1000) if anchor_ms is None else anchor_ms
    state = None
    if state_file is not None and state_file.exists():
        state = state_from_dict(json.loads(state_file.read_text()))
    return SimLogger(standin(serial), clock, anchor, state, state_file)
