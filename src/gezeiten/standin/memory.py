"""The memory of a simulated logger as files: directory, mission file block by block, overview.

Nothing is stored: blocks are computed from what the logger measures at the instants that were due.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.drawing.thinning import ThinKind, Thinning, group_figures
from gezeiten.link import registers as reg
from gezeiten.link.files import mission_blocks as mb
from gezeiten.link.files import mission_file as mf
from gezeiten.link.files import overview as ov
from gezeiten.standin.logger_body import LoggerBody

_BLOCKS_KEPT = 2048


class LoggerMemory:
    """What a logger answers when its files are read."""

    def __init__(self, logger: LoggerBody) -> None:
        self._logger = logger
        self._blocks: dict[tuple[int, int, int], bytes] = {}
        self._header: tuple[tuple[int, int, int], mf.Header, bytes] | None = None
        self._overview: tuple[Thinning, mf.Header, bytes] | None = None
        self._overview_mission = 0
        self._overview_slot = 0
        self._overview_blocks: dict[int, bytes] = {}

    # -- the mission -----------------------------------------------------------------------------
    def directory(self) -> list[dict[str, Any]]:
        """Return the missions in memory: this family keeps one."""
        run, plan = self._logger.state.run, self._logger.plan
        if run is None or plan is None:
            return []
        header = self.header()
        return [
            {
                "mission": run.number,
                "name": plan.mission_name,
                "point": plan.point_name,
                "launched_ms": run.launched_ms,
                "first_ms": run.first_ms,
                "interval_ms": plan.interval_s * 1000,
                "readings": self._logger.readings(),
                "first_held": self._logger.first_number(),
                "header_bytes": len(mf.encode_header(header)),
                "block_bytes": header.block_bytes,
                "file": reg.MEMORY_FILE,
                "tail_file": reg.TAIL_FILE,
            }
        ]

    def mission_bytes(self) -> bytes:
        """Return the mission file as it would lie on a drive: header, blocks still held, tail."""
        header = self.header()
        numbers = range(
            self._logger.first_number() // mb.READINGS_PER_BLOCK,
            -(-self._logger.readings() // mb.READINGS_PER_BLOCK),
        )
        blocks = b"".join(self._block(header, number) for number in numbers)
        return mf.encode_header(header) + blocks + self.tail()

    def header(self) -> mf.Header:
        """Return the header of the mission in memory."""
        logger = self._logger
        run, plan = logger.state.run, logger.plan
        assert run is not None
        assert plan is not None
        units = {spec.key: quantity(spec.key).unit for spec in logger.model.channels}
        return mf.Header(
            serial=logger.spec.serial,
            model=logger.model.name,
            firmware=logger.spec.firmware,
            mission=run.number,
            launched_ms=run.launched_ms,
            first_ms=run.first_ms,
            interval_ms=plan.interval_s * 1000,
            channels=mb.file_channels(logger.model, plan.channels, units),
            plan=run.plan,
            step_ms=logger.timetable().step_ms,
        )

    def tail(self) -> bytes:
        """Return event list and trailer as they stand now."""
        logger = self._logger
        trailer = {
            "readings": logger.readings(),
            "first_held": logger.first_number(),
            "state": logger.doing().name.lower(),
            "end_reason": reg.EndReason(logger.last_mission_end()[0]).name.lower(),
            "clock_ms": logger.clock_ms(),
        }
        return mf.encode_tail(logger.events(), trailer)

    def read(self, start: int, length: int) -> bytes | None:
        """Return bytes of the mission file as far as it goes; None where it was overwritten."""
        header, head = self._headed()
        held_from = self._logger.first_number() // mb.READINGS_PER_BLOCK
        first = max(start - len(head), 0) // header.block_bytes
        if start + length > len(head) and first < held_from:
            return None
        blocks = [self._block(header, number) for number in _touched(head, header, start, length)]
        return _cut(head, header, start, length, blocks)

    def _headed(self) -> tuple[mf.Header, bytes]:
        """Return the header and its bytes, made once a mission: memory is read in small pieces."""
        run = self._logger.state.run
        assert run is not None
        key = (run.number, run.first_ms, len(run.pauses))
        if self._header is None or self._header[0] != key:
            header = self.header()
            self._header = (key, header, mf.encode_header(header))
        return self._header[1], self._header[2]

    def _block(self, header: mf.Header, number: int) -> bytes:
        first = number * mb.READINGS_PER_BLOCK
        end = min(first + mb.READINGS_PER_BLOCK, self._logger.readings())
        key = (header.mission, number, end)
        if key not in self._blocks:
            if len(self._blocks) > _BLOCKS_KEPT:
                self._blocks.clear()
            index = np.arange(first, max(end, first), dtype=np.int64)
            counts = self._counts(header, index)
            steps = self._logger.timetable().steps(index) if header.step_ms else None
            self._blocks[key] = mb.encode_block(header.channels, first, counts, steps)
        return self._blocks[key]

    def _counts(self, header: mf.Header, index: NDArray[np.int64]) -> list[NDArray[np.int64]]:
        logger = self._logger
        values = logger.measure(logger.true_ms(logger.timetable().times(index)))
        return [_counted(channel, values[channel.key]) for channel in header.channels]

    # -- the overview ----------------------------------------------------------------------------
    def make_overview(self, argument: int, expected: int) -> reg.Refusal:
        """Thin the mission as the command asks; what was thinned before is forgotten."""
        run = self._logger.state.run
        if run is None or not run.first_ms:
            return reg.Refusal.NO_MISSION
        thinning = ov.requested_thinning(argument, expected)
        held = (self._logger.first_number(), self._logger.readings())
        if thinning is None or not held[0] <= thinning.first < thinning.end <= held[1]:
            return reg.Refusal.NO_SUCH_OVERVIEW
        header = self.header()
        if header.step_ms:
            return reg.Refusal.NO_SUCH_OVERVIEW  # its readings are not evenly spaced
        made = ov.overview_header(header, thinning)
        self._overview = (thinning, made, ov.encode_overview_header(made, thinning))
        self._overview_mission = run.number
        self._overview_slot = (self._overview_slot + 1) % reg.OVERVIEW_SLOTS
        self._overview_blocks = {}
        return reg.Refusal.NONE

    def _has_overview(self) -> bool:
        run = self._logger.state.run
        return run is not None and run.number == self._overview_mission

    def overview_entry(self) -> dict[str, Any]:
        """Return where the overview lies, in the form of a mission; empty without one."""
        if self._overview is None or not self._has_overview():
            return {}
        thinning, header, head = self._overview
        [entry] = self.directory()
        return {
            **entry,
            "name": ov.entry_name(thinning),
            "first_ms": header.first_ms,
            "interval_ms": header.interval_ms,
            "readings": thinning.values,
            "first_held": 0,
            "header_bytes": len(head),
            "block_bytes": header.block_bytes,
            "file": self._overview_file(),
        }

    def _overview_file(self) -> int:
        return reg.OVERVIEW_FILE + self._overview_slot * reg.OVERVIEW_SLOT_FILES

    def read_overview(self, file: int, start: int, length: int) -> bytes | None:
        """Return bytes of the overview as far as it goes; None where none lies (any more)."""
        place = file - self._overview_file()
        if self._overview is None or not self._has_overview():
            return None
        if not 0 <= place < reg.OVERVIEW_SLOT_FILES:
            return None
        start += place * reg.FILE_BYTES
        thinning, header, head = self._overview
        blocks = [
            self._overview_block(thinning, header, number)
            for number in _touched(head, header, start, length)
        ]
        return _cut(head, header, start, length, blocks)

    def _overview_block(self, thinning: Thinning, header: mf.Header, number: int) -> bytes:
        if number not in self._overview_blocks:
            self._overview_blocks[number] = self._thinned(thinning, header, number)
        return self._overview_blocks[number]

    def _thinned(self, thinning: Thinning, header: mf.Header, number: int) -> bytes:
        first = number * mb.READINGS_PER_BLOCK
        end = max(min(first + mb.READINGS_PER_BLOCK, thinning.values), first)
        a, b = thinning.readings_of(first, end)
        columns: list[NDArray[np.int64]] = []
        if thinning.kind == ThinKind.NTH:
            columns = self._counts(header, np.arange(a, b, thinning.every, dtype=np.int64))
        else:
            columns = self._grouped(header, np.arange(a, b, dtype=np.int64), thinning.every)
        return mb.encode_block(header.channels, first, columns)

    def _grouped(
        self, header: mf.Header, index: NDArray[np.int64], every: int
    ) -> list[NDArray[np.int64]]:
        """Return the counts of mean, lowest and highest of every channel, in the header's order."""
        own = self.header()
        columns = []
        for i, counts in enumerate(self._counts(own, index)):
            values = np.where(counts == own.channels[i].missing_count, np.nan, counts)
            for channel, figures in zip(
                header.channels[3 * i : 3 * i + 3], group_figures(values, every), strict=True
            ):
                whole = np.where(np.isfinite(figures), np.round(figures), channel.missing_count)
                columns.append(whole.astype(np.int64))
        return columns


def _counted(channel: mb.FileChannel, values: NDArray[np.float64]) -> NDArray[np.int64]:
    counts = np.round((values - channel.offset) * channel.divisor)
    return np.where(np.isfinite(values), counts, channel.missing_count).astype(np.int64)


def _touched(head: bytes, header: mf.Header, start: int, length: int) -> range:
    """Return the numbers of the blocks that bytes [start, start + length) of a file lie in."""
    if start + length <= len(head):
        return range(0)
    first = max(start - len(head), 0) // header.block_bytes
    last = (start + length - len(head) - 1) // header.block_bytes
    return range(first, last + 1)


def _cut(head: bytes, header: mf.Header, start: int, length: int, blocks: list[bytes]) -> bytes:
    """Return bytes [start, start + length) of a file of a head and these of its blocks."""
    data = head[start : start + length]
    first = max(start - len(head), 0) // header.block_bytes
    skip = max(start - len(head) - first * header.block_bytes, 0)
    joined = b"".join(blocks)
    return (data + joined[skip : skip + length - len(data)]).ljust(length, b"\0")
