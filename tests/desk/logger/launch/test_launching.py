"""Launching: what is checked, refused, read back and recorded; nothing is erased unkept."""

from __future__ import annotations

from dataclasses import replace

import pytest

from gezeiten.archive.store.tables import Mission
from gezeiten.desk.logger.contact import contact, session_with
from gezeiten.desk.logger.launch.launch_checks import erase_sentence, launch_checks, mission_outlook
from gezeiten.desk.logger.launch.launching import launch, stop
from gezeiten.desk.logger.launch.planning import usual_plan
from gezeiten.desk.logger.offloading import offload_logger
from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.office.verification import verify
from gezeiten.desk.record.statements.site_editor import save_site
from gezeiten.desk.sites.places import set_next_visit, sites
from gezeiten.domain.facts.sites import SiteFacts
from gezeiten.domain.series.timeline import DAY_MS
from gezeiten.errors import LoggerRefusedError, NotAcceptedError, NotKeptError, PlanError
from gezeiten.link import registers as reg
from gezeiten.link.transfer import Watch
from tests.conftest import AGAIN, STORE_PLAN, Lab


def weights(lab: Lab, **change: object) -> dict[str, str]:
    card = contact(lab.desk, lab.standin.address, lab.serial)
    checks = launch_checks(lab.desk, card, replace(STORE_PLAN, **change))
    return {check.sentence: check.weight for check in checks}


def test_a_launch_is_recorded_with_the_plan_read_back(lab: Lab) -> None:
    done = launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    assert done.plan == STORE_PLAN
    assert done.first_ms % 600_000 == 0
    entry = next(e for e in logbook_entries(lab.desk) if e.act == "launch")
    assert entry.subject == "D-2041"
    assert entry.details["act"]["mission"]["plan"] == STORE_PLAN.as_dict()
    card = contact(lab.desk, lab.standin.address, lab.serial)
    assert card.point == STORE_PLAN.point_name
    assert card.state.mission_number == done.mission
    assert usual_plan(lab.desk, card) == STORE_PLAN


def test_launching_sets_the_clock(lab: Lab) -> None:
    lab.clock.set(lab.clock.now_ms() + 48_000, 1.0)  # the logger is now 48 s behind
    assert any("48 s behind" in s for s in weights(lab))
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    card = contact(lab.desk, lab.standin.address, lab.serial)
    assert abs(card.clock.difference_ms) < 1_000


def test_what_is_not_kept_is_never_erased(lab: Lab) -> None:
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    lab.later(300)
    before = lab.standin.order("state")["readings"]
    stopped = Watch(cancelled=lambda: True)
    with pytest.raises(NotKeptError, match="D-2041 was not launched"):
        launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN, watch=stopped)
    state = lab.standin.order("state")
    assert (state["doing"], state["readings"]) == ("logging", before)
    assert logbook_entries(lab.desk)[0].act == "launch failed"
    done = launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)  # fetches by itself
    assert done.offloaded is not None
    assert done.offloaded.readings == before == verify(lab.desk).values / 2


def test_what_waits_or_has_just_begun_is_ended_only_with_a_word(lab: Lab) -> None:
    later = round(lab.clock.now_ms()) + 5 * 3_600_000
    first = launch(
        lab.desk, lab.standin.address, lab.serial, replace(STORE_PLAN, start="at", start_ms=later)
    )
    with pytest.raises(
        NotAcceptedError, match="Mission 12 of D-2041 is waiting for its first reading"
    ):
        launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    second = launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN, AGAIN)
    assert second.mission == first.mission + 1
    entry = next(e for e in logbook_entries(lab.desk) if e.act == "launch")
    assert entry.details["act"]["accepted"] == AGAIN
    lab.later(29)
    with pytest.raises(NotAcceptedError, match="was launched only 29 min ago"):
        launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    lab.later(2)
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)  # 31 min: it may be meant


def test_missions_that_are_over_say_so(lab: Lab) -> None:
    """Whoever launched the next one ended it, also where nobody here saw that."""
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    with session_with(lab.desk, lab.standin.address) as (session, _):
        session.stage_plan(STORE_PLAN)
        session.command(reg.LoggerCommand.LAUNCH, expected=session.state().readings)
    contact(lab.desk, lab.standin.address, lab.serial)
    with lab.desk.archive.reading() as db:
        [mission] = db.query(Mission).all()
        assert (mission.state, mission.readings) == ("relaunched", 0)


