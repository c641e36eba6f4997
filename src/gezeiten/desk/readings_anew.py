"""Every reading made anew from the raw bytes: compared with what is kept, or put in its place."""

from __future__ import annotations

from collections.abc import Iterable
from functools import partial

from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive.blocks_anew import blocks_differing, clear_strays, put_blocks, strays
from gezeiten.archive.intake import mission_blocks
from gezeiten.archive.readings import ChannelBlocks
from gezeiten.archive.tables import Offload
from gezeiten.archive.text_intake import TEXT_MODEL, text_blocks
from gezeiten.desk.context import Desk
from gezeiten.desk.offloading import raw_mission
from gezeiten.desk.soundness import Fault, or_fault
from gezeiten.exchange.text_form import tie_from_dict
from gezeiten.link.mission_file import decode_mission_file


def offloads_kept(session: Session) -> list[Offload]:
    """Return all offloads in the order in which they came."""
    return list(session.scalars(select(Offload).order_by(Offload.id)))


def faulty_readings(desk: Desk, session: Session, offload: Offload) -> list[str]:
    """Return what of an offload is not as its bytes say, a sentence each; bytes that are gone or
    damaged are one."""
    wanted = or_fault(partial(_wanted, desk, session, offload))
    if isinstance(wanted, Fault):
        return [f"Raw offload {offload.sha256[:12]} cannot be checked: {wanted.sentence}"]
    return list(blocks_differing(session, offload, wanted))


def faulty_strays(session: Session) -> list[str]:
    """Return what belongs to no offload, a sentence each."""
    return strays(session)


def make_readings_anew(desk: Desk, session: Session) -> None:
    """Put readings made anew in place where others are kept, inside the caller's transaction. Those
    of bytes that are gone or damaged stay as they are: nothing else has them."""
    clear_strays(session)
    for offload in offloads_kept(session):
        wanted = or_fault(partial(_wanted, desk, session, offload))
        if isinstance(wanted, Fault):
            continue
        if next(blocks_differing(session, offload, wanted), None) is not None:
            put_blocks(session, offload, wanted)
    clear_strays(session)


def _wanted(desk: Desk, session: Session, offload: Offload) -> list[ChannelBlocks]:
    """Return the blocks that an offload's bytes make."""
    vault = desk.archive.vault
    if offload.reading is None:
        file = raw_mission(decode_mission_file(vault.get(offload.sha256)), [])
        return list(mission_blocks(file, [(first, end) for first, end in offload.added]))
    vault.check(offload.sha256)
    return list(_of_text(desk, session, offload, offload.reading))


def _of_text(
    desk: Desk, session: Session, offload: Offload, reading: dict[str, object]
) -> Iterable[ChannelBlocks]:
    # brings polars along, which the window need not load to start
    from gezeiten.desk.text_files import read_pieces, source_of

    tie = tie_from_dict(reading)
    pieces = (readings for _, readings in read_pieces(desk.archive.vault.path(offload.sha256), tie))
    return text_blocks(session, source_of(tie, TEXT_MODEL), offload, pieces)
