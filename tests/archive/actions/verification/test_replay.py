"""Tables made anew from acts equal the tables that were kept, whatever was done."""

from __future__ import annotations

import atexit
import shutil
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import cache
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from hypothesis import event, given, settings
from hypothesis import strategies as st

from gezeiten.archive.actions.verification.projected_tables import rows
from gezeiten.archive.actions.verification.replay import reapply
from gezeiten.archive.database import Archive
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.alternative_sources import fill_by_measured, find_alternatives
from gezeiten.desk.field.estimates import estimates, fill_by_method
from gezeiten.desk.field.gap_filling import fill_by_line, fill_from_logger, leave_open, undo
from gezeiten.desk.field.gaps import BookedGap, gaps
from gezeiten.desk.field.rounds import close_round, make_round, omit_task, open_round, set_task_plan
from gezeiten.desk.logger.launch.planning import delete_plan, rename_plan, save_plan, stored_plans
from gezeiten.desk.logger.pins import set_pin_group
from gezeiten.desk.office.issuing import export_csv
from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.office.logger_history import loggers, note_service, retire_logger
from gezeiten.desk.office.verification import verify
from gezeiten.desk.record.excursion_book import excursions, reopen, settle
from gezeiten.desk.record.statements.site_editor import (
    point_facts,
    retire_point,
    retire_site,
    save_point,
    save_site,
)
from gezeiten.desk.sites.places import points, set_next_visit, sites
from gezeiten.domain.facts.sites import PointFacts, SiteFacts
from gezeiten.domain.series.timeline import DAY_MS
from gezeiten.errors import GezeitenError
from tests.archive.field_deeds import be_contacted, be_launched, bring, bring_sap, bring_text
from tests.archive.record_deeds import (
    average,
    correct,
    correct_no_more,
    hang_sensor,
    put_clock_right,
    read_by_hand,
    read_by_hand_no_more,
    remark,
    remark_no_more,
    set_some_limit,
    subtract,
    subtract_no_more,
    switch_correction,
    switch_some_clock,
    switch_some_fill,
)
from tests.archive.test_golden import unpacked
from tests.conftest import COLD_PLAN, STORE_PLAN
from tests.examples import examples
from tests.golden import opened

