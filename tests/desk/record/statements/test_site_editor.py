"""Sites, points, loggers' lives, kept plans, rounds and their sheets."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from datetime import datetime
from pathlib import Path
from zoneinfo import ZoneInfo

import pypdf
import pytest

from gezeiten.desk.base.computer_zone import computer_zone
from gezeiten.desk.base.pin_store import MemoryPins
from gezeiten.desk.base.settings import Settings, checked, infos, load_settings
from gezeiten.desk.base.workspace import TrustedClock, Workspace
from gezeiten.desk.field.board import board
from gezeiten.desk.field.rounds import (
    close_round,
    make_round,
    omit_task,
    open_round,
    set_task_plan,
)
from gezeiten.desk.field.sheets import expected_end, write_label_sheet, write_round
from gezeiten.desk.logger.contact import contact
from gezeiten.desk.logger.launch.launching import launch, stop
from gezeiten.desk.logger.launch.planning import (
    delete_plan,
    export_plan,
    import_plans,
    latest_plan_at,
    pattern_name,
    rename_plan,
    save_plan,
    stored_plans,
    usual_plan,
)
from gezeiten.desk.logger.offloading import offload_logger
from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.office.logger_history import (
    life,
    loggers,
    note_service,
    retire_logger,
    save_document,
)
from gezeiten.desk.office.verification import verify
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.record.excursion_book import excursions
from gezeiten.desk.record.statements.site_editor import (
    point_facts,
    retire_point,
    retire_site,
    save_point,
    save_site,
    site_facts,
)
from gezeiten.desk.sites.places import add_point, points, sites
from gezeiten.domain.facts.sites import PointFacts, SiteFacts
from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.limits.windows import WORKING_HOURS
from gezeiten.domain.plan.models import DUENE_T2
from gezeiten.domain.series.timeline import DAY_MS
from gezeiten.errors import InputError, SurroundingsError
from tests.conftest import AGAIN, ANCHOR_MS, STORE_PLAN, Lab


@pytest.fixture
def desk(tmp_path: Path) -> Iterator[Workspace]:
    workspace = open_workspace(
        tmp_path, now_ms=lambda: ANCHOR_MS, computer=TrustedClock(), pins=MemoryPins()
    )
    yield workspace
    workspace.close()


SHORE = SiteFacts("Shore", "marsh", "Europe/Berlin", 53.9, 8.1, 1.5, None, 45)


def test_sites_and_points_read_back_and_change(desk: Workspace) -> None:
    site = save_site(desk, SHORE)
    well = PointFacts("Well 1", 2.5, 3.1, ("water_pressure",), 900, 3600)
    point = save_point(desk, site, well)
    assert (site_facts(desk, site), point_facts(desk, point)) == (SHORE, well)
    save_site(desk, replace(SHORE, name="North shore"), site)
    save_point(desk, site, replace(well, name="Well 2"), point)
    assert [p.full_name for p in points(desk)] == ["North shore · Well 2"]
    said = [entry.sentence for entry in logbook_entries(desk)]
    assert "Point North shore · Well 2 changed: name Well 1 → Well 2." in said
    assert "Site North shore changed: name Shore → North shore." in said


def test_the_zone_of_a_site_whose_points_never_recorded_can_be_corrected(desk: Workspace) -> None:
    site = save_site(desk, SHORE)
    save_point(desk, site, PointFacts("Well"))
    save_site(desk, replace(SHORE, zone="Europe/Oslo"), site)
    assert site_facts(desk, site).zone == "Europe/Oslo"


def test_what_is_saved_unchanged_is_no_act(desk: Workspace) -> None:
    site = save_site(desk, SHORE)
    point = save_point(desk, site, PointFacts("Well", duty_channels=("water_level", "co2")))
    save_site(desk, SHORE, site)
    save_point(desk, site, PointFacts("Well", duty_channels=("co2", "water_level")), point)
    assert [entry.act for entry in logbook_entries(desk)] == [
        "point",
        "site",
        "person",
        "archive begun",
    ]


def test_two_who_change_different_facts_do_not_undo_each_other(desk: Workspace) -> None:
    """The second began before the first was done, as two windows on one archive would."""
    site = save_site(desk, SHORE)
    save_site(desk, replace(SHORE, height_m=9.0), site, seen=SHORE)
    save_site(desk, replace(SHORE, kind="salt marsh"), site, seen=SHORE)
    assert site_facts(desk, site) == replace(SHORE, height_m=9.0, kind="salt marsh")


def test_two_who_change_the_same_fact_are_told(desk: Workspace) -> None:
    site = save_site(desk, SHORE)
    save_site(desk, replace(SHORE, height_m=9.0), site, seen=SHORE)
    with pytest.raises(InputError, match="Somebody else changed this meanwhile"):
        save_site(desk, replace(SHORE, height_m=7.0, kind="dune"), site, seen=SHORE)
    assert site_facts(desk, site) == replace(SHORE, height_m=9.0)


def test_a_point_moves_with_its_record(lab: Lab) -> None:
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    lab.later(100)
    offload_logger(lab.desk, lab.standin.address, lab.serial)
    [point] = points(lab.desk)
    there = save_site(lab.desk, SHORE)
    save_point(lab.desk, there, PointFacts("Depot"), point.id)
    moved = next(p for p in points(lab.desk) if p.id == point.id)
    assert moved.full_name == "Shore · Depot"
    assert len(moved.channels) == 2
    assert verify(lab.desk).is_intact


def test_what_cannot_be_is_not_kept(desk: Workspace) -> None:
    with pytest.raises(InputError, match="is not allowed in a file name; remove it from"):
        save_site(desk, replace(SHORE, name="a/b"))
    assert sites(desk) == []
    site = save_site(desk, SHORE)
    with pytest.raises(InputError, match="“smell” is not a quantity"):
        save_point(desk, site, PointFacts("Well", duty_channels=("smell",)))
    assert points(desk) == []


def test_names_are_taken_once(desk: Workspace) -> None:
    site = save_site(desk, SHORE)
    other = save_site(desk, SiteFacts("Dock"))
    save_point(desk, site, PointFacts("Well"))
    with pytest.raises(InputError, match="There is already a point"):
        save_point(desk, site, PointFacts("Well"))
    save_point(desk, other, PointFacts("Well"))  # elsewhere it may
    with pytest.raises(InputError, match="There is already a site “Dock”"):
        save_site(desk, replace(SHORE, name="Dock"), site)


def test_retiring_keeps_the_record_and_leaves_the_board(lab: Lab) -> None:
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    lab.later(100)
    [point] = points(lab.desk)
    with pytest.raises(InputError, match="D-2041 still records at Textile store; stop it first"):
        retire_point(lab.desk, point.id)
    with pytest.raises(InputError, match="still in use at Alte Lotsenwacht"):
        retire_site(lab.desk, point.site_id)
    offload_logger(lab.desk, lab.standin.address, lab.serial)
    stop(lab.desk, lab.standin.address, lab.serial)
    retire_point(lab.desk, point.id)
    retire_site(lab.desk, point.site_id)
    assert board(lab.desk).sites == ()
    assert points(lab.desk)[0].retired
    retire_point(lab.desk, point.id, retired=False)
    assert not points(lab.desk)[0].retired


# -- the life of a logger --------------------------------------------------------------------------
def test_a_life_has_missions_services_and_certificates(lab: Lab, tmp_path: Path) -> None:
    done = launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    lab.later(65)
    offload_logger(lab.desk, lab.standin.address, lab.serial)
    now = lab.desk.now_ms()
    paper = tmp_path / "certificate.pdf"
    paper.write_bytes(b"%PDF calibrated")
    note_service(lab.desk, "D-2041", "battery", "")
    note_service(
        lab.desk,
        "D-2041",
        "calibration",
        "three points",
        due_ms=now + 300 * DAY_MS,
        certificate=paper,
    )
    known = life(lab.desk, "D-2041")
    assert [(m.number, m.point, m.stored) for m in known.missions] == [
        (done.mission, STORE_PLAN.point_name, 6),
    ] or known.missions[0].stored == 7
    assert [s.kind for s in known.services] == ["calibration", "battery"]
    card = contact(lab.desk, lab.standin.address, lab.serial)
    assert card.calibration_due_ms == now + 300 * DAY_MS  # people's word over the logger's
    again = save_document(lab.desk, known.services[0], tmp_path / "again.pdf")
    assert again.read_bytes() == b"%PDF calibrated"
    assert verify(lab.desk).is_intact
    assert loggers(lab.desk) == [("D-2041", "Düne T2", STORE_PLAN.point_name)]
    kept = lab.desk.archive.certificates.path(known.services[0].certificate_sha256)
    kept.chmod(0o644)
    kept.write_bytes(b"%PDF forged")
    assert "certificate" in verify(lab.desk).faults[0]
    retire_logger(lab.desk, "D-2041")
    assert life(lab.desk, "D-2041").retired_ms is not None


@pytest.mark.parametrize(
    ("kind", "words", "more", "sentence"),
    [
        ("calibration", "", {}, "A calibration is valid until a later day; enter until when."),
        (
            "calibration",
            "",
            {"due_ms": 5},
            "A calibration is valid until a later day; enter until when.",
        ),
        ("repair", " ", {}, "Enter what was done"),
        (
            "battery",
            "",
            {"at_ms": 2**52},
            "That date is in the future; enter the day on which it was done.",
        ),
    ],
)
def test_services_without_sense_are_refused(
    lab: Lab, kind: str, words: str, more: dict[str, int], sentence: str
) -> None:
    contact(lab.desk, lab.standin.address, lab.serial)
    with pytest.raises(InputError, match=sentence):
        note_service(lab.desk, "D-2041", kind, words, **more)  # type: ignore[arg-type]
    assert life(lab.desk, "D-2041").services == ()


def test_a_certificate_that_is_gone_or_empty_is_said(lab: Lab, tmp_path: Path) -> None:
    contact(lab.desk, lab.standin.address, lab.serial)
    due = lab.desk.now_ms() + DAY_MS
    with pytest.raises(SurroundingsError, match=r"gone\.pdf"):
        note_service(
            lab.desk, "D-2041", "calibration", "", due_ms=due, certificate=tmp_path / "gone.pdf"
        )
    empty = tmp_path / "empty.pdf"
    empty.touch()
    with pytest.raises(InputError, match="is empty or over 25 MB"):
        note_service(lab.desk, "D-2041", "calibration", "", due_ms=due, certificate=empty)
    with pytest.raises(InputError, match="The archive does not know a logger X-1"):
        note_service(lab.desk, "X-1", "note", "seen")


# -- kept plans ------------------------------------------------------------------------------------
def test_plans_are_kept_searched_renamed_handed_on_and_dropped(
    desk: Workspace, tmp_path: Path
) -> None:
    save_plan(desk, " Store,  winter ", STORE_PLAN, "Düne T2")
    with pytest.raises(InputError, match="There is already a saved plan “Store"):
        save_plan(desk, "Store, winter", STORE_PLAN, "Düne T2")
    save_plan(desk, "Store, winter", replace(STORE_PLAN, interval_s=60), "Düne T2", replacing=True)
    save_plan(desk, "Depot", replace(STORE_PLAN, remark="two doors"), "Reif C2")
    assert [k.name for k in stored_plans(desk)] == ["Depot", "Store, winter"]
    assert [k.name for k in stored_plans(desk, "düne store")] == ["Store, winter"]
    assert [k.name for k in stored_plans(desk, "DOORS")] == ["Depot"]
    assert stored_plans(desk, "gull") == []
    depot, store = stored_plans(desk)
    with pytest.raises(InputError, match="choose another name"):
        rename_plan(desk, depot, "Store, winter")
    rename_plan(desk, depot, "Depot 2")
    file = export_plan(desk, store, tmp_path / "store")
    assert import_plans(desk, [file, file]) == ["Store, winter (2)", "Store, winter (3)"]
    delete_plan(desk, store)
    dropped = logbook_entries(desk)[0]
    assert dropped.details["act"]["kept"]["interval_s"] == 60  # the logbook has what it was


@pytest.mark.parametrize("name", ["", "  ", "a/b", "x" * 81])
def test_a_plan_needs_a_name_that_can_be(desk: Workspace, name: str) -> None:
    with pytest.raises(InputError):
        save_plan(desk, name, STORE_PLAN, "")
    assert stored_plans(desk) == []


def test_names_follow_the_pattern_of_the_settings(lab: Lab) -> None:
    card = contact(lab.desk, lab.standin.address, lab.serial)
    assert pattern_name(lab.desk, card, "Alte Lotsenwacht · Textile store") == (
        "Textile store autumn 2026"
    )
    lab.desk.change_settings(replace(lab.desk.settings, name_pattern="{serial} {mission}"))
    number = card.state.mission_number + 1
    assert pattern_name(lab.desk, card, "") == f"D-2041 {number}"


# -- rounds ----------------------------------------------------------------------------------------
def test_a_round_knows_its_order_what_to_bring_and_what_is_left(lab: Lab) -> None:
    site = save_site(lab.desk, replace(SHORE, name="Alte Lotsenwacht", visit_every_days=200))
    far = save_site(lab.desk, replace(SHORE, name="Far", latitude=53.99))
    save_point(lab.desk, far, PointFacts("Empty spot"))
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    lab.later(200)
    with pytest.raises(InputError, match="select at least one"):
        make_round(lab.desk, [], lab.desk.now_ms())
    made = make_round(lab.desk, [site, far], lab.desk.now_ms())
    assert [task.point for task in made.tasks] == ["Textile store", "Empty spot"]
    assert made.distance_km == pytest.approx(10.0, abs=0.1)  # 0.09 degrees of latitude
    assert "A logger for Empty spot: nothing has measured there yet" in made.bring
    store, spot = made.tasks
    assert store.plan == STORE_PLAN  # 108 days of memory do not reach the visit after 200
    assert (store.offloaded, store.is_done) == (False, False)
    offload_logger(lab.desk, lab.standin.address, lab.serial)
    half = open_round(lab.desk)
    assert half is not None
    assert (half.tasks[0].offloaded, half.tasks[0].is_done) == (True, False)
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    omit_task(lab.desk, spot, "flooded")
    done = open_round(lab.desk)
    assert done is not None
    assert done.left == ()
    close_round(lab.desk)
    assert open_round(lab.desk) is None
    visits = {s.name: s.next_visit_ms for s in sites(lab.desk)}
    assert visits["Alte Lotsenwacht"] == pytest.approx(lab.desk.now_ms() + 200 * DAY_MS, abs=60_000)
    assert logbook_entries(lab.desk)[0].sentence == (
        "Round finished: 2 of 2 points done. Next visit set by the visit interval for "
        "Alte Lotsenwacht, Far."
    )


def test_a_renamed_point_is_launched_under_its_new_name(lab: Lab) -> None:
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    [point] = points(lab.desk)
    save_point(
        lab.desk, point.site_id, replace(point_facts(lab.desk, point.id), name="Depot"), point.id
    )
    card = contact(lab.desk, lab.standin.address, lab.serial)
    plan = usual_plan(lab.desk, card)
    assert plan == replace(STORE_PLAN, point_name="Alte Lotsenwacht · Depot")
    launch(lab.desk, lab.standin.address, lab.serial, plan, AGAIN)
    assert [p.full_name for p in points(lab.desk)] == ["Alte Lotsenwacht · Depot"]
    made = make_round(lab.desk, [point.site_id], lab.desk.now_ms() + 60 * DAY_MS)
    assert made.tasks[0].plan is not None
    assert made.tasks[0].plan.point_name == "Alte Lotsenwacht · Depot"


def test_a_task_can_be_offload_only(lab: Lab) -> None:
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    lab.later(200)
    [site] = sites(lab.desk)
    made = make_round(lab.desk, [site.id], lab.desk.now_ms())
    set_task_plan(lab.desk, made.tasks[0], None)
    offload_logger(lab.desk, lab.standin.address, lab.serial)
    now = open_round(lab.desk)
    assert now is not None
    assert now.tasks[0].is_done
    set_task_plan(lab.desk, now.tasks[0], latest_plan_at(lab.desk, STORE_PLAN.point_name))
    with pytest.raises(InputError, match=r"A reason has up to 200 characters; shorten it\."):
        omit_task(lab.desk, now.tasks[0], "x" * 201)


def test_sheets_say_what_they_must(lab: Lab) -> None:
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    path = write_label_sheet(lab.desk, [contact(lab.desk, lab.standin.address, lab.serial)])
    text = "\n".join(page.extract_text() for page in pypdf.PdfReader(path).pages)
    for words in (
        "D-2041",
        "Textile store",
        "10 min",
        "alarm above 60 % for 2 h",
        "memory is full",
    ):
        assert words in text.replace("\n", " ")
    lab.later(10)
    made = make_round(lab.desk, [sites(lab.desk)[0].id], lab.desk.now_ms())
    sheet = write_round(lab.desk, made)
    text = "\n".join(page.extract_text() for page in pypdf.PdfReader(sheet).pages)
    for words in ("Round of 2026-11-03", "Network cable", "Textile store", "D-2041"):
        assert words in text
    with pytest.raises(
        InputError, match=r"There are no labels to print yet; launch a logger first\."
    ):
        write_label_sheet(lab.desk, [])


def test_the_expected_end_is_first_plus_what_fits() -> None:
    # 15 616 readings of 10 min are 108 d 10 h 40 min
    words = expected_end(STORE_PLAN, DUENE_T2, 1_793_664_000_000, "UTC")
    assert words == "2027-02-19 10:40 (when memory is full)"
    button = replace(STORE_PLAN, start="button", end="count", end_count=5)
    assert expected_end(button, DUENE_T2, 0, "UTC") == "after 5 readings"


# -- settings --------------------------------------------------------------------------------------
def test_every_setting_is_declared_with_a_default_that_may_be() -> None:
    listed = infos()
    # units are chosen where they are seen
    assert {info.key for info in listed} == set(Settings.__dataclass_fields__) - {"units"}
    for info in listed:
        assert checked(info.key, info.default) == info.default
        assert info.title
        assert info.help.endswith(".")


@pytest.mark.parametrize(
    ("key", "value"),
    [
        ("theme", "pink"),
        ("font_percent", 9),
        ("font_percent", True),
        ("keep_awake", 1),
        ("unit_temperature", "°R"),
        ("addresses", 5),
        ("region", "xx"),
    ],
)
def test_values_that_may_not_be_are_refused_and_ignored_in_files(
    key: str, value: object, tmp_path: Path
) -> None:
    import json

    with pytest.raises(InputError):
        checked(key, value)
    file = tmp_path / "settings.json"
    file.write_text(json.dumps({key: value, "person": "JA", "of a newer version": 1}))
    loaded = load_settings(file)
    assert loaded == Settings(person="JA")


# -- zones -----------------------------------------------------------------------------------------
KIRITIMATI = ZoneInfo("Pacific/Kiritimati")
"""Fourteen hours ahead of UTC: working hours in Berlin are none there."""


def store_in_working_hours(lab: Lab) -> set[int]:
    """Three days at a limit of working hours; returns when its excursions begin."""
    plan = replace(
        STORE_PLAN, limits=(LimitRule("relative_humidity", "above", 0.0, 0, window=WORKING_HOURS),)
    )
    launch(lab.desk, lab.standin.address, lab.serial, plan)
    lab.later(3 * 86_400)
    offload_logger(lab.desk, lab.standin.address, lab.serial)
    return {event.start_ms for event in excursions(lab.desk)}


def are_of_kiritimati(lab: Lab, before: set[int]) -> bool:
    after = {event.start_ms for event in excursions(lab.desk)}
    hours = {datetime.fromtimestamp(ms / 1000, KIRITIMATI).hour for ms in after}
    return bool(before) and after != before and bool(hours) and hours <= set(range(7, 18))


def test_a_corrected_zone_finds_excursions_anew(lab: Lab) -> None:
    before = store_in_working_hours(lab)
    [site] = sites(lab.desk)
    save_site(lab.desk, replace(site_facts(lab.desk, site.id), zone=KIRITIMATI.key), site.id)
    assert are_of_kiritimati(lab, before)


def test_a_point_that_moves_to_another_zone_has_the_excursions_of_that_zone(lab: Lab) -> None:
    before = store_in_working_hours(lab)
    island = save_site(lab.desk, SiteFacts("Island", "store", KIRITIMATI.key))
    [point] = points(lab.desk)
    save_point(lab.desk, island, point_facts(lab.desk, point.id), point.id)
    assert are_of_kiritimati(lab, before)
    assert verify(lab.desk).is_intact


def test_a_site_made_by_the_way_takes_the_computers_zone_and_says_so(tmp_path: Path) -> None:
    workspace = open_workspace(tmp_path, zone="Asia/Tokyo")
    said: list[str] = []
    workspace.archive.on_wait = said.append
    add_point(workspace, "Harbour · Mast")
    assert sites(workspace)[0].zone == "Asia/Tokyo"
    assert said == [
        "Harbour is a new site; its zone was taken from this computer (Asia/Tokyo): check the zone "
        "in Sites and points."
    ]
    workspace.close()


def test_the_computers_zone_is_a_zone(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("TZ", "America/Lima")
    assert computer_zone() == "America/Lima"
    monkeypatch.setenv("TZ", "nonsense")
    assert ZoneInfo(computer_zone())
