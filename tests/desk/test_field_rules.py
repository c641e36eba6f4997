"""At the logger: the label, the computer's clock, PINs, damaged readings, several at once."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import pytest

from gezeiten.desk.base.clock_watch import ComputerClock, kernel_synchronised
from gezeiten.desk.base.pin_store import MemoryPins, usual_pins
from gezeiten.desk.logger.computer_clock import clock_doubts
from gezeiten.desk.logger.contact import contact, present_readings, self_check
from gezeiten.desk.logger.launch.launch_checks import Check, label_check, launch_checks
from gezeiten.desk.logger.launch.launching import launch, stop
from gezeiten.desk.logger.launch.several import (
    LoggerResult,
    common_start_ms,
    offload_and_launch,
    prepare_several,
    prepare_with_last_plans,
    synchronised_plans,
)
from gezeiten.desk.logger.offloading import offload_logger
from gezeiten.desk.logger.pins import parse_pin, pin_group, set_pin_group
from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.office.verification import verify
from gezeiten.desk.record.statements.site_editor import save_point, save_site
from gezeiten.desk.sites.places import points
from gezeiten.domain.facts.sites import PointFacts, SiteFacts
from gezeiten.domain.plan.plan import Plan
from gezeiten.errors import (
    InputError,
    LoggerLockedError,
    LoggerRefusedError,
    NotAcceptedError,
    WrongLoggerError,
)
from gezeiten.link import registers as reg
from tests.conftest import AGAIN, COLD_PLAN, STORE_PLAN, Lab, StartStandin


def checks(lab: Lab, plan: Plan = STORE_PLAN, **more: object) -> list[Check]:
    card = contact(lab.desk, lab.standin.address, lab.serial)
    return launch_checks(lab.desk, card, plan, **more)  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("ahead_ms", "is_reason_required"), [(86_399_000, False), (86_401_000, True), (-9e8, True)]
)
def test_a_clock_off_by_a_day_needs_a_reason(
    lab: Lab, ahead_ms: float, is_reason_required: bool
) -> None:
    card = contact(lab.desk, lab.standin.address, lab.serial)
    card = replace(card, clock=replace(card.clock, difference_ms=ahead_ms))
    [check] = [
        launch_check
        for launch_check in launch_checks(lab.desk, card, STORE_PLAN)
        if launch_check.key == "clock"
    ]
    assert (check.weight, check.needs_reason) == ("look", is_reason_required)
    assert ("clock correction" in check.sentence) == is_reason_required
    [check] = [
        launch_check
        for launch_check in launch_checks(lab.desk, card, STORE_PLAN, {"clock": "known"})
        if "Overridden: known" in launch_check.sentence
    ]
    assert check.weight == "passed"


# -- the label on the case -------------------------------------------------------------------------
@pytest.mark.parametrize(
    ("typed", "weight"),
    [
        ("", "note"),
        ("2041", "passed"),
        ("041", "passed"),
        ("D-2041", "passed"),
        (" d2041 ", "passed"),
        ("41", "note"),
        ("2044", "blocking"),
        ("X41", "blocking"),
        ("🌊", "note"),
        ("12041", "blocking"),
    ],
)
def test_the_label_is_compared_by_its_last_signs(typed: str, weight: str) -> None:
    assert label_check("D-2041", typed).weight == weight


def test_a_mismatch_blocks_the_launch_itself(lab: Lab) -> None:
    with pytest.raises(WrongLoggerError, match="The label ends in 2044, but D-2041 answers"):
        launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN, label="2044")
    assert lab.standin.order("state")["doing"] == "idle"


# -- the computer's clock --------------------------------------------------------------------------
class Computer:
    """A made-up computer whose clock can be set."""

    def __init__(self, file: Path) -> None:
        self.wall, self.up, self.state, self.boot = 1e12, 5e6, False, "a"
        self.clock = ComputerClock(
            file,
            wall_ms=lambda: self.wall,
            up_ms=lambda: self.up,
            synchronised=lambda: self.state,
            boot=lambda: self.boot,
        )

    def pass_s(self, seconds: float, jump_s: float = 0.0) -> list[str]:
        self.up += seconds * 1000
        self.wall += (seconds + jump_s) * 1000
        return self.clock.doubts()


@pytest.fixture
def computer(tmp_path: Path) -> Computer:
    return Computer(tmp_path / "clock.json")


def test_a_kept_clock_is_not_doubted(computer: Computer) -> None:
    computer.state = True
    assert computer.pass_s(10) == []
    assert computer.pass_s(10, jump_s=500) == []  # the service set it right


def test_an_unkept_clock_is_doubted_and_a_jump_said(computer: Computer) -> None:
    assert computer.pass_s(0) == ["This computer's clock is not set by a time service."]
    assert len(computer.pass_s(3600, jump_s=0.5)) == 1  # drift is no jump
    said = computer.pass_s(10, jump_s=-7200)
    assert said[1] == "This computer's clock jumped back by 2 h since it was last checked."
    assert len(computer.pass_s(10)) == 2  # said until somebody accepts it
    computer.clock.restart_watch()
    assert len(computer.pass_s(10)) == 1


def test_another_switch_on_or_an_odd_file_begins_anew(computer: Computer, tmp_path: Path) -> None:
    computer.pass_s(0)
    computer.boot, computer.up = "b", 1e3
    assert len(computer.pass_s(10, jump_s=9999)) == 1
    (tmp_path / "clock.json").write_text("{]")
    assert len(computer.pass_s(10, jump_s=9999)) == 1
    computer.state = None
    assert computer.pass_s(1)[0].startswith("Whether this computer's clock is right is not known.")


def test_the_kernel_answers_here() -> None:
    assert kernel_synchronised() in (True, False)


def test_a_clock_before_the_newest_entry_is_doubted(lab: Lab) -> None:
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    assert clock_doubts(lab.desk) == []
    lab.clock.set(lab.clock.now_ms() - 3_600_000, 1.0)
    [doubt] = clock_doubts(lab.desk)
    assert doubt.startswith("This computer's clock is 59 min") or "1 h earlier" in doubt


def test_a_doubtful_clock_needs_a_deliberate_yes_and_the_doubt_is_recorded(
    lab: Lab, computer: Computer
) -> None:
    lab.desk._computer = computer.clock
    with pytest.raises(
        NotAcceptedError, match=r"This computer's clock is not set by a time service\."
    ):
        launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    assert lab.standin.order("state")["doing"] == "idle"
    word = {"computer clock": "compared with the radio"}
    about_others = {**word, "battery": "a fresh one is at hand"}
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN, about_others)
    entry = next(e for e in logbook_entries(lab.desk) if e.act == "launch")
    assert entry.details["act"]["accepted"] == word
    accepted = checks(lab, accepted=word)
    said = next(c for c in accepted if "compared with the radio" in c.sentence)
    assert (said.weight, said.needs_reason) == ("passed", False)


# -- PINs ------------------------------------------------------------------------------------------
@pytest.fixture
def locked(tmp_path: Path, start_standin: StartStandin) -> Lab:
    return Lab(tmp_path / "locked", start_standin, "P-0330", 1_793_664_000_000)


TANK = Plan(("water_temperature", "conductivity"), 120, point_name="Austernzucht Ost · Tank 2")


def test_a_locked_logger_asks_for_its_pin_and_takes_the_right_one(locked: Lab) -> None:
    desk, at = locked.desk, locked.standin.address
    with pytest.raises(LoggerLockedError, match="and try again"):
        launch(desk, at, "P-0330", TANK)
    blocking = [c for c in checks(locked, TANK) if c.weight == "blocking"]
    assert [c.key for c in blocking] == ["pin"]
    desk.pins.store("all loggers", 1111)
    with pytest.raises(LoggerLockedError, match="P-0330 does not accept the PIN of “all loggers”"):
        launch(desk, at, "P-0330", TANK)
    assert desk.pins.get("all loggers") is None  # a wrong one is not tried again
    desk.pins.store("all loggers", 2580)
    launch(desk, at, "P-0330", TANK)
    assert pin_group(desk, "P-0330") == "Austernzucht Ost"  # it has a site now
    locked.later(3)
    with pytest.raises(LoggerLockedError, match="“Austernzucht Ost”"):
        stop(desk, at, "P-0330")
    set_pin_group(desk, "P-0330", "hatchery")
    desk.pins.store("hatchery", 2580)
    stop(desk, at, "P-0330")
    text = json.dumps([entry.details for entry in logbook_entries(desk)])
    assert "2580" not in text
    assert "1111" not in text
    desk.close()


@pytest.mark.parametrize("text", ["", "12", "abcd", "1234567890", "١٢٣٤", "-1234"])
def test_what_is_no_pin_is_one_sentence(text: str) -> None:
    with pytest.raises(InputError, match="A PIN has four to nine digits"):
        parse_pin(text)


def test_without_a_keyring_pins_are_remembered_in_memory_only() -> None:
    import keyring
    from keyring.backend import KeyringBackend
    from keyring.backends.fail import Keyring as NoKeyring

    class Ring(KeyringBackend):
        priority = 1  # type: ignore[assignment]
        kept: dict[tuple[str, str], str] = {}  # noqa: RUF012

        def get_password(self, service: str, username: str) -> str | None:
            return self.kept.get((service, username))

        def set_password(self, service: str, username: str, password: str) -> None:
            self.kept[service, username] = password

        def delete_password(self, service: str, username: str) -> None:
            del self.kept[service, username]

    before = keyring.get_keyring()
    try:
        keyring.set_keyring(NoKeyring())
        assert isinstance(usual_pins(), MemoryPins)
        keyring.set_keyring(Ring())
        pins = usual_pins()
        assert pins.lasting
        pins.store("shore", 4711)
        assert usual_pins().get("shore") == 4711  # from the ring, in another run
        pins.forget("shore")
        assert usual_pins().get("shore") is None
    finally:
        keyring.set_keyring(before)


# -- what a launch would lose ----------------------------------------------------------------------
def test_readings_that_stay_damaged_need_a_word_before_they_go(lab: Lab) -> None:
    launch(lab.desk, lab.standin.address, lab.serial, replace(STORE_PLAN, interval_s=60))
    lab.later(60 * 13)
    lab.standin.order("fault", damage_blocks=[1, 2])
    offload_logger(lab.desk, lab.standin.address, lab.serial)
    card = contact(lab.desk, lab.standin.address, lab.serial)
    assert (card.readings_damaged, card.readings_to_offload) == (240, 240)
    with pytest.raises(NotAcceptedError, match="240 readings on D-2041 arrive damaged"):
        launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    assert contact(lab.desk, lab.standin.address, lab.serial).is_recording
    word = {"damaged": "memory chip broken, agreed with the museum"}
    done = launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN, word)
    entry = next(e for e in logbook_entries(lab.desk) if e.act == "launch")
    assert entry.details["act"]["accepted"] == word
    assert done.mission == entry.details["act"]["in_mission"]
    assert verify(lab.desk).is_intact


def test_readings_that_come_damaged_with_the_launch_are_not_lost(lab: Lab) -> None:
    quick = replace(STORE_PLAN, interval_s=60)
    launch(lab.desk, lab.standin.address, lab.serial, quick)
    lab.later(300)
    offload_logger(lab.desk, lab.standin.address, lab.serial)
    lab.later(3)  # three more, of the second block, which now arrives damaged
    lab.standin.order("fault", damage_blocks=[1, 2])
    before = lab.standin.order("state")["readings"]
    with pytest.raises(NotAcceptedError, match="3 readings on D-2041 arrive damaged"):
        launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    state = lab.standin.order("state")
    assert (state["doing"], state["readings"]) == ("logging", before)
    assert contact(lab.desk, lab.standin.address, lab.serial).plan == quick


def test_damage_that_heals_is_fetched_and_asks_nothing(lab: Lab) -> None:
    launch(lab.desk, lab.standin.address, lab.serial, replace(STORE_PLAN, interval_s=60))
    lab.later(60 * 13)
    lab.standin.order("fault", damage_blocks=[1, 2])
    offload_logger(lab.desk, lab.standin.address, lab.serial)
    lab.standin.order("fault", damage_blocks=None)
    offload_logger(lab.desk, lab.standin.address, lab.serial)
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)


def test_a_refusal_by_the_logger_leaves_the_old_mission_running(lab: Lab) -> None:
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    lab.standin.order("fault", refuse_launch=True)
    with pytest.raises(LoggerRefusedError):
        launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN, AGAIN)
    card = contact(lab.desk, lab.standin.address, lab.serial)
    assert card.is_recording
    assert card.interrupted == ""  # it said no itself: nothing is in doubt


# -- health ----------------------------------------------------------------------------------------
def test_events_ends_and_present_readings_come_with_the_contact(lab: Lab) -> None:
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    lab.later(30)
    stop(lab.desk, lab.standin.address, lab.serial)
    card = self_check(lab.desk, lab.standin.address, lab.serial)
    texts = [text for _, text in card.events]
    assert texts[0] == "launched"
    assert "mission ended: stopped by a computer" in texts
    assert card.state.end_reason == reg.EndReason.COMMAND
    assert card.state.self_check == reg.SELF_CHECK_GOOD
    temperature, _ = present_readings(lab.desk, lab.standin.address, lab.serial)
    assert 10 < temperature.value < 30


def test_duties_of_the_point_are_checked(lab: Lab) -> None:
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    [point] = points(lab.desk)
    duty = PointFacts("Textile store", duty_channels=("relative_humidity",), duty_interval_s=300)
    save_point(lab.desk, point.site_id, duty, point.id)
    said = [
        c.sentence
        for c in checks(lab, replace(STORE_PLAN, channels=("air_temperature",), limits=()))
    ]
    assert "Textile store also requires Relative humidity." in said
    assert "Textile store requires an interval of 5 min or less." in said
    moved = checks(lab, replace(STORE_PLAN, point_name="Alte Lotsenwacht · Cellar"))
    assert any("is a new point" in c.sentence for c in moved)


# -- several ---------------------------------------------------------------------------------------
def test_first_readings_fall_together() -> None:
    now = 1_793_664_000_000
    assert now % 3_600_000 == 0
    assert common_start_ms([STORE_PLAN] * 3, now) == now + 600_000
    at_once = replace(STORE_PLAN, start="now")
    assert common_start_ms([at_once] * 3, now + 1) == now + 30_000  # three loggers take 24 s
    fours, sixes = (replace(STORE_PLAN, interval_s=60 * m) for m in (4, 6))
    assert common_start_ms([fours, sixes], now) == now + 12 * 60_000  # full for both
    days, sevens = (replace(STORE_PLAN, interval_s=s) for s in (86_400, 420))
    assert common_start_ms([days, sevens], now) % 86_400_000 == 0
    assert synchronised_plans([STORE_PLAN], now) == [STORE_PLAN]
    by_button = replace(STORE_PLAN, start="button")
    [first, pressed, second] = synchronised_plans([fours, by_button, sixes], now)
    assert pressed == by_button
    assert (
        (first.start, first.start_ms)
        == (second.start, second.start_ms)
        == (
            "at",
            now + 12 * 60_000,
        )
    )


def test_one_plan_for_all_with_a_row_of_result_each(lab: Lab, start_standin: StartStandin) -> None:
    cold = start_standin("R-1107", anchor_ms=1_795_392_000_000, base_ms=lab.clock.now_ms())
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    launch(lab.desk, cold.address, "R-1107", COLD_PLAN)
    lab.later(40)
    cold.order("time", ms=lab.clock.now_ms())
    cards = [
        contact(lab.desk, lab.standin.address, lab.serial),
        contact(lab.desk, cold.address, "R-1107"),
    ]
    common = replace(STORE_PLAN, interval_s=300, start="next_interval")
    store, room = prepare_several(lab.desk, cards, common, {})
    assert store.plan.point_name == STORE_PLAN.point_name
    assert room.plan.point_name == COLD_PLAN.point_name  # where it goes stays its own
    assert room.unsupported[0] == "Reif C2 has no Air temperature, Relative humidity."
    assert store.first_obstacle == room.first_obstacle == ""  # what is not fetched is fetched first
    rows: list[LoggerResult] = []
    results = offload_and_launch(lab.desk, [store, room], {}, rows.append)
    assert results == rows
    assert [r.serial for r in results] == ["D-2041", "R-1107"]
    firsts = {r.launched.first_ms for r in results if r.launched}
    assert len(firsts) == 1  # together
    assert verify(lab.desk).is_intact
    cold.kill()
    cards = [contact(lab.desk, lab.standin.address, lab.serial), cards[1]]
    lab.later(10)
    first, second = offload_and_launch(
        lab.desk, prepare_with_last_plans(lab.desk, cards, AGAIN), AGAIN, lambda _: None
    )
    by_serial = {r.serial: r for r in (first, second)}
    assert by_serial["D-2041"].launched is not None  # one that is away does not keep the other
    assert by_serial["R-1107"].launched is None
    away = f"No logger answers at {cards[1].address}; check cable, power and address."
    assert by_serial["R-1107"].sentence == away


def test_again_as_it_was_is_the_same_plan(lab: Lab) -> None:
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    lab.later(100)
    card = contact(lab.desk, lab.standin.address, lab.serial)
    [one] = prepare_with_last_plans(lab.desk, [card], {})
    assert one.plan == STORE_PLAN
    [result] = offload_and_launch(lab.desk, [one], {}, lambda _: None)
    assert result.launched is not None
    again = contact(lab.desk, lab.standin.address, lab.serial)
    assert again.plan == STORE_PLAN
    assert again.state.mission_number == card.state.mission_number + 1


def test_a_logger_at_a_point_is_replaced_and_the_series_goes_on(
    lab: Lab, start_standin: StartStandin
) -> None:
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    other = start_standin("D-2044", anchor_ms=1_795_392_000_000, base_ms=lab.clock.now_ms())
    launch(lab.desk, other.address, "D-2044", STORE_PLAN)
    [point] = points(lab.desk)
    assert point.serial == "D-2044"
    entry = next(e for e in logbook_entries(lab.desk) if e.act == "launch")
    assert entry.sentence.endswith("D-2044 replaces D-2041 there.")


def test_a_retired_point_takes_no_launch(lab: Lab) -> None:
    from gezeiten.desk.record.statements.site_editor import retire_point

    site = save_site(lab.desk, SiteFacts("Alte Lotsenwacht"))
    point = save_point(lab.desk, site, PointFacts("Textile store"))
    retire_point(lab.desk, point)
    assert any(
        "is retired; reactivate it or choose another point." in c.sentence for c in checks(lab)
    )
