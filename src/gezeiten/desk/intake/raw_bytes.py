"""Raw bytes read as the archive needs them: mission files by their form, texts by their tie."""

from __future__ import annotations

from functools import partial

from gezeiten.archive.found_before import tell_found_before
from gezeiten.archive.intake import of_bytes
from gezeiten.archive.intake.missions import RawMission
from gezeiten.archive.intake.of_bytes import Decode, Rescued, TextRead
from gezeiten.archive.intake.rescue import rescue_old_readings, rescued_readings
from gezeiten.archive.store.tables import Offload
from gezeiten.desk.context import Desk
from gezeiten.desk.logger.offloading import raw_mission
from gezeiten.desk.record.excursion_book import refresh_stale
from gezeiten.domain.acts.offloads import TEXT_MODEL
from gezeiten.errors import GezeitenError
from gezeiten.exchange.text_form import tie_from_dict
from gezeiten.link.mission_file import decode_mission_file


def decoding(desk: Desk) -> Decode:
    """Return how a desk's archive reads its bytes."""
    return partial(_decoded, desk)


def is_lost(desk: Desk, offload: Offload) -> bool:
    """Whether only readings are left of an offload's bytes."""
    if offload.rescued is None:
        return False
    try:
        desk.archive.vault.check(offload.sha256)
    except GezeitenError:
        return True
    return False


def _decoded(desk: Desk, offload: Offload) -> RawMission | TextRead | Rescued:
    try:
        return _whole(desk, offload)
    except GezeitenError:
        if offload.rescued is None:
            raise
        return rescued_readings(desk.archive.rescued.get(offload.rescued))


def _whole(desk: Desk, offload: Offload) -> RawMission | TextRead:
    vault = desk.archive.vault
    if offload.reading is None:
        return raw_mission(decode_mission_file(vault.get(offload.sha256)), [])
    # brings polars along, which the window need not load to start
    from gezeiten.desk.intake.text_files import read_pieces, source_of

    vault.check(offload.sha256)
    tie = tie_from_dict(offload.reading)
    pieces = (readings for _, readings in read_pieces(vault.path(offload.sha256), tie))
    return TextRead(source_of(tie, TEXT_MODEL), pieces)


def make_missing_readings(desk: Desk) -> int:
    """Make readings that are not held here: of acts that were caught up, of all where this
    computer's tables are new; and find what is excursion in them. Returns of how many missions or
    offloads readings were made."""
    made = of_bytes.make_missing_readings(desk.archive, decoding(desk), partial(_say, desk))
    made += rescue_old_readings(desk.archive, desk.said)
    tell_found_before(desk.archive, desk.now_ms())
    refresh_stale(desk)
    return made


def _say(desk: Desk, done: int, many: int) -> None:
    desk.archive.on_wait(f"Readings are made from their bytes: {done} of {many} missions.")
