"""In which encoding bytes of text are, and their lines decoded."""

from __future__ import annotations

import codecs
from collections.abc import Iterator
from typing import IO

from gezeiten.errors import InputError

_HEAD_BYTES = 256 << 10
_MOST_NULS = 0.6
"""Of a text's bytes so many may be zeros: a memory card that lost its power leaves runs of them."""
_MOST_STRANGE = 0.02
"""And so many of the others signs that no text has."""


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
        raise InputError("This is not a text file; choose a file with lines of readings.")
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


def decoded_lines(file: IO[bytes]) -> Iterator[str]:
    """Yield the lines of a text without their ends.

    Raises:
        InputError: it is no text.
    """
    raw = file.read(_HEAD_BYTES)
    decoder = codecs.getincrementaldecoder(sniff_encoding(raw))(errors="replace")
    text = decoder.decode(raw).removeprefix("\ufeff")
    while raw:
        raw = file.read(_HEAD_BYTES)
        text += decoder.decode(raw, not raw)
        if raw and text.endswith("\r"):  # maybe half of a CR LF
            continue
        *lines, text = text.replace("\r\n", "\n").replace("\r", "\n").split("\n")
        yield from lines
    if text:
        yield text
