"""Where a logger answers: an address or a port with its settings, and how long to wait there. Told
apart from lines, so that who only names one needs none."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Address:
    """Where a logger answers on the network."""

    host: str
    port: int

    @property
    def route(self) -> str:
        """The way as offloads name it: "network" or "cable"."""
        return "network"

    def __str__(self) -> str:
        return f"{self.host}:{self.port}"


@dataclass(frozen=True, slots=True)
class CablePort:
    """A serial port and how it is set. parity: "N", "E" or "O"; always eight data bits."""

    path: str
    baud: int = 115_200
    parity: str = "E"
    stop_bits: int = 1

    @property
    def route(self) -> str:
        """The way as offloads name it: "network" or "cable"."""
        return "cable"

    @property
    def settings(self) -> str:
        """How people write it: "115200 8E1"."""
        return f"{self.baud} 8{self.parity}{self.stop_bits}"

    @property
    def bits_per_byte(self) -> int:
        """Start bit, eight data bits, parity where there is one, stop bits."""
        return 9 + (self.parity != "N") + self.stop_bits

    @property
    def bytes_per_s(self) -> float:
        """What the line itself can carry."""
        return self.baud / self.bits_per_byte

    def __str__(self) -> str:
        return f"{self.path} ({self.settings})"


def cable_port(path: str, settings: str) -> CablePort:
    """Return a port of its path and settings like "115200 8E1".

    Raises:
        ValueError: settings of another form.
    """
    found = re.fullmatch(r"(\d{3,7}) 8([NEO])([12])", settings)
    if found is None:
        raise ValueError(f"“{settings}” is not a serial port setting; type it like 115200 8E1")
    return CablePort(path, int(found[1]), found[2], int(found[3]))


Endpoint = Address | CablePort


@dataclass(frozen=True, slots=True)
class TimeLimits:
    """Time limits of each step, seconds."""

    connect_s: float = 1.5
    answer_s: float = 3.0


USUAL_LIMITS = TimeLimits()


def parse_ranges(text: str) -> list[tuple[str, range]]:
    """Return hosts with port ranges of "127.0.0.1:15020-15039, logger.lan:502".

    Raises:
        ValueError: a part that is no host:port or host:first-last.
    """
    parsed = []
    for part in filter(None, (piece.strip() for piece in text.split(","))):
        host, _, ports = part.rpartition(":")
        first, _, last = ports.partition("-")
        if not host:
            raise ValueError(f"“{part}” is not host:port")
        low, high = int(first), int(last or first)
        if not 0 < low <= high < 65_536 or high - low > 1_000:
            raise ValueError(f"“{part}” is not a range of up to 1000 ports")
        parsed.append((host, range(low, high + 1)))
    return parsed


def addresses(text: str) -> Sequence[tuple[str, int]]:
    """Return every host and port of a text that `parse_ranges` understands."""
    return [(host, port) for host, ports in parse_ranges(text) for port in ports]
