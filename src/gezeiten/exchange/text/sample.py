"""The first and last lines of a text, by which the proposal is made."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from gezeiten.errors import InputError
from gezeiten.exchange.text.form import Opening
from gezeiten.exchange.text.lines import decoded, text_pieces
from gezeiten.exchange.text.opening import opened

SAMPLE_LINES = 400
_SAMPLE_BYTES = 256 << 10
_MOST_NULS = 0.6
"""Of a text's bytes so many may be zeros: a memory card that lost its power leaves runs of them."""
_MOST_STRANGE = 0.02
"""And so many of the others signs that no text has."""


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


def sniff_encoding(head: bytes) -> str:
    """Return the encoding of bytes: by their mark, by zero bytes, by whether they are UTF-8.

    Raises:
        InputError: it is no text.
    """
    if head.startswith(b"\xff\xfe"):
        return "utf-16-le"
    if head.startswith(b"\xfe\xff"):
        return "utf-16-be"
    even, odd = head[0::2].count(0), head[1::2].count(0)
    if odd > len(head) // 4 and even == 0:
        return "utf-16-le"
    if even > len(head) // 4 and odd == 0:
        return "utf-16-be"
    strange = sum(head.count(sign) for sign in range(1, 32) if sign not in b"\t\n\r\f\x1a\x1b")
    if even + odd > _MOST_NULS * len(head) or strange > _MOST_STRANGE * (len(head) - even - odd):
        raise InputError("This is no text; choose a file with lines of readings.")
    try:
        head.decode("utf-8")
    except UnicodeDecodeError as exc:
        if exc.start < len(head) - 4:  # not just a sign cut in two at the end
            return "utf-8" if _has_any(head) else "cp1252"
    return "utf-8"


def _has_any(head: bytes) -> bool:
    """Whether any line beyond ASCII is UTF-8: those of a code page hardly ever are, and lines of
    both are told apart one by one (`lines.decoded`)."""
    for line in head.split(b"\n"):
        if not line.isascii():
            try:
                line.decode("utf-8")
            except UnicodeDecodeError:
                continue
            return True
    return False


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
