"""The first and last lines of a text, by which the proposal is made."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from gezeiten.errors import InputError
from gezeiten.exchange.text.encoding import sniff_encoding
from gezeiten.exchange.text.form import Opening
from gezeiten.exchange.text.lines import decoded, text_pieces
from gezeiten.exchange.text.opening import opened

SAMPLE_LINES = 400
_SAMPLE_BYTES = 256 << 10


@dataclass(frozen=True, slots=True)
class Sample:
    """lines: the first ones, as they are; tail: some of the end of a long text."""

    path: Path
    opening: Opening
    encoding: str
    lines: list[str]
    tail: list[str]


def sample_of(path: Path, opening: Opening = ()) -> Sample:
    """Return some lines of a text.

    Raises:
        InputError: it cannot be read or is no text.
    """
    with opened(path, opening) as (file, _):
        encoding = sniff_encoding(file.read(_SAMPLE_BYTES))
    return Sample(path, opening, encoding, _first_lines(path, encoding, opening),
                  [] if opening else _last_lines(path, encoding))  # fmt: skip


def _first_lines(path: Path, encoding: str, opening: Opening) -> list[str]:
    for piece in text_pieces(path, encoding, opening, _SAMPLE_BYTES):
        text = decoded(piece.text.replace(b"\0", b"")).removeprefix("\ufeff")
        return text.removesuffix("\n").split("\n")[:SAMPLE_LINES]
    raise InputError(f"{path.name} is empty; choose a file with lines of readings.")


def _last_lines(path: Path, encoding: str) -> list[str]:
    """Return some lines of the file's end, so that dates of a long file are all known."""
    size = path.stat().st_size
    if size <= _SAMPLE_BYTES:
        return []
    with path.open("rb") as file:
        file.seek((size - _SAMPLE_BYTES // 4) // 2 * 2)
        text = file.read().decode(encoding, errors="replace").replace("\r", "").replace("\0", "")
    return text.split("\n")[1:-1][-SAMPLE_LINES:]
