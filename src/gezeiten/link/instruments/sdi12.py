"""SDI-12 (open standard, version 1.4) through a serial adapter: find, identify, measure.

The adapter makes the break and the timing of the bus; here go commands and answers as text.
"""

from __future__ import annotations

import re
import string
from collections.abc import Callable
from dataclasses import dataclass

from gezeiten.errors import LoggerAnswerError, LoggerAwayError

ADDRESSES = string.digits + string.ascii_lowercase + string.ascii_uppercase
_VALUE = re.compile(r"[+-]\d+(?:\.\d*)?|[+-]\.\d+")
_MOST_PARTS = 10

Ask = Callable[[str, float], str]
"""Sends a command and returns the answer without its line end; "" where none came in time (s)."""


@dataclass(frozen=True, slots=True)
class Sensor:
    """A sensor on the bus, as it tells of itself."""

    address: str
    version: str
    vendor: str
    model: str
    firmware: str
    serial: str


def crc_text(answer: str) -> str:
    """Return the three signs of the CRC of an answer. Source: SDI-12 1.4, 4.4.12."""
    crc = 0
    for byte in answer.encode("ascii", errors="replace"):
        crc ^= byte
        for _ in range(8):
            crc = (crc >> 1) ^ 0xA001 if crc & 1 else crc >> 1
    return "".join(chr(0x40 | part) for part in (crc >> 12, (crc >> 6) & 0x3F, crc & 0x3F))


def without_crc(answer: str) -> str:
    """Return an answer whose CRC is right, without it.

    Raises:
        LoggerAnswerError: it is wrong.
    """
    body, crc = answer[:-3], answer[-3:]
    if len(answer) < 4 or crc_text(body) != crc:
        raise LoggerAnswerError("A sensor's answer arrived damaged; check its cable.")
    return body


def find_addresses(ask: Ask, wait_s: float = 0.3) -> list[str]:
    """Return the addresses on the bus: the only sensor says its own, several are tried out."""
    only = ask("?!", wait_s)
    if len(only) == 1 and only in ADDRESSES:
        # two may have said the same at once: look whether another one answers as well
        others = [a for a in "0123456789" if a != only and ask(f"{a}!", wait_s) == a]
        return sorted([only, *others])
    return [address for address in ADDRESSES if ask(f"{address}!", wait_s) == address]


def identify(ask: Ask, address: str, wait_s: float = 1.0) -> Sensor:
    """Return who a sensor is.

    Raises:
        LoggerAwayError: nothing answers at this address.
        LoggerAnswerError: the answer is of another form.
    """
    answer = ask(f"{address}I!", wait_s)
    if not answer:
        raise LoggerAwayError(f"No sensor answers at address {address}; check its cable.")
    if len(answer) < 20 or answer[0] != address:
        raise LoggerAnswerError(f"The sensor at address {address} sent an invalid identification.")
    return Sensor(
        address,
        f"{answer[1]}.{answer[2]}",
        answer[3:11].strip(),
        answer[11:17].strip(),
        answer[17:20].strip(),
        answer[20:].strip(),
    )


def measure(ask: Ask, address: str, command: str = "M", wait_s: float = 1.0) -> list[float]:
    """Let a sensor measure and return its values, their CRC compared.

    Raises:
        LoggerAwayError: nothing answers.
        LoggerAnswerError: an answer is damaged, or values are missing.
    """
    begun = ask(f"{address}{command}C!", wait_s)
    if not begun:
        raise LoggerAwayError(f"No sensor answers at address {address}; check its cable.")
    told = re.fullmatch(rf"{re.escape(address)}(\d{{3}})(\d{{1,2}})", begun)
    if told is None:
        raise LoggerAnswerError(f"The sensor at address {address} answered “{begun[:20]}”.")
    seconds, count = int(told[1]), int(told[2])
    if seconds:
        ask("", seconds + wait_s)  # its service request, or the time it named
    values: list[float] = []
    for part in range(_MOST_PARTS):
        if len(values) >= count:
            break
        answer = without_crc(ask(f"{address}D{part}!", wait_s))
        if answer[:1] != address:
            raise LoggerAnswerError(f"Another sensor than {address} answered.")
        values += [float(text) for text in _VALUE.findall(answer[1:])]
    if len(values) < count:
        raise LoggerAnswerError(
            f"The sensor at address {address} promised {count} values and sent {len(values)}."
        )
    return values[:count]
