"""Raw bytes read as the archive needs them: mission files by their form, texts by their tie."""

from __future__ import annotations

from functools import partial
from typing import Any

from gezeiten.archive import blocks_anew
from gezeiten.archive.blocks_anew import Decode, TextRead
from gezeiten.archive.intake import RawMission
from gezeiten.archive.text_intake import TEXT_MODEL
from gezeiten.desk.context import Desk
from gezeiten.desk.excursion_book import refresh_stale
from gezeiten.desk.offloading import raw_mission
from gezeiten.exchange.text_form import tie_from_dict
from gezeiten.link.mission_file import decode_mission_file


def decoding(desk: Desk) -> Decode:
    """Return how a desk's archive reads its bytes."""
    return partial(_decoded, desk)


def _decoded(desk: Desk, sha256: str, reading: dict[str, Any] | None) -> RawMission | TextRead:
    vault = desk.archive.vault
    if reading is None:
        return raw_mission(decode_mission_file(vault.get(sha256)), [])
    # brings polars along, which the window need not load to start
    from gezeiten.desk.text_files import read_pieces, source_of

    vault.check(sha256)
    tie = tie_from_dict(reading)
    pieces = (readings for _, readings in read_pieces(vault.path(sha256), tie))
    return TextRead(source_of(tie, TEXT_MODEL), pieces)


def make_missing_readings(desk: Desk) -> None:
    """Make readings of offloads whose acts were caught up, and find what is excursion in them."""
    if blocks_anew.make_missing_readings(desk.archive, decoding(desk)):
        refresh_stale(desk)
