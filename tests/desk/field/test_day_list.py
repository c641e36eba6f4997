"""The list of the day: what came, what was launched, what is left; on screen and on paper."""

from __future__ import annotations

from dataclasses import replace

import pypdf

from gezeiten.desk.field.day_list import DayLine, day_list, write_day
from gezeiten.desk.field.rounds import make_round
from gezeiten.desk.logger.contact import contact
from gezeiten.desk.logger.launch.launching import launch
from gezeiten.desk.logger.offloading import offload_logger
from gezeiten.desk.office.documents import point_report
from gezeiten.desk.office.logger_history import life
from gezeiten.desk.sites.places import point_named
from gezeiten.domain.series.timeline import DAY_MS
from gezeiten.ui.field.logger.logger_texts import mission_state
from tests.conftest import AGAIN, ANCHOR_MS, STORE_PLAN, Lab, StartStandin

OTHER = replace(STORE_PLAN, point_name="Alte Lotsenwacht · Tower attic", mission_name="Attic")


def lines(lab: Lab, **at_hand: int) -> dict[str, DayLine]:
    given = {serial.replace("_", "-"): count for serial, count in at_hand.items()}
    return {line.serial: line for line in day_list(lab.desk, given)}


def test_what_came_what_was_launched_what_is_left(lab: Lab, start_standin: StartStandin) -> None:
    other = start_standin("D-2038", anchor_ms=ANCHOR_MS, base_ms=lab.clock.now_ms())
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    launch(lab.desk, other.address, "D-2038", OTHER)
    lab.go_to(lab.clock.now_ms() + 2 * DAY_MS)
    assert lines(lab) == {}  # that was two days ago
    offload_logger(lab.desk, lab.standin.address, lab.serial)
    lab.later(10)
    done = launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    listed = lines(lab, D_2041=0)
    store, attic = listed["D-2041"], listed["D-2038"]
    assert store.readings in (288, 289, 290)
    assert (store.mission, store.left) == (done.mission, "")
    assert (attic.offloaded_ms, attic.launched_ms, attic.left) == (None, None, "not visited")
    assert lines(lab, D_2038=1_234)["D-2038"].left == "1,234 readings to offload"
    point = point_named(lab.desk, "Tower attic")
    make_round(lab.desk, [point.site_id], round(lab.clock.now_ms()))
    assert lines(lab)["D-2038"].left == "on the round"
    path = write_day(lab.desk, list(lines(lab).values()))
    text = "".join(page.extract_text() for page in pypdf.PdfReader(path).pages)
    for words in (
        "Work at the loggers on",
        "Tower attic",
        f"mission {done.mission}",
        "on the round",
    ):
        assert words in text


def test_a_mission_that_never_recorded_says_so(lab: Lab) -> None:
    """In its logger's life and in the plan table, where it had the next one's first reading."""
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    lab.later(300)
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN, AGAIN)
    lab.later(60)
    offload_logger(lab.desk, lab.standin.address, lab.serial)
    contact(lab.desk, lab.standin.address, lab.serial)
    newest, never, first = life(lab.desk, lab.serial).missions
    assert (first.state, never.state, newest.state) == ("relaunched", "relaunched", "logging")
    assert first.readings == first.stored > 0 == never.readings
    said = [mission_state(one) for one in (newest, never, first)]
    ended = "ended by the next launch"
    assert said == ["logging", f"never recorded; {ended}", ended]
    point = point_named(lab.desk, "Textile store")
    now = round(lab.clock.now_ms())
    report = point_report(lab.desk, point, (now - DAY_MS, now))
    assert [mission.record for mission in report.missions] == ["recorded", "never", "recorded"]
