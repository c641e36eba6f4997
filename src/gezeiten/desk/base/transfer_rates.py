"""How quickly each logger was read over each route the last time, so that the time of the next
transfer can be said before it begins; survives a restart."""

from __future__ import annotations

import json
import math
import threading
from contextlib import suppress
from pathlib import Path

from gezeiten.archive.files.atomic_files import write_atomic
from gezeiten.domain.base.untrusted import json_of
from gezeiten.link.lines.address import CablePort, Endpoint

_MOST = 2_000


class TransferRates:
    """Bytes per second by logger and route. A file that cannot be read, or written, costs nothing
    but the time said before a transfer."""

    def __init__(self, file: Path) -> None:
        self._file = file
        self._lock = threading.Lock()
        self._rates = _rates_of(file)

    def rate(self, serial: str, address: Endpoint) -> float | None:
        """Return bytes per second as measured last, None where they never were."""
        return self._rates.get(_key(serial, address))

    def measured(self, serial: str, address: Endpoint, bytes_per_s: float) -> None:
        """Remember how quickly a logger was read."""
        if math.isfinite(bytes_per_s) and bytes_per_s > 0:
            key = _key(serial, address)
            self._rates.pop(key, None)
            self._rates[key] = bytes_per_s

    def save(self) -> None:
        """Write what is remembered; of very many the last measured ones."""
        with self._lock, suppress(OSError):
            newest = dict(list(self._rates.items())[-_MOST:])
            write_atomic(self._file, json.dumps(newest, indent=1))


def _key(serial: str, address: Endpoint) -> str:
    return f"{serial} {'cable' if isinstance(address, CablePort) else 'network'}"


def _rates_of(file: Path) -> dict[str, float]:
    try:
        known = json_of(file.read_bytes())
    except (OSError, ValueError):
        return {}
    if not isinstance(known, dict):
        return {}
    rates = {str(key): value for key, value in known.items() if isinstance(value, int | float)}
    return {key: float(rate) for key, rate in rates.items() if math.isfinite(rate) and rate > 0}
