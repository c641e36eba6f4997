"""Tideboard, Field desk, Logbook and the window itself on the demonstration's archive."""

from __future__ import annotations

import re
import threading
from datetime import datetime
from zoneinfo import ZoneInfo

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QLabel
from pytestqt.qtbot import QtBot

from gezeiten.desk.base.settings import load_settings
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.gaps import gaps, open_gaps
from gezeiten.desk.office.verification import verify
from gezeiten.desk.record.excursion_book import to_assess
from gezeiten.domain.series.timeline import DAY_MS
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.window import MainWindow
from gezeiten.ui.tideboard.canvas import HitArea
from gezeiten.ui.tideboard.texts import row_text
from tests.ui_help import PATIENCE_MS, idle, press, type_into


# -- Tideboard -----------------------------------------------------------------------------------
def hits(window: MainWindow) -> list[HitArea]:
    canvas = window.places[places.TIDEBOARD].canvas
    window.grab()
    return canvas._hits


def test_the_strip_counts_open_work(window: MainWindow, demo_desk: Workspace) -> None:
    lines = [tab._line for tab in window.strip.tabs]
    assert lines[places.TIDEBOARD] == "4 visits due"
    assert lines[places.MEND] == f"{open_gaps(demo_desk)} gaps"
    assert lines[places.TRENDS] == "13 points"
    assert lines[places.EXCURSIONS] == f"{to_assess(demo_desk)} to assess"
    assert lines[places.LOGBOOK] == "intact"


def test_a_click_on_a_gap_leads_to_mend(window: MainWindow, qtbot: QtBot) -> None:
    hit = next(h for h in hits(window) if h.text.startswith("gap") and h.row.serial == "P-0321")
    canvas = window.places[places.TIDEBOARD].canvas
    QTest.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=hit.area.center().toPoint())
    idle(qtbot, window)
    mend = window.places[places.MEND]
    assert window.stack.currentWidget() is mend
    assert mend.list.selected().point.name == "Piezometer K2"
    assert "2,640 readings missing" in mend.picture.title.text()


def test_a_click_on_a_triangle_leads_to_the_excursion(window: MainWindow, qtbot: QtBot) -> None:
    hit = next(h for h in hits(window) if "to assess" in h.text and h.row.serial == "R-1107")
    canvas = window.places[places.TIDEBOARD].canvas
    QTest.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=hit.area.center().toPoint())
    idle(qtbot, window)
    shown = window.places[places.EXCURSIONS]._event
    assert shown.id == hit.item.id
    assert window.stack.currentIndex() == places.EXCURSIONS


def test_a_click_on_what_is_on_the_logger_leads_to_the_field_desk(
    window: MainWindow, qtbot: QtBot
) -> None:
    hit = next(h for h in hits(window) if h.item == "logger" and h.row.serial == "P-0330")
    canvas = window.places[places.TIDEBOARD].canvas
    QTest.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=hit.area.center().toPoint())
    idle(qtbot, window)
    assert window.stack.currentIndex() == places.FIELD_DESK
    loggers = window.places[places.FIELD_DESK].loggers
    assert loggers.current_card().serial == "P-0330"
    # in sight, however many cards came in above it
    shown = loggers.visualItemRect(loggers.currentItem())
    assert loggers.viewport().rect().contains(shown)


def test_a_click_on_the_record_leads_to_trends(window: MainWindow, qtbot: QtBot) -> None:
    hit = next(h for h in hits(window) if h.item == "record" and h.row.serial == "W-0112")
    at = hit.area.center().toPoint() + QPoint(30, 0)
    canvas = window.places[places.TIDEBOARD].canvas
    QTest.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=at)
    idle(qtbot, window)
    assert [p.name for p in window.places[places.TRENDS].points()] == ["Barometer hut"]


def test_the_board_by_keyboard(window: MainWindow, qtbot: QtBot) -> None:
    canvas = window.places[places.TIDEBOARD].canvas
    canvas.setFocus()
    for _ in range(5):
        press(window, "Down")
    assert canvas.row.point.name == "Piezometer K2"
    assert "1 gap" in canvas.accessibleDescription()
    assert row_text(canvas.row) == canvas.accessibleDescription()
    press(window, "Return")
    idle(qtbot, window)
    assert window.stack.currentIndex() == places.MEND


