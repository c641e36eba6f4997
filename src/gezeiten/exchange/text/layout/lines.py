"""Bytes of a text made lines, lines made cells."""

from __future__ import annotations

import codecs
import csv
import re
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from gezeiten.errors import InputError
from gezeiten.exchange.text.form import FIXED, MIXED, SPACES, Opening, TextForm
from gezeiten.exchange.text.layout.opening import opened

PIECE_BYTES = 1 << 23
"""So much of a text is read at once."""
_LONGEST_LINE = 1 << 20
_MIX = re.compile(r"\s*[;,\t|]\s*|\s+")


@dataclass(frozen=True, slots=True)
class TextPiece:
    """Whole lines as UTF-8, each with LF. first_line: the number of the first one; done_bytes: how
    far in the file they reach; is_cut: whether the last of them had no end, being the file's last.
    """

    first_line: int
    text: bytes
    done_bytes: int
    is_cut: bool = False


def text_pieces(
    path: Path, encoding: str, opening: Opening = (), piece_bytes: int = 0
) -> Iterator[TextPiece]:
    """Yield the lines of a text in order.

    Raises:
        InputError: the file cannot be read.
    """
    try:
        decoder = codecs.getincrementaldecoder(encoding)(errors="replace")
    except LookupError as exc:
        raise InputError(f"{encoding} is not an encoding; choose another one.") from exc
    line, rest, begins = 1, b"", True
    size = piece_bytes or PIECE_BYTES
    with opened(path, opening) as (file, outer):
        while raw := file.read(size):
            data = raw if encoding == "utf-8" else decoder.decode(raw).encode()
            if begins:
                data, begins = data.removeprefix(b"\xef\xbb\xbf"), False
            data = rest + data
            if data.endswith(b"\r"):  # maybe half of a CR LF
                more = file.read(2 if encoding.startswith("utf-16") else 1)
                data += more if encoding == "utf-8" else decoder.decode(more).encode()
            if b"\r" in data:
                data = data.replace(b"\r\n", b"\n").replace(b"\r", b"\n")
            cut = data.rfind(b"\n") + 1
            whole, rest = data[:cut], data[cut:]
            if whole:
                yield TextPiece(line, whole, outer.tell())
                line += whole.count(b"\n")
            if len(rest) > _LONGEST_LINE:
                raise InputError(
                    f"Line {line} of {path.name} has over a million characters, so this is "
                    "not a text file of readings; choose another file."
                )
        done = outer.tell()
    if rest:
        yield TextPiece(line, rest + b"\n", done, is_cut=True)


def decoded(text: bytes) -> str:
    """Return lines as text; those that are no UTF-8 are taken as of the code page of Windows."""
    try:
        return text.decode()
    except UnicodeDecodeError:
        return "\n".join(_line_decoded(line) for line in text.split(b"\n"))


def _line_decoded(line: bytes) -> str:
    try:
        return line.decode()
    except UnicodeDecodeError:
        return line.decode("cp1252", errors="replace")


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
    if form.delimiter == MIXED:
        return _MIX.split(line.strip())
    if '"' not in line:
        return [cell.strip() for cell in line.split(form.delimiter)]
    try:
        rows = csv.reader([line], delimiter=form.delimiter, skipinitialspace=True)
        return [cell.strip() for cell in next(rows, [])]
    except csv.Error:
        return [line]
