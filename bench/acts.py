"""What acts cost: done one by one, and applied again a hundred thousand at once."""

from __future__ import annotations

import sqlite3
import tempfile
import time
from pathlib import Path

from bench.timing import best_of_both, report
from gezeiten.archive.actions.verification import replay
from gezeiten.archive.actions.verification.chain_check import check_chains
from gezeiten.archive.store.action_codec import as_stored
from gezeiten.archive.store.ids import fresh_id
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.domain.actions import Action, Change
from gezeiten.domain.actions.sites import NextVisitSet, PointChanged, PointMade, SiteMade
from gezeiten.domain.facts.entries import Entry
from gezeiten.domain.facts.sites import PointFacts, SiteFacts

BACK = 20_000
APPLIED = 100_000
DONE = 200


def many_acts(count: int) -> list[Action]:
    """Two hundred points at twenty sites, their facts changed again and again."""
    sites, points = [fresh_id() for _ in range(20)], [fresh_id() for _ in range(200)]
    actions: list[Action] = [SiteMade(site, SiteFacts(f"Site {i}")) for i, site in enumerate(sites)]
    actions += [PointMade(p, sites[i % 20], PointFacts(f"Point {i}")) for i, p in enumerate(points)]
    height_m: dict[str, float | None] = dict.fromkeys(points)
    visit_ms: dict[str, int | None] = dict.fromkeys(sites)
    for i in range(count - len(actions)):
        site, point = sites[i % 20], points[i % 200]
        if i % 4 == 3:
            actions.append(NextVisitSet(site, visit_ms[site], i))
            visit_ms[site] = i
        else:
            actions.append(PointChanged(point, (Change("height_m", height_m[point], float(i)),)))
            height_m[point] = float(i)
    return actions


def entries_of(actions: list[Action]) -> list[Entry]:
    """Return acts as the logbook holds them, their chain left empty."""
    return [
        Entry(i + 1, i, "JA", action.WORD, "", "", as_stored(action), "", "")
        for i, action in enumerate(actions)
    ]


def applied_again() -> None:
    """A hundred thousand acts into tables in memory, against as many plain insertions on disk."""
    entries = entries_of(many_acts(APPLIED))

    def ours() -> None:
        with replay.scratch() as connection:
            assert replay.reapply(connection, entries) == ({}, [])

    def reference() -> None:
        with tempfile.TemporaryDirectory() as work, sqlite3.connect(Path(work) / "a.db") as raw:
            raw.execute("CREATE TABLE entry (seq INTEGER PRIMARY KEY, at INTEGER, words TEXT)")
            for entry in entries:
                row = (entry.seq, entry.at_ms, str(entry.details))
                raw.execute("INSERT INTO entry VALUES (?, ?, ?)", row)

    report(
        "100,000 acts applied / as many plain insertions",
        *best_of_both(ours, reference, 3),
        "s ",
        "≤ 8 s",
    )


def come_back() -> None:
    """A deleted database made anew from twenty thousand acts, against as many plain insertions."""
    actions = many_acts(BACK)
    with tempfile.TemporaryDirectory() as work:
        folder = Path(work) / "archive"
        desk = open_workspace(folder)
        with desk.archive.writing() as session:
            for action in actions:
                desk.do_within(session, action)
        desk.close()

        def ours() -> None:
            for path in folder.glob("*.db*"):
                path.unlink()
            open_workspace(folder).close()

        def reference() -> None:
            with sqlite3.connect(":memory:") as raw:
                raw.execute("CREATE TABLE entry (words TEXT)")
                raw.executemany(
                    "INSERT INTO entry VALUES (?)", ((str(action),) for action in actions)
                )

        report(
            "database of 20,000 acts comes back / as many insertions",
            *best_of_both(ours, reference, 2),
            "s ",
            "≤ 10 s",
        )


def done_one_by_one() -> None:
    """An act done on disk, against a plain commit of a row that is as long."""
    with tempfile.TemporaryDirectory() as work:
        desk = open_workspace(Path(work) / "archive")
        raw = sqlite3.connect(Path(work) / "plain.db")
        raw.execute("PRAGMA journal_mode = WAL")
        raw.execute("PRAGMA synchronous = FULL")
        raw.execute("CREATE TABLE entry (words TEXT)")
        actions = iter(many_acts(220 + 8 * DONE))
        for _ in range(220):
            desk.do(next(actions))

        def ours() -> None:
            for _ in range(DONE):
                desk.do(next(actions))

        def reference() -> None:
            for i in range(DONE):
                raw.execute("INSERT INTO entry VALUES (?)", (f"{i}" * 100,))
                raw.commit()

        ms, plain_ms = (1000 * s / DONE for s in best_of_both(ours, reference, 3))
        report("one act done / one plain commit", ms, plain_ms, "ms", "≤ 2 ms beside the commit")
        began = time.perf_counter()
        with desk.archive.reading() as session:
            checked = check_chains(session, desk.archive.chains)
        assert not checked.breaks + checked.differing
        print(
            f"  chain of {checked.count} entries read and checked in "
            f"{time.perf_counter() - began:.3f} s"
        )
        raw.close()
        desk.close()