def test_setting_the_next_visit(window: MainWindow, qtbot: QtBot, demo_desk: Workspace) -> None:
    board = window.places[places.TIDEBOARD]
    press(window, "V")
    dialog = next(child for child in board.children() if hasattr(child, "day"))
    type_into(dialog.day, "the day after")
    dialog._accept()
    assert "type it like 2 Dec 2026 08:00 or 2026-12-02 08:00" in (dialog.problem.text())
    type_into(dialog.day, "2027-02-03 08:30")
    zone = board.canvas.board.sites[0][0].zone
    wanted = round(datetime(2027, 2, 3, 8, 30, tzinfo=ZoneInfo(zone)).timestamp() * 1000)
    dialog._accept()
    idle(qtbot, window)
    assert board.canvas.board.sites[0][0].next_visit_ms == wanted


# -- Field desk ----------------------------------------------------------------------------------
def test_a_plan_being_edited_survives_looking_again_and_another_logger(
    window: MainWindow, qtbot: QtBot
) -> None:
    window.show_place(places.FIELD_DESK, "D-2044")
    idle(qtbot, window)
    field = window.places[places.FIELD_DESK]
    assert field.model.card.serial == "D-2044"
    type_into(field.editor.times.interval, "17 min")
    press(window, "F5")
    idle(qtbot, window)
    assert field.editor.times.interval.text() == "17 min"
    press(window, "Ctrl+Down")
    idle(qtbot, window)
    assert field.model.card.serial != "D-2044"
    assert field.editor.times.interval.text() != "17 min"
    press(window, "Ctrl+Up")
    idle(qtbot, window)
    assert field.editor.plan().interval_s == 17 * 60


