"""A series as it is looked at: its readings of any stretch, its picture, how much there is of it.

No place takes a whole record into memory. A view knows what the series is made of and its cells;
readings are read block by block where they are asked for, and kept as long as there is room.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass, field
from typing import Protocol, TypeAlias

import numpy as np
from numpy.typing import NDArray

from gezeiten.archive.database import ArchiveSession
from gezeiten.desk.base.memory_cache import MemoryCache
from gezeiten.domain.series.drawing.cells import Cells, cells_of_series, joined_cells
from gezeiten.domain.series.drawing.pyramid import Picture, Pyramid, split_for_drawing
from gezeiten.domain.series.series import HOLD_FACTOR, Series, empty_series, join_series
from gezeiten.domain.series.timeline import EVER_MS, Span, Times, Values
from gezeiten.errors import ArchiveDamagedError

READ_FOR_A_PICTURE = 64
"""Readings for each column: a stretch of no more is drawn from them, a longer one from cells, of
which two at least then lie in a column."""
READ_AHEAD = READ_FOR_A_PICTURE * 4096
"""So many readings at most are read for a picture, which is no wider than that."""
ALWAYS: Span = (-EVER_MS, EVER_MS)


class ViewPiece(Protocol):
    """A stretch of a series that is read as one: [start, end) of `span`. ends: its first and its
    last reading, None where it has to be read for that; valid: how many there are, then; low, high:
    at least as far as its readings reach. stamp: what they follow from, None where that cannot be
    said."""

    @property
    def span(self) -> Span: ...
    @property
    def ends(self) -> Span | None: ...
    @property
    def valid(self) -> int: ...
    @property
    def low(self) -> float: ...
    @property
    def high(self) -> float: ...
    @property
    def stamp(self) -> Hashable: ...


class ViewSource(Protocol):
    """What a series is made of: of blocks (`archive/local_cache/segments.py`), or calculated from
    other views (`computed.py`). listed: in order of time; fills: estimated readings, by stretch."""

    @property
    def listed(self) -> Sequence[ViewPiece]: ...
    @property
    def fills(self) -> Sequence[Series]: ...
    def read(self, session: ArchiveSession, at: int) -> Series:
        """Return the measured readings of a piece; raises ArchiveDamagedError."""

    def cells(self, session: ArchiveSession) -> dict[int, Cells]:
        """Return the cells that are known, by the place of their piece."""


Wanted: TypeAlias = Callable[[Values], NDArray[np.bool_]]
"""Which of some values are of interest, bool (n,): those beyond a bound."""


@dataclass(frozen=True, slots=True)
class DrawnPictures:
    """Pictures of a stretch. is_coarse: from cells, where readings would show more but are not in
    memory."""

    measured: Picture
    estimated: Picture
    is_coarse: bool


@dataclass(eq=False, slots=True)
class RecordView:
    """A series in one state of its record.

    point_id, key: which series; chunks: what was read, of all views; fills: estimated readings;
    places: the segments that have readings, by their place in `source.listed`; first_ms, last_ms:
    their first and last reading, int64 (n,); measured: how many there are in all; cells: of these;
    estimated: estimated readings with their measured neighbours, as they are drawn; damaged: by
    place in `places`, why its readings cannot be shown; is_repair_tried: whether rebuilding
    these was tried; state: of the record, that it is of; points: whose records it rests on.
    """

    point_id: int
    key: str
    source: ViewSource
    chunks: MemoryCache[Series]
    fills: Series
    places: tuple[int, ...] = ()
    first_ms: Times = field(default_factory=lambda: np.empty(0, np.int64))
    last_ms: Times = field(default_factory=lambda: np.empty(0, np.int64))
    measured: int = 0
    cells: Pyramid | None = None
    estimated: Pyramid = field(default_factory=lambda: Pyramid.of_series(empty_series()))
    damaged: dict[int, str] = field(default_factory=dict)
    is_repair_tried: bool = False
    state: object = None
    points: tuple[int, ...] = ()

    # -- what there is, without reading ----------------------------------------------------------
    @property
    def span(self) -> Span | None:
        """From the first to the last reading, measured or estimated; None without any."""
        ends = [
            (int(first[0]), int(last[-1]))
            for first, last in (
                (self.first_ms, self.last_ms),
                (self.fills.times_utc_ms, self.fills.times_utc_ms),
            )
            if len(first)
        ]
        return (min(a for a, _ in ends), max(b for _, b in ends)) if ends else None

    @property
    def faults(self) -> list[str]:
        """Why some readings cannot be shown, each sentence once."""
        return list(dict.fromkeys(self.damaged.values()))

    @property
    def nbytes(self) -> int:
        """How much memory it takes, without what was read."""
        cells = self.cells.nbytes if self.cells else 0
        return cells + self.estimated.nbytes + _SEGMENT_BYTES * len(self.source.listed)

    # -- readings ----------------------------------------------------------------------------------
    def read_around(self, session: ArchiveSession, span: Span, *, tolerant: bool = False) -> Series:
        """Return the readings of [start, end) with at least one more on either side, where there
        is one.

        Args:
            session: in the state that the view is of.
            tolerant: readings that are damaged are left out, and `damaged` says so.

        Raises:
            ArchiveDamagedError: some of them are damaged.
        """
        a, b = self._chunks_around(span)
        keeps = (b - a) * _CHUNK_BYTES < self.chunks.most_bytes / 2
        chunks = [self._read(session, i, tolerant=tolerant, keeps=keeps) for i in range(a, b)]
        begin = chunks[0].times_utc_ms[0] if chunks and len(chunks[0]) else span[0]
        end = chunks[-1].times_utc_ms[-1] if chunks and len(chunks[-1]) else span[1]
        reach = (min(span[0], int(begin)), max(span[1], int(end) + 1))
        return join_series([*chunks, self.fills.between(*reach)])

    def read_where(self, session: ArchiveSession, span: Span, wanted: Wanted) -> Series:
        """Return the readings of [start, end) that are wanted, with the one on either side of each,
        and all around estimates. Blocks whose extremes are not wanted are not read.

        Raises:
            ArchiveDamagedError: some of them are damaged.
        """
        a, b = self._chunks_around(span)
        pieces = [self.source.listed[i] for i in self.places[a:b]]
        has_some = np.array(
            [wanted(np.array([piece.low, piece.high])).any() for piece in pieces], np.bool_
        )
        is_mended = np.zeros(len(pieces), np.bool_)
        if len(self.fills):
            begin, end = self.fills.times_utc_ms[[0, -1]]
            is_mended |= (self.last_ms[a:b] >= begin) & (self.first_ms[a:b] <= end)
        beside = has_some | is_mended
        beside[1:] |= (has_some | is_mended)[:-1]
        beside[:-1] |= (has_some | is_mended)[1:]
        keeps = int(beside.sum()) * _CHUNK_BYTES < self.chunks.most_bytes / 2
        chunks = []
        for i in np.flatnonzero(beside):
            chunk = self._read(session, a + int(i), tolerant=False, keeps=keeps)
            chunks.append(chunk if is_mended[i] else _with_neighbours(chunk, wanted(chunk.values)))
        return join_series([*chunks, self.fills]).between(*span)

    def read_ahead(self, session: ArchiveSession, span: Span) -> None:
        """Read what a picture of a stretch needs into memory, with as much again on either side; a
        short record whole, nothing where a picture comes from cells."""
        length = span[1] - span[0]
        wider = (span[0] - length, span[1] + length)
        wanted = next((one for one in (ALWAYS, wider, span) if self._is_small(one)), None)
        if wanted is not None:
            for i in range(*self._chunks_around(wanted)):
                self._read(session, i, tolerant=True, keeps=True)

    def _is_small(self, span: Span) -> bool:
        assert self.cells is not None
        return self.cells.cells.max_count_in(span) <= READ_AHEAD

    def stamp(self, span: Span) -> Hashable:
        """Return what the readings follow from that `around` gives, None where that cannot be
        said."""
        a, b = self._chunks_around(span)
        stamps = tuple(self.source.listed[i].stamp for i in self.places[a:b])
        if b > a:
            span = (min(span[0], int(self.first_ms[a])), max(span[1], int(self.last_ms[b - 1]) + 1))
        fills = self.fills.between(*span)
        estimated = (fills.times_utc_ms.tobytes(), fills.values.tobytes())
        return None if None in stamps else (estimated, *stamps)

    def _chunks_around(self, span: Span) -> tuple[int, int]:
        """Return which chunks hold a stretch and a reading on either side of it."""
        a, b = int(self.last_ms.searchsorted(span[0])), int(self.first_ms.searchsorted(span[1]))
        a -= a > 0 and (a == len(self.first_ms) or self.first_ms[a] >= span[0])
        b += b < len(self.last_ms) and (b == 0 or self.last_ms[b - 1] < span[1])
        return a, max(a, b)

    def chunk(self, session: ArchiveSession, i: int, *, keeps: bool = True) -> Series:
        """Return the measured readings of a piece that has some, by its place in `places`. keeps:
        they stay in memory.

        Raises:
            ArchiveDamagedError: they are damaged.
        """
        return self._read(session, i, tolerant=False, keeps=keeps)

    def _read(self, session: ArchiveSession, i: int, *, tolerant: bool, keeps: bool) -> Series:
        series = self._in_memory(i)
        if series is not None and (tolerant or i not in self.damaged):
            return series
        try:
            read = self.source.read(session, self.places[i])
        except ArchiveDamagedError as exc:
            self.damaged[i] = str(exc)
            if not tolerant:
                raise
            return empty_series()
        if keeps:
            self.chunks.store((self, i), read, _CHUNK_BYTES)
        return read

    def _in_memory(self, i: int) -> Series | None:
        """Return what is in memory of a chunk: of a damaged one nothing is shown."""
        return empty_series() if i in self.damaged else self.chunks.get((self, i))

    def load_cells(self, session: ArchiveSession) -> None:
        """Make it ready to be drawn."""
        if self.cells is not None:
            return
        known = self.source.cells(session)
        parts = [known.get(i) for i in self.places]
        for at, part in enumerate(parts):
            if part is None:
                read = self._read(session, at, tolerant=True, keeps=False)
                parts[at] = cells_of_series(read)
        if len(self.fills):
            drawn = [_as_drawn(self, session, fill) for fill in self.source.fills if len(fill)]
            self.estimated = Pyramid.of_series(join_series(drawn))
        self.cells = Pyramid(joined_cells(part for part in parts if part is not None))

    # -- drawing, from memory alone ---------------------------------------------------------------
    def picture(self, span: Span, columns: int) -> DrawnPictures:
        """Return the pictures of [start, end), each so many columns wide."""
        assert self.cells is not None
        estimated = self.estimated.picture(*span, columns)
        if self.cells.cells.max_count_in(span) > READ_FOR_A_PICTURE * columns:
            return DrawnPictures(self.cells.picture(*span, columns), estimated, is_coarse=False)
        a, b = self._chunks_around(span)
        chunks = [self._in_memory(i) for i in range(a, b)]
        read = [chunk for chunk in chunks if chunk is not None]
        if len(read) < len(chunks):
            return DrawnPictures(self.cells.picture(*span, columns), estimated, is_coarse=True)
        whole = Pyramid.of_series(join_series(read))
        return DrawnPictures(whole.picture(*span, columns), estimated, is_coarse=False)

    def nearest(self, at_ms: int) -> float | None:
        """Return the reading that stands nearest to an instant, if within 1.5 of its intervals.

        Raises:
            LookupError: it is not in memory.
        """
        a, b = self._chunks_around((at_ms, at_ms + 1))
        chunks = [self._in_memory(i) for i in range(a, b)]
        read = [chunk for chunk in chunks if chunk is not None]
        if len(read) < len(chunks):
            raise LookupError
        return _nearest(join_series([*read, self.fills]), at_ms)


_CHUNK_BYTES = 16 * 16_384
_SEGMENT_BYTES = 400


def view_of(
    session: ArchiveSession,
    point_id: int,
    key: str,
    view_source: ViewSource,
    chunks: MemoryCache[Series],
) -> RecordView:
    """Return the view of a series made of this; it cannot be drawn before `load_cells`."""
    view = RecordView(point_id, key, view_source, chunks, join_series(list(view_source.fills)))
    ends: list[tuple[int, int, int, int]] = []
    for i, segment in enumerate(view_source.listed):
        if segment.ends is not None:
            ends.append((i, *segment.ends, segment.valid))
            continue
        try:
            read = view_source.read(session, i)
        except ArchiveDamagedError as exc:  # as if it reached as far as it may
            view.damaged[len(ends)] = str(exc)
            ends.append((i, segment.span[0], segment.span[1] - 1, 0))
            continue
        if len(read):
            ends.append((i, int(read.times_utc_ms[0]), int(read.times_utc_ms[-1]), len(read)))
    table = np.array(ends, np.int64).reshape(-1, 4).T.copy()
    view.places, (view.first_ms, view.last_ms) = tuple(table[0].tolist()), table[1:3]
    view.measured = int(table[3].sum())
    return view


def _with_neighbours(series: Series, which: NDArray[np.bool_]) -> Series:
    """Return some readings of a series, the one on either side of each, and its first and last: how
    long each of them is held, and where it is alone, stays what it was."""
    keep = which.copy()
    keep[1:] |= which[:-1]
    keep[:-1] |= which[1:]
    keep[:1] = keep[-1:] = True
    return series.subset(keep)


def _as_drawn(view: RecordView, session: ArchiveSession, fill: Series) -> Series:
    """Return a fill with the measured reading on either side, so that the lines meet."""
    span = (int(fill.times_utc_ms[0]), int(fill.times_utc_ms[-1]) + 1)
    _, estimated = split_for_drawing(view.read_around(session, span, tolerant=True))
    return _between_neighbours(estimated, span)


def _between_neighbours(series: Series, span: Span) -> Series:
    """Return the readings of a stretch, and one on either side of it."""
    a, b = series.times_utc_ms.searchsorted(span)
    part = slice(max(int(a) - 1, 0), int(b) + 1)
    return series.subset(part)


def _nearest(series: Series, at_ms: int) -> float | None:
    if not len(series):
        return None
    i = int(np.clip(np.searchsorted(series.times_utc_ms, at_ms), 1, max(len(series) - 1, 1)))
    candidates = [j for j in (i - 1, i) if 0 <= j < len(series)]
    best = min(candidates, key=lambda j: abs(int(series.times_utc_ms[j]) - at_ms))
    apart = abs(int(series.times_utc_ms[best]) - at_ms)
    is_near = apart <= HOLD_FACTOR * int(series.interval_ms[best])
    return float(series.values[best]) if is_near else None
