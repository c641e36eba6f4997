"""The whole work through the real window: find, offload, plan, launch, offload again, look,
settle, hand over; by keyboard, on a stand-in whose time is sped up."""

from __future__ import annotations

import csv
from pathlib import Path

import numpy as np
import polars as pl
import pypdf
import pytest
from pytestqt.qtbot import QtBot

from gezeiten.desk.office.issuing import issued_documents
from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.office.verification import verify
from gezeiten.desk.record.excursion_book import excursions
from gezeiten.desk.record.statements.site_editor import save_site
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import point_named
from gezeiten.domain.facts.sites import SiteFacts
from gezeiten.domain.series.timeline import DAY_MS
from gezeiten.link import registers as reg
from gezeiten.link.lines.modbus import ModbusTcp
from gezeiten.link.session import LoggerSession
from gezeiten.ui.field.logger.stage_states import LAUNCH
from gezeiten.ui.plan.editor import PlanEditor
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.window import MainWindow
from tests.conftest import ANCHOR_MS, COLD_PLAN, Lab
from tests.ui_help import PATIENCE_MS, idle, open_window, press, type_into


@pytest.fixture
def old_mission(cold_lab: Lab) -> Lab:
    """A colleague launched this logger; it holds half a day that this archive has never seen."""
    with ModbusTcp(cold_lab.standin.address) as line:
        session = LoggerSession(line)
        session.stage_plan(COLD_PLAN)
        session.command(reg.LoggerCommand.LAUNCH)
    visit = ANCHOR_MS + 5 * DAY_MS
    save_site(cold_lab.desk, SiteFacts("Saatgutspeicher", "seed bank", next_visit_ms=visit))
    cold_lab.later(12 * 60)
    return cold_lab


def run_fast(lab: Lab, qtbot: QtBot, readings: int) -> None:
    """Let the time of logger and computer run forty thousand times as fast for a while."""
    now = lab.clock.now_ms()
    lab.clock.set(now, 40_000.0)
    lab.standin.order("time", ms=now, speed=40_000.0)
    qtbot.waitUntil(lambda: lab.standin.order("state")["readings"] >= readings, timeout=PATIENCE_MS)
    lab.go_to(lab.standin.order("state")["now_ms"])


def message(window: MainWindow) -> str:
    return window.message.text()


