"""The day at the loggers: what came, what was launched, what is left; shown and printed."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from gezeiten.archive.queries.loggers import DeployedLogger, loggers_by_serial
from gezeiten.archive.queries.missions import newest_launch_since
from gezeiten.archive.queries.offloads import offload_counts_since
from gezeiten.archive.store.faults import translated
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.rounds import open_round
from gezeiten.desk.field.sheets import sheets_folder
from gezeiten.domain.actions.offloads import SOURCES
from gezeiten.domain.base.wording import readings_text
from gezeiten.domain.series.timeline import from_ms, midnight_ms

NO_SITE = "Not yet placed"


@dataclass(frozen=True, slots=True)
class DayLine:
    """One logger on one day.

    readings: that came today; offloaded_ms: when the last of them did, None without any. mission,
    launched_ms: of the last launch today, None without one. at_hand: readings to offload of a
    logger that is at hand, None where it is not. on_round: whether the open round still wants it.
    """

    site: str
    point: str
    zone: str
    serial: str
    readings: int
    offloaded_ms: int | None
    mission: int | None
    launched_ms: int | None
    at_hand: int | None
    on_round: bool

    @property
    def is_touched(self) -> bool:
        """Whether anything was done with it today."""
        return self.offloaded_ms is not None or self.launched_ms is not None

    @property
    def left(self) -> str:
        """What is left to do, in words; "" where nothing is."""
        if self.on_round:
            return "on the round"
        if self.at_hand:
            return f"{readings_text(self.at_hand)} to offload"
        return "" if self.is_touched else "not visited"


def day_list(desk: Workspace, at_hand: Mapping[str, int]) -> list[DayLine]:
    """Return a line for every logger that was offloaded or launched today, is at hand, is wanted by
    the open round, or is at a site where something was done today; by site and point.

    Args:
        at_hand: readings to offload of the loggers at hand, by serial.
    """
    under_way = open_round(desk)
    wanted = {task.serial for task in under_way.left} if under_way else set()
    with desk.archive.reading() as session:
        lines = []
        for logger in loggers_by_serial(session):
            if logger.retired_ms is None:
                since_ms = _today_ms(desk, logger.zone)
                received = offload_counts_since(session, logger.id, since_ms)
                is_logger = logger.model not in SOURCES  # nobody launches an instrument
                launched = newest_launch_since(session, logger.id, since_ms) if is_logger else None
                lines.append(_line(logger, received, launched, at_hand.get(logger.serial), wanted))
    here = {line.site for line in lines if line.is_touched and line.site != NO_SITE}
    touched = [
        line
        for line in lines
        if line.is_touched or line.at_hand is not None or line.on_round or line.site in here
    ]
    return sorted(touched, key=lambda line: (line.site, line.point, line.serial))


def _today_ms(desk: Workspace, zone: str) -> int:
    return midnight_ms(from_ms(desk.now_ms(), zone).date(), zone)


def _line(
    logger: DeployedLogger,
    received: list[tuple[int, int]],
    launched: tuple[int, int] | None,
    at_hand: int | None,
    wanted: set[str],
) -> DayLine:
    """received: readings and instant of each offload today; launched: number and instant."""
    return DayLine(
        logger.site or NO_SITE,
        logger.point,
        logger.zone,
        logger.serial,
        sum(many for many, _ in received),
        max((at_ms for _, at_ms in received), default=None),
        launched[0] if launched else None,
        launched[1] if launched else None,
        at_hand,
        logger.serial in wanted,
    )


def write_day(desk: Workspace, lines: list[DayLine]) -> Path:
    """Write the list of the day as a PDF and return the file."""
    # reportlab is slow to import and only documents need it
    from gezeiten.report.sheets import DayRow, DaySheet, write_day_sheet

    zone = lines[0].zone if lines else "UTC"
    day = f"{from_ms(desk.now_ms(), zone):%Y-%m-%d}"
    sites = dict.fromkeys((line.site, line.zone) for line in lines)
    rows = {
        f"{site} · {zone}": tuple(
            DayRow(line.point, line.serial, _origin_text(line), _launched(line), line.left)
            for line in lines
            if line.site == site
        )
        for site, zone in sites
    }
    sheet = DaySheet(day, desk.person, tuple(rows.items()))
    path = sheets_folder(desk) / f"day-{day}.pdf"
    with translated(path.parent):
        write_day_sheet(sheet, path)
    return path


def _origin_text(line: DayLine) -> str:
    if line.offloaded_ms is None:
        return ""
    return f"{readings_text(line.readings)}, {from_ms(line.offloaded_ms, line.zone):%H:%M}"


def _launched(line: DayLine) -> str:
    if line.launched_ms is None:
        return ""
    return f"mission {line.mission}, {from_ms(line.launched_ms, line.zone):%H:%M}"
