"""Limit rules: above or below a value, for longer than a delay. Every rule has one side."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.timeline import Values

Side = Literal["above", "below"]
Counting = Literal["consecutive", "accumulated"]
Level = Literal["warning", "alarm"]


@dataclass(frozen=True, slots=True)
class LimitRule:
    """One rule of a plan. `value` is in the channel's unit; a reading equal to it is inside.

    daily: accumulated counting starts anew at local midnight instead of at launch.
    """

    channel: str
    side: Side
    value: float
    delay_s: int = 0
    counting: Counting = "consecutive"
    daily: bool = False
    level: Level = "alarm"

    @property
    def key(self) -> str:
        """Stable name of the rule within its mission."""
        return f"{self.channel}:{self.side}:{self.level}"

    def outside(self, values: Values) -> NDArray[np.bool_]:
        """Return where values are strictly outside; NaN is inside: nothing is claimed of it."""
        return values > self.value if self.side == "above" else values < self.value

    def beyond(self, values: Values) -> Values:
        """Return the distance beyond the limit, positive outside."""
        return values - self.value if self.side == "above" else self.value - values

    def as_dict(self) -> dict[str, Any]:
        return {
            "channel": self.channel,
            "side": self.side,
            "value": self.value,
            "delay_s": self.delay_s,
            "counting": self.counting,
            "daily": self.daily,
            "level": self.level,
        }


def limit_rule(data: dict[str, Any]) -> LimitRule:
    """Return the rule of a dict made by `LimitRule.as_dict`.

    Raises:
        KeyError, ValueError, TypeError: a field is missing or has another kind of value.
    """
    side, counting, level = data["side"], data["counting"], data["level"]
    if side not in ("above", "below") or counting not in ("consecutive", "accumulated"):
        raise ValueError(f"unknown side or counting: {side}, {counting}")
    if level not in ("warning", "alarm"):
        raise ValueError(f"unknown level: {level}")
    return LimitRule(
        str(data["channel"]),
        side,
        float(data["value"]),
        int(data["delay_s"]),
        counting,
        bool(data["daily"]),
        level,
    )
