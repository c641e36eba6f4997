"""One pass over a text: each step works on the piece that the one before handed on.

Reads a text of readings by its form, piece by piece, so that its size does not matter.

A piece whose lines are all as they should be is read by polars in one go; any other is read line
by line there too, so that each line that cannot be used is named with its reason.
"""

from __future__ import annotations

import io
import re
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
import polars as pl
from numpy.typing import NDArray

from gezeiten.domain.base.untrusted import EARLIEST_MS, LATEST_MS
from gezeiten.domain.series.timeline import Times, Values
from gezeiten.errors import InputError
from gezeiten.exchange.text.census import WordCensus
from gezeiten.exchange.text.form import FIXED, MIXED, SPACES, TextForm, Where
from gezeiten.exchange.text.layout.lines import TextPiece, decoded, split_line, text_pieces
from gezeiten.exchange.text.layout.numbers import Marks, NumberReader
from gezeiten.exchange.text.times.wall_clock import WallClock

VERSION = 4
"""Of this reader. 1: a cell that is no number costs its line, and times are written as
`times.py` says; 2: it costs that cell; 3: points are those of thousands only where that is said,
and NULs are no signs; 4: a mark for no value is one with blanks around it too, and one that is a
number however that is written."""
_SHOWN = 120
_TO_TABS = bytes.maketrans(b";,|", b"\t\t\t")


@dataclass(frozen=True, slots=True)
class RejectedLine:
    """A line that was not taken: its number, what it says, and why."""

    line: int
    text: str
    reason: str


@dataclass(frozen=True, slots=True)
class ReadingChunk:
    """Readings of some lines: instants (n,), values by column number (n,), NaN where missing.

    lines: line numbers (n,). rejected: lines that were left out. done_bytes: how far in the file
    this piece reaches. spoilt: lines that were taken without a cell of theirs that is no number.
    words_by_column: what the columns of conditions say (n,), by column number. suspect: at which
    values a flag says so, bool (n,), by column number, where it does at any.
    """

    times: Times
    values: dict[int, Values]
    lines: NDArray[np.int64]
    rejected: list[RejectedLine] = field(default_factory=list)
    done_bytes: int = 0
    spoilt: list[RejectedLine] = field(default_factory=list)
    words_by_column: dict[int, pl.Series] = field(default_factory=dict)
    suspect: dict[int, Marks] = field(default_factory=dict)

    def of(self, where: Where) -> Marks:
        """Return which readings are of lines like these, bool (n,)."""
        marks = np.ones(len(self.times), np.bool_)
        for column, text in where:
            marks &= (self.words_by_column[column] == text).to_numpy()
        return marks


def read_text(
    path: Path,
    form: TextForm,
    columns: tuple[int, ...],
    cancelled: Callable[[], bool] = lambda: False,
    version: int = VERSION,
    rows: tuple[Where, ...] = (),
    census: WordCensus | None = None,
) -> Iterator[ReadingChunk]:
    """Yield the readings of a text, piece by piece, in the order of its lines.

    Args:
        columns: which columns are wanted as numbers.
        version: of the reader; texts that are kept are read as they were.
        rows: which lines are wanted, of any of these conditions; () for all.
        census: counts the words of columns that are neither wanted nor the time, and the lines that
            are not wanted.

    Raises:
        InputError: the form cannot be used, or the file cannot be read.
    """
    if form.time.needs_zone and not form.time.zone:
        raise InputError("The time zone of the file is missing; choose one.")
    reader = _Reader(form, columns, version, rows, census)
    with ThreadPoolExecutor(1) as ahead:  # the next piece is split while this one is understood
        begun: deque[Future[_Split]] = deque()
        try:
            for piece in text_pieces(path, form.encoding, form.opening):
                begun.append(ahead.submit(reader.split, piece))
                if len(begun) > 1:
                    yield reader.read(begun.popleft().result())
                if cancelled():
                    return
            while begun:
                yield reader.read(begun.popleft().result())
        finally:
            for one in begun:
                one.cancel()


@dataclass(frozen=True, slots=True)
class _Split:
    """Lines split into columns by polars; frame is None where they are not all of one shape."""

    piece: TextPiece
    frame: pl.DataFrame | None


