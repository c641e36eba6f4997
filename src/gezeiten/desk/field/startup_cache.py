"""The first sight of the next start: what the Tideboard showed last, kept beside the archive.

It is shown again only where the archive is in the very state that it was made of, as of now: what
time it is changes the board, so what is known is kept, not what followed. Reading it needs neither
the database nor the actions, so the window has its first place before they are even imported.
"""

from __future__ import annotations

import hashlib
from contextlib import suppress
from pathlib import Path

import msgspec

from gezeiten import __version__
from gezeiten.archive.local_cache.database_state import state_of
from gezeiten.desk.base.workspace import Workspace, model_texts
from gezeiten.domain.board.board import Board, board_of
from gezeiten.domain.board.facts import BoardFacts

NAME = "first-sight.json"
_FORM = 1
"""Of what is kept; whoever changes `domain/board/facts.py`, or what is written into it, counts it
up."""
_LONGEST = 20_000_000
_TRIES = 2


class _StoredBoard(msgspec.Struct):
    """What is known, and of which state of the archive."""

    of: str
    facts: BoardFacts


def cached_board(desk: Workspace) -> Board | None:
    """Return the board as the archive has it, as far as that is known without opening it."""
    if desk.is_read_only:
        return None
    try:
        raw = (desk.folder / NAME).read_bytes()
        sight = msgspec.json.decode(raw, type=_StoredBoard)
    except (OSError, msgspec.DecodeError):
        return None
    return board_of(sight.facts, desk.now_ms()) if sight.of == _state(desk.folder) else None


def fresh_board(desk: Workspace) -> Board:
    """Return the board from the archive, and keep what is known for the next start."""
    from gezeiten.desk.field.board import board, board_facts  # it needs nearly everything

    if desk.is_read_only:
        return board(desk)
    for _ in range(_TRIES):
        before = _state(desk.folder)
        facts = board_facts(desk)
        if before == _state(desk.folder):
            break  # else excursions were found by the way, or somebody did something
    else:
        before = None
    if before is not None:
        _store(desk.folder, _StoredBoard(before, facts))
    return board_of(facts, desk.now_ms())


def _store(folder: Path, sight: _StoredBoard) -> None:
    raw, fresh = msgspec.json.encode(sight), folder / f"{NAME}.new"
    with suppress(OSError):  # a full disk costs nothing but the first sight
        if len(raw) > _LONGEST:
            (folder / NAME).unlink(missing_ok=True)
            return
        fresh.write_bytes(raw)  # not synced: what a power cut leaves of it is none
        fresh.replace(folder / NAME)


def _state(folder: Path) -> str | None:
    state = state_of(folder)
    if state is None:
        return None
    models = hashlib.sha256(repr(model_texts(folder)).encode()).hexdigest()
    return f"{__version__} {_FORM} {models} {state}"
