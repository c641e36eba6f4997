"""Practice instruments on ptys: one that prints lines, one with registers, one on an SDI-12 bus."""

from __future__ import annotations

import contextlib
import math
import os
import pty
import select
import struct
import sys
import time
import tty
from collections.abc import Callable
from pathlib import Path

from gezeiten.link.instruments.sdi12 import crc_text
from gezeiten.link.lines.rtu import has_valid_crc, with_crc

KINDS = ("lines", "registers", "sdi12")


def weather(now_s: float) -> tuple[float, float]:
    """Return air temperature and humidity: slow waves, the same for everybody."""
    return 11 + 4 * math.sin(now_s / 300), 72 - 9 * math.sin(now_s / 300)


class _LinePrinter:
    """Prints a line every `every_s`."""

    def __init__(self, every_s: float) -> None:
        self._every_s, self._due = every_s, time.monotonic()

    def receive(self, data: bytes) -> bytes:
        return b""

    def due(self) -> bytes:
        if time.monotonic() < self._due:
            return b""
        self._due += self._every_s
        temp_c, humidity = weather(time.time())
        return f"T={temp_c:.2f} RH={humidity:.1f} OK\r\n".encode()


class _RegisterDevice:
    """Answers function 4: CO2 in ppm, temperature in tenths."""

    def __init__(self, every_s: float) -> None:
        self._buffer = b""

    def due(self) -> bytes:
        return b""

    def receive(self, data: bytes) -> bytes:
        self._buffer += data
        if len(self._buffer) < 8:
            return b""
        frame, self._buffer = self._buffer[:8], b""
        if not has_valid_crc(frame) or frame[0] != 1:
            return b""
        unit, function, address, count = struct.unpack(">BBHH", frame[:6])
        temp_c, _ = weather(time.time())
        content = [round(600 + 40 * temp_c), round(temp_c * 10) & 0xFFFF]
        part = content[address : address + count]
        if function != 4 or len(part) < count:
            return with_crc(bytes([unit, function | 0x80, 2]))
        return with_crc(struct.pack(f">BBB{count}H", unit, function, 2 * count, *part))


class _Sdi12Probe:
    """A probe at address 3: level in m and temperature in °C."""

    address = "3"

    def __init__(self, every_s: float) -> None:
        self._buffer = ""

    def due(self) -> bytes:
        return b""

    def receive(self, data: bytes) -> bytes:
        self._buffer += data.decode("ascii", errors="replace")
        answers = ""
        while "!" in self._buffer:
            command, _, self._buffer = self._buffer.partition("!")
            answers += self._answer(command)
        return answers.encode()

    def _answer(self, command: str) -> str:
        own = self.address
        if command in ("?", own):
            return f"{own}\r\n"
        if command == f"{own}I":
            return f"{own}14GEZEITENPRIELX010Practice\r\n"
        if command == f"{own}MC":
            return f"{own}0002\r\n"
        if command == f"{own}D0":
            temp_c, _ = weather(time.time())
            body = f"{own}{2 + 0.3 * math.sin(time.time() / 200):+.3f}{temp_c:+.2f}"
            return f"{body}{crc_text(body)}\r\n"
        return ""


def run_instrument(
    kind: str, path: Path, every_s: float = 1.0, out_of_reach_s: tuple[float, float] | None = None
) -> None:
    """Serve a practice instrument until standard input closes.

    out_of_reach_s: from when until when, after the start, its cable is out.
    """
    makers: dict[str, Callable[[float], _LinePrinter | _RegisterDevice | _Sdi12Probe]] = {
        "lines": _LinePrinter,
        "registers": _RegisterDevice,
        "sdi12": _Sdi12Probe,
    }
    device, begun = makers[kind](every_s), time.monotonic()
    port: tuple[int, int] | None = _plug_in(path)
    print(path, flush=True)
    while True:
        since = time.monotonic() - begun
        is_out = out_of_reach_s is not None and out_of_reach_s[0] <= since < out_of_reach_s[1]
        if is_out and port is not None:
            _remove_port(path, port)
            port = None
        elif not is_out and port is None:
            port = _plug_in(path)
        waiting = [sys.stdin] + ([port[0]] if port else [])
        ready, _, _ = select.select(waiting, [], [], 0.02)
        if sys.stdin in ready and not os.read(0, 100):
            break
        if port is None:
            continue
        answer = device.due()
        with contextlib.suppress(OSError):
            if port[0] in ready:
                answer += device.receive(os.read(port[0], 1_000))
            if answer:
                os.write(port[0], answer)
    if port is not None:
        _remove_port(path, port)


def _plug_in(path: Path) -> tuple[int, int]:
    master, slave = pty.openpty()
    tty.setraw(slave)
    os.set_blocking(master, False)
    path.unlink(missing_ok=True)
    path.symlink_to(os.ttyname(slave))
    return master, slave


def _remove_port(path: Path, port: tuple[int, int]) -> None:
    path.unlink(missing_ok=True)
    os.close(port[1])
    os.close(port[0])
