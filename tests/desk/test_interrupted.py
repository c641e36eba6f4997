"""A launch cut off at every message: the logger is in the old mission or in the new one, nothing
is lost, and the next contact says which."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import suppress
from dataclasses import replace

import pytest
from pymodbus.pdu.pdu import ModbusPDU

from gezeiten.archive.store.tables import LaunchIntent, Mission
from gezeiten.desk.logger.contact import contact
from gezeiten.desk.logger.launch.intents import owning_launch
from gezeiten.desk.logger.launch.launching import launch
from gezeiten.desk.logger.offloading import offload_logger
from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.office.verification import verify
from gezeiten.errors import DeviceError, LoggerBusyError, LoggerRefusedError, NotKeptError
from gezeiten.link import registers as reg
from gezeiten.link.lines.modbus import ModbusTcp
from tests.conftest import AGAIN, STORE_PLAN, Lab

NEW = replace(STORE_PLAN, interval_s=120, mission_name="Store, quicker")


def missions(lab: Lab) -> list[int]:
    with lab.desk.archive.reading() as session:
        return sorted(mission.number for mission in session.query(Mission).all())


def intents(lab: Lab) -> int:
    with lab.desk.archive.reading() as session:
        return session.query(LaunchIntent).count()


def begin(lab: Lab) -> int:
    """An old mission with readings, all kept but the newest; returns its number."""
    done = launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    lab.later(95)
    offload_logger(lab.desk, lab.standin.address, lab.serial)
    return done.mission


@pytest.mark.parametrize("mute", [False, True], ids=["question unheard", "answer lost"])
def test_cut_off_at_every_message(lab: Lab, mute: bool) -> None:
    number = begin(lab)
    outcomes, cut, failed = set(), 0, True
    while failed:
        lab.later(7)
        offload_logger(lab.desk, lab.standin.address, lab.serial)
        before = contact(lab.desk, lab.standin.address, lab.serial)
        plan = replace(NEW, interval_s=60 + cut)
        lab.standin.order("fault", vanish_after_answers=cut, mute_last=mute)
        failed = False
        try:
            launch(lab.desk, lab.standin.address, lab.serial, plan, AGAIN)
        except (DeviceError, NotKeptError):
            failed = True
        lab.standin.order("fault", vanish_after_answers=None)
        card = contact(lab.desk, lab.standin.address, lab.serial)
        assert card.plan in (before.plan, plan)  # never half a plan
        is_new = card.plan == plan
        assert card.state.mission_number == before.state.mission_number + is_new
        assert card.is_recording  # the old one goes on, or the new one runs
        assert card.readings_to_offload <= 7  # those of the minutes since the last offload
        assert intents(lab) == 0  # whatever was under way is settled by now
        assert card.state.mission_number in missions(lab)
        if failed and card.interrupted:
            outcomes.add("new" if is_new else "old")
            assert ("is in its new mission" in card.interrupted) == is_new
            assert logbook_entries(lab.desk)[0].act in ("launch settled", "launch")
        cut += 1
        assert cut < 200
    assert cut > 20  # a launch takes so many messages at least
    assert outcomes == {"old", "new"}
    assert number in missions(lab)
    assert verify(lab.desk).is_intact


def test_a_launch_killed_before_it_was_recorded_is_entered_at_the_next_contact(lab: Lab) -> None:
    begin(lab)
    lab.later(7)
    lab.standin.order("fault", vanish_after_commit=True)
    with pytest.raises(DeviceError):
        launch(lab.desk, lab.standin.address, lab.serial, NEW)
    assert intents(lab) == 1
    card = contact(lab.desk, lab.standin.address, lab.serial)
    assert "The interrupted launch did happen:" in card.interrupted
    assert card.plan == NEW
    launched = next(e for e in logbook_entries(lab.desk) if e.act == "launch settled")
    assert launched.details["act"]["mission"]["plan"] == NEW.as_dict()
    assert contact(lab.desk, lab.standin.address, lab.serial).interrupted == ""


def test_a_second_contact_between_any_two_messages_settles_nothing(
    lab: Lab, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Somebody looks at the logger, and offloads it, at every moment of its launch: the note is
    its owner's, the mission is entered once, nothing false is written."""
    begin(lab)
    plain, heard = ModbusTcp.answers, {"now": 0, "at": -1, "busy": False}

    def answers(line: ModbusTcp, asked: list[ModbusPDU]) -> Iterator[ModbusPDU]:
        heard["now"] += not heard["busy"]
        if heard["now"] == heard["at"] and not heard["busy"]:
            heard["busy"] = True
            card = contact(lab.desk, lab.standin.address, lab.serial)
            assert card.interrupted == ""
            with suppress(LoggerBusyError):  # the launch itself is fetching just now
                offload_logger(lab.desk, lab.standin.address, lab.serial)
            heard["busy"] = False
        yield from plain(line, asked)

    monkeypatch.setattr(ModbusTcp, "answers", answers)
    at, reached = 0, True
    while reached:
        lab.later(7)
        heard |= {"now": 0, "at": at}
        before = logbook_entries(lab.desk)[0].seq
        done = launch(lab.desk, lab.standin.address, lab.serial, NEW, AGAIN)
        reached = heard["now"] >= at
        acts = [e.act for e in logbook_entries(lab.desk) if e.seq > before]
        assert acts.count("launch") == 1
        assert not {"launch settled", "launch failed"} & set(acts)
        assert missions(lab).count(done.mission) == 1
        assert intents(lab) == 0
        at += 1
    assert at > 15  # a launch takes so many questions at least
    assert verify(lab.desk).is_intact


