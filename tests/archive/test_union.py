"""Two archives that took in each other's chains and bytes hold the same, whatever came first."""

from __future__ import annotations

import shutil
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import pytest
from hypothesis import Phase, event, given, settings
from hypothesis import strategies as st
from sqlalchemy import select

from gezeiten.archive.actions.conflicts import unseen_conflicts
from gezeiten.archive.actions.verification.projected_tables import Rows, rows
from gezeiten.archive.store.tables import Site
from gezeiten.desk.base.pin_store import MemoryPins
from gezeiten.desk.base.workspace import TrustedClock, Workspace
from gezeiten.desk.field.gaps import gaps
from gezeiten.desk.intake.recovery import recover
from gezeiten.desk.office.logbook import (
    EntryFilter,
    about_conflicts,
    acknowledge_conflict,
    logbook_entries,
    logbook_page,
    matching_entries,
)
from gezeiten.desk.office.verification import verify
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.record.excursion_book import excursions
from gezeiten.desk.record.statements.site_editor import save_site
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import points, sites
from gezeiten.domain.facts.sites import SiteFacts
from gezeiten.errors import GezeitenError, InputError
from tests.archive.actions.verification.test_replay import DEEDS, attempt, brought_up
from tests.archive.field_deeds import bring, bring_text
from tests.examples import examples
from tests.golden import fingerprint_of

BYTES = ("vault", "overviews", "certificates", "reports", "foundings", "documents", "rescued")


def opened(folder: Path) -> Workspace:
    heads = folder.with_suffix(".heads")
    desk = open_workspace(
        folder, computer=TrustedClock(), pins=MemoryPins(), zone="UTC", heads_file=heads
    )
    recover(desk)
    return desk


def give(one: Path, other: Path) -> None:
    """Copy what is true: bytes, and of each chain what is longer."""
    for chain in (one / "logbook").glob("*.jsonl"):
        there = other / "logbook" / chain.name
        if not there.exists() or there.stat().st_size < chain.stat().st_size:
            shutil.copy(chain, there)
    for name in BYTES:
        shutil.copytree(one / name, other / name, dirs_exist_ok=True, copy_function=_unless_there)


def _unless_there(source: str, target: str) -> None:
    if not Path(target).exists():
        shutil.copy2(source, target)


def told_of(folder: Path) -> tuple[Rows, list[Any], list[str]]:
    """The tables; readings, gaps, excursions, entries and misfits by what they are; faults."""
    desk = opened(folder)
    with desk.archive.reading() as session:
        made = rows(session.connection())
        conflicts = unseen_conflicts(session)
    told = [
        sorted(
            (p.uid, c.channel, fingerprint_of(record(desk, p.id, c.channel)))
            for p in points(desk)
            for c in p.channels
        ),
        sorted(
            (b.point.uid, b.channels, b.gap.start_ms, b.gap.end_ms, b.state, b.reason)
            for b in gaps(desk)
        ),
        sorted(
            (e.point.uid, e.mission, e.rule.key, e.start_ms, e.end_ms, e.dose, str(e.cause))
            for e in excursions(desk)
        ),
        [(e.chain, e.number, e.hash) for e in logbook_entries(desk)],
        sorted(conflicts.items()),
    ]
    faults = verify(desk).faults
    desk.close()
    return made, told, faults


@settings(max_examples=examples(4, 30), phases=[Phase.generate])
@given(st.data())
def test_acts_of_two_computers_make_one_archive(data: st.DataObject) -> None:
    with TemporaryDirectory() as work:
        one, other = Path(work) / "one", Path(work) / "other"
        for folder in (one, other):
            shutil.copytree(brought_up(), folder)
        for _ in range(data.draw(st.integers(1, 2))):
            for folder in data.draw(st.permutations([one, other])):
                do_some(folder, data.draw(st.lists(DEEDS, max_size=6)))
            if data.draw(st.booleans()):
                give(one, other)  # only one hears of the other, and goes on
        pairs = [(one, other), (other, one)]
        for here, there in data.draw(st.permutations(pairs)):
            give(here, there)
            if data.draw(st.booleans()):
                opened(there).close()
        give(one, other)
        give(other, one)
        first, second = told_of(one), told_of(other)
        event(f"misfits: {bool(first[1][-1])}")
        assert first[0] == second[0]
        assert first[1] == second[1]
        assert first[2] == second[2] == []


