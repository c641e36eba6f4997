"""Reading a text of readings by its form, piece by piece, so that its size does not matter.

A piece whose lines are all as they should be is read by polars in one go; any other is read line
by line there too, so that each line that cannot be used is named with its reason.
"""

from __future__ import annotations

import codecs
import csv
import io
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
import polars as pl
from numpy.typing import NDArray

from gezeiten.domain.series.timeline import Times, Values
from gezeiten.domain.untrusted import EARLIEST_MS, LATEST_MS
from gezeiten.errors import InputError
from gezeiten.exchange.text.form import FIXED, SPACES, TextForm
from gezeiten.exchange.text.times import WallClock

VERSION = 2
"""Of this reader. 1: a cell that is no number costs its line, and times are written as
`times.py` says; 2: it costs that cell."""
_PIECE_BYTES = 1 << 23
_LONGEST_LINE = 1 << 20
_SHOWN = 120


@dataclass(frozen=True, slots=True)
class Rejected:
    """A line that was not taken: its number, what it says, and why."""

    line: int
    text: str
    reason: str


@dataclass(frozen=True, slots=True)
class Piece:
    """Readings of some lines: instants (n,), values by column number (n,), NaN where missing.

    lines: line numbers (n,). rejected: lines that were left out. done_bytes: how far in the file
    this piece reaches. spoilt: lines that were taken without a cell of theirs that is no number.
    """

    times: Times
    values: dict[int, Values]
    lines: NDArray[np.int64]
    rejected: list[Rejected] = field(default_factory=list)
    done_bytes: int = 0
    spoilt: list[Rejected] = field(default_factory=list)


def read_text(
    path: Path,
    form: TextForm,
    columns: tuple[int, ...],
    cancelled: Callable[[], bool] = lambda: False,
    version: int = VERSION,
) -> Iterator[Piece]:
    """Yield the readings of a text, piece by piece, in the order of its lines.

    Args:
        columns: which columns are wanted as numbers.
        version: of the reader; texts that are kept are read as they were.

    Raises:
        InputError: the form cannot be used, or the file cannot be read.
    """
    if form.time.needs_zone and not form.time.zone:
        raise InputError("It is not said in which time zone the text is; choose one.")
    reader = _Reader(form, columns, version)
    with ThreadPoolExecutor(1) as ahead:  # the next piece is split while this one is understood
        begun: deque[Future[_Split]] = deque()
        try:
            for first_line, text, done_bytes in text_pieces(path, form.encoding):
                begun.append(ahead.submit(reader.split, first_line, text, done_bytes))
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

    first_line: int
    text: bytes
    done_bytes: int
    frame: pl.DataFrame | None


def text_pieces(
    path: Path, encoding: str, piece_bytes: int = _PIECE_BYTES
) -> Iterator[tuple[int, bytes, int]]:
    """Yield (number of the first line, whole lines as UTF-8 with LF, bytes read so far).

    Raises:
        InputError: the file cannot be read.
    """
    try:
        decoder = codecs.getincrementaldecoder(encoding)(errors="replace")
    except LookupError as exc:
        raise InputError(f"{encoding} is no encoding; choose another one.") from exc
    line, rest, done = 1, b"", 0
    try:
        with path.open("rb") as file:
            while raw := file.read(piece_bytes):
                done += len(raw)
                data = raw if encoding == "utf-8" else decoder.decode(raw).encode()
                if done == len(raw):
                    data = data.removeprefix(b"\xef\xbb\xbf")
                data = rest + data
                if data.endswith(b"\r"):  # maybe half of a CR LF
                    more = file.read(2 if encoding.startswith("utf-16") else 1)
                    done += len(more)
                    data += more if encoding == "utf-8" else decoder.decode(more).encode()
                if b"\r" in data:
                    data = data.replace(b"\r\n", b"\n").replace(b"\r", b"\n")
                cut = data.rfind(b"\n") + 1
                whole, rest = data[:cut], data[cut:]
                if whole:
                    yield line, whole, done
                    line += whole.count(b"\n")
                if len(rest) > _LONGEST_LINE:
                    raise InputError(
                        f"Line {line} of {path.name} has over a million signs, so this is no text "
                        "of readings; choose another file."
                    )
    except OSError as exc:
        raise InputError(f"{path.name} cannot be read; check its name and rights.") from exc
    if rest:
        yield line, rest + b"\n", done


