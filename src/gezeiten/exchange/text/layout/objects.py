"""Objects of JSON as lines of text: one object a line, a list of them, or lists side by side."""

from __future__ import annotations

import codecs
import json
from collections.abc import Iterator
from typing import IO, Any

from gezeiten.errors import InputError

_CHUNK = 1 << 20
_LONGEST = 256 << 20
"""One object may have so many signs."""
_DECODER = json.JSONDecoder(parse_float=str, parse_int=str)
"""Numbers stay as they are written."""
_BETWEEN = " \t\r\n,"
_REST = "\0"
"""What an object that was cut off is called: its line is none of readings, and is told as one."""


def starts_like_object(head: bytes) -> bool:
    """Whether the first bytes of a file may be those of an object, or a list of objects."""
    text = head.removeprefix(b"\xef\xbb\xbf").lstrip()
    return text.startswith(b"{") or (text.startswith(b"[") and text[1:].lstrip()[:1] == b"{")


def is_of_objects(file: IO[bytes]) -> bool:
    """Whether a file holds objects that make lines: at least two with the same names."""
    try:
        rows = _rows(file)
        first = next(rows, {})
        return len(first) > 1 and bool(first.keys() & next(rows, {}).keys())
    except InputError:
        return False


def lines_of_objects(file: IO[bytes]) -> Iterator[bytes]:
    """Yield objects as UTF-8 lines with tabs, the names of all above them. What is nested has the
    names on its way with points between.

    Raises:
        InputError: it is no JSON.
    """
    names: dict[str, None] = {}
    for row in _rows(file):
        names.update(dict.fromkeys(name for name in row if name != _REST))
    file.seek(0)
    yield _line(list(names))
    for row in _rows(file):
        if _REST in row:
            yield _line([row[_REST]])
        else:
            yield _line([row.get(name, "") for name in names])


def _line(cells: list[str]) -> bytes:
    return ("\t".join(cells) + "\n").encode(errors="replace")


def _rows(file: IO[bytes]) -> Iterator[dict[str, str]]:
    for found in _objects(file):
        if isinstance(found, dict):
            yield from _unfolded(found)


def _objects(file: IO[bytes]) -> Iterator[Any]:
    """Yield the objects of a file, one after the other: those of an outermost list by itself."""
    decoder = codecs.getincrementaldecoder("utf-8-sig")(errors="replace")
    text, at = "", 0
    is_first, is_all = True, False
    while True:
        while at < len(text) and text[at] in _BETWEEN:
            at += 1
        if is_first and text[at : at + 1] == "[":
            at, is_first = at + 1, False
            continue
        if text[at : at + 1] == "]" or (is_all and at >= len(text)):
            return
        try:
            found, after = _DECODER.raw_decode(text, at)
            # a number or a word at the end of a chunk may go on
            if at < len(text) and (is_all or after < len(text)):
                yield found
                at, is_first = after, False
                continue
        except (json.JSONDecodeError, RecursionError) as exc:
            if is_all and not is_first:
                yield {_REST: " ".join(text[at : at + 200].split())}
                return
            if is_all or len(text) - at > _LONGEST:
                raise InputError(
                    "This JSON file is damaged or incomplete; ask for it again."
                ) from exc
        more = file.read(max(_CHUNK, len(text) - at))  # a long one is not read over and over
        is_all = not more
        text, at = text[at:] + decoder.decode(more, is_all), 0


def _unfolded(found: dict[str, Any]) -> Iterator[dict[str, str]]:
    """Yield the rows of an object: of the longest list in it, or of the lists side by side, each
    with what holds for all of them; itself, where there is none."""
    flat = _flat(found)
    content = {name: _shown(one) for name, one in flat.items() if not isinstance(one, list)}
    lists = {name: one for name, one in flat.items() if isinstance(one, list) and one}
    nested = {name: one for name, one in lists.items() if isinstance(one[0], dict)}
    if nested:
        longest = max(nested, key=lambda name: len(nested[name]))
        for one in nested[longest]:
            if isinstance(one, dict):
                own = {name: _shown(cell) for name, cell in _flat(one).items()}
                yield content | own
        return
    plain = {name: one for name, one in lists.items() if not isinstance(one[0], list)}
    many = max((len(one) for one in plain.values()), default=0)
    beside = {name: one for name, one in plain.items() if len(one) == many}
    if len(beside) > 1 and many > 1:
        for row in zip(*beside.values(), strict=True):
            yield content | {name: _shown(cell) for name, cell in zip(beside, row, strict=True)}
        return
    yield {name: _shown(one) for name, one in flat.items()}


def _flat(found: dict[str, Any], before: str = "") -> dict[str, Any]:
    flat: dict[str, Any] = {}
    for name, one in found.items():
        whole = f"{before}{name}"
        if isinstance(one, dict):
            flat |= _flat(one, f"{whole}.")
        else:
            flat[" ".join(whole.split())] = one
    return flat


def _shown(cell: Any) -> str:
    if cell is None:
        return ""
    if isinstance(cell, bool):
        return str(cell).upper()
    if isinstance(cell, str):
        return " ".join(cell.split())
    return " ".join(json.dumps(cell).split())
