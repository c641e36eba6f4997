"""What each logger model can do, as data: channels, memory, intervals, battery.

The families are our own stand-ins. A channel stores whole counts; its value is
counts / divisor + offset, so decimals come out exactly as rounded.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from gezeiten.errors import InputError

CountType = Literal["int16", "int32"]


@dataclass(frozen=True, slots=True)
class ChannelSpec:
    """One channel of a model. low and high: sensor range in the quantity's unit.

    needs: key of a channel that must be on as well (humidity needs its temperature).
    """

    key: str
    count_type: CountType
    divisor: int
    low: float
    high: float
    offset: float = 0.0
    needs: str | None = None

    @property
    def count_bytes(self) -> int:
        return 2 if self.count_type == "int16" else 4


@dataclass(frozen=True, slots=True)
class Battery:
    """Charge and draws of a model's cell.

    capacity_mah at 20 °C; idle_ua all the time; reading_uah for one reading of one channel;
    below 20 °C the usable charge shrinks by derate_per_k for every kelvin.
    """

    name: str
    capacity_mah: float
    idle_ua: float
    reading_uah: float
    derate_per_k: float


@dataclass(frozen=True, slots=True)
class LoggerModel:
    """Capabilities of one family. memory_bytes includes header_bytes and event_bytes."""

    name: str
    code: str  # as the logger itself says it, ASCII
    channels: tuple[ChannelSpec, ...]
    memory_bytes: int
    header_bytes: int
    event_bytes: int
    shortest_interval_s: int
    longest_interval_s: int
    battery: Battery

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

DUENE_T2 = LoggerModel(
    "Düne T2",
    "DUENE-T2",
    (
        ChannelSpec("air_temperature", "int16", 100, -40.0, 85.0),
        ChannelSpec("relative_humidity", "int16", 10, 0.0, 100.0, needs="air_temperature"),
    ),
    memory_bytes=65_536,
    header_bytes=1_024,
    event_bytes=2_048,
    shortest_interval_s=1,
    longest_interval_s=86_400,
    battery=Battery(_AA_LITHIUM, 2_600, 110.0, 0.011, 0.004),
)
PRIEL_W3 = LoggerModel(
    "Priel W3",
    "PRIEL-W3",
    (
        ChannelSpec("water_pressure", "int32", 1000, 0.0, 400.0),
        ChannelSpec("water_temperature", "int16", 100, -5.0, 50.0),
        ChannelSpec("conductivity", "int16", 100, 0.0, 80.0, needs="water_temperature"),
    ),
    memory_bytes=262_144,
    header_bytes=1_024,
    event_bytes=2_048,
    shortest_interval_s=1,
    longest_interval_s=86_400,
    battery=Battery(_C_LITHIUM, 7_700, 240.0, 0.4, 0.003),
)
WOLKE_B1 = LoggerModel(
    "Wolke B1",
    "WOLKE-B1",
    (
        ChannelSpec("air_pressure", "int32", 1000, 50.0, 115.0),
        ChannelSpec("air_temperature", "int16", 100, -30.0, 60.0),
    ),
    memory_bytes=131_072,
    header_bytes=1_024,
    event_bytes=1_024,
    shortest_interval_s=5,
    longest_interval_s=86_400,
    battery=Battery(_AA_LITHIUM, 2_600, 90.0, 0.01, 0.004),
)
REIF_C2 = LoggerModel(
    "Reif C2",
    "REIF-C2",
    (
        ChannelSpec("probe_temperature", "int16", 100, -90.0, 60.0),
        ChannelSpec("room_temperature", "int16", 100, -30.0, 60.0),
    ),
    memory_bytes=262_144,
    header_bytes=1_024,
    event_bytes=4_096,
    shortest_interval_s=1,
    longest_interval_s=43_200,
    battery=Battery("mains, 2 × AA lithium", 5_200, 150.0, 0.004, 0.003),
)
BRISE_A4 = LoggerModel(
    "Brise A4",
    "BRISE-A4",
    (
        ChannelSpec("particles_fine", "int32", 1, 0.0, 3_000_000.0),
        ChannelSpec("particles_coarse", "int32", 1, 0.0, 3_000_000.0),
        ChannelSpec("co2", "int16", 1, 0.0, 10_000.0),
        ChannelSpec("air_temperature", "int16", 100, -20.0, 60.0),
        ChannelSpec("relative_humidity", "int16", 10, 0.0, 100.0, needs="air_temperature"),
    ),
    memory_bytes=131_072,
    header_bytes=1_024,
    event_bytes=2_048,
    shortest_interval_s=60,
    longest_interval_s=86_400,
    battery=Battery("4 × AA lithium", 10_400, 900.0, 20.0, 0.004),
)

MODELS: dict[str, LoggerModel] = {
    model.name: model for model in (DUENE_T2, PRIEL_W3, WOLKE_B1, REIF_C2, BRISE_A4)
}


def logger_model(name: str) -> LoggerModel:
    """Return a model by its name or by the code that the logger says of itself.

    Raises:
        InputError: this version does not know the model.
    """
    for model in MODELS.values():
        if name in (model.name, model.code):
            return model
    raise InputError(f"The model “{name}” is not known to this version; update Gezeiten.")
