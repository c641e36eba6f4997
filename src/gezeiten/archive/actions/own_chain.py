"""The chain that this computer writes in an archive: the one it wrote last, while nothing speaks
against it, else a new one that names the entry it follows."""

from __future__ import annotations

from pathlib import Path
from typing import TypeAlias

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from gezeiten.archive.actions.conflicts import store_conflicts
from gezeiten.archive.actions.entry_writing import Author, ends, enter
from gezeiten.archive.files.chains import Body, ChainFiles
from gezeiten.archive.files.head_hashes import Head, Heads
from gezeiten.archive.files.machine import computer_name
from gezeiten.archive.projection import Authorship
from gezeiten.archive.projection.archives import apply_chain_begun
from gezeiten.archive.store.action_codec import as_stored
from gezeiten.archive.store.ids import fresh_id
from gezeiten.archive.store.tables import LogbookRow
from gezeiten.domain.actions import Subject
from gezeiten.domain.actions.archives import ArchiveBegun, ChainBegun, Why

End: TypeAlias = tuple[str, Head]
"""Where a chain ends, with what its archive is remembered by."""


class OwnChain:
    """Chooses the chain when the first action is entered, and remembers where it ends."""

    def __init__(self, heads: Heads, folder: Path, files: ChainFiles) -> None:
        """heads: what is remembered outside of archives; folder: the archive's."""
        self._heads, self._folder, self._files = heads, folder, files
        self._chain = ""
        self.computer = computer_name()
        self.way = "command"
        """How acts come about: window, command or watch."""

    def enter(self, session: Session, body: Body, who: Author) -> None:
        """Enter an action; a new chain says before why it begins."""
        is_first = "lines" not in session.info  # of this transaction
        if not self._chain or (is_first and not self._continues(session, self._chain)):
            self._select_chain(session, who.at_ms)
        self._enter(session, body, who)

    def _continues(self, session: Session, chain: str) -> bool:
        """Whether a chain file ends where it was applied to: behind lines that cannot be read, or
        after an end that was cut off, nothing is written."""
        end = ends(session.connection()).get(chain)
        return (end.bytes if end else 0) == self._files.sizes().get(chain, 0)

    def _enter(self, session: Session, body: Body, who: Author) -> None:
        enter(session, self._chain, body, who, computer=self.computer, method=self.way)

    def _select_chain(self, session: Session, at_ms: int) -> None:
        known = ends(session.connection()).values()
        if not known:
            self._chain = fresh_id()  # a new archive, or one from before there were chains
            return
        last = max(known, key=lambda end: end.stamp)
        remembered = self._heads.of(self._archive(session))
        own = last.uid if not self._heads.is_stored else ""
        if remembered is not None and holds(session, remembered):
            own = remembered.chain
        if own and self._continues(session, own):
            self._chain = own
            return
        self._chain = fresh_id()
        why: Why = "first" if remembered is None and not own else "other"
        action = ChainBegun(self._chain, self.computer, why, _seq(session))
        told = action.describe(Subject("archive"))
        body = Body(action.entry_word, "archive", told, as_stored(action))
        self._enter(session, body, Author("", "", at_ms))
        if why == "other":
            entry = ends(session.connection())[self._chain].head_hash
            found = apply_chain_begun(session.connection(), action, Authorship(at_ms, ""))
            store_conflicts(session, {entry: found})

    def _archive(self, session: Session) -> str:
        """What an archive is remembered by: its id and its folder. A copy in another folder is
        another one: whoever works on with both has not put an older one back."""
        return f"{archive_id(session)} {self._folder.resolve()}"

    def forget(self) -> None:
        """Forget the chain; the next action selects one again: what was entered was not stored."""
        self._chain = ""

    def end(self, session: Session) -> End | None:
        """Return where the chain ends with what was entered, and in which archive, for `remember`;
        None where nothing is remembered."""
        if not self._chain or not self._heads.is_stored:
            return None
        end = ends(session.connection()).get(self._chain)
        if end is None:
            return None
        return self._archive(session), Head(end.uid, end.number, end.head_hash)

    def remember(self, end: End | None) -> None:
        """Remember where the chain ends, once what was entered stands in its file."""
        if end is not None:
            self._heads.remember(*end)

    def doubt(self, session: Session) -> str:
        """Return what the remembered end says against the archive as it is, "" for nothing."""
        remembered = self._heads.of(self._archive(session))
        if remembered is None or holds(session, remembered):
            return ""
        return (
            f"This computer remembers entry {remembered.number} of the chain "
            f"{remembered.chain[:8]}, which is not in this archive: an older copy was restored, "
            "or the end of its logbook is missing."
        )


def holds(session: Session, head: Head) -> bool:
    """Whether an archive has an entry that was remembered."""
    query = select(LogbookRow.hash).filter_by(chain=head.chain, number=head.number)
    return session.scalars(query).first() == head.hash


def archive_id(session: Session) -> str:
    """Return the id of an archive for ever, "" before it has begun."""
    query = select(LogbookRow.details).filter_by(act=ArchiveBegun.WORD)
    details = session.scalars(query.order_by(LogbookRow.seq.desc()).limit(1)).first()
    try:
        return str(details["act"]["archive"]) if details else ""
    except (KeyError, TypeError):
        return ""


def _seq(session: Session) -> int:
    return session.scalar(select(func.max(LogbookRow.seq))) or 0