class _Reader:
    """Reads pieces by one form."""

    def __init__(self, form: TextForm, columns: tuple[int, ...], version: int) -> None:
        self._form, self._columns, self._version = form, columns, version
        self._clock = WallClock(form.time, version)
        self._names = [f"c{i}" for i in range(form.columns)]
        self._missing = [mark for mark in form.missing if mark]

    def split(self, first_line: int, text: bytes, done_bytes: int) -> _Split:
        """Return the columns of a piece; needs nothing of the pieces before."""
        skip = self._form.first_line - first_line
        if skip > 0:
            for _ in range(skip):
                text = text[text.find(b"\n") + 1 :] if b"\n" in text else b""
            first_line = self._form.first_line
        count = self._even_lines(text)
        frame = self._fast(text, count, numbers=True) if count else None
        return _Split(first_line, text, done_bytes, frame)

    def read(self, split: _Split) -> Piece:
        """Return the readings of a piece. Pieces have to come in their order."""
        first_line, text, done_bytes = split.first_line, split.text, split.done_bytes
        if not text:
            nothing = np.empty(0, np.int64)
            return Piece(nothing, {c: np.empty(0) for c in self._columns}, nothing, [], done_bytes)
        quick = None if split.frame is None else self._converted(split.frame)
        if quick is not None:
            times, values = quick
            lines = np.arange(first_line, first_line + len(times), dtype=np.int64)
            return Piece(times, values, lines, [], done_bytes)
        count = self._even_lines(text)
        frame = self._fast(text, count, numbers=False) if count else None
        if frame is not None:
            return self._judged(first_line, frame, text, done_bytes)
        return self._slow(first_line, text, done_bytes)

    # -- all lines as they should be ---------------------------------------------------------------
    def _even_lines(self, text: bytes) -> int:
        """Return how many lines there are where every one has its columns, else 0.

        Signs are counted: only when their number is right may polars split.
        """
        form = self._form
        if form.delimiter in (FIXED, SPACES) or text.startswith(b"\n") or b"\n\n" in text:
            return 0
        signs = np.frombuffer(text, np.uint8)
        lines = int(np.count_nonzero(signs == ord("\n")))
        columns = int(np.count_nonzero(signs == ord(form.delimiter)))
        return lines if columns == lines * (form.columns - 1) and b'"' not in text else 0

    def _fast(self, text: bytes, count: int, *, numbers: bool) -> pl.DataFrame | None:
        """Return the wanted columns as polars reads them, None where it cannot."""
        form = self._form
        wanted = sorted({*form.time.columns, *self._columns})
        number = pl.Float64 if numbers and form.decimal == "." else pl.String
        kinds = {self._names[i]: pl.String if i in form.time.columns else number for i in wanted}
        schema = {name: kinds.get(name, pl.String) for name in self._names}
        try:
            frame = pl.read_csv(
                io.BytesIO(text), has_header=False, separator=form.delimiter, schema=schema,
                columns=wanted, null_values=self._missing if numbers else None,
                quote_char=None,
            )  # fmt: skip
        except (pl.exceptions.PolarsError, ValueError):
            return None
        return frame if len(frame) == count else None

    def _converted(self, frame: pl.DataFrame) -> tuple[Times, dict[int, Values]] | None:
        """Return times and values, None where any of them could not be understood."""
        try:
            times = self._clock.instants([frame[self._names[i]] for i in self._form.time.columns])
            if times.null_count():
                return None
            values = {}
            for column in self._columns:
                numbers = self._numbers(frame[self._names[column]], strict=True)
                values[column] = numbers.to_numpy()
        except (pl.exceptions.PolarsError, ValueError):
            return None
        utc = times.to_numpy().astype(np.int64)
        if len(utc) and (utc.min() < EARLIEST_MS or utc.max() >= LATEST_MS):
            return None
        return utc, values

    def _numbers(self, text: pl.Series, *, strict: bool) -> pl.Series:
        """Return numbers, null made NaN."""
        if text.dtype == pl.String:
            if self._form.decimal == ",":
                text = text.str.replace_all(".", "", literal=True)
                text = text.str.replace(",", ".", literal=True)
            text = text.str.strip_chars().cast(pl.Float64, strict=strict)
        return text.fill_null(float("nan"))

    # -- line by line ------------------------------------------------------------------------------
    def _slow(self, first_line: int, text: bytes, done_bytes: int) -> Piece:
        """Read lines that are not all of one shape."""
        lines = text.decode("utf-8", errors="replace").split("\n")[:-1]
        reasons: dict[int, str] = {}
        blank = np.array([not line.strip() for line in lines], np.bool_)
        frame = self._split(lines, blank, reasons)
        return self._sorted_out(first_line, frame, blank, reasons, lines.__getitem__, done_bytes)

    def _judged(self, first_line: int, frame: pl.DataFrame, text: bytes, done_bytes: int) -> Piece:
        """Read lines that are all of one shape, some of which say what cannot be."""
        shown: list[str] = []

        def line(i: int) -> str:
            if not shown:
                shown.extend(text.decode("utf-8", errors="replace").split("\n"))
            return shown[i]

        blank = np.zeros(len(frame), np.bool_)
        return self._sorted_out(first_line, frame, blank, {}, line, done_bytes)

    def _sorted_out(
        self,
        first_line: int,
        frame: pl.DataFrame,
        blank: NDArray[np.bool_],
        reasons: dict[int, str],
        line: Callable[[int], str],
        done_bytes: int,
    ) -> Piece:
        """Return the good lines, and each other one with its reason; blank ones are no readings."""
        numbers = np.arange(first_line, first_line + len(frame), dtype=np.int64)
        times = self._clock.instants([frame[self._names[i]] for i in self._form.time.columns])
        bad_time = times.is_null().to_numpy()
        utc = times.fill_null(0).to_numpy().astype(np.int64)
        beyond = (utc < EARLIEST_MS) | (utc >= LATEST_MS)
        for i in np.flatnonzero(beyond & ~bad_time & ~blank):
            reasons.setdefault(int(i), "its time lies beyond the years 1900 to 2200")
        for i in np.flatnonzero(bad_time & ~blank):
            reasons.setdefault(int(i), "its time cannot be read or does not exist in this zone")
        values: dict[int, Values] = {}
        cells: dict[int, str] = {}
        for column in self._columns:
            values[column], unreadable = self._cells(frame, column)
            for i in np.flatnonzero(unreadable & ~blank):
                said = frame[self._names[column]][int(i)].strip()[:30]
                cells.setdefault(int(i), f"“{said}” in column {column + 1} is no number")
        costly = cells if self._version == 1 else _without_any(cells, values)
        reasons = {**costly, **reasons}
        good = ~blank
        good[list(reasons)] = False

        def told(listed: dict[int, str]) -> list[Rejected]:
            return [Rejected(int(numbers[i]), line(i)[:_SHOWN], listed[i]) for i in sorted(listed)]

        kept = {column: value[good] for column, value in values.items()}
        spoilt = {i: why for i, why in cells.items() if i not in reasons}
        return Piece(utc[good], kept, numbers[good], told(reasons), done_bytes, told(spoilt))

    def _cells(self, frame: pl.DataFrame, column: int) -> tuple[Values, NDArray[np.bool_]]:
        """Return the numbers of a column, NaN where missing, and where a cell is none."""
        text = frame[self._names[column]].str.strip_chars()
        is_missing = (text.is_null() | text.is_in([*self._missing, ""])).to_numpy()
        number = self._numbers(text, strict=False).to_numpy().copy()
        number[is_missing | np.isinf(number)] = np.nan
        return number, np.isnan(number) & ~is_missing

    def _split(
        self, lines: list[str], blank: NDArray[np.bool_], reasons: dict[int, str]
    ) -> pl.DataFrame:
        """Return the lines' columns as text; lines of another number of columns get a reason."""
        form = self._form
        rows = [split_line(line, form) for line in lines]
        for i, row in enumerate(rows):
            if len(row) != form.columns and not blank[i]:
                found = "1 column" if len(row) == 1 else f"{len(row)} columns"
                reasons[i] = f"it has {found} where {form.columns} are expected"
                rows[i] = [""] * form.columns
            elif blank[i]:
                rows[i] = [""] * form.columns
        columns = list(zip(*rows, strict=True)) if rows else [()] * form.columns
        return pl.DataFrame(
            {
                name: pl.Series(name, column, dtype=pl.String)
                for name, column in zip(self._names, columns, strict=True)
            }
        )


def _without_any(cells: dict[int, str], values: dict[int, Values]) -> dict[int, str]:
    """Return of the lines with a cell that is no number those in which no other is one."""
    return {i: why for i, why in cells.items()
            if all(np.isnan(column[i]) for column in values.values())}  # fmt: skip


def split_line(line: str, form: TextForm) -> list[str]:
    """Return the columns of one line, blanks and quotes around them taken off."""
    if form.delimiter == FIXED:
        cells, at = [], 0
        for width in form.widths:
            cells.append(line[at : at + width].strip())
            at += width
        return cells if len(line) > sum(form.widths[:-1]) - 1 else cells[:1]
    if form.delimiter == SPACES:
        return line.split()
    if '"' not in line:
        return [cell.strip() for cell in line.split(form.delimiter)]
    try:
        return [cell.strip() for cell in next(csv.reader([line], delimiter=form.delimiter), [])]
    except csv.Error:
        return [line]