def test_all_loggers_at_hand_in_one_act(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    before = verify(demo_desk).offloads
    window.show_place(places.FIELD_DESK)
    idle(qtbot, window)
    field = window.places[places.FIELD_DESK]
    waiting = sum(1 for card in field.loggers.cards() if card.readings_to_offload)
    press(window, "Shift+F6")
    idle(qtbot, window)
    qtbot.waitUntil(  # they go on meanwhile
        lambda: all(card.readings_to_offload < 30 for card in field.loggers.cards()),
        timeout=PATIENCE_MS,
    )
    verdict = verify(demo_desk)
    assert verdict.is_intact
    assert verdict.offloads == before + waiting
    [k2] = [g for g in gaps(demo_desk) if g.point.name == "Piezometer K2"] or [None]
    assert k2 is None  # the eleven days came along with the rest
    press(window, "Ctrl+1")
    idle(qtbot, window)
    rows = [
        row for _, listed in window.places[places.TIDEBOARD].canvas.board.sites for row in listed
    ]
    assert not any(row.on_logger and row.on_logger[1] - row.on_logger[0] > DAY_MS for row in rows)


def test_what_is_to_offload_is_one_count_wherever_it_is_said(
    window: MainWindow, qtbot: QtBot
) -> None:
    window.show_place(places.FIELD_DESK)
    idle(qtbot, window)
    field = window.places[places.FIELD_DESK]
    seen = set()
    for _ in range(4):
        card = field.model.card
        seen.add(card.serial)
        row = field.loggers.item_of(card.serial).data(Qt.ItemDataRole.AccessibleTextRole)
        texts = [row, field.stages.accessibleDescription() or field.stages.toolTip()]
        for its in (QLabel, QAbstractButton):
            texts += [one.text() for one in field.findChildren(its) if one.isVisible()]
        said = [
            re.sub(r"[^0-9]", "", count) for text in texts for count in _TO_OFFLOAD.findall(text)
        ]
        assert len(said) >= (4 if card.readings_to_offload else 0), texts
        assert set(said) <= {str(card.readings_to_offload)}
        press(window, "Ctrl+Down")
        idle(qtbot, window)
    assert len(seen) == 4


_TO_OFFLOAD = re.compile(
    r"[0-9][0-9,]*(?= readings to offload|\s+to offload| of them after offloading| and launch)"
)


def test_stopping_keeps_what_came_and_says_so(window: MainWindow, qtbot: QtBot) -> None:
    window.show_place(places.FIELD_DESK, "P-0331")
    idle(qtbot, window)
    field = window.places[places.FIELD_DESK]
    assert field.model.card.serial == "P-0331"
    press(window, "F6")
    field.runner.cancel()
    idle(qtbot, window)
    assert "received so far are saved" in window.message.text() or "readings saved" in (
        window.message.text()
    )
    press(window, "F6")
    idle(qtbot, window)
    assert field.model.card.readings_to_offload <= 2  # it goes on recording


def test_a_wrong_field_stays_to_be_corrected(window: MainWindow, qtbot: QtBot) -> None:
    window.show_place(places.FIELD_DESK, "P-0317")
    idle(qtbot, window)
    field = window.places[places.FIELD_DESK]
    type_into(field.editor.times.interval, "six")
    press(window, "F5")
    idle(qtbot, window)
    assert field.editor.times.interval.text() == "six"
    assert "is not an interval" in field.editor.times.problem.text()
    assert not any(check.weight == "passed" for check in field.model.checks)


def test_loggers_show_what_is_not_kept(window: MainWindow, qtbot: QtBot) -> None:
    window.show_place(places.FIELD_DESK)
    idle(qtbot, window)
    field = window.places[places.FIELD_DESK]
    assert field.loggers.count() == 13
    assert window.strip.tabs[places.FIELD_DESK]._line == "13 connected"
    words = field.loggers.item_of("P-0320").data(Qt.ItemDataRole.AccessibleTextRole)
    assert "to offload" in words
    assert "Piezometer K1" in words
    assert field.loggers.card("P-0320").clock.difference_ms == pytest.approx(-48_000, abs=1500)


# -- the window -----------------------------------------------------------------------------------
def test_the_finder_reaches_every_act(window: MainWindow, qtbot: QtBot) -> None:
    from gezeiten.ui.shell.finder import Finder

    finder = Finder(window, window.commands())
    qtbot.addWidget(finder)
    finder.entry.setText("go to mend")
    assert finder.hits.count() == 1
    finder.run_selected()
    idle(qtbot, window)
    assert window.stack.currentIndex() == places.MEND
    ids = [act.id for act in window.commands()]
    assert len(ids) == len(set(ids))


def test_the_finder_knows_the_words_people_use(window: MainWindow, qtbot: QtBot) -> None:
    from gezeiten.ui.shell.finder import Finder
    from gezeiten.ui.shell.search_words import search_words

    finder = Finder(window, window.commands())
    qtbot.addWidget(finder)
    for typed, title in (
        ("excel", "Export CSV"),
        ("print doc", "Export PDF"),
        ("month", "Daily statistics"),
        ("clock wrong", "Corrections of the series"),
        ("battery", "History of the selected logger"),
    ):
        finder.entry.clear()
        QTest.keyClicks(finder.entry, typed)
        titles = [finder.hits.item(i).text() for i in range(finder.hits.count())]
        assert any(shown.startswith(title) for shown in titles), typed
    assert set(search_words()) <= {command.id for command in window.commands()}


def test_no_two_acts_of_a_place_share_a_key(window: MainWindow) -> None:
    everywhere = [act.key for act in window.commands() if act.place < 0 and act.key]
    for place in range(7):
        keys = [act.key for act in window.commands() if act.place == place and act.key]
        assert len(keys + everywhere) == len(set(keys + everywhere)), place


def test_a_theme_and_a_size_of_text_are_kept(window: MainWindow) -> None:
    window.set_theme("dark")
    window.resize_text(25)
    settings = load_settings(window.context.desk.folder / "settings.json")
    assert (settings.theme, settings.font_percent) == ("dark", 125)


# -- the window ------------------------------------------------------------------------------------
def test_messages_go_when_they_are_old(
    window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("gezeiten.ui.shell.window.SAY_MS", 30)
    monkeypatch.setattr("gezeiten.ui.shell.window.COMPLAIN_MS", 60)
    for complaint in (False, True):
        window.context.said.emit("Something was said.", complaint)
        assert window.message.text() == "Something was said."
        qtbot.waitUntil(lambda: not window.message.text(), timeout=10_000)


def test_closing_waits_for_what_runs_and_says_so(window: MainWindow, qtbot: QtBot) -> None:
    may_end, seen = threading.Event(), []

    def work(_task: object) -> None:
        may_end.wait(60)
        with window.context.desk.archive.reading() as session:  # disposed of, this would fail
            seen.append(session.connection().exec_driver_sql("SELECT 1").scalar())

    window.context.run(work, lambda _: None)
    window.close()
    assert window.isVisible()
    assert window.message.text().startswith(
        "Closing when the running work has ended; readings received so far are saved."
    )
    may_end.set()
    qtbot.waitUntil(lambda: not window.isVisible(), timeout=PATIENCE_MS)
    assert seen == [1]
