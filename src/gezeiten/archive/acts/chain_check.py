"""Whether chain files hold: each entry whole, each following the one before; and whether the table
of entries is what they say."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass, field, replace
from heapq import merge

from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive.acts.catching_up import lengths_applied
from gezeiten.archive.acts.logbook import (
    GENESIS,
    Told,
    check_old,
    count,
    entries,
    entry_at,
    entry_of_line,
    names_in,
)
from gezeiten.archive.store.chains import ChainFiles, Line, read_line
from gezeiten.archive.store.tables import ChainRow
from gezeiten.domain.acts.people import PersonNamed
from gezeiten.domain.entries import Entry
from gezeiten.errors import ArchiveDamagedError


@dataclass(slots=True)
class Checked:
    """What chain files hold. entries: in the order in which their acts are applied, after those
    from before there were files, `count` of them; breaks: where the files do not hold; differing:
    where the table is not what they say."""

    entries: Told
    count: int = 0
    breaks: list[str] = field(default_factory=list)
    differing: list[str] = field(default_factory=list)


def check_chains(session: Session, chains: ChainFiles) -> Checked:
    """Read all chain files and check them, and the table of entries against them; nothing is kept
    in memory but entries from before there were files."""
    old = list(entries(session, of_chain=""))
    names = names_in_files(chains)

    def read(breaks: list[str], ends: dict[str, Line]) -> Iterator[Entry]:
        yield from old
        for seq, line in enumerate(_lines(chains, breaks, ends), len(old) + 1):
            yield entry_of_line(line, seq, names)

    entries_again = Told(lambda: read([], {}))
    checked = Checked(entries_again, 0, [broken.sentence for broken in check_old(old)])
    ends: dict[str, Line] = {}
    links = _Links()
    table = _Table(session)
    for entry in read(checked.breaks, ends):
        checked.count += 1
        checked.breaks += links.broken(entry)
        checked.differing += table.differing(entry)
    lost = lost_entries(session, chains)
    checked.differing += table.extra(but=len(lost)) + _cut_off(lost)
    checked.differing += _wrong_ends(session, chains, ends)
    return checked


def _lines(chains: ChainFiles, breaks: list[str], ends: dict[str, Line]) -> Iterator[Line]:
    """Yield the entries of all chain files in the order in which their acts are applied."""
    files = [_read(chains, chain, breaks, ends) for chain in sorted(chains.sizes())]
    return merge(*files, key=lambda line: line.order)


def _read(
    chains: ChainFiles, chain: str, breaks: list[str], ends: dict[str, Line]
) -> Iterator[Line]:
    """Yield the entries of a chain file; note what cannot be read or was changed, and the last."""
    for number, raw in enumerate(chains.raw_lines(chain), 1):
        name = f"Entry {number} of the chain {chain[:8]}"
        try:
            line = read_line(raw)
        except ArchiveDamagedError:
            breaks.append(f"{name} cannot be read; fetch the archive's last copy.")
            continue
        if (line.envelope.chain, line.envelope.number) != (chain, number):
            breaks.append(f"{name} is out of its place: another one stands there.")
        if not line.body_holds:
            breaks.append(f"{name} was changed after it was written.")
        last = ends.get(chain)  # by its file: the name in a damaged line may be another
        if last is None or line.order >= last.order:
            ends[chain] = line
        yield line


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


class _Links:
    """Whether each entry follows the one that it names."""

    def __init__(self) -> None:
        self._heads = {"": GENESIS}
        self._known = {GENESIS}

    def broken(self, entry: Entry) -> list[str]:
        """Say where an entry does not follow the one before."""
        follows = self._heads.get(entry.chain)
        is_right = entry.previous in self._known if follows is None else entry.previous == follows
        self._heads[entry.chain] = entry.hash
        self._known.add(entry.hash)
        return [] if is_right else [f"Entry {entry.seq} does not follow the one before it."]


class _Table:
    """Whether the table has the entries that the files have, whatever their place in it."""

    def __init__(self, session: Session) -> None:
        self._session, self._found = session, 0

    def differing(self, wanted: Entry) -> list[str]:
        """Say where the table has another entry."""
        if not wanted.chain:  # from before there were files: the table alone has it
            self._found += 1
            return []
        kept = entry_at(self._session, wanted.chain, wanted.number)
        self._found += kept is not None
        if kept == wanted or (kept is not None and replace(kept, seq=wanted.seq) == wanted):
            return []
        return [f"Entry {wanted.seq} is kept otherwise than the logbook has it; {_REBUILD}"]

    def extra(self, but: int) -> list[str]:
        """Say how many entries the table has that the files do not have, but so many that were cut
        off them."""
        many = count(self._session) - self._found - but
        return [f"An entry is kept that the logbook does not have; {_REBUILD}"] * many


def _cut_off(lost: list[Entry]) -> list[str]:
    if not lost:
        return []
    many = "1 entry was" if len(lost) == 1 else f"{len(lost):,} entries were"
    return [f"{many} cut off the end of the logbook; only the tables know what is in them. Fetch "
            "the last copy of the archive's logbook folder."]  # fmt: skip


def lost_entries(session: Session, chains: ChainFiles) -> list[Entry]:
    """Return the entries that the table has and that were cut off the end of their chain file: each
    follows the one before, the first the file's last. Others in the table were never in a file."""
    lost: list[Entry] = []
    for chain in sorted(chains.sizes()):
        last: Line | None = None
        for raw in chains.raw_lines(chain):
            with suppress(ArchiveDamagedError):
                last = read_line(raw)
        head, number = (last.hash, last.envelope.number) if last is not None else ("", 0)
        while head and (entry := entry_at(session, chain, number + 1)) is not None:
            if entry.previous != head:
                break
            lost.append(entry)
            head, number = entry.hash, number + 1
    return lost


def _wrong_ends(session: Session, chains: ChainFiles, ends: dict[str, Line]) -> list[str]:
    """Where it is noted otherwise how far a chain file was applied."""
    sizes, found = chains.sizes(), []
    rows = {row.uid: row for row in session.scalars(select(ChainRow))}
    for chain in sorted(rows.keys() | ends.keys()):
        row, end = rows.get(chain), ends.get(chain)
        noted = None if row is None else (row.number, row.head, row.stamp, row.bytes)
        is_so = None if end is None else (
            end.envelope.number, end.hash, end.envelope.stamp, sizes[chain]
        )  # fmt: skip
        if noted != is_so:
            found.append(f"The chain {chain[:8]} ends otherwise than it did when it was read last.")
    return found


def ends_hold(session: Session, chains: ChainFiles) -> bool:
    """Whether each chain file ends where it did; asks nothing of a file but its length."""
    return lengths_applied(session.connection()) == chains.sizes()


_REBUILD = "gezeiten verify --rebuild puts it right."
