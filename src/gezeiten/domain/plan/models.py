"""What each logger model can do, as data: channels, memory, intervals, battery, manners.

A family is a file in TOML (docs/logger-model.md); those that ship are our own stand-ins, more may
lie in an archive's folder. A channel stores whole counts; its value is
counts / divisor + offset, so decimals come out exactly as rounded.
"""

from __future__ import annotations

import tomllib
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, fields
from importlib.resources import files
from typing import Any, Literal

import msgspec

from gezeiten.domain.quantities.quantities import QUANTITIES
from gezeiten.errors import InputError

EVENT_BYTES = 32
"""What one event takes of the memory kept for events: its instant and its words."""

CountType = Literal["int16", "int32"]
Start = Literal["now", "next_interval", "at", "button"]
End = Literal["full", "wrap", "at", "count", "button"]
Manner = Literal["display", "sound", "key_tone", "light", "reminders", "event_memory"]


@dataclass(frozen=True, slots=True)
class SensorType:
    """One of the sensors that a channel can be told to expect; range in the channel's unit."""

    key: str
    name: str
    low: float
    high: float


@dataclass(frozen=True, slots=True)
class ChannelSpec:
    """One channel of a model. low and high: sensor range in the quantity's unit.

    needs: key of a channel that must be on as well (humidity needs its temperature).
    settling_s: time in which the sensor follows a step to 63 %; a shorter interval records the
    same value several times. sensors: what the channel may be told to expect, the first is usual.
    """

    key: str
    count_type: CountType
    divisor: int
    low: float
    high: float
    offset: float = 0.0
    needs: str | None = None
    settling_s: int = 0
    sensors: tuple[SensorType, ...] = ()

    @property
    def count_bytes(self) -> int:
        """What one value takes in the memory."""
        return 2 if self.count_type == "int16" else 4

    def sensor(self, key: str) -> SensorType | None:
        """Return the sensor of a key; the usual one for "", None where there is no choice.

        Raises:
            InputError: the channel does not know this sensor.
        """
        if not self.sensors and not key:
            return None
        for sensor in self.sensors:
            if key in ("", sensor.key):
                return sensor
        raise InputError(f"The channel {self.key} has no sensor “{key}”; choose another one.")

    def range_with(self, sensor: str) -> tuple[float, float]:
        """Return lowest and highest value with a sensor."""
        sensor_type = self.sensor(sensor)
        return (sensor_type.low, sensor_type.high) if sensor_type else (self.low, self.high)


@dataclass(frozen=True, slots=True)
class Battery:
    """Charge and draws of a model's cell.

    capacity_mah at 20 °C; idle_ua all the time; reading_uah for one reading of one channel;
    display_ua while the display is lit; light_uah for one blink, sound_uah for one minute of
    alarm sound; below 20 °C the usable charge shrinks by derate_per_k for every kelvin.
    """

    name: str
    capacity_mah: float
    idle_ua: float
    reading_uah: float
    derate_per_k: float
    display_ua: float = 0.0
    light_uah: float = 0.0
    sound_uah: float = 0.0


@dataclass(frozen=True, slots=True)
class LoggerModel:
    """Capabilities of one family. memory_bytes includes header_bytes and event_bytes.

    event_choices: how much memory may be kept for events, the first is usual. limits_per_channel:
    how many rules the logger itself watches. shorter_outside: it can record at a shorter interval
    while outside its limits.
    """

    name: str
    code: str  # as the logger itself says it, ASCII
    channels: tuple[ChannelSpec, ...]
    memory_bytes: int
    header_bytes: int
    event_choices: tuple[int, ...]
    shortest_interval_s: int
    longest_interval_s: int
    battery: Battery
    starts: tuple[Start, ...] = ("next_interval", "now", "at")
    ends: tuple[End, ...] = ("full", "wrap", "at", "count")
    manners: tuple[Manner, ...] = ()
    limits_per_channel: int = 4
    shorter_outside: bool = False

    @property
    def event_bytes(self) -> int:
        """Memory kept for events when a plan says nothing else."""
        return self.event_choices[0]

    def channel(self, key: str) -> ChannelSpec:
        """Return a channel by key.

        Raises:
            InputError: the model has no such channel.
        """
        for spec in self.channels:
            if spec.key == key:
                return spec
        raise InputError(f"{self.name} has no channel “{key}”; remove it from the plan.")


# -- reading a model -------------------------------------------------------------------------------
def read_model(text: str, name: str = "this model") -> LoggerModel:
    """Return the model that a text in TOML describes (docs/logger-model.md).

    name: what the text is called, for the sentence that says what is wrong.

    Raises:
        InputError: it is no such text, or contradicts itself.
    """
    try:
        content = tomllib.loads(text)
        model = msgspec.convert(content, LoggerModel, strict=True)
    except (tomllib.TOMLDecodeError, msgspec.ValidationError) as exc:
        raise InputError(f"{name} cannot be read ({exc}); correct it.") from exc
    problem = next(_unknown_lines(content), "") or next(contradictions(model), "")
    if problem:
        raise InputError(f"{name} is not valid: {problem}.")
    return model


