"""Serial ports: which there are, and how a logger on one of them is set.

A port's speed, parity and stop bits are found by asking who is there in every usual setting, the
last good one first.
"""

from __future__ import annotations

import glob
import os
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from serial.tools import list_ports

from gezeiten.errors import (
    CancelledError,
    DeviceError,
    GezeitenError,
    LoggerAnswerError,
    LoggerAwayError,
    LoggerBusyError,
    SurroundingsError,
)
from gezeiten.link.lines.address import CablePort, TimeLimits
from gezeiten.link.lines.rtu import ModbusRtu
from gezeiten.link.session import LoggerSession

USUAL_SETTINGS: tuple[tuple[int, str, int], ...] = (
    (115_200, "E", 1),  # what Gezeiten-speaking loggers leave the works with
    (19_200, "E", 1),  # what the standard asks for
    (9_600, "E", 1),
    (115_200, "N", 1),
    (19_200, "N", 1),
    (9_600, "N", 1),
    (57_600, "E", 1),
    (38_400, "E", 1),
    (57_600, "N", 1),
    (38_400, "N", 1),
    (19_200, "O", 1),
    (9_600, "O", 1),
    (115_200, "N", 2),
    (19_200, "N", 2),
    (9_600, "N", 2),
    (4_800, "E", 1),
    (2_400, "E", 1),
    (1_200, "E", 1),
)
AUTO = "auto"
_ANSWER_S = 0.2
"""For the first byte of a probe's answer, beside the time the line needs for a frame."""
_KNOWN_ANSWER_S = 1.0
"""The same in the last good setting: a logger that was there and is slow today is not gone."""


@dataclass(frozen=True, slots=True)
class PortSeen:
    """A serial port of this computer. description: what the system knows of the plug, or ""."""

    path: str
    description: str


def ports(wanted: Sequence[str] = (AUTO,)) -> list[PortSeen]:
    """Return the serial ports there are now, by name.

    Args:
        wanted: AUTO for those that the system lists, paths or patterns ("~/ports/*") for others.
    """
    seen: dict[str, str] = {}
    if AUTO in wanted:
        listed = list_ports.comports()
        seen = {port.device: _plug_description(port.description, port.device) for port in listed}
    for pattern in wanted:
        for path in sorted(glob.glob(os.path.expanduser(pattern))):
            if Path(path).is_char_device():
                seen.setdefault(path, "")
    return [PortSeen(path, words) for path, words in sorted(seen.items())]


def _plug_description(description: str | None, device: str) -> str:
    """The plug's description where it says more than the port's name."""
    known = description or ""
    return "" if known in ("n/a", Path(device).name) else known


def settings_to_try(path: str, last: CablePort | None = None) -> list[CablePort]:
    """Return every usual setting of a port, the last good one first."""
    usual = [CablePort(path, *setting) for setting in USUAL_SETTINGS]
    first = [replace(last, path=path)] if last else []
    return first + [port for port in usual if port not in first]


def detect(
    path: str,
    last: CablePort | None = None,
    trying: Callable[[CablePort], None] = lambda _: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> CablePort:
    """Return how the logger on a port is set, found by asking who it is.

    Raises:
        LoggerAwayError: nothing answers in any usual setting, or the port is gone.
        LoggerBusyError: another program has the port.
        SurroundingsError: this account may not use it.
        CancelledError: as wished.
    """
    known = replace(last, path=path) if last else None
    for port in settings_to_try(path, last):
        if cancelled():
            raise CancelledError(f"Searching {path} was cancelled.")
        trying(port)
        try:
            patience_s = _KNOWN_ANSWER_S if port == known else _ANSWER_S
            with ModbusRtu(port, TimeLimits(answer_s=patience_s + 40 / port.bytes_per_s)) as line:
                LoggerSession(line).identify()
            return port
        except (LoggerBusyError, SurroundingsError):
            raise
        except LoggerAnswerError:
            continue  # something was heard, but not in this setting
        except DeviceError:
            if not os.path.exists(path):
                raise
        except GezeitenError:
            return port  # it says who it is; that we do not know the model is said by whoever asks
    raise LoggerAwayError(
        f"Nothing on {path} answers in any usual setting; check power and plug, then search again."
    )
