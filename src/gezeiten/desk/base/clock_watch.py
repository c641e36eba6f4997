"""Is this computer's clock right? It goes into every mission, so a doubt must be said.

Two signs: the system's time service does not call it synchronised; it jumped against the time
since the computer was switched on. A third one is the archive's, `computer_clock`.
"""

from __future__ import annotations

import contextlib
import ctypes
import json
import time
from collections.abc import Callable
from pathlib import Path

from gezeiten.domain.base.untrusted import json_of
from gezeiten.domain.series.timeline import duration_text

_UNSYNCHRONISED_BIT = 0x40  # STA_UNSYNC of adjtimex(2)
_TIMEX_BYTES, _STATUS_AT = 512, 40
JUMP_MS = 2_000
_DRIFT = 200e-6
"""Share by which an undisciplined clock may stray from the time since switch-on."""


def kernel_synchronised() -> bool | None:
    """Return whether the system's time service keeps the clock; None where nobody can tell.

    Source: adjtimex(2), whose status the time service sets and timedatectl reports.
    """
    try:
        libc = ctypes.CDLL(None, use_errno=True)
        buffer = ctypes.create_string_buffer(_TIMEX_BYTES)  # modes 0: only ask
        if libc.adjtimex(buffer) < 0:
            return None
    except (OSError, AttributeError):
        return None
    status = int.from_bytes(buffer.raw[_STATUS_AT : _STATUS_AT + 4], "little")
    return not status & _UNSYNCHRONISED_BIT


def boot_id() -> str:
    """Return what names this switch-on of the computer, "" where the system does not say."""
    with contextlib.suppress(OSError):
        return Path("/proc/sys/kernel/random/boot_id").read_text().strip()
    return ""


def ms_since_boot() -> float:
    """Return the time since the computer was switched on, sleep included, ms."""
    return time.clock_gettime(time.CLOCK_BOOTTIME) * 1000


class ComputerClock:
    """Watches the computer's clock; remembers in a file how it stood at the first look."""

    def __init__(
        self,
        file: Path,
        *,
        wall_ms: Callable[[], float] = lambda: time.time() * 1000,
        up_ms: Callable[[], float] = ms_since_boot,
        synchronised: Callable[[], bool | None] = kernel_synchronised,
        boot: Callable[[], str] = boot_id,
    ) -> None:
        self._file, self._wall_ms, self._up_ms = file, wall_ms, up_ms
        self._synchronised, self._boot = synchronised, boot

    def doubts(self) -> list[str]:
        """Return why the clock may be wrong, a sentence each; empty when it is kept right."""
        state = self._synchronised()
        if state:
            self.restart_watch()  # whatever jumped was set right
            return []
        texts = []
        if state is False:
            texts.append("This computer's clock is not set by a time service.")
        else:
            texts.append("Whether this computer's clock is right is not known.")
        jump_ms = self._jump_ms()
        if abs(jump_ms) > JUMP_MS:
            method = "forward" if jump_ms > 0 else "back"
            length = duration_text(round(abs(jump_ms)))
            texts.append(
                f"This computer's clock jumped {method} by {length} since it was last checked."
            )
        return texts

    def _jump_ms(self) -> float:
        known = self._first_look()
        if known is None:
            self.restart_watch()
            return 0.0
        wall_ms, up_ms = known
        passed = self._up_ms() - up_ms
        jump = self._wall_ms() - wall_ms - passed
        return jump if abs(jump) > JUMP_MS + abs(passed) * _DRIFT else 0.0

    def _first_look(self) -> tuple[float, float] | None:
        """Return clock and time since switch-on at the first look since then."""
        try:
            data = json_of(self._file.read_text())
            if data["boot"] != self._boot() or not data["boot"]:
                return None
            return float(data["wall_ms"]), float(data["up_ms"])
        except (OSError, ValueError, KeyError, TypeError):
            return None

    def restart_watch(self) -> None:
        """Take the clock as it stands now as the one to watch for jumps."""
        data = {"boot": self._boot(), "wall_ms": self._wall_ms(), "up_ms": self._up_ms()}
        with contextlib.suppress(OSError):  # a full disk shall not keep anybody from looking
            self._file.write_text(json.dumps(data))