def test_from_find_to_handover(qtbot: QtBot, old_mission: Lab, tmp_path: Path) -> None:
    lab, desk = old_mission, old_mission.desk
    window = open_window(qtbot, desk)
    field = window.places[places.FIELD_DESK]

    # find: the logger is there and says what nobody has
    press(window, "Ctrl+2")
    idle(qtbot, window)
    assert field.model.card is not None
    assert field.model.card.serial == "R-1107"
    assert "143" in field.main.text() or "144" in field.main.text()
    assert field.main.text().startswith("Offload 14")
    assert "and launch again\nfirst reading " in field.main.text()
    assert field.right.only.isVisible()

    # nothing is launched while anything on it cannot be fetched
    lab.standin.order("fault", vanish_after_bytes=1_500)
    press(window, "F9")
    idle(qtbot, window)
    assert (
        "was disconnected; readings received so far are saved, connect it again to continue."
    ) in message(window)
    assert lab.standin.order("state")["doing"] == "logging"

    # offload
    press(window, "F6")
    idle(qtbot, window)
    assert "144 readings saved" in message(window)
    assert field.model.card.readings_to_offload == 0
    point = point_named(desk, "Cold room A")
    before = len(record(desk, point.id, "probe_temperature"))
    assert before in (143, 144)

    # plan: another interval and a tighter limit; the outlook moves
    press(window, "Alt+4")
    editor: PlanEditor = field.editor
    first_outlook = field.chosen.plan_page.bars.accessibleDescription()
    type_into(editor.times.interval, "10 min")
    assert field.chosen.plan_page.bars.accessibleDescription() != first_outlook
    limit = editor.channels.line_of("probe_temperature").limits[0]
    type_into(limit.value, "6.5")
    type_into(limit.delay, "20 min")
    plan = editor.plan()
    assert plan is not None
    assert plan.interval_s == 600
    assert plan.rules_for("probe_temperature")[0].value == 6.5

    # launch
    idle(qtbot, window)
    assert field.main.text().startswith("Launch R-1107\nfirst reading ")
    press(window, "F9")
    idle(qtbot, window)
    assert "plan read back, the same" in message(window)
    assert field.stages.current == LAUNCH
    with ModbusTcp(lab.standin.address) as line:
        on_logger = LoggerSession(line).plan()
    assert on_logger == plan

    # it records, sped up, through the night in which the fuse trips
    run_fast(lab, qtbot, 450)
    press(window, "F5")
    idle(qtbot, window)
    assert field.model.card.readings_to_offload >= 450
    press(window, "F6")
    idle(qtbot, window)
    series = record(desk, point.id, "probe_temperature")
    assert len(series) >= before + 450

    # Trends shows them
    press(window, "Ctrl+4")
    idle(qtbot, window)
    trends = window.places[places.TRENDS]
    assert [p.name for p in trends.points()] == ["Cold room A"]
    trends.show_days(0)
    lane = trends.lanes[0]
    assert lane.traces[0].view.measured == len(series)
    drawn, _ = trends.chart._drawn[0].curves[0]
    assert np.nanmax(drawn.yData) == pytest.approx(series.values.max())

    # Excursions has the night, and it is settled in words
    press(window, "Ctrl+5")
    idle(qtbot, window)
    events = window.places[places.EXCURSIONS]
    event = next(e for e in excursions(desk) if e.mission == field.model.card.state.mission_number)
    assert event.rule.value == 6.5
    events.show_target(event.id)
    idle(qtbot, window)
    press(window, "Alt+3")  # cause: Power
    type_into(events.words, "Fuse tripped in the night; reset at seven.")
    press(window, "Ctrl+Return")
    idle(qtbot, window)
    settled = next(e for e in excursions(desk) if e.id == event.id)
    assert (settled.cause, settled.settled_by) == ("Power", "JA")

    # Handover: both documents, read again by other libraries
    press(window, "Ctrl+6")
    idle(qtbot, window)
    press(window, "Ctrl+E")
    idle(qtbot, window)
    assert "exported and read back:" in message(window)
    press(window, "Ctrl+R")
    idle(qtbot, window)
    handed = {document.kind: Path(document.file_name) for document in issued_documents(desk)}
    frame = pl.read_csv(handed["csv"], infer_schema_length=None)
    assert frame["Store temperature [°C]"].max() == pytest.approx(series.values.max())
    with handed["csv"].open(newline="") as lines:
        assert sum(1 for _ in csv.reader(lines)) == frame.height + 1
    text = "".join(page.extract_text() for page in pypdf.PdfReader(handed["pdf"]).pages)
    assert "Fuse tripped in the night" in text.replace("\n", " ")

    # Logbook: every act is there, and the archive is whole
    acts = [entry.act for entry in logbook_entries(desk)]
    for act in ("offload", "launch", "settle", "handover"):
        assert act in acts
    assert verify(desk).is_intact


def test_a_logger_that_vanishes_in_the_middle_is_one_sentence(
    qtbot: QtBot, old_mission: Lab
) -> None:
    window = open_window(qtbot, old_mission.desk)
    field = window.places[places.FIELD_DESK]
    press(window, "Ctrl+2")
    idle(qtbot, window)
    old_mission.standin.order("fault", vanish_after_bytes=1_500)
    press(window, "F6")
    idle(qtbot, window)
    assert (
        "was disconnected; readings received so far are saved, connect it again to continue."
    ) in message(window)
    press(window, "F6")
    idle(qtbot, window)
    assert field.model.card.readings_to_offload == 0
    assert verify(old_mission.desk).is_intact


def test_a_refused_plan_is_one_sentence_and_the_old_mission_goes_on(
    qtbot: QtBot, old_mission: Lab
) -> None:
    window = open_window(qtbot, old_mission.desk)
    field = window.places[places.FIELD_DESK]
    press(window, "Ctrl+2")
    idle(qtbot, window)
    press(window, "F6")
    idle(qtbot, window)
    old_mission.standin.order("fault", refuse_launch=True)
    press(window, "F9")
    idle(qtbot, window)
    assert "R-1107 refused: the plan does not fit this model; nothing on it was changed." in (
        message(window)
    )
    assert field.model.card.is_recording
    assert logbook_entries(old_mission.desk, action="launch failed")


def test_another_logger_at_the_address_is_noticed(qtbot: QtBot, old_mission: Lab) -> None:
    window = open_window(qtbot, old_mission.desk)
    press(window, "Ctrl+2")
    idle(qtbot, window)
    old_mission.standin.order("fault", serial="R-1109")
    press(window, "F6")
    idle(qtbot, window)
    assert "R-1109 answers" in message(window)
    assert "nothing was changed" in message(window)
