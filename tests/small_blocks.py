"""An archive whose blocks hold few readings, so that few readings make many blocks."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from itertools import count
from pathlib import Path

import numpy as np
import pytest

from gezeiten.archive.intake.missions import (
    Circumstances,
    RawChannel,
    RawMission,
    import_mission_file,
)
from gezeiten.archive.local_cache import cutting
from gezeiten.archive.local_cache.layout import layout
from gezeiten.archive.local_cache.readings import load_recorded
from gezeiten.desk.base.workspace import TrustedClock, Workspace
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.domain.plan.plan import Plan
from gezeiten.domain.series.series import Series, join_series, make_series
from tests.conftest import ANCHOR_MS

MINUTE = 60_000
KEY = "air_temperature"
PLAN = Plan((KEY,), 60, point_name="Alte Lotsenwacht · Textile store")
ELSEWHERE = Plan((KEY,), 60, point_name="Alte Lotsenwacht · Attic")


@dataclass
class Kept:
    desk: Workspace
    point: int = 0
    elsewhere: int = 0
    raws: int = 0
    plan: Plan = field(default=PLAN)

    def take(
        self, first: int, end: int, number: int = 1, *, read: tuple[int, float] | None = None
    ) -> None:
        """Take readings [first, end) of a mission in; one in eleven has no value. read: so long
        after the mission's first reading its clock was read, and so far it was ahead, ms."""
        self.point = self._take("D-2041", self.plan, first, end, number, 0, read)

    def take_of_another(self, first: int, end: int, number: int = 1) -> None:
        """Take readings of a second logger at the first one's point in, its mission begun 1,000
        readings after that of the first."""
        self._take("D-2043", self.plan, first, end, number, 1_000 * MINUTE + 20_000)

    def take_elsewhere(self, first: int, end: int) -> None:
        """Take readings of a logger at another point in, 20 s after those of the first."""
        self.elsewhere = self._take("D-2042", ELSEWHERE, first, end, 1, 20_000)

    def _take(
        self,
        serial: str,
        plan: Plan,
        first: int,
        end: int,
        number: int,
        later_ms: int,
        read: tuple[int, float] | None = None,
    ) -> int:
        numbers = np.arange(first, end, dtype=np.int64)
        begin = ANCHOR_MS + number * 2_000 * MINUTE + later_ms
        values = np.where(numbers % 11 == 5, np.nan, np.sin(numbers) * 10).round(2)
        raw_mission = RawMission(
            serial,
            "Düne T2",
            "1.4",
            number,
            begin - MINUTE,
            begin,
            MINUTE,
            plan.as_dict(),
            (RawChannel(KEY, "°C"),),
            numbers,
            begin + numbers * MINUTE,
            0,
            [values],
            [(first, end)],
            [],
            [],
        )
        self.raws += 1
        circumstances = Circumstances(begin, "JA", "network")
        if read is not None:
            circumstances = Circumstances(begin + read[0], "JA", "network", read[1], 50.0)
        return (
            import_mission_file(
                self.desk.archive, f"raw {self.raws}".encode(), raw_mission, circumstances
            ).point_id
            or 0
        )

    def whole(self, point: int | None = None) -> Series:
        """The measured readings of a point, read mission by mission."""
        at = point or self.point
        with self.desk.archive.reading() as session:
            feeds = layout(session).of_series(at, KEY)
            return join_series([make_series(*load_recorded(session, at, feed)) for feed in feeds])


@contextmanager
def level_in(folder: Path) -> Iterator[Kept]:
    """An archive with a level that swings by ten metres, from a logger that says so."""
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr("tests.small_blocks.KEY", "water_level")
        with kept_in(folder, replace(PLAN, channels=("water_level",))) as made:
            made.take(0, 600)
            yield made


@contextmanager
def kept_in(folder: Path, plan: Plan = PLAN) -> Iterator[Kept]:
    """Such an archive in a folder, empty."""
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(cutting, "READINGS_PER_BLOCK", 64)
        ticks = count(ANCHOR_MS + 10**10)  # no two acts at one instant
        desk = open_workspace(
            folder, now_ms=lambda: next(ticks), computer=TrustedClock(), zone="Europe/Berlin"
        )
        yield Kept(desk, plan=plan)
        desk.close()