def test_a_launch_has_one_owner_at_a_time(lab: Lab) -> None:
    begin(lab)
    with (
        owning_launch(lab.desk, lab.serial),
        pytest.raises(LoggerBusyError, match="D-2041 is being launched by another window"),
    ):
        launch(lab.desk, lab.standin.address, lab.serial, NEW)
    lab.later(1)
    launch(lab.desk, lab.standin.address, lab.serial, NEW)  # its owner is gone


def test_two_technicians_launching_the_same_logger(lab: Lab, tmp_path_factory) -> None:  # type: ignore[no-untyped-def]
    """The other one has launched it meanwhile; ours is told and its intent is dropped."""
    begin(lab)
    lab.standin.order("fault", vanish_after_answers=24)
    with pytest.raises(DeviceError):
        launch(lab.desk, lab.standin.address, lab.serial, NEW)
    lab.standin.order("fault", vanish_after_answers=None)
    from gezeiten.desk.logger.contact import session_with

    other = replace(STORE_PLAN, mission_name="Somebody else's")
    with session_with(lab.desk, lab.standin.address) as (session, _):
        session.stage_plan(other)
        session.command(reg.LoggerCommand.LAUNCH, expected=session.state().readings)
    card = contact(lab.desk, lab.standin.address, lab.serial)
    if card.interrupted:
        assert "somebody else has launched it" in card.interrupted
    assert card.plan == other
    assert intents(lab) == 0


def test_another_computers_preparation_in_between_is_refused(lab: Lab) -> None:
    begin(lab)
    lab.standin.order("fault", lose_prepare=True)
    with pytest.raises(LoggerRefusedError, match="nothing was prepared"):
        launch(lab.desk, lab.standin.address, lab.serial, NEW)
    card = contact(lab.desk, lab.standin.address, lab.serial)
    assert (card.plan, card.is_recording, card.interrupted) == (STORE_PLAN, True, "")


def test_a_logger_too_quick_to_follow_is_stopped_and_fetched_whole(lab: Lab) -> None:
    quick = replace(STORE_PLAN, interval_s=1)
    launch(lab.desk, lab.standin.address, lab.serial, quick)
    lab.later(2)
    offload_logger(lab.desk, lab.standin.address, lab.serial)
    lab.clock.set(lab.clock.now_ms(), 40.0)  # forty readings in every second
    lab.standin.order("time", ms=lab.clock.now_ms(), speed=40.0)
    done = launch(lab.desk, lab.standin.address, lab.serial, NEW, AGAIN)
    assert done.plan == NEW
    assert verify(lab.desk).is_intact
    with lab.desk.archive.reading() as session:
        first = session.query(Mission).order_by(Mission.number).first()
        assert first is not None
        assert first.state == "stopped"