NAMES = st.sampled_from(["Shore", "Dock", "Well", "Depot", "Mast", "a/b"])
NUMBERS = st.integers(0, 3)
SERIALS = st.sampled_from(["D-2041", "D-9001"])
METRES = st.sampled_from([None, 0.0, 1.25, 3.08])
DEEDS = st.one_of(
    st.tuples(
        st.just("site"),
        NAMES,
        st.one_of(st.none(), NUMBERS),
        METRES,
        st.sampled_from(["UTC", "Europe/Berlin", "Pacific/Kiritimati"]),
        st.sampled_from([None, 7, 45]),
    ),
    st.tuples(
        st.just("point"),
        NAMES,
        st.one_of(st.none(), NUMBERS),
        METRES,
        NUMBERS,
        st.sampled_from([(), ("water_level",), ("water_level", "co2")]),
    ),
    st.tuples(st.just("retire point"), NUMBERS, st.booleans()),
    st.tuples(st.just("retire site"), NUMBERS, st.booleans()),
    st.tuples(st.just("visit"), NUMBERS, st.sampled_from([None, 1_800_000_000_000])),
    st.tuples(st.just("plan"), NAMES, st.sampled_from([STORE_PLAN, COLD_PLAN]), st.booleans()),
    st.tuples(st.just("rename plan"), NUMBERS, NAMES),
    st.tuples(st.just("drop plan"), NUMBERS),
    st.tuples(st.just("service"), NUMBERS, st.sampled_from(["battery", "note", "calibration"])),
    st.tuples(st.just("retire logger"), NUMBERS, st.booleans()),
    st.tuples(st.just("PIN group"), NUMBERS, st.sampled_from(["", "cellar"])),
    st.tuples(st.just("round"), st.lists(NUMBERS, max_size=3)),
    st.tuples(st.just("task"), NUMBERS, st.sampled_from([None, STORE_PLAN])),
    st.tuples(st.just("skipped"), NUMBERS, st.sampled_from(["", "no boat"])),
    st.tuples(st.just("close round")),
    st.tuples(st.just("document"), NUMBERS),
    st.tuples(st.just("assess"), NUMBERS, st.sampled_from(["Power", "Sensor"])),
    st.tuples(st.just("This excursion has not been assessed, so it cannot be reopened."), NUMBERS),
    st.tuples(st.just("line"), NUMBERS),
    st.tuples(st.just("leave open"), NUMBERS),
    st.tuples(st.just("estimate"), NUMBERS),
    st.tuples(st.just("fetched before"), NUMBERS),
    st.tuples(st.just("undo"), NUMBERS),
    st.tuples(st.just("contact"), SERIALS, NUMBERS, st.integers(0, 5_000)),
    st.tuples(
        st.just("launch"), SERIALS, NUMBERS, st.sampled_from(["refused", "happened", "killed"])
    ),
    st.tuples(st.just("bring"), SERIALS, NUMBERS, st.integers(0, 200), st.integers(1, 200)),
    st.tuples(st.just("bring text"), NUMBERS, st.integers(0, 9)),
    st.tuples(st.just("calculate"), NUMBERS, NUMBERS, st.sampled_from(["", "b"])),
    st.tuples(st.just("calculate no more"), NUMBERS),
    st.tuples(
        st.just("limit"),
        NUMBERS,
        st.sampled_from(["above", "below"]),
        st.sampled_from(["readings", "working hours", "means"]),
    ),
    st.tuples(st.just("move"), NUMBERS, NUMBERS),
    st.tuples(st.just("average"), st.sampled_from(["plain", "sum", "direction"])),
    st.tuples(st.just("bring sap"), st.integers(1, 60)),
    st.tuples(st.just("correct"), NUMBERS, st.sampled_from(["", "suspect", "taken out"])),
    st.tuples(st.just("remark"), NUMBERS, st.booleans()),
    st.tuples(st.just("remark no more"), NUMBERS),
    st.tuples(st.just("clock"), NUMBERS, st.sampled_from([0, 1000, -3_600_000])),
    st.tuples(st.just("switch clock"), NUMBERS),
    st.tuples(st.just("beside"), NUMBERS),
    st.tuples(st.just("hang"), NUMBERS, st.sampled_from([0.0, 8.4])),
    st.tuples(st.just("read"), NUMBERS),
    st.tuples(st.just("read no more"), NUMBERS),
    st.tuples(st.just("switch"), NUMBERS),
    st.tuples(st.just("correct no more"), NUMBERS),
    st.tuples(st.just("switch fill"), NUMBERS),
)

GAP_DEEDS: dict[str, Callable[[Workspace, BookedGap], object]] = {
    "line": fill_by_line,
    "estimate": lambda desk, gap: fill_by_method(desk, gap, estimates(desk, gap)[0]),
    "leave open": lambda desk, gap: leave_open(desk, gap, "the cable was chewed"),
    "fetched before": fill_from_logger,
    "beside": lambda desk, gap: [
        fill_by_measured(desk, gap, alternative) for alternative in find_alternatives(desk, gap)[:1]
    ],
    "undo": undo,
}
FIELD_DEEDS: dict[str, Callable[..., object]] = {
    "contact": be_contacted,
    "launch": be_launched,
    "bring": bring,
    "bring text": bring_text,
    "average": average,
    "bring sap": bring_sap,
    "limit": set_some_limit,
    "calculate": subtract,
    "calculate no more": subtract_no_more,
    "correct": correct,
    "switch": switch_correction,
    "switch fill": switch_some_fill,
    "correct no more": correct_no_more,
    "remark": remark,
    "remark no more": remark_no_more,
    "clock": put_clock_right,
    "switch clock": switch_some_clock,
    "hang": hang_sensor,
    "read": read_by_hand,
    "read no more": read_by_hand_no_more,
}


