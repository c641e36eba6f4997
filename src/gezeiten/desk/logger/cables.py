"""Cables: the serial ports of this computer, what is on them, and how each was set last time."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass

from gezeiten.archive.store.faults import translated
from gezeiten.desk.base.workspace import Workspace
from gezeiten.domain.base.untrusted import json_of
from gezeiten.errors import CancelledError, GezeitenError, LoggerBusyError, SurroundingsError
from gezeiten.link.find import FIND_LIMITS, CourierAnswersError, FoundLogger, ask
from gezeiten.link.lines.address import CablePort, cable_port
from gezeiten.link.lines.cable import PortSeen, detect, ports

_LINES_FILE = "lines.json"


@dataclass(frozen=True, slots=True)
class PortNews:
    """What is known of a port. state: "trying", "logger", "silent", "busy", "barred", "stopped".

    text: the setting that is tried, who is there, or why nothing is.
    """

    path: str
    state: str
    text: str


Tell = Callable[[PortNews], None]


def _ignore_news(_news: PortNews) -> None:
    return


def serial_ports(desk: Workspace) -> list[PortSeen]:
    """Return the serial ports there are, those of practice loggers included."""
    named = [part.strip() for part in desk.settings.serial_ports.split(",")]
    return ports([*filter(None, named), *desk.practice_ports])


def search_port(
    desk: Workspace,
    path: str,
    report: Tell = _ignore_news,
    cancelled: Callable[[], bool] = lambda: False,
) -> FoundLogger:
    """Return the logger on a port, found in whatever setting it has; tells what it does.

    Raises:
        DeviceError, SurroundingsError, InputError, CancelledError: nothing usable; told as well.
    """
    try:
        port = detect(
            path,
            last_port_settings(desk, path),
            lambda port: report(PortNews(path, "trying", port.settings)),
            cancelled,
        )
        found = ask(port, desk.clock, FIND_LIMITS)
    except CourierAnswersError as exc:
        _remember(desk, port)
        report(PortNews(path, "logger", exc.found.serial))
        raise
    except GezeitenError as exc:
        report(PortNews(path, _state_of(exc), str(exc)))
        raise
    _remember(desk, port)
    report(PortNews(path, "logger", found.identity.serial))
    return found


def _state_of(error: GezeitenError) -> str:
    kinds = ((LoggerBusyError, "busy"), (SurroundingsError, "barred"), (CancelledError, "stopped"))
    return next((state for kind, state in kinds if isinstance(error, kind)), "silent")


def last_port_settings(desk: Workspace, path: str) -> CablePort | None:
    """Return how the port was set when a logger last answered on it, None when that is unknown."""
    setting = _lines(desk).get(path)
    try:
        return cable_port(path, str(setting)) if setting else None
    except ValueError:
        return None


def _remember(desk: Workspace, port: CablePort) -> None:
    lines = _lines(desk)
    if lines.get(port.path) != port.settings:
        with translated(desk.archive.folder):
            text = json.dumps({**lines, port.path: port.settings}, indent=1)
            (desk.archive.work / _LINES_FILE).write_text(text)


def _lines(desk: Workspace) -> dict[str, object]:
    """Settings by port. Only a help for the next look: what cannot be read is left out."""
    try:
        known = json_of((desk.archive.folder / _LINES_FILE).read_text())
    except (OSError, ValueError):
        return {}
    return known if isinstance(known, dict) else {}