def do_some(folder: Path, deeds: list[tuple[Any, ...]]) -> None:
    desk = opened(folder)
    for deed in deeds:
        try:
            attempt(desk, deed)
            event(f"done: {deed[0]}")
        except GezeitenError:
            event(f"refused: {deed[0]}")
    desk.close()


def test_where_bytes_differ_those_taken_first_stand_on_both(tmp_path: Path) -> None:
    one, other = tmp_path / "one", tmp_path / "other"
    desk = opened(one)
    bring_text(desk, 1, 2)
    desk.close()
    shutil.copytree(one, other)
    for folder, more in ((other, 1.0), (one, 2.0)):
        desk = opened(folder)
        bring_text(desk, 1, 9, more)
        desk.close()
    give(one, other)
    give(other, one)
    first, second = told_of(one), told_of(other)
    assert first == second
    assert not first[2]
    desk = opened(one)
    [point] = points(desk)
    values = record(desk, point.id, point.channels[0].channel).values.tolist()
    assert values == [0.0, 0.25, *(i / 4 + 1.0 for i in range(2, 9))]
    desk.close()


def test_what_both_made_of_one_name_stays_two_things(tmp_path: Path) -> None:
    one, other = tmp_path / "one", tmp_path / "other"
    opened(one).close()
    shutil.copytree(one, other)
    for folder, height_m in ((one, 1.0), (other, 2.0)):
        desk = opened(folder)
        save_site(desk, SiteFacts("Shore", height_m=height_m))
        bring(desk, "D-9001", 2, 1, 40 if folder is one else 90)
        bring_text(desk, 1, 9 if folder is one else 15)
        desk.close()
    give(one, other)
    give(other, one)
    first, second = told_of(one), told_of(other)
    assert first == second
    assert not first[2]
    desk = opened(one)
    assert [site.name for site in sites(desk)].count("Shore") == 2
    kinds = [entry.details["kind"] for entry in logbook_entries(desk)]
    assert kinds.count("site made") >= 2
    assert kinds.count("mission offloaded") == 2
    desk.close()


def two_who_changed_one_height(folder: Path) -> tuple[Path, Path]:
    one, other = folder / "one", folder / "other"
    desk = opened(one)
    save_site(desk, SiteFacts("Shore", height_m=1.0))
    desk.close()
    shutil.copytree(one, other)
    for archive, height_m in ((one, 2.0), (other, 3.0)):
        desk = opened(archive)
        save_site(desk, SiteFacts("Shore", height_m=height_m), sites(desk)[0].id)
        desk.close()
    return one, other


def test_what_two_changed_at_once_is_shown_until_somebody_looked(tmp_path: Path) -> None:
    one, other = two_who_changed_one_height(tmp_path)
    give(one, other)
    give(other, one)
    assert told_of(one) == told_of(other)
    desk = opened(one)
    [later] = matching_entries(desk, EntryFilter(about=about_conflicts(desk)))
    page = logbook_page(desk, EntryFilter())
    assert page.conflicts == {later.hash: ["height was 2.00 m, not 1.00 m"]}
    assert kept_site(desk) == 3.0  # the act stands
    acknowledge_conflict(desk, later)
    assert logbook_page(desk, EntryFilter()).conflicts == {}
    with pytest.raises(
        InputError, match=r"There is nothing left to acknowledge here; select another entry\."
    ):
        acknowledge_conflict(desk, later)
    desk.close()
    for path in one.glob("local.db*"):
        path.unlink()
    give(one, other)
    for folder in (one, other):
        desk = opened(folder)
        assert logbook_page(desk, EntryFilter()).conflicts == {}
        desk.close()
    assert told_of(one) == told_of(other)


def test_misfits_outlive_this_computers_tables(tmp_path: Path) -> None:
    one, other = two_who_changed_one_height(tmp_path)
    give(other, one)
    before = told_of(one)
    for path in one.glob("local.db*"):
        path.unlink()
    after = told_of(one)
    assert len(after[1][-1]) == 1
    assert after == before


def kept_site(desk: Workspace) -> float | None:
    with desk.archive.reading() as session:
        return session.scalars(select(Site.height_m)).one()