class _Reader:
    """Reads pieces by one form."""

    def __init__(
        self,
        form: TextForm,
        columns: tuple[int, ...],
        version: int,
        rows: tuple[Where, ...],
        census: WordCensus | None,
    ) -> None:
        self._form, self._columns, self._version = form, columns, version
        self._clocks: dict[Where, WallClock] = {
            where: WallClock(form.time, version) for where in rows or ((),)
        }
        self._numbers = NumberReader(form, version)
        self._names = [f"c{i}" for i in range(form.columns + len(form.beside))]
        self._rows = rows
        self._conditions = sorted({column for where in rows for column, _ in where})
        flags = [flag.column for flag in form.flags]
        self._last_of_time = max((c for c in form.time.columns if c < form.columns), default=0)
        self._census = census
        spoken_for = {*columns, *form.time.columns, *self._conditions}
        self._counted = [c for c in range(form.columns) if c not in spoken_for and census]
        self._as_words = {*form.time.columns, *self._conditions, *flags, *self._counted}
        self._wanted = sorted({*self._as_words, *columns})
        self._beside = [one.text for one in form.beside]
        self._follows = [
            (i, re.compile(one.shape)) for i, one in enumerate(form.beside) if one.kind == "line"
        ]

    def split(self, piece: TextPiece) -> _Split:
        """Return the columns of a piece; needs nothing of the pieces before."""
        form, first_line, text = self._form, piece.first_line, piece.text
        if self._version > 2 and b"\0" in text:
            text = text.replace(b"\0", b"")
        skip = form.first_line - first_line
        if skip > 0 and not form.follows_lines:  # else the first lines say something
            for _ in range(skip):
                text = text[text.find(b"\n") + 1 :] if b"\n" in text else b""
            first_line = form.first_line
        piece = TextPiece(first_line, text, piece.done_bytes, piece.is_cut)
        even = None if form.follows_lines else self._even(text)
        frame = None if even is None else self._fast(even, numbers=True)
        return _Split(piece, frame)

    def read(self, split: _Split) -> ReadingChunk:
        """Return the readings of a piece. Pieces have to come in their order."""
        piece = split.piece
        if not piece.text:
            nothing = np.empty(0, np.int64)
            words = {column: pl.Series([], dtype=pl.String) for column in self._conditions}
            return ReadingChunk(
                nothing,
                {c: np.empty(0) for c in self._columns},
                nothing,
                [],
                piece.done_bytes,
                words_by_column=words,
            )
        quick = None if split.frame is None else self._converted(split.frame, piece)
        if quick is not None:
            return quick
        even = None if self._form.follows_lines else self._even(piece.text)
        frame = None if even is None else self._fast(even, numbers=False)
        if frame is not None:
            return self._judged(piece, frame)
        return self._slow(piece)

    # -- all lines as they should be ---------------------------------------------------------------
    def _even(self, text: bytes) -> tuple[bytes, str, int] | None:
        """Return lines with one sign between columns, that sign and how many lines there are, where
        every one has its columns; else None.

        Signs are counted: only when their number is right may polars split.
        """
        form, sign = self._form, self._form.delimiter
        if text.startswith(b"\n") or b"\n\n" in text:
            return None
        if sign == FIXED:
            return self._in_slices(text)
        if sign == SPACES:
            text, sign = _collapse_runs(text.replace(b"\t", b" "), b" "), " "
        elif sign == MIXED:
            text = _collapse_runs(text.translate(_TO_TABS), b" ")
            for blank in (b" \t", b"\t "):
                text = text.replace(blank, b"\t")
            text, sign = text.replace(b" ", b"\t"), "\t"
        signs = np.frombuffer(text, np.uint8)
        lines = int(np.count_nonzero(signs == ord("\n")))
        columns = int(np.count_nonzero(signs == ord(sign)))
        is_quoted = b'"' in text
        if columns != lines * (form.columns - 1) or (is_quoted and sign == " "):
            return None
        return text, sign, lines

    def _in_slices(self, text: bytes) -> tuple[bytes, str, int] | None:
        """Return lines of fixed width where all of them are whole."""
        lines = text.count(b"\n")
        least = sum(self._form.widths[:-1])
        series = pl.Series(decoded(text).split("\n")[:-1], dtype=pl.String)
        if b"\x1f" in text or (series.str.len_chars() < least).any():
            return None
        ends, cells = 0, []
        for width in self._form.widths:
            cells.append(series.str.slice(ends, width))
            ends += width
        frame = pl.DataFrame({f"c{i}": cell for i, cell in enumerate(cells)})
        joined = frame.select(pl.concat_str(pl.all().str.strip_chars(), separator="\x1f"))
        return ("\n".join(joined.to_series().to_list()) + "\n").encode(), "\x1f", lines

    def _fast(self, even: tuple[bytes, str, int], *, numbers: bool) -> pl.DataFrame | None:
        """Return the wanted columns as polars reads them, None where it cannot."""
        form, (text, sign, count) = self._form, even
        number = pl.Float64 if numbers and self._numbers.is_plain else pl.String
        names = self._names[: form.columns]
        kinds = {self._names[i]: pl.String if i in self._as_words else number for i in self._wanted}
        schema = {name: kinds.get(name, pl.String) for name in names}
        missing = [mark for mark in form.missing if mark]
        by_words = any(i in self._as_words for i in self._columns)
        try:
            frame = pl.read_csv(
                io.BytesIO(text),
                has_header=False,
                separator=sign,
                schema=schema,
                columns=[i for i in self._wanted if i < form.columns],
                null_values=missing if number == pl.Float64 and not by_words else None,
                quote_char='"' if b'"' in text else None,
            )
        except (pl.exceptions.PolarsError, ValueError):
            return None
        if len(frame) != count:
            return None
        texts = [
            pl.lit(text, pl.String).alias(self._names[form.columns + i])
            for i, text in enumerate(self._beside)
        ]
        return frame.with_columns(texts) if texts else frame

    def _converted(self, frame: pl.DataFrame, piece: TextPiece) -> ReadingChunk | None:
        """Return the readings of lines, None where any of them could not be understood."""
        lines = np.arange(piece.first_line, piece.first_line + len(frame), dtype=np.int64)
        whole = frame
        try:
            frame, lines = self._wanted_lines(frame, lines)
            times = self._instants(frame)
            if times.null_count():
                return None
            values = {
                column: self._numbers.strict(frame[self._names[column]]) for column in self._columns
            }
        except (pl.exceptions.PolarsError, ValueError):
            return None
        utc = times.to_numpy().astype(np.int64)
        if len(utc) and (utc.min() < EARLIEST_MS or utc.max() >= LATEST_MS):
            return None
        self._blank_flagged(frame, values)
        if self._census is not None:
            self._take_census(whole, np.ones(len(whole), np.bool_))
        return ReadingChunk(
            utc,
            values,
            lines,
            [],
            piece.done_bytes,
            words_by_column=self._word_columns(frame),
            suspect=self._suspect(frame),
        )

    def _take_census(self, frame: pl.DataFrame, is_line: Marks) -> None:
        """Count what lines say beside times and values, and those of names that are not wanted;
        is_line: which are lines at all, bool (n,)."""
        assert self._census is not None  # asked before
        frame = frame.filter(pl.Series(is_line))
        wanted = np.zeros(len(frame), np.bool_)
        for where in self._rows:
            wanted |= self._of(frame, where)
        if self._rows and not wanted.all():
            others = frame.filter(pl.Series(~wanted))
            self._census.add_unwanted(
                {
                    column: others[self._names[column]].str.strip_chars()
                    for column in self._conditions
                }
            )
            frame = frame.filter(pl.Series(wanted))
        for column in self._counted:
            self._census.count_words(column, frame[self._names[column]])

    def _wanted_lines(
        self, frame: pl.DataFrame, lines: NDArray[np.int64]
    ) -> tuple[pl.DataFrame, NDArray[np.int64]]:
        """Return the lines that are wanted, with their numbers."""
        if not self._rows:
            return frame, lines
        wanted = np.zeros(len(frame), np.bool_)
        for where in self._rows:
            wanted |= self._of(frame, where)
        return frame.filter(pl.Series(wanted)), lines[wanted]

    def _instants(self, frame: pl.DataFrame) -> pl.Series:
        """Return UTC ms of lines, null where none could be understood. Those of each condition are
        followed by themselves: at one instant there may be a line of each."""
        time = self._form.time.columns
        if not self._rows:
            [clock] = self._clocks.values()
            return clock.instants([frame[self._names[i]] for i in time])
        made = np.full(len(frame), np.nan)
        for where, clock in self._clocks.items():
            its = np.flatnonzero(self._of(frame, where))
            part = frame[its]
            if len(its):
                series = clock.instants([part[self._names[i]] for i in time])
                made[its] = series.cast(pl.Float64).fill_null(float("nan")).to_numpy()
        return pl.Series(made).fill_nan(None).cast(pl.Int64)

    def _of(self, frame: pl.DataFrame, where: Where) -> Marks:
        """Return which lines are of a condition, bool (n,)."""
        its = np.ones(len(frame), np.bool_)
        for column, text in where:
            said = frame[self._names[column]].str.strip_chars() == text
            its &= said.fill_null(False).to_numpy()
        return its

    def _word_columns(self, frame: pl.DataFrame, keep: Marks | None = None) -> dict[int, pl.Series]:
        words = {
            column: frame[self._names[column]].str.strip_chars() for column in self._conditions
        }
        if keep is None:
            return words
        return {column: text.filter(pl.Series(keep)) for column, text in words.items()}

    def _blank_flagged(self, frame: pl.DataFrame, values: dict[int, Values]) -> None:
        """Take away the values beside which a flag says that they are none."""
        for flags in self._form.flags:
            if not flags.none:
                continue
            said = frame[self._names[flags.column]].str.strip_chars().fill_null("")
            bad = said.is_in(list(flags.none)).to_numpy()
            for column in flags.of:
                if column in values and bad.any():
                    values[column] = np.where(bad, np.nan, values[column])

    def _suspect(self, frame: pl.DataFrame) -> dict[int, Marks]:
        """Return at which values a flag says that they are suspect."""
        found: dict[int, Marks] = {}
        for flags in self._form.flags:
            if not flags.suspect:
                continue
            said = frame[self._names[flags.column]].str.strip_chars().fill_null("")
            its = said.is_in(list(flags.suspect)).to_numpy()
            for column in flags.of:
                if column in self._columns and its.any():
                    found[column] = its | found.get(column, np.zeros(len(its), np.bool_))
        return found

    # -- line by line ------------------------------------------------------------------------------
    def _slow(self, piece: TextPiece) -> ReadingChunk:
        """Read lines that are not all of one shape."""
        lines = decoded(piece.text).split("\n")[:-1]
        reasons: dict[int, str] = {}
        blank = np.array([not line.strip() for line in lines], np.bool_)
        frame = self._split(piece, lines, blank, reasons)
        return self._as_chunk(piece, frame, blank, reasons, lines.__getitem__)

    def _judged(self, piece: TextPiece, frame: pl.DataFrame) -> ReadingChunk:
        """Read lines that are all of one shape, some of which say what cannot be."""
        shown: list[str] = []

        def line(i: int) -> str:
            if not shown:
                shown.extend(decoded(piece.text).split("\n"))
            return shown[i]

        blank = np.zeros(len(frame), np.bool_)
        return self._as_chunk(piece, frame, blank, {}, line)

    def _as_chunk(
        self,
        piece: TextPiece,
        frame: pl.DataFrame,
        blank: Marks,
        reasons: dict[int, str],
        line: Callable[[int], str],
    ) -> ReadingChunk:
        """Return the good lines, and each other one with its reason; blank ones are no readings,
        nor are those that are not wanted."""
        numbers = np.arange(piece.first_line, piece.first_line + len(frame), dtype=np.int64)
        if self._census is not None:
            is_line = ~blank
            is_line[list(reasons)] = False
            self._take_census(frame, is_line)
        blank = blank | self._unwanted(frame, reasons)
        times = self._instants(frame)
        bad_time = times.is_null().to_numpy()
        utc = times.fill_null(0).to_numpy().astype(np.int64)
        beyond = (utc < EARLIEST_MS) | (utc >= LATEST_MS)
        for i in np.flatnonzero(beyond & ~bad_time & ~blank):
            reasons.setdefault(int(i), "its time is outside the years 1900 to 2200")
        for i in np.flatnonzero(bad_time & ~blank):
            reasons.setdefault(int(i), "its time cannot be read or does not exist in this zone")
        values: dict[int, Values] = {}
        cells: dict[int, str] = {}
        for column in self._columns:
            text = frame[self._names[column]]
            values[column], unreadable = self._numbers.cells(text)
            for i in np.flatnonzero(unreadable & ~blank):
                said = text[int(i)].strip()[:30]
                cells.setdefault(int(i), f"“{said}” in column {column + 1} is not a number")
        self._blank_flagged(frame, values)
        costly = cells if self._version == 1 else _without_any(cells, values)
        reasons = {**costly, **reasons}
        good = ~blank
        good[list(reasons)] = False

        def told(listed: dict[int, str]) -> list[RejectedLine]:
            return [
                RejectedLine(int(numbers[i]), line(i)[:_SHOWN], listed[i]) for i in sorted(listed)
            ]

        good_values = {column: value[good] for column, value in values.items()}
        spoilt = {i: why for i, why in cells.items() if i not in reasons}
        suspect = {column: its[good] for column, its in self._suspect(frame).items()}
        return ReadingChunk(
            utc[good],
            good_values,
            numbers[good],
            told(reasons),
            piece.done_bytes,
            told(spoilt),
            self._word_columns(frame, good),
            suspect,
        )

    def _unwanted(self, frame: pl.DataFrame, reasons: dict[int, str]) -> Marks:
        """Return which whole lines are of no condition, bool (n,)."""
        if not self._rows:
            return np.zeros(len(frame), np.bool_)
        _, selected = self._wanted_lines(frame, np.arange(len(frame)))
        unwanted = np.ones(len(frame), np.bool_)
        unwanted[selected] = False
        unwanted[list(reasons)] = False  # nobody knows of which station a broken line is
        return unwanted

    def _split(
        self, piece: TextPiece, lines: list[str], blank: Marks, reasons: dict[int, str]
    ) -> pl.DataFrame:
        """Return the lines' columns as text; lines of another number of columns get a reason, those
        that say something of the lines after them are as blank ones."""
        form, empty = self._form, [""] * len(self._names)
        rows = [split_line(line, form) for line in lines]
        for i, row in enumerate(rows):
            if self._note_heading(lines[i]) or blank[i] or piece.first_line + i < form.first_line:
                blank[i], rows[i] = True, empty
                continue
            is_whole = len(row) == form.columns
            if form.ragged and self._last_of_time < len(row) < form.columns:
                is_whole = not (piece.is_cut and i == len(rows) - 1)
                row = [*row, *[""] * (form.columns - len(row))]
            if is_whole:
                rows[i] = [*row, *self._beside]
                continue
            found = "1 column" if len(row) == 1 else f"{len(row)} columns"
            reasons[i] = f"it has {found}; {form.columns} are expected"
            rows[i] = empty
        columns = list(zip(*rows, strict=True)) if rows else [()] * len(self._names)
        return pl.DataFrame(
            {
                name: pl.Series(name, column, dtype=pl.String)
                for name, column in zip(self._names, columns, strict=True)
            }
        )

    def _note_heading(self, line: str) -> bool:
        """Note what a line says of those after it; whether it says anything."""
        for i, shape in self._follows:
            found = shape.fullmatch(line.strip())
            if found:
                self._beside[i] = found[1].strip()
                return True
        return False


def _collapse_runs(text: bytes, sign: bytes) -> bytes:
    """Return lines with one blank where several stand, and none at their ends."""
    while sign * 2 in text:
        text = text.replace(sign * 2, sign)
    text = text.replace(b"\n" + sign, b"\n").replace(sign + b"\n", b"\n")
    return text.removeprefix(sign)


def _without_any(cells: dict[int, str], values: dict[int, Values]) -> dict[int, str]:
    """Return of the lines with a cell that is no number those in which no other is one."""
    return {
        i: why for i, why in cells.items() if all(np.isnan(column[i]) for column in values.values())
    }