def _unknown_lines(content: dict[str, Any]) -> Iterator[str]:
    parts = [(content, LoggerModel), (content.get("battery", {}), Battery)]
    for channel in content.get("channels", []):
        parts += [
            (channel, ChannelSpec),
            *((one, SensorType) for one in channel.get("sensors", [])),
        ]
    for part, kind in parts:
        known = {field.name for field in fields(kind)}
        yield from (f"“{line}” is not known" for line in part if line not in known)


def contradictions(model: LoggerModel) -> Iterator[str]:
    """Yield what cannot be true of a model at once, a sentence each."""
    if not model.name.strip() or not model.code.isascii() or not model.code.strip():
        yield "it needs a name, and a code in ASCII"
    if not 0 < model.shortest_interval_s <= model.longest_interval_s:
        yield "its shortest interval has to lie above 0 and not above its longest"
    if not model.event_choices or min(model.event_choices) < 0:
        yield "it says how much memory may be kept for events, the usual first"
    elif model.header_bytes + max(model.event_choices) >= model.memory_bytes:
        yield "header and events leave no memory for readings"
    if not model.starts or not model.ends or not model.channels:
        yield "it needs a channel, a way to start and a way to end"
    if model.battery.capacity_mah <= 0 or model.battery.idle_ua < 0:
        yield "its battery has a charge above 0 and draws no less than nothing"
    keys = [spec.key for spec in model.channels]
    yield from (f"channel “{key}” stands in it twice" for key in set(keys) if keys.count(key) > 1)
    for spec in model.channels:
        yield from _of_channel(spec, keys)


_COUNTS = {"int16": 2**15 - 1, "int32": 2**31 - 1}


def _of_channel(spec: ChannelSpec, keys: list[str]) -> Iterator[str]:
    named = f"channel “{spec.key}”"
    if spec.key not in QUANTITIES:
        yield f"{named} is no quantity that is known"
    if spec.needs is not None and (spec.needs not in keys or spec.needs == spec.key):
        yield f"{named} needs “{spec.needs}”, which is no other channel of it"
    if spec.divisor <= 0:
        yield f"{named} has a divisor of {spec.divisor}"
        return
    spans = [(spec.low, spec.high), *((sensor.low, sensor.high) for sensor in spec.sensors)]
    if any(low >= high for low, high in spans):
        yield f"{named} has a range that ends before it begins"
    most = max(abs(value - spec.offset) * spec.divisor for span in spans for value in span)
    if most > _COUNTS[spec.count_type]:
        yield f"{named} has values that do not fit into {spec.count_type}"
    if spec.sensors and spans[1] != spans[0]:
        yield f"{named} has another range than its usual sensor, the first"


def _shipped() -> dict[str, LoggerModel]:
    found = [
        read_model(file.read_text("utf-8"), file.name)
        for file in files("gezeiten.domain").joinpath("data/models").iterdir()
        if file.name.endswith(".toml")
    ]
    return {model.name: model for model in sorted(found, key=lambda one: one.name)}


SHIPPED_MODELS: dict[str, LoggerModel] = _shipped()
"""The families that ship with the program, by name."""
MODELS: dict[str, LoggerModel] = dict(SHIPPED_MODELS)
"""All that is known: those that ship, and those in the open archive's folder."""
DUENE_T2, PRIEL_W3, WOLKE_B1, REIF_C2, BRISE_A4 = (
    MODELS[name] for name in ("Düne T2", "Priel W3", "Wolke B1", "Reif C2", "Brise A4")
)


def load_models(texts: Iterable[tuple[str, str]]) -> list[str]:
    """Know the models of these texts (name of the file, what it holds) from here on, and no others
    beside those that ship. Returns what is wrong with those that are left out, a sentence each."""
    problems = []
    for name in [name for name in MODELS if name not in SHIPPED_MODELS]:
        del MODELS[name]
    for file, text in texts:
        try:
            model = read_model(text, file)
        except InputError as exc:
            problems.append(str(exc))
            continue
        if any(model.name == one.name or model.code == one.code for one in MODELS.values()):
            problems.append(f"{file} describes {model.name}, which is known already.")
            continue
        MODELS[model.name] = model
    return problems


def find_model(name: str) -> LoggerModel | None:
    """Return a model by name or code, None for a source that is no logger (a text, a live line)."""
    return next((m for m in MODELS.values() if name in (m.name, m.code)), None)


def logger_model(name: str) -> LoggerModel:
    """Return a model by its name or by the code that the logger says of itself.

    Raises:
        InputError: this version does not know the model.
    """
    model = find_model(name)
    if model is None:
        raise InputError(f"The model “{name}” is not known to this version; update Gezeiten.")
    return model
