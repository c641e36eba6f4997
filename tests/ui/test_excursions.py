"""Excursions: listed, settled one by one or several at once, taken back; words survive."""

from __future__ import annotations

from itertools import pairwise

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel, QPushButton, QStyleOptionViewItem
from pytestqt.qtbot import QtBot
from sqlalchemy import select

from gezeiten.archive.store.tables import AssessmentRow
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.record.excursion_book import excursions, settle, to_assess
from gezeiten.domain.series.timeline import DAY_MS
from gezeiten.errors import InputError
from gezeiten.ui.excursions.place import ExcursionsPlace
from gezeiten.ui.excursions.replace_dialog import ReplaceDialog
from gezeiten.ui.parts.site_list import ListLine, SiteList
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.window import MainWindow
from tests.ui_help import idle, press, type_into


def test_those_to_assess_come_first_within_their_site(window: MainWindow, qtbot: QtBot) -> None:
    window.show_place(places.EXCURSIONS)
    idle(qtbot, window)
    things = [thing for _, thing in window.places[places.EXCURSIONS].list._items_by_row()]
    by_site: dict[str, list[bool]] = {}
    for event in things:
        by_site.setdefault(event.point.site, []).append(event.is_settled)
    assert all(states == sorted(states) for states in by_site.values())


def test_settling_without_words_is_one_sentence(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    count = to_assess(demo_desk)
    window.show_place(places.EXCURSIONS)
    idle(qtbot, window)
    press(window, "Alt+3")
    press(window, "Ctrl+Return")
    idle(qtbot, window)
    assert "Enter a comment" in window.message.text()
    assert to_assess(demo_desk) == count


def test_an_assessment_is_shown_and_taken_back(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    event = next(e for e in excursions(demo_desk) if e.is_settled)
    window.show_place(places.EXCURSIONS)
    idle(qtbot, window)
    place = window.places[places.EXCURSIONS]
    place.show_target(event.id)
    idle(qtbot, window)
    assert place.words.toPlainText() == event.comment
    assert place.causes.checkedButton().text() == event.cause
    place.reopen()
    idle(qtbot, window)
    assert not next(e for e in excursions(demo_desk) if e.id == event.id).is_settled


def test_words_survive_choosing_refreshing_and_a_crash(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    window.show_place(places.EXCURSIONS)
    idle(qtbot, window)
    place = window.places[places.EXCURSIONS]
    first = place._event
    press(window, "Alt+2")
    press(window, "Ctrl+E")
    QTest.keyClicks(place.words, "The door stood open. Lots 14 to 22 were moved.")
    place.words.insertPlainText("\nAsked twice.")
    press(window, "Ctrl+Down")
    idle(qtbot, window)
    assert place._event.id != first.id
    assert place.words.toPlainText() == place._event.comment
    window.context.archive_changed.emit()
    idle(qtbot, window)
    press(window, "Ctrl+Up")
    idle(qtbot, window)
    said = "The door stood open. Lots 14 to 22 were moved.\nAsked twice."
    assert place.words.toPlainText() == said
    assert place.causes.checkedId() == 1
    assert place.state.text() == "Not assessed yet; your comment is kept."
    place._drafts.save()
    idle(qtbot, window)
    again = open_workspace(demo_desk.archive.folder)  # as after a crash: nothing was closed
    assert said in again.drafts.get(first.draft_key)
    again.close()
    press(window, "Ctrl+Return")
    idle(qtbot, window)
    settled = next(e for e in excursions(demo_desk) if e.id == first.id)
    assert settled.comment == said
    assert demo_desk.drafts.get(first.draft_key) == ""


def test_several_are_settled_at_once_and_the_next_is_at_the_same_site(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    window.show_place(places.EXCURSIONS)
    idle(qtbot, window)
    place = window.places[places.EXCURSIONS]
    by_site: dict[str, list[int]] = {}
    for event in place.list.shown_items():
        if not event.is_settled:
            by_site.setdefault(event.point.site, []).append(event.id)
    _, ids = next((s, i) for s, i in by_site.items() if len(i) >= 4)
    place.show_target(ids[1])
    idle(qtbot, window)
    place.list.setFocus()
    QTest.keyClick(place.list, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    assert place.settle_button.text() == "Save 2 assessments"
    named = {event.point.name for event in place.list.marked()}
    assert len(place.marks.text().split("\n")) == 2
    assert all(name in place.marks.text() for name in named)
    window.context.archive_changed.emit()  # marks survive what comes in meanwhile
    idle(qtbot, window)
    earlier = next(e for e in excursions(demo_desk) if e.is_settled)
    place.reuse_comment(earlier.cause, earlier.comment)
    press(window, "Ctrl+Return")
    idle(qtbot, window)
    settled = {e.id for e in excursions(demo_desk) if e.comment == earlier.comment}
    assert settled >= set(ids[1:3])
    assert place._event.id == ids[3]  # as the list is sorted, at the same site
    assert window.message.text() == "2 excursions assessed; the next one is shown."
    assert [event.id for event in place.list.marked()] == [ids[3]]  # marks go after saving
    assert place.settle_button.text() == "Save assessment"
    place.show_target(ids[1])
    idle(qtbot, window)
    press(window, "Alt+Z")
    idle(qtbot, window)
    assert not next(e for e in excursions(demo_desk) if e.id == ids[1]).is_settled


def mark_two(window: MainWindow, qtbot: QtBot) -> tuple[ExcursionsPlace, list[int]]:
    """One that is assessed and, marked with it, one that is not; with a cause and words typed."""
    window.show_place(places.EXCURSIONS)
    idle(qtbot, window)
    place = window.places[places.EXCURSIONS]
    things = place.list.shown_items()
    at = next(i for i, (a, b) in enumerate(pairwise(things)) if not a.is_settled and b.is_settled)
    place.show_target(things[at].id)
    idle(qtbot, window)
    place.list.setFocus()
    QTest.keyClick(place.list, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    idle(qtbot, window)
    QTest.mouseClick(place.causes.button(0), Qt.MouseButton.LeftButton)
    type_into(place.words, "Door left open")
    return place, [things[at].id, things[at + 1].id]


def asked(window: MainWindow) -> ReplaceDialog:
    place = window.places[places.EXCURSIONS]
    QTest.mouseClick(place.settle_button, Qt.MouseButton.LeftButton)
    return next(one for one in window.findChildren(ReplaceDialog) if one.isVisible())


def test_an_assessment_is_replaced_only_when_somebody_says_so(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    place, [fresh, assessed] = mark_two(window, qtbot)
    before = {excursion.id: excursion for excursion in excursions(demo_desk)}
    dialog = asked(window)
    assert before[assessed].comment in dialog.findChildren(QLabel)[1].text()
    QTest.keyClick(dialog, Qt.Key.Key_Escape)  # nothing is written
    idle(qtbot, window)
    assert {excursion.id: excursion.comment for excursion in excursions(demo_desk)} == {
        key: one.comment for key, one in before.items()
    }
    dialog = asked(window)
    QTest.keyClick(dialog.focusWidget(), Qt.Key.Key_Return)  # without looking: the other alone
    idle(qtbot, window)
    now = {excursion.id: excursion for excursion in excursions(demo_desk)}
    assert now[fresh].comment == "Door left open"
    assert now[assessed].comment == before[assessed].comment
    with pytest.raises(InputError, match="One of these excursions is already assessed"):
        settle(demo_desk, [assessed], "Not known", "behind its back")
    place.show_target(assessed)
    idle(qtbot, window)
    type_into(place.words, "Lid left open")
    dialog = asked(window)
    replace = next(b for b in dialog.findChildren(QPushButton) if b.text() == "Replace")
    QTest.mouseClick(replace, Qt.MouseButton.LeftButton)
    idle(qtbot, window)
    assert (
        next(excursion for excursion in excursions(demo_desk) if excursion.id == assessed).comment
        == "Lid left open"
    )


def test_from_an_excursion_to_trends_and_back(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    events = excursions(demo_desk)
    for event in (events[0], events[-1]):
        window.show_place(places.EXCURSIONS, event.id)
        idle(qtbot, window)
        press(window, "Alt+T")
        window.places[places.TRENDS].refresh()  # something comes in while it loads
        idle(qtbot, window)
        trends = window.places[places.TRENDS]
        assert [point.id for point in trends.points()] == [event.point.id]
        assert trends.chart.mark == (event.start_ms, event.end_ms)
        start, end = trends.chart.view()
        assert start < event.start_ms < event.end_ms < end
        assert end - start < 4 * max(event.end_ms - event.start_ms, DAY_MS / 8)
        press(window, "Alt+B")
        idle(qtbot, window)
        assert window.stack.currentIndex() == places.EXCURSIONS
        assert window.places[places.EXCURSIONS]._event.id == event.id


def test_an_excursion_that_has_changed_since_says_what_it_was(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    event = next(e for e in excursions(demo_desk) if e.point.name == "Cold room A")
    settle(demo_desk, event.id, "Power", "Fuse.")
    with demo_desk.archive.writing() as session:
        row = session.scalars(select(AssessmentRow).order_by(AssessmentRow.id.desc())).first()
        row.seen = {**row.seen, "end_ms": event.start_ms + 3_600_000, "extreme": 9.25}
    window.context.archive_changed.emit()
    window.show_place(places.EXCURSIONS, event.id)
    idle(qtbot, window)
    place = window.places[places.EXCURSIONS]
    assert (
        "When it was assessed it lasted 1 h and reached 9.25 °C; assess it again."
        in place.state.text()
    )
    line = place.list.currentItem().data(Qt.ItemDataRole.UserRole)
    assert line.state == "Power · changed since assessment"


def test_lines_of_a_list_keep_their_height_when_the_scroll_bar_comes(qtbot: QtBot) -> None:
    site_list = SiteList("things")
    qtbot.addWidget(site_list)
    site_list.resize(260, 300)
    site_list.show()
    for width in range(90, 130, 2):  # somewhere there a name stands beside its figure just so
        name = "i" * (width // 2)
        lines = [ListLine("Shore", name, "12.4 °C", "", "", i) for i in range(20)]
        site_list.show_lines(lines, lambda a, b: a == b)
        qtbot.waitUntil(site_list.verticalScrollBar().isVisible)
        option = QStyleOptionViewItem()
        option.initFrom(site_list)
        for i in range(1, site_list.count()):
            index = site_list.model().index(i, 0)
            wanted = site_list.itemDelegate().sizeHint(option, index).height()
            assert site_list.visualRect(index).height() == wanted
