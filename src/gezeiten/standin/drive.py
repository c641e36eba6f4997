"""What a logger that appears as a drive writes onto it: marker, missions, reports of its own."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Protocol

from gezeiten.link.files.drive import MARKER, MISSIONS, REPORTS, SUFFIX
from gezeiten.link.registers import LoggerState


class _Writes(Protocol):
    serial: str
    code: str
    firmware: str

    def registers(self) -> LoggerState: ...
    def mission_bytes(self) -> bytes: ...


def write_drive(logger: _Writes, folder: Path) -> list[str]:
    """Write a logger's drive into a folder; returns the names of what lies on it."""
    (folder / MISSIONS).mkdir(parents=True, exist_ok=True)
    (folder / REPORTS).mkdir(exist_ok=True)
    about = {
        "kind": "logger",
        "serial": logger.serial,
        "model": logger.code,
        "firmware": logger.firmware,
        "practice": True,
    }
    (folder / MARKER).write_text(json.dumps(about, indent=1))
    state = logger.registers()
    name = f"{logger.serial}-{state.mission_number}"
    (folder / MISSIONS / f"{name}{SUFFIX}").write_bytes(logger.mission_bytes())
    lines = (
        f"Practice logger {logger.serial}",
        f"Mission {state.mission_number}",
        f"{state.readings} readings",
        f"Battery {state.battery_permille / 10:.0f} %",
    )
    (folder / REPORTS / f"{name}.txt").write_text("\n".join(lines) + "\n")
    return sorted(str(path.relative_to(folder)) for path in folder.rglob("*") if path.is_file())
