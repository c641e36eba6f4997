"""What the parts of a simulated logger may ask of it and do to it."""

from __future__ import annotations

from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.plan.models import LoggerModel
from gezeiten.domain.plan.plan import Plan
from gezeiten.domain.series.timeline import Times, Values
from gezeiten.link import registers as reg
from gezeiten.standin.device_state import DeviceState
from gezeiten.standin.scenario import StandinSpec
from gezeiten.standin.simclock import SimClock
from gezeiten.standin.timetable import Timetable


class Overviews(Protocol):
    """Makes overviews of the mission in memory."""

    def make_overview(self, argument: int, expected: int) -> reg.Refusal:
        """Prepare an overview for reading; say why not where it cannot be."""


class LoggerBody(Protocol):
    """State, clock, plan and sensors of one logger."""

    spec: StandinSpec
    model: LoggerModel
    clock: SimClock
    state: DeviceState

    @property
    def memory(self) -> Overviews:
        """Overviews kept for reading."""

    @property
    def plan(self) -> Plan | None:
        """The plan in force, None where nothing runs."""

    def doing(self) -> reg.State:
        """Return what the logger does now."""

    @property
    def is_recording(self) -> bool:
        """Whether readings are being recorded."""

    def last_mission_end(self) -> tuple[int, int]:
        """Return when and why the last mission ended."""

    def clock_ms(self, true_ms: float | None = None) -> int:
        """Return what the logger's clock shows, ms."""

    def true_ms(self, logger_ms: Times) -> Times:
        """Return true UTC ms of instants of the logger's clock."""

    def readings(self) -> int:
        """Return how many readings have been recorded."""

    def first_number(self) -> int:
        """Return the number of the oldest reading still in memory."""

    def timetable(self) -> Timetable:
        """Return when readings fall due."""

    def measure(self, true_ms: NDArray[np.int64]) -> dict[str, Values]:
        """Return what each channel measures at true instants, shape (n,)."""

    def live(self) -> list[reg.LiveValue]:
        """Return what each channel measures now."""

    def events(self) -> list[tuple[int, str]]:
        """Return what happened to the logger, instants UTC ms with words."""

    def note(self, text: str) -> None:
        """Remember something that happened."""

    def end(self, at_ms: int, reason: reg.EndReason) -> None:
        """End the mission."""
