"""The lines of a text by which the proposal is made: the first ones, the last ones, and those in
between that are written as none before them."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

import polars as pl

from gezeiten.errors import InputError
from gezeiten.exchange.text.form import Opening
from gezeiten.exchange.text.layout.encoding import sniff_encoding
from gezeiten.exchange.text.layout.lines import TextPiece, decoded, text_pieces
from gezeiten.exchange.text.layout.opening import opened

SAMPLE_LINES = 400
_SAMPLE_BYTES = 256 << 10
_SCANNED_BYTES = 4 << 20
"""So much of a text is looked through for lines that are written otherwise."""
_EACH_WAY, _ALL_WAYS = 20, 600
"""So many lines of each way of writing, and of all of them."""
_PAST_TWELFTH = (
    r"(?:^|\D)(?:1[3-9]|2\d|3[01])[-./]\d{1,2}[-./]\d\d",
    r"(?:^|\D)\d{1,2}[-./](?:1[3-9]|2\d|3[01])[-./]\d\d",
)
"""Dates that tell whether the day or the month comes first."""


@dataclass(frozen=True, slots=True)
class TextSample:
    """lines: the first ones, as they are; tail: some of the end of a long text; unusual: lines
    between them that are written in a way which none of the first ones has (another word, a sign,
    an empty cell), or that tell the day from the month."""

    path: Path
    opening: Opening
    encoding: str
    lines: list[str]
    tail: list[str]
    unusual: tuple[str, ...] = ()


def sample_of(path: Path, opening: Opening = ()) -> TextSample:
    """Return some lines of a text.

    Raises:
        InputError: it cannot be read or is no text.
    """
    with opened(path, opening) as (file, _):
        encoding = sniff_encoding(file.read(_SAMPLE_BYTES))
    first = _head_lines(path, encoding, opening)
    tail = first[SAMPLE_LINES:][-SAMPLE_LINES:]
    if not opening:
        tail = _tail_lines(path, encoding) or tail
    return TextSample(
        path, opening, encoding, first[:SAMPLE_LINES], tail, _unusual_lines(path, encoding, opening)
    )


def _head_lines(path: Path, encoding: str, opening: Opening) -> list[str]:
    for piece in text_pieces(path, encoding, opening, _SAMPLE_BYTES):
        text = decoded(piece.text.replace(b"\0", b"")).removeprefix("\ufeff")
        return text.removesuffix("\n").split("\n")
    raise InputError(f"{path.name} is empty; choose a file with lines of readings.")


def _tail_lines(path: Path, encoding: str) -> list[str]:
    """Return some lines of the file's end, so that dates of a long file are all known."""
    size = path.stat().st_size
    if size <= _SAMPLE_BYTES:
        return []
    with path.open("rb") as file:
        file.seek((size - _SAMPLE_BYTES // 4) // 2 * 2)
        text = file.read().decode(encoding, errors="replace").replace("\r", "").replace("\0", "")
    return text.split("\n")[1:-1][-SAMPLE_LINES:]


def _unusual_lines(path: Path, encoding: str, opening: Opening) -> tuple[str, ...]:
    """Return the lines behind the first ones that are written in a way which none before has.

    A way of writing is a line with 0 for each of its numbers. Lines of the end that `_tail_lines`
    returns may be among them.
    """
    known: set[str] = set()
    found: list[str] = []
    informative: set[int] = set()
    for piece in _scanned(path, encoding, opening):
        text = decoded(piece.text.replace(b"\0", b""))
        lines = pl.Series("line", text.split("\n")[:-1], dtype=pl.String)
        frame = pl.DataFrame([lines, lines.str.replace_all(r"\d+", "0").alias("way")])
        first = max(SAMPLE_LINES + 1 - piece.first_line, 0)
        known.update(frame["way"][:first].unique().to_list())
        behind = frame[first:].with_row_index()
        new = behind.group_by("way").head(_EACH_WAY).filter(~pl.col("way").is_in(list(known)))
        selected = {*new["index"].to_list(), *_informative_lines(behind["line"], informative)}
        found += [behind["line"][i] for i in sorted(selected)]
        known.update(new["way"].unique().to_list())
        if len(found) >= _ALL_WAYS:
            break
    return tuple(found[:_ALL_WAYS])


def _scanned(path: Path, encoding: str, opening: Opening) -> Iterator[TextPiece]:
    """Yield the pieces of a text that are looked through; one that cannot be read ends them, which
    whoever reads all of it is told."""
    scanned = 0
    pieces = text_pieces(path, encoding, opening, 4 * _SAMPLE_BYTES)
    with suppress(InputError):
        for piece in pieces:
            yield piece
            scanned += len(piece.text)
            if scanned >= _SCANNED_BYTES:
                return


def _informative_lines(lines: pl.Series, informative: set[int]) -> list[int]:
    """Return which lines are the first whose dates show which number is the day; informative:
    shapes that showed it already."""
    selected = []
    for i, shape in enumerate(_PAST_TWELFTH):
        shows = lines.str.contains(shape) if i not in informative else pl.Series([False])
        if shows.any():
            informative.add(i)
            selected.append(int(shows.arg_true()[0]))
    return selected
