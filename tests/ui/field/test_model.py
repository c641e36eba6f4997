"""What the Field desk knows and what comes next; no window, no Qt."""

from __future__ import annotations

from dataclasses import replace
from types import SimpleNamespace
from typing import Any

import pytest

from gezeiten.desk.field.readiness import LoggerWithStart, Readiness, Start
from gezeiten.desk.logger.launch.launch_checks import BEGUN_KEY, Check
from gezeiten.ui.field.model import FieldModel, NextAction, launch_kind
from tests.conftest import STORE_PLAN

GROUP = NextAction("several", loggers=2)
WORD = Check("look", "Its battery is low.", key="battery", needs_reason=True)
PIN = Check("blocking", "It is locked.", key="pin")
FAULT = Check("blocking", "No channel is on.", field="plan")


def card(serial: str, mission: int = 4, readings: int = 0) -> Any:
    state = SimpleNamespace(mission_number=mission)
    return SimpleNamespace(
        serial=serial, point="Site · " + serial, readings_to_offload=readings, state=state
    )


def desk(*serials: str) -> FieldModel:
    model = FieldModel("UTC")
    for serial in serials:
        start = Start(STORE_PLAN, "last", STORE_PLAN, STORE_PLAN, "open", "")
        model.add_card(LoggerWithStart(card(serial), start))
    return model


def choose(model: FieldModel, serial: str, *checks: Check) -> None:
    """As the window does: another logger, its plan in the editor, its checks known."""
    model.chosen = serial
    model.typed = model.plans.change_to(serial, STORE_PLAN) or STORE_PLAN
    model.ready = Readiness(checks, None, None, None, "")


def launch(model: FieldModel, serial: str, mission: int = 5) -> None:
    model.cards[serial] = card(serial, mission)
    model.launched[serial] = SimpleNamespace(mission=mission)  # type: ignore[assignment]
    model.forget_typed(serial)


def test_loggers_stand_in_the_order_of_serials_whoever_answers_first() -> None:
    model = desk("R-2", "D-1", "P-3")
    assert list(model.cards) == ["D-1", "P-3", "R-2"]
    model.ticks = {"R-2": None, "D-1": None}
    assert [one.serial for one in model.ticked] == ["D-1", "R-2"]
    model.leave({"R-2", "P-3"})
    assert (list(model.cards), model.is_group) == (["P-3", "R-2"], False)


def test_the_top_one_is_chosen_until_a_hand_was_at_the_desk() -> None:
    model = desk("P-3")
    assert model.serial_to_select(card("P-3")) == "P-3"
    choose(model, "P-3")
    model = desk("P-3", "D-1")
    model.chosen = "P-3"
    assert model.serial_to_select(card("D-1")) == "D-1"
    model.is_touched = True
    assert model.serial_to_select(card("D-1")) is None


def test_what_was_typed_keeps_its_logger_chosen() -> None:
    model = desk("P-3", "D-1")
    choose(model, "P-3")
    model.typed = replace(STORE_PLAN, remark="mine")
    assert model.serial_to_select(card("D-1")) is None


def test_one_that_is_wanted_is_chosen_when_it_answers_and_no_other() -> None:
    model = desk("D-1", "P-3")
    model.wanted = "P-3"
    assert model.serial_to_select(card("D-1")) is None
    assert model.serial_to_select(card("P-3")) == "P-3"


@pytest.mark.parametrize(
    ("checks", "kind"),
    [
        ((), "launch"),
        ((WORD,), "accept"),
        ((PIN, WORD), "pin"),
        ((PIN, FAULT), "blocked"),
        ((FAULT, WORD), "blocked"),
    ],
)
def test_checks_say_what_is_done_first(checks: tuple[Check, ...], kind: str) -> None:
    assert launch_kind(checks) == kind
    model = desk("D-1")
    choose(model, "D-1", *checks)
    act = model.next_action(GROUP, is_busy=False)
    assert (act.kind, act.serial, act.repeats_last) == (kind, "D-1", True)


def test_nothing_can_be_done_while_something_runs_or_is_not_known() -> None:
    model = desk("D-1")
    assert model.next_action(GROUP, is_busy=False) == NextAction("")
    choose(model, "D-1")
    assert model.next_action(GROUP, is_busy=True) == NextAction("")
    model.ready = None
    assert model.next_action(GROUP, is_busy=False) == NextAction("")


def test_from_one_launched_to_the_next_that_is_not() -> None:
    model = desk("D-1", "P-3", "R-2")
    choose(model, "P-3")
    launch(model, "P-3")
    choose(model, "P-3")
    assert model.next_action(GROUP, is_busy=False) == NextAction("next", "R-2")
    launch(model, "R-2")
    assert model.next_action(GROUP, is_busy=False) == NextAction("next", "D-1")
    launch(model, "D-1")
    assert model.next_action(GROUP, is_busy=False) == NextAction("done", "")


def test_one_that_is_meant_for_something_else_since_is_not_done() -> None:
    model = desk("D-1")
    choose(model, "D-1")
    launch(model, "D-1")
    choose(model, "D-1", WORD, Check("look", "Just begun.", key=BEGUN_KEY), Check("passed", "!"))
    assert model.checks_shown() == [WORD]
    model.typed = replace(STORE_PLAN, remark="another")
    assert not model.is_done(model.cards["D-1"])
    assert model.checks_shown() is None
    choose(model, "D-1")
    model.cards["D-1"] = card("D-1", mission=6)  # somebody else launched it
    assert not model.is_done(model.cards["D-1"])


def test_several_are_launched_together_until_all_are() -> None:
    model = desk("D-1", "P-3", "R-2")
    choose(model, "D-1")
    model.ticks = {"D-1": None, "P-3": None}
    assert model.next_action(GROUP, is_busy=False) == GROUP
    launch(model, "D-1")
    launch(model, "P-3")
    assert model.next_action(GROUP, is_busy=False) == NextAction("next", "R-2")


def test_what_was_typed_for_one_waits_for_its_return() -> None:
    model = desk("D-1", "P-3")
    choose(model, "D-1")
    mine = replace(STORE_PLAN, remark="mine")
    model.plans.keep(mine)
    choose(model, "P-3")
    assert model.typed == STORE_PLAN
    choose(model, "D-1")
    assert model.typed == mine