def attempt(desk: Workspace, deed: tuple[Any, ...]) -> None:
    """Do what a deed says to the n-th thing of its kind; what cannot be is refused."""

    def nth(things: list[Any], number: int) -> Any:
        return things[number % len(things)]

    what, *rest = deed
    if what == "site":
        name, which, height_m, zone, days = rest
        facts = SiteFacts(name, "", zone, height_m=height_m, visit_every_days=days)
        save_site(desk, facts, None if which is None else nth(sites(desk), which).id)
    elif what == "point":
        name, which, height_m, at, duty = rest
        facts = PointFacts(name, None, height_m, duty)
        site = nth(sites(desk), at).id
        save_point(desk, site, facts, None if which is None else nth(points(desk), which).id)
    elif what == "move":
        point = nth(points(desk), rest[0])
        save_point(desk, nth(sites(desk), rest[1]).id, point_facts(desk, point.id), point.id)
    elif what == "retire point":
        retire_point(desk, nth(points(desk), rest[0]).id, retired=rest[1])
    elif what == "retire site":
        retire_site(desk, nth(sites(desk), rest[0]).id, retired=rest[1])
    elif what == "visit":
        set_next_visit(desk, nth(sites(desk), rest[0]).id, rest[1])
    elif what == "plan":
        save_plan(desk, rest[0], rest[1], "Düne T2", replacing=rest[2])
    elif what in ("rename plan", "drop plan"):
        for plan in stored_plans(desk)[rest[0] :][:1]:
            delete_plan(desk, plan) if what == "drop plan" else rename_plan(desk, plan, rest[1])
    elif what == "service":
        due = desk.now_ms() + DAY_MS if rest[1] == "calibration" else None
        note_service(desk, nth(loggers(desk), rest[0])[0], rest[1], "done", due_ms=due)
    elif what == "retire logger":
        retire_logger(desk, nth(loggers(desk), rest[0])[0], retired=rest[1])
    elif what == "PIN group":
        set_pin_group(desk, nth(loggers(desk), rest[0])[0], rest[1])
    elif what == "document":
        point = nth([p for p in points(desk) if p.channels], rest[0])
        export_csv(desk, point, (0, desk.now_ms()))
    elif what == "assess":
        settle(desk, nth(excursions(desk), rest[0]).id, rest[1], "seen by hand")
    elif what == "This excursion has not been assessed, so it cannot be reopened.":
        reopen(desk, nth(excursions(desk), rest[0]).id)
    elif what in FIELD_DEEDS:
        FIELD_DEEDS[what](desk, *rest)
    elif what in GAP_DEEDS:
        GAP_DEEDS[what](desk, nth(gaps(desk), rest[0]))
    else:
        on_a_round(desk, what, rest, nth)


def on_a_round(desk: Workspace, what: str, rest: list[Any], nth: Any) -> None:
    under_way = open_round(desk)
    if what == "round":
        make_round(desk, [nth(sites(desk), i).id for i in rest[0]], desk.now_ms())
    elif what == "close round":
        close_round(desk)
    elif under_way is not None:
        task = nth(under_way.tasks, rest[0])
        (set_task_plan if what == "task" else omit_task)(desk, task, rest[1])


@cache
def brought_up() -> Path:
    """An archive of before, brought to this version."""
    work = TemporaryDirectory()
    atexit.register(work.cleanup)
    folder = unpacked("0005", Path(work.name))
    opened(folder).close()
    return folder


@contextmanager
def archive_and_a_copy() -> Iterator[tuple[Workspace, Archive]]:
    """A desk on an archive with two loggers and readings, and the same archive once more."""
    with TemporaryDirectory() as work:
        folder = Path(work) / "archive"
        shutil.copytree(brought_up(), folder)
        shutil.copytree(folder, Path(work) / "copy")
        desk = opened(folder)
        copy = Archive(Path(work) / "copy")
        try:
            yield desk, copy
        finally:
            desk.close()
            copy.close()


@settings(max_examples=examples(5, 50))
@given(st.lists(DEEDS, max_size=12))
def test_tables_made_anew_equal_tables_kept(deeds: list[tuple[Any, ...]]) -> None:
    with archive_and_a_copy() as (desk, copy):
        before = len(logbook_entries(desk))
        for deed in deeds:
            try:
                attempt(desk, deed)
            except GezeitenError as exc:
                event(f"refused: {deed[0]}: {type(exc).__name__}")
        entries = sorted(logbook_entries(desk), key=lambda entry: entry.seq)[before:]
        for entry in entries:
            event(entry.details["kind"])
        with copy.writing() as session:
            assert reapply(session.connection(), entries) == ({}, [])
        with desk.archive.reading() as kept, copy.reading() as anew:
            assert rows(anew.connection()) == rows(kept.connection())
        assert verify(desk).is_intact
