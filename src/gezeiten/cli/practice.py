"""Loggers to practise with: three stand-ins, started when asked for, ended with the window."""

from __future__ import annotations

import subprocess
import sys
import threading
from pathlib import Path
from types import TracebackType

from gezeiten.link.lines.address import CablePort
from gezeiten.standin.process import StandinProcess, end_fleet, start_fleet

PRACTICE_SERIALS = ("D-2038", "R-1109", "P-0320")
ON_CABLE = "P-0320"


class PracticeFleet:
    """Keeps the state of its loggers in a folder, so that tomorrow's practice goes on."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._fleet: list[StandinProcess] = []
        self._lock = threading.Lock()

    def start(self) -> tuple[list[str], list[str]]:
        """Start the loggers where they do not run yet; returns network addresses and ports.

        Raises:
            SurroundingsError: one of them did not start.
        """
        with self._lock:
            if not self._fleet:
                self._folder.mkdir(parents=True, exist_ok=True)
                port = CablePort(str(self._folder / "practice-port"))
                cables = {ON_CABLE: port}
                self._fleet = start_fleet(list(PRACTICE_SERIALS), self._folder, cables)
            by_network = [
                str(standin_process.address)
                for standin_process in self._fleet
                if standin_process.cable is None
            ]
            return by_network, [
                standin_process.cable.path
                for standin_process in self._fleet
                if standin_process.cable is not None
            ]

    def demonstrate(self) -> None:
        """Open the demonstration as a program of its own, in a folder beside the practice's."""
        folder = self._folder.parent.parent / "gezeiten-demonstration"
        command = [sys.executable, "-m", "gezeiten", "demo", "--folder", str(folder)]
        subprocess.Popen(
            command,
            start_new_session=True,
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )

    def __enter__(self) -> PracticeFleet:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        end_fleet(self._fleet)
        self._fleet = []
