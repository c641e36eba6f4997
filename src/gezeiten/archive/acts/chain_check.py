"""Whether chain files hold: each entry whole, each following the one before; and whether the table
of entries is what they say."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field, replace

from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive.acts.catching_up import lengths_applied
from gezeiten.archive.acts.logbook import GENESIS, check_old, entries, entry_of_line, names_in
from gezeiten.archive.store.chains import ChainFiles, Line, read_line
from gezeiten.archive.store.tables import ChainRow
from gezeiten.domain.entries import Entry
from gezeiten.errors import ArchiveDamagedError


@dataclass(slots=True)
class Checked:
    """What chain files hold. entries: in the order in which their acts are applied, after those
    from before there were files; breaks: where the files do not hold; differing: where the table
    is not what they say."""

    entries: list[Entry] = field(default_factory=list)
    breaks: list[str] = field(default_factory=list)
    differing: list[str] = field(default_factory=list)


def check_chains(session: Session, chains: ChainFiles) -> Checked:
    """Read all chain files and check them, and the table of entries against them."""
    kept = list(entries(session, oldest_first=True))
    old = [entry for entry in kept if not entry.chain]
    checked = Checked(list(old), [broken.sentence for broken in check_old(old)])
    lines: list[Line] = []
    for chain in sorted(chains.sizes()):
        lines += _read(chains, chain, checked.breaks)
    lines.sort(key=lambda line: line.order)
    names = names_in(lines)
    checked.entries += [entry_of_line(line, len(old) + i, names) for i, line in enumerate(lines, 1)]
    checked.breaks += _broken_links(checked.entries)
    checked.differing += _differing(kept, checked.entries)
    checked.differing += _wrong_ends(session, chains, lines)
    return checked


def _read(chains: ChainFiles, chain: str, breaks: list[str]) -> list[Line]:
    """Return the entries of a chain file, and note what cannot be read or was changed."""
    found = []
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
        found.append(line)
    return found


def _broken_links(entries: Iterable[Entry]) -> list[str]:
    """Where an entry does not follow the one that it names."""
    broken, heads, known = [], {"": GENESIS}, {GENESIS}
    for entry in entries:
        follows = heads.get(entry.chain)
        is_right = entry.previous in known if follows is None else entry.previous == follows
        if not is_right:
            broken.append(f"Entry {entry.seq} does not follow the one before it.")
        heads[entry.chain] = entry.hash
        known.add(entry.hash)
    return broken


def _differing(kept: list[Entry], wanted: list[Entry]) -> list[str]:
    """Where the table has another entry than the files, whatever its place."""
    there = {(entry.chain, entry.number or entry.seq): entry for entry in kept}
    should = {(entry.chain, entry.number or entry.seq): entry for entry in wanted}
    found = [
        f"Entry {entry.seq} is kept otherwise than the logbook has it; {_REBUILD}"
        for key, entry in should.items()
        if not _is_same(there.get(key), entry)
    ]
    extra = there.keys() - should.keys()
    return found + [f"An entry is kept that the logbook does not have; {_REBUILD}" for _ in extra]


def _is_same(kept: Entry | None, wanted: Entry) -> bool:
    return kept == wanted or (kept is not None and replace(kept, seq=wanted.seq) == wanted)


def _wrong_ends(session: Session, chains: ChainFiles, lines: list[Line]) -> list[str]:
    """Where it is noted otherwise how far a chain file was applied."""
    ends = {line.envelope.chain: line for line in lines}
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
