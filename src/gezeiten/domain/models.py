"""What each logger model can do, as data: channels, memory, intervals, battery, manners.

The families are our own stand-ins. A channel stores whole counts; its value is
counts / divisor + offset, so decimals come out exactly as rounded.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

from gezeiten.domain.quantities import PARTICLE_SIZES_UM, particles_between, particles_from
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
        raise InputError(f"The channel {self.key} knows no sensor “{key}”; choose another one.")

    def range_with(self, sensor: str) -> tuple[float, float]:
        """Return lowest and highest value with a sensor."""
        chosen = self.sensor(sensor)
        return (chosen.low, chosen.high) if chosen else (self.low, self.high)


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
        raise InputError(f"{self.name} has no channel “{key}”; take it out of the plan.")


_AA_LITHIUM = "1 × AA lithium"
_C_LITHIUM = "1 × C lithium"
_BY_BUTTON: tuple[Start, ...] = ("next_interval", "now", "at", "button")
_ALL_ENDS: tuple[End, ...] = ("full", "wrap", "at", "count", "button")

DUENE_T2 = LoggerModel(
    "Düne T2",
    "DUENE-T2",
    (
        ChannelSpec(
            "air_temperature", "int16", 100, -40.0, 85.0, settling_s=60,
            sensors=(
                SensorType("internal", "in the case", -40.0, 85.0),
                SensorType("probe", "probe on a cable", -40.0, 125.0),
            ),
        ),
        ChannelSpec("relative_humidity", "int16", 10, 0.0, 100.0, needs="air_temperature",
                    settling_s=30),
    ),
    memory_bytes=65_536,
    header_bytes=1_024,
    event_choices=(2_048, 1_024, 4_096),
    shortest_interval_s=1,
    longest_interval_s=86_400,
    battery=Battery(_AA_LITHIUM, 2_600, 110.0, 0.011, 0.004, 60.0, 0.02, 8.0),
    starts=_BY_BUTTON,
    ends=_ALL_ENDS,
    manners=("display", "sound", "key_tone", "light", "reminders", "event_memory"),
)  # fmt: skip
PRIEL_W3 = LoggerModel(
    "Priel W3",
    "PRIEL-W3",
    (
        ChannelSpec("water_pressure", "int32", 1000, 0.0, 400.0, settling_s=1),
        ChannelSpec("water_temperature", "int16", 100, -5.0, 50.0, settling_s=120),
        ChannelSpec("conductivity", "int16", 100, 0.0, 80.0, needs="water_temperature",
                    settling_s=5),
    ),
    memory_bytes=262_144,
    header_bytes=1_024,
    event_choices=(2_048,),
    shortest_interval_s=1,
    longest_interval_s=86_400,
    battery=Battery(_C_LITHIUM, 7_700, 240.0, 0.4, 0.003, light_uah=0.03),
    manners=("light",),
)  # fmt: skip
WOLKE_B1 = LoggerModel(
    "Wolke B1",
    "WOLKE-B1",
    (
        ChannelSpec("air_pressure", "int32", 1000, 50.0, 115.0),
        ChannelSpec("air_temperature", "int16", 100, -30.0, 60.0, settling_s=90),
    ),
    memory_bytes=131_072,
    header_bytes=1_024,
    event_choices=(1_024,),
    shortest_interval_s=5,
    longest_interval_s=86_400,
    battery=Battery(_AA_LITHIUM, 2_600, 90.0, 0.01, 0.004, light_uah=0.02),
    manners=("light",),
)
REIF_C2 = LoggerModel(
    "Reif C2",
    "REIF-C2",
    (
        ChannelSpec(
            "probe_temperature", "int16", 100, -90.0, 60.0, settling_s=15,
            sensors=(
                SensorType("pt100", "Pt100 probe", -90.0, 60.0),
                SensorType("thermocouple_k", "thermocouple K", -200.0, 300.0),
                SensorType("thermocouple_t", "thermocouple T", -200.0, 300.0),
            ),
        ),
        ChannelSpec("room_temperature", "int16", 100, -30.0, 60.0, settling_s=180),
    ),
    memory_bytes=262_144,
    header_bytes=1_024,
    event_choices=(4_096, 2_048, 8_192),
    shortest_interval_s=1,
    longest_interval_s=43_200,
    battery=Battery("mains, 2 × AA lithium", 5_200, 150.0, 0.004, 0.003, 80.0, 0.02, 12.0),
    starts=_BY_BUTTON,
    ends=_ALL_ENDS,
    manners=("display", "sound", "key_tone", "light", "reminders", "event_memory"),
    shorter_outside=True,
)  # fmt: skip
PARTICLE_CLASSES = (
    *(particles_from(size) for size in PARTICLE_SIZES_UM),
    *(particles_between(low, high) for low, high in pairwise(PARTICLE_SIZES_UM)),
)
BRISE_A4 = LoggerModel(
    "Brise A4",
    "BRISE-A4",
    (
        *(ChannelSpec(key, "int32", 1, 0.0, 1e9, settling_s=60) for key in PARTICLE_CLASSES),
        ChannelSpec("co2", "int16", 1, 0.0, 10_000.0, settling_s=60),
        ChannelSpec("air_temperature", "int16", 100, -20.0, 60.0, settling_s=120),
        ChannelSpec("relative_humidity", "int16", 10, 0.0, 100.0, needs="air_temperature",
                    settling_s=30),
    ),
    memory_bytes=131_072,
    header_bytes=1_024,
    event_choices=(2_048,),
    shortest_interval_s=60,
    longest_interval_s=86_400,
    battery=Battery("4 × AA lithium", 10_400, 900.0, 20.0, 0.004, 150.0, 0.02, 10.0),
    manners=("display", "light"),
)  # fmt: skip

MODELS: dict[str, LoggerModel] = {
    model.name: model for model in (DUENE_T2, PRIEL_W3, WOLKE_B1, REIF_C2, BRISE_A4)
}


def known_model(name: str) -> LoggerModel | None:
    """Return a model by name or code, None for a source that is no logger (a text, a live line)."""
    return next((m for m in MODELS.values() if name in (m.name, m.code)), None)


def logger_model(name: str) -> LoggerModel:
    """Return a model by its name or by the code that the logger says of itself.

    Raises:
        InputError: this version does not know the model.
    """
    model = known_model(name)
    if model is None:
        raise InputError(f"The model “{name}” is not known to this version; update Gezeiten.")
    return model
