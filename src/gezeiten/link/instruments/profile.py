"""Instrument profiles: how an instrument on a serial port is read. docs/instrument-profile.md.

A profile is a TOML file, so a new instrument needs no code.
"""

from __future__ import annotations

import json
import re
import tomllib
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from gezeiten.domain.base.untrusted import bounded_int, finite
from gezeiten.domain.quantities.quantities import QUANTITIES, quantity
from gezeiten.domain.quantities.units import text_unit
from gezeiten.errors import InputError

LINES, REGISTERS, SDI12 = "lines", "registers", "sdi12"
REGISTER_TYPES = {
    "int16": (1, "h"),
    "uint16": (1, "H"),
    "int32": (2, "i"),
    "uint32": (2, "I"),
    "float32": (2, "f"),
}
_LARGEST = 1 << 16


@dataclass(frozen=True, slots=True)
class ProfileValue:
    """One quantity that an instrument tells. value = told x factor + offset, in `unit`.

    source: group of the pattern, address of the register, or place (from 1) in the SDI-12 answer.
    type: of registers, one of REGISTER_TYPES.
    """

    source: str
    quantity: str
    unit: str
    factor: float = 1.0
    offset: float = 0.0
    type: str = ""

    def recorded(self, told: float) -> float:
        """Return what the instrument told in the unit in which its quantity is recorded."""
        unit = text_unit(quantity(self.quantity), self.unit)
        return unit.recorded(told * self.factor + self.offset)


@dataclass(frozen=True, slots=True)
class Profile:
    """How an instrument is read.

    pattern, ask, end: for LINES; ask is sent every `every_s` where the instrument waits for it;
    end: "lf" (with or without a CR before it) or "cr".
    unit_id, function: for REGISTERS. address, command: for SDI12; address "?" takes the only one.
    """

    name: str
    kind: str
    baud: int
    data_bits: int
    parity: str
    stop_bits: int
    values: tuple[ProfileValue, ...]
    every_s: float = 1.0
    pattern: str = ""
    ask: str = ""
    unit_id: int = 1
    function: int = 4
    address: str = "?"
    command: str = "M"
    end: str = "lf"

    @property
    def settings(self) -> str:
        """How people write the port's settings: "9600 8N1"."""
        return f"{self.baud} {self.data_bits}{self.parity}{self.stop_bits}"

    def read_line(self, line: str) -> dict[str, float] | None:
        """Return told values by quantity, in recorded units; None where the line does not fit."""
        found = re.search(self.pattern, line)
        if found is None:
            return None
        content: dict[str, float] = {}
        for value in self.values:
            try:
                number = float(found[value.source].replace(",", "."))
            except (IndexError, ValueError, AttributeError):
                continue  # this one is missing in this line
            if abs(number) < 1e300:
                content[value.quantity] = value.recorded(number)
        return content


def read_profile(path: Path) -> Profile:
    """Return the profile of a file.

    Raises:
        InputError: it cannot be read, or says what cannot be.
    """
    try:
        raw = path.read_bytes()[:_LARGEST]
        content = tomllib.loads(raw.decode("utf-8"))
    except OSError as exc:
        raise InputError(f"{path.name} cannot be read; check its name and rights.") from exc
    except (tomllib.TOMLDecodeError, UnicodeDecodeError, RecursionError) as exc:
        raise InputError(f"{path.name} is not an instrument profile ({exc}); correct it.") from exc
    return profile_of(content, path.name)


def profile_of(content: dict[str, Any], where: str) -> Profile:
    """Return the profile of TOML content, checked.

    Raises:
        InputError: with what is wrong in which profile.
    """
    try:
        port = dict(content.get("port", {}))
        values = tuple(_value(dict(value)) for value in content["value"])
        profile = Profile(
            str(content["name"]),
            str(content["kind"]),
            int(port.get("baud", 9600)),
            int(port.get("data_bits", 8)),
            str(port.get("parity", "N")),
            int(port.get("stop_bits", 1)),
            values,
            finite(content.get("every_s", 1.0)),
            str(content.get("pattern", "")),
            str(content.get("ask", "")),
            bounded_int(content.get("unit_id", 1)),
            bounded_int(content.get("function", 4)),
            str(content.get("address", "?")),
            str(content.get("command", "M")),
            str(content.get("end", "lf")),
        )
        _check(profile)
    except (KeyError, TypeError, ValueError, re.error) as exc:
        raise InputError(f"The profile {where} cannot be used ({exc}); correct it.") from exc
    return profile


