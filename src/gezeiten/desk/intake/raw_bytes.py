"""Raw bytes read as the archive needs them: mission files by their form, texts by their tie."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TypeAlias

from gezeiten.archive.intake import missions, of_bytes, texts
from gezeiten.archive.intake.block_check import offloads_kept
from gezeiten.archive.intake.found_before import tell_found_before
from gezeiten.archive.intake.missions import RawMission
from gezeiten.archive.intake.of_bytes import Decode, Rescued, TextRead, whose_bytes
from gezeiten.archive.intake.rescue import rescue_old_readings, rescued_readings
from gezeiten.archive.store.tables import Offload
from gezeiten.archive.store.vault import Vault
from gezeiten.desk.context import Desk
from gezeiten.desk.logger.offloading import raw_mission
from gezeiten.desk.record.excursion_book import refresh_stale
from gezeiten.domain.acts.offloads import TEXT_MODEL, Read, ReadAnew
from gezeiten.errors import ArchiveNewerError, GezeitenError, InputError
from gezeiten.exchange.text_form import tie_from_dict
from gezeiten.link.mission_file import decode_mission_file

_DIGITS = 6


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
    readers: dict[int, Reader] = MISSION_READERS if offload.reading is None else TEXT_READERS
    reader = readers.get(offload.reader)
    if reader is None:
        raise ArchiveNewerError(
            f"its bytes are read by version {offload.reader} of their reader, which this Gezeiten "
            "does not have; update it."
        )
    return reader(desk.archive.vault, offload)


def _mission(vault: Vault, offload: Offload) -> RawMission:
    return raw_mission(decode_mission_file(vault.get(offload.sha256)), [])


def _text(vault: Vault, offload: Offload) -> TextRead:
    # brings polars along, which the window need not load to start
    from gezeiten.desk.intake.text_files import read_pieces, source_of

    vault.check(offload.sha256)
    tie = tie_from_dict(offload.reading or {})
    pieces = (readings for _, readings in read_pieces(vault.path(offload.sha256), tie))
    return TextRead(source_of(tie, TEXT_MODEL), pieces)


Reader: TypeAlias = Callable[[Vault, Offload], RawMission | TextRead]
MISSION_READERS: dict[int, Reader] = {missions.READER: _mission}
"""How mission files are read, by version; old ones stay for ever."""
TEXT_READERS: dict[int, Reader] = {texts.READER: _text}
"""How texts are read, by version."""


def read_anew(desk: Desk, fingerprint: str) -> str:
    """Read the bytes of a fingerprint, or of its first digits, by the newest version of their
    reader from here on; returns what that changed, in a sentence.

    Raises:
        InputError: no bytes, or several, begin so, or they are read as they were.
        ArchiveDamagedError: they are gone or damaged.
    """
    with desk.archive.writing() as session:
        offload = _the_one(offloads_kept(session), fingerprint)
        mission, serial, point = whose_bytes(session, offload)
        is_text = offload.reading is not None
        newest = max(TEXT_READERS if is_text else MISSION_READERS)
        before = Read(offload.reader, offload.read_as)
        reader = (TEXT_READERS if is_text else MISSION_READERS)[newest]
        of = of_bytes.readings_of(offload, partial(reader, desk.archive.vault))
        if isinstance(of, GezeitenError):
            raise of
        after = Read(newest, of.read_as)
        if after == before:
            raise InputError("These bytes are read as they were when they came; nothing is to do.")
        desk.do_within(session, ReadAnew(serial, point, offload.sha256, before, after))
        its = of_bytes.offloads_of(session, mission.id)
        of_bytes.put_mission(session, of_bytes.mission_made(session, mission, its, decoding(desk)))
    refresh_stale(desk)
    return f"The bytes {offload.sha256[:12]} are read anew from here on."


def _the_one(offloads: list[Offload], fingerprint: str) -> Offload:
    found = {one.sha256: one for one in offloads if one.sha256.startswith(fingerprint.casefold())}
    if len(fingerprint) < _DIGITS or len(found) != 1:
        raise InputError(
            f"“{fingerprint}” names no bytes of this archive, or several; type twelve digits of "
            "their fingerprint."
        )
    return next(iter(found.values()))


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
