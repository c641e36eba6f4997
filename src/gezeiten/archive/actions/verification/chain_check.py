"""Whether chain files hold: each entry whole, each following the one before; and whether the table
of entries is what they say. What a file has lost at its end while the table still knows it is in
`lost_entries.py`."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass, field, replace
from heapq import merge

from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive.actions.catching_up import lengths_applied
from gezeiten.archive.actions.logbook import (
    GENESIS,
    EntryStream,
    check_old,
    count,
    entries,
    entry_at,
    entry_of_line,
    names_in,
)
from gezeiten.archive.actions.verification.lost_entries import LostEntries, lost_entries
from gezeiten.archive.files.chains import ChainFiles, ChainLine, read_line
from gezeiten.archive.store.tables import ChainRow
from gezeiten.domain.actions.archives import EntriesRemoved, EntriesRestored
from gezeiten.domain.actions.people import PersonNamed
from gezeiten.domain.facts.entries import Entry
from gezeiten.errors import ArchiveDamagedError


@dataclass(slots=True)
class ChainContents:
    """What chain files hold. entries: in the order in which their actions are applied, after those
    from before there were files, `count` of them; breaks: where the files do not hold; differing:
    where the table is not what they say; lost: what they have lost and the table knows."""

    entries: EntryStream
    count: int = 0
    breaks: list[str] = field(default_factory=list)
    differing: list[str] = field(default_factory=list)
    lost: list[LostEntries] = field(default_factory=list)


def check_chains(session: Session, chains: ChainFiles) -> ChainContents:
    """Read all chain files and check them, and the table of entries against them; nothing is kept
    in memory but entries from before there were files."""
    old = list(entries(session, of_chain=""))
    names = names_in_files(chains)

    def read(seen: _ChainFindings) -> Iterator[Entry]:
        yield from old
        for seq, line in enumerate(_lines(chains, seen), len(old) + 1):
            yield entry_of_line(line, seq, names)

    entries_again = EntryStream(lambda: read(_ChainFindings()))
    checked = ChainContents(entries_again, 0, [broken.sentence for broken in check_old(old)])
    checked.lost = lost_entries(session, chains)
    seen, gone = _ChainFindings(), {entry.hash for one in checked.lost for entry in one.entries}
    links = _Links(gone | _hashes_that_were(chains))
    table = _Table(session)
    for entry in read(seen):
        checked.count += 1
        checked.breaks += links.broken(entry)
        checked.differing += table.differing(entry)
    checked.breaks += seen.breaks
    checked.differing += table.extra(but=len(gone))
    checked.differing += [one.sentence for one in checked.lost]
    its = {one.chain for one in checked.lost}
    checked.differing += [_torn(chain) for chain in sorted(seen.torn - its)]
    checked.differing += _wrong_chain_ends(session, chains, seen.ends, but=its)
    return checked


@dataclass(slots=True)
class _ChainFindings:
    """What was seen in chain files beside their entries. breaks: what cannot be read or was
    changed; ends: the last entry of each; torn: those whose last line has no end."""

    breaks: list[str] = field(default_factory=list)
    ends: dict[str, ChainLine] = field(default_factory=dict)
    torn: set[str] = field(default_factory=set)


def _lines(chains: ChainFiles, seen: _ChainFindings) -> Iterator[ChainLine]:
    """Yield the entries of all chain files in the order in which their actions are applied."""
    files = [_read(chains, chain, seen) for chain in sorted(chains.sizes())]
    return merge(*files, key=lambda line: line.order)


def _read(chains: ChainFiles, chain: str, seen: _ChainFindings) -> Iterator[ChainLine]:
    """Yield the entries of a chain file, and note what is seen."""
    for number, raw in enumerate(chains.raw_lines(chain), 1):
        name = f"Entry {number} of the chain {chain[:8]}"
        if not raw.endswith(b"\n"):
            seen.torn.add(chain)
            break
        try:
            line = read_line(raw)
        except ArchiveDamagedError:
            seen.breaks.append(f"{name} cannot be read; restore the archive's last copy.")
            continue
        if (line.envelope.chain, line.envelope.number) != (chain, number):
            seen.breaks.append(f"{name} is out of place: another entry is there.")
        if not line.body_holds:
            seen.breaks.append(f"{name} was changed after it was written.")
        last = seen.ends.get(chain)  # by its file: the name in a damaged line may be another
        if last is None or line.order >= last.order:
            seen.ends[chain] = line
        yield line


def _torn(chain: str) -> str:
    return (
        f"The last entry of the chain {chain[:8]} is incomplete, so it does not "
        "count; it is set aside when the archive is next changed."
    )


def names_in_files(chains: ChainFiles) -> dict[str, str]:
    """Return the names of people that chain files give, by their ids."""
    names: dict[str, str] = {}
    for chain in chains.sizes():
        for raw in chains.raw_lines(chain):
            if _NAMES in raw:
                with suppress(ArchiveDamagedError):
                    names |= names_in([read_line(raw)])
    return names


_NAMES = PersonNamed.KIND.encode()


def _hashes_that_were(chains: ChainFiles) -> set[str]:
    """Return the hashes of entries that were lost and removed or written again, as they were and
    as they were then: a chain may follow them that was begun before, or before the last copy of
    their file came back."""
    found: set[str] = set()
    for chain in chains.sizes():
        for raw in chains.raw_lines(chain):
            if any(word in raw for word in _TELLING_OF_LOST):
                with suppress(ArchiveDamagedError):
                    found.update(_line_faults(read_line(raw)))
    return found - {""}


def _line_faults(line: ChainLine) -> Iterator[str]:
    yield line.envelope.was
    if line.body is not None and line.envelope.kind in (EntriesRemoved.KIND, EntriesRestored.KIND):
        action = line.body.act.get("act", {})
        yield from (*action.get("hashes", ()), *action.get("restored", ()))


_TELLING_OF_LOST = (b'"was":', EntriesRemoved.KIND.encode(), EntriesRestored.KIND.encode())


class _Links:
    """Whether each entry follows the one that it names, which may have been lost and written again
    since."""

    def __init__(self, were: set[str]) -> None:
        self._heads = {"": GENESIS}
        self._known = {GENESIS}
        self._were = were

    def broken(self, entry: Entry) -> list[str]:
        """Say where an entry does not follow the one before."""
        follows = self._heads.get(entry.chain)
        is_right = (
            self._is_known_hash(entry.previous) if follows is None else entry.previous == follows
        )
        self._heads[entry.chain] = entry.hash
        self._known.add(entry.hash)
        return [] if is_right else [f"Entry {entry.seq} does not follow the one before it."]

    def _is_known_hash(self, entry_hash: str) -> bool:
        return entry_hash in self._known or entry_hash in self._were


class _Table:
    """Whether the table has the entries that the files have, whatever their place in it."""

    def __init__(self, session: Session) -> None:
        self._session, self._found = session, 0

    def differing(self, entry: Entry) -> list[str]:
        """Say where the table has another entry."""
        if not entry.chain:  # from before there were files: the table alone has it
            self._found += 1
            return []
        kept = entry_at(self._session, entry.chain, entry.number)
        self._found += kept is not None
        if kept == entry or (kept is not None and replace(kept, seq=entry.seq) == entry):
            return []
        return [f"Entry {entry.seq} in the tables differs from the logbook; {_REBUILD}"]

    def extra(self, but: int) -> list[str]:
        """Say how many entries the table has that the files do not have, but so many that were cut
        off them."""
        many = count(self._session) - self._found - but
        return [f"The tables have an entry that the logbook does not have; {_REBUILD}"] * many


def _wrong_chain_ends(
    session: Session, chains: ChainFiles, ends: dict[str, ChainLine], but: set[str]
) -> list[str]:
    """Where it is noted otherwise how far a chain file was applied; but of some."""
    sizes, found = chains.sizes(), []
    rows = {row.uid: row for row in session.scalars(select(ChainRow))}
    for chain in sorted((rows.keys() | ends.keys()) - but):
        row, end = rows.get(chain), ends.get(chain)
        noted = None if row is None else (row.number, row.head, row.stamp, row.bytes)
        is_so = (
            None
            if end is None
            else (end.envelope.number, end.hash, end.envelope.stamp, sizes[chain])
        )
        if noted != is_so:
            found.append(f"The chain {chain[:8]} does not end as it did when it was last read.")
    return found


def chain_ends_match(session: Session, chains: ChainFiles) -> bool:
    """Whether each chain file ends where it did; asks nothing of a file but its length."""
    return lengths_applied(session.connection()) == chains.sizes()


_REBUILD = "gezeiten verify --rebuild repairs it."