def _value(raw: dict[str, Any]) -> ProfileValue:
    return ProfileValue(
        str(raw["source"]),
        str(raw["quantity"]),
        str(raw["unit"]),
        finite(raw.get("factor", 1.0)),
        finite(raw.get("offset", 0.0)),
        str(raw.get("type", "")),
    )


def _check(profile: Profile) -> None:
    if profile.kind not in (LINES, REGISTERS, SDI12):
        raise ValueError(f"“{profile.kind}” is not a kind of instrument")
    if profile.parity not in "NEO" or profile.stop_bits not in (1, 2):
        raise ValueError("impossible port settings")
    if profile.data_bits not in (7, 8) or not 50 <= profile.baud <= 4_000_000:
        raise ValueError("impossible port settings")
    if profile.end not in ("lf", "cr"):
        raise ValueError(f"“{profile.end}” is not a line ending")
    if not 0.05 <= profile.every_s <= 86_400 or not profile.values:
        raise ValueError("no values, or an impossible interval")
    if len({value.quantity for value in profile.values}) < len(profile.values):
        raise ValueError("two values of one quantity")
    groups = re.compile(profile.pattern).groupindex
    for value in profile.values:
        _check_value(profile, value, groups)


def _check_value(profile: Profile, value: ProfileValue, groups: Any) -> None:
    if value.quantity not in QUANTITIES:
        raise ValueError(f"“{value.quantity}” is not a quantity")
    if text_unit(quantity(value.quantity), value.unit).name != value.unit:
        raise ValueError(f"{value.quantity} has no unit “{value.unit}”")
    if not value.factor:
        raise ValueError("a factor of 0")
    if profile.kind == LINES and value.source not in groups:
        raise ValueError(f"the pattern has no group “{value.source}”")
    if profile.kind == REGISTERS and (
        value.type not in REGISTER_TYPES or not 0 <= int(value.source) < 65_535
    ):
        raise ValueError(f"register {value.source} of type “{value.type}”")
    if profile.kind == SDI12 and not 1 <= int(value.source) <= 99:
        raise ValueError(f"place {value.source} in an answer")


def written(profile: Profile) -> str:
    """Return a profile of lines as TOML."""
    quoted = json.dumps  # a basic string of TOML is one of JSON
    lines = [
        f"name = {quoted(profile.name, ensure_ascii=False)}",
        f"kind = {quoted(profile.kind)}",
        f"every_s = {profile.every_s:g}",
        f"pattern = {quoted(profile.pattern)}",
        f"ask = {quoted(profile.ask)}",
        f"end = {quoted(profile.end)}",
        "",
        "[port]",
        f"baud = {profile.baud}",
        f"data_bits = {profile.data_bits}",
        f"parity = {quoted(profile.parity)}",
        f"stop_bits = {profile.stop_bits}",
    ]
    for value in profile.values:
        lines += [
            "",
            "[[value]]",
            f"source = {quoted(value.source)}",
            f"quantity = {quoted(value.quantity)}",
            f"unit = {quoted(value.unit, ensure_ascii=False)}",
        ]
    return "\n".join(lines) + "\n"


def save_profile(folder: Path, profile: Profile) -> Path:
    """Keep a profile of lines under its name in a folder; returns its file.

    Raises:
        InputError: it says what cannot be, or cannot be written.
    """
    text = written(profile)
    checked = profile_of(tomllib.loads(text), profile.name)
    name = "".join(sign if sign.isalnum() else "-" for sign in checked.name).strip("-")
    if not name:
        raise InputError("The instrument has no name; enter one.")
    path = folder / f"{name}.toml"
    try:
        folder.mkdir(parents=True, exist_ok=True)
        path.write_text(text, "utf-8")
    except OSError as exc:
        raise InputError(f"{path.name} cannot be saved; check the archive's folder.") from exc
    return path


def find_profiles(folder: Path | None = None) -> list[tuple[Profile, Path]]:
    """Return the profiles that come with Gezeiten and those of a folder; the folder's win."""
    found: dict[str, tuple[Profile, Path]] = {}
    for place in (Path(__file__).parent.parent / "profiles", folder):
        for path in sorted(place.glob("*.toml")) if place else []:
            try:
                profile = read_profile(path)
            except InputError:
                continue  # whoever opens it by hand hears what is wrong
            found[profile.name] = (profile, path)
    return [found[name] for name in sorted(found)]
