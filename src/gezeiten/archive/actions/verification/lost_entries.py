"""Entries that a chain file has lost at its end, or with the whole file, while the table of entries
still knows them: found, and written again as the table has them."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import bindparam, select, update
from sqlalchemy.orm import Session

from gezeiten.archive.actions.entry_writing import ends, move_chain
from gezeiten.archive.actions.logbook import entry_at
from gezeiten.archive.files.chains import Body, ChainFiles, ChainLine, Envelope, line_of, read_line
from gezeiten.archive.store.prepared import PreparedStatement
from gezeiten.archive.store.tables import LogbookRow, Person
from gezeiten.domain.facts.entries import Entry
from gezeiten.errors import ArchiveDamagedError

_ENTRIES = LogbookRow.__table__
RESTORED = "restored"
"""By which way an entry came that was written again."""
_STAMP = PreparedStatement(
    select(_ENTRIES.c.stamp).where(
        _ENTRIES.c.chain == bindparam("its_chain"), _ENTRIES.c.number == bindparam("its_number")
    )
)
_OTHER_HASH = PreparedStatement(
    update(LogbookRow)
    .where(_ENTRIES.c.chain == bindparam("its_chain"), _ENTRIES.c.number == bindparam("its_number"))
    .values(previous=bindparam("new_previous"), hash=bindparam("new_hash"))
)
_PEOPLE = PreparedStatement(select(Person.uid).where(Person.name == bindparam("its_name")))


@dataclass(frozen=True, slots=True)
class LostEntries:
    """What a chain file has lost: entries that follow its last one, in order. head_hash: the hash
    of that, what the first entry follows where none is left."""

    chain: str
    head_hash: str
    entries: tuple[Entry, ...]

    @property
    def sentence(self) -> str:
        """What is lost, and the ways out."""
        many, chain = len(self.entries), self.chain[:8]
        if many == 1:
            text = (
                f"1 entry is missing from the end of the logbook (chain {chain}); only the tables "
            )
            return text + f"still have it. {_WAYS_OUT}"
        text = f"{many:,} entries were cut off the end of the logbook (chain {chain}); only the "
        return text + f"tables still have them. {_WAYS_OUT}"


_WAYS_OUT = (
    "Restore the last copy of the archive's logbook folder, or write the "
    "entries again as the tables have them: gezeiten verify --rebuild "
    "--restore-lost."
)


def lost_entries(session: Session, chains: ChainFiles) -> list[LostEntries]:
    """Return what the table knows behind the last entry of each chain file, and of chains whose
    file is gone; nothing of a file whose last whole line cannot be read."""
    known, files = ends(session.connection()), chains.sizes()
    found = []
    for chain in sorted(files.keys() | known.keys()):
        try:
            line = _last_chain_line(chains, chain)
        except ArchiveDamagedError:
            continue
        if line is None and chain not in known:
            continue  # never applied: what the table calls by its name was in no file
        entries = _entries_after(session, chain, line)
        if entries:
            head = line.hash if line is not None else entries[0].previous
            found.append(LostEntries(chain, head, tuple(entries)))
    return found


def _last_chain_line(chains: ChainFiles, chain: str) -> ChainLine | None:
    """Return the last whole line of a chain file, None without one."""
    whole = b""
    for raw in chains.raw_lines(chain):
        whole = raw if raw.endswith(b"\n") else whole
    return read_line(whole) if whole else None


def _entries_after(session: Session, chain: str, line: ChainLine | None) -> list[Entry]:
    """Return the entries of a chain that follow a line, each the one before; all of it without
    one."""
    head, number = (line.hash, line.envelope.number) if line is not None else ("", 0)
    entries: list[Entry] = []
    while (entry := entry_at(session, chain, number + 1)) is not None:
        if head and entry.previous != head:
            break
        entries.append(entry)
        head, number = entry.hash, number + 1
    return entries


def rewrite_lost(
    session: Session, chains: ChainFiles, lost_line: LostEntries, computer: str
) -> tuple[str, ...]:
    """Have lost entries written into their chain file again when the session is committed, as the
    table has them: who, when, what; with a hash of their own, as what the first one covered is
    gone. Returns those. What was left of a torn line is put aside."""
    connection, hashes = session.connection(), []
    chains.cut_torn(lost_line.chain)
    length, previous = chains.sizes().get(lost_line.chain, 0), lost_line.head_hash
    for entry in lost_line.entries:
        envelope = Envelope(
            lost_line.chain,
            entry.number,
            previous,
            _STAMP.value(connection, its_chain=lost_line.chain, its_number=entry.number),
            entry.at_ms,
            _PEOPLE.value(connection, its_name=entry.person) or "",
            computer,
            RESTORED,
            str(entry.details.get("kind", "")),
            int(entry.details.get("version", 0)),
            "",
            entry.hash,
        )
        body = Body(entry.act, entry.subject, entry.sentence, entry.details)
        raw, fresh = line_of(envelope, body)
        length += len(raw)
        _OTHER_HASH.run(
            connection,
            its_chain=lost_line.chain,
            its_number=entry.number,
            new_previous=previous,
            new_hash=fresh,
        )
        move_chain(connection, lost_line.chain, envelope, fresh, length)
        session.info.setdefault("lines", {}).setdefault(lost_line.chain, []).append(raw)
        hashes.append(fresh)
        previous = fresh
    session.expire_all()
    return tuple(hashes)