def test_the_sentence_beside_the_button_says_what_is_erased(lab: Lab) -> None:
    def said() -> str:
        return erase_sentence(contact(lab.desk, lab.standin.address, lab.serial))

    assert said() == "Launching sets the logger's clock; its memory is empty."
    done = launch(lab.desk, lab.standin.address, lab.serial, replace(STORE_PLAN, interval_s=60))
    lab.later(1205)
    count = lab.standin.order("state")["readings"]
    ends = f"Launching ends mission {done.mission} and erases the {count:,} readings in memory"
    assert said() == f"{ends}, {count:,} of them after offloading, and sets the logger's clock."
    offload_logger(lab.desk, lab.standin.address, lab.serial)
    assert said() == f"{ends}, all of them saved, and sets the logger's clock."


def test_readings_that_come_while_launching_are_fetched_too(lab: Lab) -> None:
    fast = replace(STORE_PLAN, interval_s=60)
    launch(lab.desk, lab.standin.address, lab.serial, fast)
    lab.later(300)
    offload_logger(lab.desk, lab.standin.address, lab.serial)
    lab.later(3)  # three more readings before the technician launches
    card = contact(lab.desk, lab.standin.address, lab.serial)
    assert card.readings_to_offload == 3
    launch(lab.desk, lab.standin.address, lab.serial, fast)
    verdict = verify(lab.desk)
    assert verdict.is_intact
    assert verdict.offloads == 2
    assert verdict.values in (2 * 302, 2 * 303, 2 * 304)


def test_a_plan_that_does_not_fit_is_refused_before_anything_changes(lab: Lab) -> None:
    with pytest.raises(PlanError, match="Relative humidity needs Air temperature"):
        launch(
            lab.desk,
            lab.standin.address,
            lab.serial,
            replace(STORE_PLAN, channels=("relative_humidity",)),
        )
    assert lab.standin.order("state")["doing"] == "idle"


def test_a_logger_that_refuses_keeps_its_old_mission(lab: Lab) -> None:
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    lab.standin.order("fault", refuse_launch=True)
    with pytest.raises(LoggerRefusedError, match=r"D-2041 refused: the plan does not fit"):
        launch(lab.desk, lab.standin.address, lab.serial, replace(STORE_PLAN, interval_s=60), AGAIN)
    card = contact(lab.desk, lab.standin.address, lab.serial)
    assert card.plan == STORE_PLAN
    assert card.is_recording


def test_a_plan_lost_on_the_way_is_noticed_by_the_logger(lab: Lab) -> None:
    lab.standin.order("fault", lose_plan=True)
    with pytest.raises(LoggerRefusedError, match="it has no complete plan"):
        launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)


def test_a_plan_lost_on_the_way_does_not_stop_the_old_mission(lab: Lab) -> None:
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    lab.standin.order("fault", lose_plan=True)
    with pytest.raises(LoggerRefusedError, match="nothing on it was changed"):
        launch(lab.desk, lab.standin.address, lab.serial, replace(STORE_PLAN, interval_s=60), AGAIN)
    card = contact(lab.desk, lab.standin.address, lab.serial)
    assert card.is_recording
    assert card.plan == STORE_PLAN


def test_stopping_keeps_the_memory(lab: Lab) -> None:
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    lab.later(100)
    stop(lab.desk, lab.standin.address, lab.serial)
    card = contact(lab.desk, lab.standin.address, lab.serial)
    assert card.state.state == reg.State.STOPPED
    assert card.readings_to_offload in (9, 10)
    assert logbook_entries(lab.desk)[0].act == "stop"


def test_checks_name_what_is_in_the_way(lab: Lab) -> None:
    assert (
        weights(lab, point_name="")["The plan has no point; choose where the logger will be."]
        == "blocking"
    )
    assert "blocking" not in weights(lab).values()
    listed = list(weights(lab, interval_s=0).values())
    assert listed[0] == "blocking"  # blocking ones come first


def test_the_outlook_is_set_against_the_next_visit(lab: Lab) -> None:
    visit = round(lab.clock.now_ms()) + 150 * DAY_MS
    save_site(lab.desk, SiteFacts("Alte Lotsenwacht", "museum", next_visit_ms=visit))
    said = weights(lab)
    # 15 616 readings at ten minutes last 108 d 10 h
    assert any("Memory ends 41 d" in s and w == "look" for s, w in said.items()), said
    card = contact(lab.desk, lab.standin.address, lab.serial)
    assert mission_outlook(lab.desk, card, STORE_PLAN).at_risk_readings == 15_616
    [site] = sites(lab.desk)
    set_next_visit(lab.desk, site.id, round(lab.clock.now_ms()) + 10 * DAY_MS)
    assert any("Memory lasts 98 d" in s for s in weights(lab))


def test_a_new_logger_starts_from_all_its_channels(lab: Lab) -> None:
    card = contact(lab.desk, lab.standin.address, lab.serial)
    plan = usual_plan(lab.desk, card)
    assert plan.channels == ("air_temperature", "relative_humidity")
    assert plan.interval_s == 600
