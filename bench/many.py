"""Many stand-ins in one process, to measure what following costs: `python -m bench.many N`."""

from __future__ import annotations

import asyncio
import contextlib
import sys
import time
from dataclasses import replace

from gezeiten.domain.plan.plan import Plan
from gezeiten.link import registers as reg
from gezeiten.standin.device import SimLogger
from gezeiten.standin.scenario import standin
from gezeiten.standin.server import StandinServer
from gezeiten.standin.simclock import SimClock

_PLAN = Plan(("air_temperature", "relative_humidity"), 10, point_name="A · B")


def logging_device(number: int) -> SimLogger:
    """Return a logger that has been recording every ten seconds for an hour."""
    clock = SimClock(time.time() * 1000 - 3_600_000)
    spec = replace(standin("D-2041"), serial=f"D-{number:04}")
    device = SimLogger(spec, clock, round(time.time() * 1000))
    device.actions.stage(0, reg.seal(replace(_PLAN, point_name=f"Bench · P{number}").as_dict()))
    device.commands.prepare(reg.LoggerCommand.LAUNCH, 1, 0, reg.ANY_COUNT)
    assert device.commands.commit(1)
    clock.set(time.time() * 1000, 1.0)
    return device


async def serve(count: int) -> None:
    servers = []
    for number in range(count):
        face = StandinServer(logging_device(number))
        servers.append(await asyncio.start_server(face._modbus, "127.0.0.1", 0))
    print(" ".join(str(s.sockets[0].getsockname()[1]) for s in servers), flush=True)
    await asyncio.to_thread(sys.stdin.read)


with contextlib.suppress(KeyboardInterrupt):
    asyncio.run(serve(int(sys.argv[1])))
