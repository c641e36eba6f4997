"""Raw bytes read as the archive needs them: mission files by their form, texts by their tie."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TypeAlias

from gezeiten.archive.files.vault import Vault
from gezeiten.archive.intake import mission_decoding, missions, texts
from gezeiten.archive.intake.block_check import all_raw_bytes
from gezeiten.archive.intake.earlier_findings import record_earlier_findings
from gezeiten.archive.intake.mission_decoding import Decode, RescuedReadings, TextRead
from gezeiten.archive.intake.missions import RawMission
from gezeiten.archive.intake.rescue import rescue_old_readings, rescued_readings
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.logger.offloading import raw_mission
from gezeiten.desk.record.excursion_book import refresh_stale
from gezeiten.domain.actions.offloads import TEXT_MODEL
from gezeiten.domain.facts.stored import StoredRaw
from gezeiten.errors import ArchiveNewerError, GezeitenError, InputError
from gezeiten.exchange.text.form import template_from_dict
from gezeiten.link.files.mission_file import decode_mission_file

_DIGITS = 6


def decoding(desk: Workspace) -> Decode:
    """Return how a desk's archive reads its bytes."""
    return partial(_decoded, desk)


def are_bytes_lost(desk: Workspace, raw: StoredRaw) -> bool:
    """Whether only readings are left of an offload's bytes."""
    if raw.rescued is None:
        return False
    try:
        desk.archive.vault.check(raw.sha256)
    except GezeitenError:
        return True
    return False


def _decoded(desk: Workspace, raw: StoredRaw) -> RawMission | TextRead | RescuedReadings:
    try:
        return _read_raw(desk, raw)
    except GezeitenError:
        if raw.rescued is None:
            raise
        return rescued_readings(desk.archive.rescued.get(raw.rescued))


def _read_raw(desk: Workspace, raw: StoredRaw) -> RawMission | TextRead:
    reader = _readers(raw).get(raw.reader)
    if reader is None:
        raise ArchiveNewerError(
            f"it needs version {raw.reader} of the file reader, which this version "
            "of Gezeiten lacks; update Gezeiten."
        )
    return reader(desk.archive.vault, raw)


def _mission(vault: Vault, raw: StoredRaw) -> RawMission:
    return raw_mission(decode_mission_file(vault.get(raw.sha256)), [])


def _text(version: int, vault: Vault, raw: StoredRaw) -> TextRead:
    # brings polars along, which the window need not load to start
    from gezeiten.desk.intake.texts.text_files import read_pieces, source_of

    vault.check(raw.sha256)
    template = template_from_dict(raw.reading or {})
    pieces = (
        readings for _, readings in read_pieces(vault.path(raw.sha256), template, version=version)
    )
    return TextRead(source_of(template, TEXT_MODEL), pieces)


Reader: TypeAlias = Callable[[Vault, StoredRaw], RawMission | TextRead]
MISSION_READERS: dict[int, Reader] = {missions.READER: _mission}
"""How mission files are read, by version; old ones stay for ever."""
TEXT_READERS: dict[int, Reader] = {one: partial(_text, one) for one in range(1, texts.READER + 1)}
"""How texts are read, by version (`exchange/text/reading.VERSION`)."""


def _readers(raw: StoredRaw) -> dict[int, Reader]:
    return MISSION_READERS if raw.reading is None else TEXT_READERS


def reread(desk: Workspace, digits: str) -> str:
    """Read the bytes whose fingerprint begins with these digits by the newest version of their
    reader from here on; returns what was done, in a sentence.

    Raises:
        InputError: no bytes, or several, begin so, or they are read as they were.
        ArchiveDamagedError: they are gone or damaged.
    """
    with desk.archive.writing() as session:
        raw = _only_match(all_raw_bytes(session), digits)
        readers: dict[int, Reader] = _readers(raw)
        newest = max(readers)

        def decode(one: StoredRaw) -> RawMission | TextRead | RescuedReadings:
            is_this = one.sha256 == raw.sha256
            return readers[newest](desk.archive.vault, one) if is_this else _read_raw(desk, one)

        mission_decoding.reread(session, raw.sha256, newest, decode, desk.authorship)
    refresh_stale(desk)
    return f"The file {raw.sha256[:12]} has been read again."


def _only_match(raws: list[StoredRaw], digits: str) -> StoredRaw:
    found = {raw.sha256: raw for raw in raws if raw.sha256.startswith(digits.casefold())}
    if len(digits) < _DIGITS or len(found) != 1:
        raise InputError(
            f"“{digits}” matches no file of this archive, or several; type twelve "
            "digits of the fingerprint."
        )
    return next(iter(found.values()))


def make_missing_readings(desk: Workspace) -> int:
    """Make readings that are not held here: of actions that were caught up, of all where this
    computer's tables are new; and find what is excursion in them. Returns of how many missions or
    offloads readings were made."""
    made = mission_decoding.make_missing_readings(
        desk.archive, decoding(desk), partial(_summary, desk)
    )
    made += rescue_old_readings(desk.archive, desk.authorship)
    record_earlier_findings(desk.archive, desk.now_ms())
    refresh_stale(desk)
    return made


def _summary(desk: Workspace, done: int, many: int) -> None:
    desk.archive.on_wait(f"Reading raw offloads: {done} of {many} missions.")
