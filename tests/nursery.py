"""Stand-ins for tests, each a process of its own, forked from one that has imported all they need:
starting Python anew for each takes longer than most tests do.

    python -m tests.nursery FD          serves the Unix socket that it inherits
"""

from __future__ import annotations

import atexit
import json
import os
import signal
import socket
import subprocess
import sys
from contextlib import suppress
from functools import cache
from io import TextIOWrapper
from pathlib import Path
from typing import Any

from gezeiten.link.lines.address import CablePort, cable_port
from gezeiten.standin.process import StandinProcess


class ForkedStandin(StandinProcess):
    """A stand-in that the nursery forked; in all else as any other."""

    def _start(self, serial: str, **options: Any) -> Any:
        return Child(serial, options)


class Child:
    """What `subprocess.Popen` tells of a process, as far as a stand-in is asked for it."""

    def __init__(self, serial: str, options: dict[str, Any]) -> None:
        cable: CablePort | None = options.pop("cable")
        told = {
            **options,
            "serial": serial,
            "state_file": str(options["state_file"] or ""),
            "cable": [cable.path, str(cable.settings)] if cable else None,
        }
        reads, says = os.pipe()
        hears, alive = os.pipe()
        self.pid = int(ask(json.dumps(told).encode(), [says, hears]))
        for end in (says, hears):
            os.close(end)
        self.stdout: TextIOWrapper = os.fdopen(reads)
        self.stdin: TextIOWrapper = os.fdopen(alive, "w")

    def kill(self) -> None:
        self._signal(signal.SIGKILL)

    def terminate(self) -> None:
        self._signal(signal.SIGTERM)

    def _signal(self, what: signal.Signals) -> None:
        with suppress(ProcessLookupError):
            os.kill(self.pid, what)

    def wait(self, _timeout_s: float) -> None:
        """Wait until it has let go of its end of the pipe."""
        if not self.stdout.closed:
            self.stdout.read()


@cache
def _nursery() -> socket.socket:
    ours, its = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
    command = [sys.executable, "-m", "tests.nursery", str(its.fileno())]
    process = subprocess.Popen(
        command, pass_fds=[its.fileno()], cwd=Path(__file__).parents[1], stdin=subprocess.DEVNULL
    )
    its.close()

    def end() -> None:
        ours.close()
        process.wait(10)

    atexit.register(end)
    return ours


def ask(words: bytes, ends: list[int]) -> bytes:
    """Ask the nursery for a stand-in; returns its process id."""
    socket.send_fds(_nursery(), [words], ends)
    return _nursery().recv(100)


def serve(ours: socket.socket) -> None:
    """Fork a stand-in for each request, until whoever asks is gone."""
    from gezeiten.standin.run import run_standin

    signal.signal(signal.SIGCHLD, signal.SIG_IGN)  # nobody asks how they ended
    while True:
        words, ends, _, _ = socket.recv_fds(ours, 65_536, 2)
        if not words:
            return
        told = json.loads(words)
        pid = os.fork()
        if pid == 0:
            signal.signal(signal.SIGCHLD, signal.SIG_DFL)
            ours.close()
            os.dup2(ends[0], 1)
            os.dup2(ends[1], 0)
            for end in ends:
                os.close(end)
            sys.stdin, sys.stdout = os.fdopen(0), os.fdopen(1, "w")
            cable, state_file = told.pop("cable"), told.pop("state_file")
            run_standin(
                told.pop("serial"),
                state_file=Path(state_file) if state_file else None,
                cable=(Path(cable[0]), cable_port(*cable)) if cable else None,
                until_stdin_closes=True,
                **told,
            )
            os._exit(0)
        for end in ends:
            os.close(end)
        ours.send(str(pid).encode())


if __name__ == "__main__":
    serve(socket.socket(fileno=int(sys.argv[1])))
