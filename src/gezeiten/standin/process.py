"""Stand-ins as child processes: starting them, steering them by their control line, ending them."""

from __future__ import annotations

import json
import socket
import subprocess
import sys
from collections.abc import Mapping
from pathlib import Path
from types import MappingProxyType
from typing import Any

from gezeiten.errors import SurroundingsError
from gezeiten.link.lines.address import Address, CablePort


class StandinProcess:
    """One running stand-in; `address` speaks Modbus, the control line takes orders."""

    def __init__(
        self,
        serial: str,
        *,
        state_file: Path | None = None,
        anchor_ms: int | None = None,
        base_ms: float | None = None,
        speed: float = 1.0,
        port: int = 0,
        cable: CablePort | None = None,
    ) -> None:
        self.serial, self.cable = serial, cable
        self._process = self._start(
            serial,
            state_file=state_file,
            anchor_ms=anchor_ms,
            base_ms=base_ms,
            speed=speed,
            port=port,
            cable=cable,
        )
        self._control: socket.socket | None = None

    def _start(
        self,
        serial: str,
        *,
        state_file: Path | None,
        anchor_ms: int | None,
        base_ms: float | None,
        speed: float,
        port: int,
        cable: CablePort | None,
    ) -> subprocess.Popen[str]:
        command = [sys.executable, "-m", "gezeiten", "standin", "run", serial]
        command += ["--port", str(port), "--speed", str(speed), "--until-stdin-closes"]
        if state_file:
            command += ["--state", str(state_file)]
        if anchor_ms is not None:
            command += ["--anchor-ms", str(anchor_ms)]
        if base_ms is not None:
            command += ["--base-ms", str(base_ms)]
        if cable is not None:
            command += ["--cable", cable.path, "--line", cable.settings]
        return subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)

    def wait_until_ready(self) -> StandinProcess:
        """Read the line that names the ports."""
        assert self._process.stdout is not None
        line = self._process.stdout.readline()
        if not line:
            self.end()
            raise SurroundingsError(
                f"The stand-in {self.serial} did not start; see the lines above for the reason."
            )
        ready = json.loads(line)
        self.address = Address("127.0.0.1", ready["port"])
        self._control = socket.create_connection(("127.0.0.1", ready["control"]), 5)
        self._replies = self._control.makefile("r")
        return self

    def order(self, do: str, **values: Any) -> dict[str, Any]:
        """Give an order ("time", "fault", "battery", "button", "state", "quit") and return the
        reply."""
        assert self._control is not None
        self._control.sendall(json.dumps({"do": do, **values}).encode() + b"\n")
        reply: dict[str, Any] = json.loads(self._replies.readline())
        return reply

    def kill(self) -> None:
        """End it as a power cut would."""
        self._process.kill()
        self.end()

    def end(self) -> None:
        """End it and close its lines; ending twice does no harm."""
        if self._control is not None:
            self._replies.close()
            self._control.close()
            self._control = None
        self._process.terminate()
        self._process.wait(10)
        for pipe in (self._process.stdin, self._process.stdout):
            if pipe:
                pipe.close()


def start_fleet(
    serials: list[str],
    folder: Path | None = None,
    cables: Mapping[str, CablePort] = MappingProxyType({}),
    kind: type[StandinProcess] = StandinProcess,
    **options: Any,
) -> list[StandinProcess]:
    """Start several stand-ins at once and wait until all are ready; cables: by serial; kind: how
    their processes are started."""
    fleet = []
    for serial in serials:
        state = folder / f"{serial}.json" if folder else None
        cable = cables.get(serial)
        fleet.append(kind(serial, state_file=state, cable=cable, **options))
    try:
        return [process.wait_until_ready() for process in fleet]
    except SurroundingsError:
        end_fleet(fleet)
        raise


def end_fleet(fleet: list[StandinProcess]) -> None:
    """End all of them."""
    for process in fleet:
        process.end()
