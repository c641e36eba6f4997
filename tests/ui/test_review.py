"""Mend, Trends, Excursions and Handover on the demonstration's archive: what they show, what they
keep, and the ways between them."""

from __future__ import annotations

import re
from datetime import datetime
from pathlib import Path
from types import SimpleNamespace
from zoneinfo import ZoneInfo

import numpy as np
import polars as pl
import pypdf
import pytest
from PySide6.QtCore import QDate, QDateTime, Qt, QTimeZone
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLabel
from pytestqt.qtbot import QtBot
from sqlalchemy import text

from gezeiten.desk.context import Desk
from gezeiten.desk.excursion_book import excursions, to_assess
from gezeiten.desk.handing import export_csv, export_pdf
from gezeiten.desk.mending import gaps
from gezeiten.desk.places import point_named
from gezeiten.desk.records import record
from gezeiten.domain.quantities import quantity
from gezeiten.domain.timeline import DAY_MS
from gezeiten.ui import house as places
from gezeiten.ui.stretch_dialog import GoToDay, StretchDialog
from gezeiten.ui.views.excursions import next_open
from gezeiten.ui.views.trends import TrendsPlace
from gezeiten.ui.window import MainWindow
from tests.ui_help import idle, open_window, press, type_into


@pytest.fixture
def window(qtbot: QtBot, demo_desk: Desk) -> MainWindow:
    return open_window(qtbot, demo_desk)


# -- Mend ----------------------------------------------------------------------------------------
def test_filling_and_undoing_by_keyboard(window: MainWindow, qtbot: QtBot, demo_desk: Desk) -> None:
    [gap] = [g for g in gaps(demo_desk) if g.point.name == "Paint hall"]
    before = record(demo_desk, gap.point.id, "co2").values.tobytes()
    window.go(places.MEND, gap.key)
    idle(qtbot, window)
    mend = window.places[places.MEND]
    assert mend.by_line.isChecked()
    assert not mend.by_logger.isEnabled()
    press(window, "Ctrl+Return")
    idle(qtbot, window)
    assert record(demo_desk, gap.point.id, "co2").estimated.sum() == 4
    mend.show_target(gap.key)
    idle(qtbot, window)
    press(window, "Ctrl+Z")
    idle(qtbot, window)
    assert record(demo_desk, gap.point.id, "co2").values.tobytes() == before


def test_leaving_open_asks_for_a_reason_in_the_place(
    window: MainWindow, qtbot: QtBot, demo_desk: Desk
) -> None:
    [gap] = [g for g in gaps(demo_desk) if g.point.name == "Intake"]
    window.go(places.MEND, gap.key)
    idle(qtbot, window)
    mend = window.places[places.MEND]
    mend.leave_open()
    idle(qtbot, window)
    assert "Give a reason" in window.message.text()
    type_into(mend.reason, "Memory was too small")
    press(window, "Return")
    idle(qtbot, window)
    [left] = [g for g in gaps(demo_desk) if g.point.name == "Intake"]
    assert (left.state, left.reason) == ("left open", "Memory was too small")


# -- Trends --------------------------------------------------------------------------------------
def test_lanes_of_several_points_share_one_axis(
    window: MainWindow, qtbot: QtBot, demo_desk: Desk
) -> None:
    window.go(places.TRENDS)
    idle(qtbot, window)
    trends = window.places[places.TRENDS]
    for item in trends._items():
        ticked = item.text(0) in ("Cold room A", "Cold room B")
        item.setCheckState(0, Qt.CheckState.Checked if ticked else Qt.CheckState.Unchecked)
    idle(qtbot, window)
    assert [len(lane.traces) for lane in trends._lanes] == [2, 2]
    first, second = trends.chart._drawn
    assert first.plot.getViewBox().viewRange()[0] == second.plot.getViewBox().viewRange()[0]


def test_views_go_back_and_forth(window: MainWindow, qtbot: QtBot) -> None:
    window.go(places.TRENDS)
    idle(qtbot, window)
    chart = window.places[places.TRENDS].chart
    first = chart.view()
    press(window, "Alt+1")
    day = chart.view()
    assert day[1] - day[0] == pytest.approx(DAY_MS, rel=0.01)
    chart.back()
    assert chart.view() == pytest.approx(first, abs=2000)
    chart.forth()
    assert chart.view() == pytest.approx(day, abs=2000)


def test_wheel_and_keys_zoom_and_move(window: MainWindow, qtbot: QtBot) -> None:
    window.go(places.TRENDS)
    idle(qtbot, window)
    chart = window.places[places.TRENDS].chart
    start, end = chart.view()
    QTest.keyClick(chart, Qt.Key.Key_Plus)
    nearer = chart.view()
    assert nearer[1] - nearer[0] == pytest.approx((end - start) * 0.6, rel=0.01)
    QTest.keyClick(chart, Qt.Key.Key_Left)
    assert chart.view()[0] < nearer[0]


def figures_shown(trends: TrendsPlace) -> list[str]:
    shown = [trends.table.itemAt(i).widget() for i in range(trends.table.count())]
    return [w.text() for w in shown if hasattr(w, "text")]


def test_numbers_of_a_marked_stretch_are_those_of_the_record(
    window: MainWindow, qtbot: QtBot, demo_desk: Desk
) -> None:
    point = point_named(demo_desk, "Tank 2")
    window.go(places.TRENDS, point.id)
    idle(qtbot, window)
    trends = window.places[places.TRENDS]
    _, end = trends.chart.view()
    span = (end - 2 * DAY_MS, end - DAY_MS)
    trends.chart.set_mark(span)
    idle(qtbot, window)
    values = record(demo_desk, point.id, "water_temperature").between(*span).values
    texts = figures_shown(trends)
    assert f"{len(values)}" in texts
    assert f"{values.min():.2f}" in texts
    assert f"{values.max():.2f}" in texts
    trends.hand_over.click()
    idle(qtbot, window)
    handover = window.places[places.HANDOVER]
    assert handover.chosen().name == "Tank 2"
    assert handover.span()[0] <= span[0] + 60_000


def test_the_figures_of_every_line_are_there(
    window: MainWindow, qtbot: QtBot, demo_desk: Desk
) -> None:
    point = point_named(demo_desk, "Outdoor mast")
    window.go(places.TRENDS, point.id)
    idle(qtbot, window)
    trends = window.places[places.TRENDS]
    span = trends.chart.view()
    texts = figures_shown(trends)
    assert len(point.channels) == 5  # more than fit side by side
    for channel in ("co2", "air_temperature", "relative_humidity"):
        values = record(demo_desk, point.id, channel).between(*span).values
        decimals = quantity(channel).decimals
        assert f"{np.nanmax(values):.{decimals}f}" in texts


def test_the_cursor_shows_values(window: MainWindow, qtbot: QtBot, demo_desk: Desk) -> None:
    point = point_named(demo_desk, "Cold room B")
    window.go(places.TRENDS, point.id)
    idle(qtbot, window)
    chart = window.places[places.TRENDS].chart
    series = record(demo_desk, point.id, "probe_temperature")
    at = int(series.times_utc_ms[-10])
    chart.put_cursor(at)
    assert f"{series.values[-10]:.2f} °C" in chart._drawn[0].value.toPlainText()
    chart.put_cursor(demo_desk.now_ms() - 18 * DAY_MS)  # the probe was off
    assert "no reading" in chart._drawn[0].value.toPlainText()


def test_a_length_wished_while_a_record_loads_is_shown_once_it_has(
    window: MainWindow, qtbot: QtBot
) -> None:
    window.go(places.TRENDS)
    idle(qtbot, window)
    trends = window.places[places.TRENDS]
    other = next(i for i in trends._items() if i.text(0) == "Cold room A")
    other.setCheckState(0, Qt.CheckState.Checked)
    assert trends._is_loading
    press(window, "Alt+2")
    idle(qtbot, window)
    start, end = trends.chart.view()
    assert end - start == pytest.approx(7 * DAY_MS, rel=0.01)
    assert len(trends.points()) == 2


# -- Excursions ----------------------------------------------------------------------------------
def test_those_to_assess_come_first_within_their_site(window: MainWindow, qtbot: QtBot) -> None:
    window.go(places.EXCURSIONS)
    idle(qtbot, window)
    things = [thing for _, thing in window.places[places.EXCURSIONS].list._things()]
    by_site: dict[str, list[bool]] = {}
    for event in things:
        by_site.setdefault(event.point.site, []).append(event.is_settled)
    assert all(states == sorted(states) for states in by_site.values())


def test_settling_without_words_is_one_sentence(
    window: MainWindow, qtbot: QtBot, demo_desk: Desk
) -> None:
    count = to_assess(demo_desk)
    window.go(places.EXCURSIONS)
    idle(qtbot, window)
    press(window, "Alt+3")
    press(window, "Ctrl+Return")
    idle(qtbot, window)
    assert "Write in a few words" in window.message.text()
    assert to_assess(demo_desk) == count


def test_an_assessment_is_shown_and_taken_back(
    window: MainWindow, qtbot: QtBot, demo_desk: Desk
) -> None:
    event = next(e for e in excursions(demo_desk) if e.is_settled)
    window.go(places.EXCURSIONS)
    idle(qtbot, window)
    place = window.places[places.EXCURSIONS]
    place.show_target(event.id)
    idle(qtbot, window)
    assert place.words.toPlainText() == event.words
    assert place.causes.checkedButton().text() == event.cause
    place.reopen()
    idle(qtbot, window)
    assert not next(e for e in excursions(demo_desk) if e.id == event.id).is_settled


# -- Handover ------------------------------------------------------------------------------------
def test_the_real_pages_of_a_document_are_shown(window: MainWindow, qtbot: QtBot) -> None:
    window.go(places.HANDOVER)
    idle(qtbot, window)
    handover = window.places[places.HANDOVER]
    assert handover.table.item(0, 4).text().endswith(".pdf")
    idle(qtbot, window)
    column = handover.pages._column
    sheets = [column.itemAt(i).widget() for i in range(column.count())]
    names = [sheet.accessibleName() for sheet in sheets if sheet is not None]
    assert names == [f"Page {i}" for i in range(1, len(names) + 1)]
    assert len(names) >= 3
    picture = sheets[0].pixmap().toImage()
    dark = sum(
        picture.pixelColor(x, y).lightness() < 90
        for x in range(0, 500, 3)
        for y in range(0, 300, 3)
    )
    assert dark > 50  # there is writing on it
    handover.table.selectRow(1)
    idle(qtbot, window)
    assert "time_utc" in column.itemAt(0).widget().text()


def test_a_document_that_was_changed_is_said_to_be(
    window: MainWindow, qtbot: QtBot, demo_desk: Desk
) -> None:
    from pathlib import Path

    from gezeiten.desk.handing import past_handovers

    window.go(places.HANDOVER)
    idle(qtbot, window)
    handover = window.places[places.HANDOVER]
    press(window, "Ctrl+E")
    idle(qtbot, window)
    written = Path(past_handovers(demo_desk)[0].file_name)
    assert written.suffix == ".csv"
    written.unlink()
    window.house.archive_changed.emit()
    idle(qtbot, window)
    assert handover.table.item(0, 5).text() == "✕ missing"


# -- words, marks, and the way to Trends and back ------------------------------------------------
def test_words_survive_choosing_refreshing_and_a_crash(
    window: MainWindow, qtbot: QtBot, demo_desk: Desk
) -> None:
    window.go(places.EXCURSIONS)
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
    assert place.words.toPlainText() == place._event.words
    window.house.archive_changed.emit()
    idle(qtbot, window)
    press(window, "Ctrl+Up")
    idle(qtbot, window)
    said = "The door stood open. Lots 14 to 22 were moved.\nAsked twice."
    assert place.words.toPlainText() == said
    assert place.causes.checkedId() == 1
    assert place.state.text() == "Not settled yet; your words are kept."
    place._drafts.save()
    idle(qtbot, window)
    again = Desk(demo_desk.archive.folder)  # as after a crash: nothing was closed
    assert said in again.drafts.get(first.draft_key)
    again.close()
    press(window, "Ctrl+Return")
    idle(qtbot, window)
    settled = next(e for e in excursions(demo_desk) if e.id == first.id)
    assert settled.words == said
    assert demo_desk.drafts.get(first.draft_key) == ""


def test_several_are_settled_at_once_and_the_next_is_at_the_same_site(
    window: MainWindow, qtbot: QtBot, demo_desk: Desk
) -> None:
    window.go(places.EXCURSIONS)
    idle(qtbot, window)
    place = window.places[places.EXCURSIONS]
    by_site: dict[str, list[int]] = {}
    for event in place.list.things():
        if not event.is_settled:
            by_site.setdefault(event.point.site, []).append(event.id)
    _, ids = next((s, i) for s, i in by_site.items() if len(i) >= 4)
    place.show_target(ids[1])
    idle(qtbot, window)
    place.list.setFocus()
    QTest.keyClick(place.list, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    assert place.settle_button.text() == "Settle these 2 excursions"
    window.house.archive_changed.emit()  # marks survive what comes in meanwhile
    idle(qtbot, window)
    earlier = next(e for e in excursions(demo_desk) if e.is_settled)
    place.take_words(earlier.cause, earlier.words)
    press(window, "Ctrl+Return")
    idle(qtbot, window)
    settled = {e.id for e in excursions(demo_desk) if e.words == earlier.words}
    assert settled >= set(ids[1:3])
    assert place._event.id == ids[3]  # as the list is sorted, at the same site
    assert window.message.text() == "2 excursions settled; the next one to assess is shown."
    place.show_target(ids[1])
    idle(qtbot, window)
    press(window, "Alt+Z")
    idle(qtbot, window)
    assert not next(e for e in excursions(demo_desk) if e.id == ids[1]).is_settled


def test_next_goes_on_at_the_site_then_down_the_list() -> None:
    def event(number: int, site: str, *, settled: bool = False) -> SimpleNamespace:
        return SimpleNamespace(id=number, point=SimpleNamespace(site=site), is_settled=settled)

    listed = [event(1, "A"), event(2, "A", settled=True), event(3, "A"), event(4, "B"),
              event(5, "C", settled=True)]  # fmt: skip
    assert next_open(listed, [listed[0]]) == 3
    assert next_open(listed, [listed[2]]) == 1  # back up before leaving the site
    assert next_open(listed, [listed[0], listed[2]]) == 4
    assert next_open(listed, [listed[0], listed[2], listed[3]]) is None


def test_from_an_excursion_to_trends_and_back(
    window: MainWindow, qtbot: QtBot, demo_desk: Desk
) -> None:
    events = excursions(demo_desk)
    for event in (events[0], events[-1]):
        window.go(places.EXCURSIONS, event.id)
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


def test_from_a_gap_to_trends_and_back(window: MainWindow, qtbot: QtBot) -> None:
    window.go(places.MEND)
    idle(qtbot, window)
    mend = window.places[places.MEND]
    booked = mend.list.things()[-1]
    mend.show_target(booked.key)
    idle(qtbot, window)
    if mend.reason.isEnabled():
        type_into(mend.reason, "the cable was chewed")
    press(window, "Alt+T")
    idle(qtbot, window)
    trends = window.places[places.TRENDS]
    assert [point.id for point in trends.points()] == [booked.point.id]
    assert trends.chart.mark == (booked.gap.start_ms, booked.gap.end_ms)
    press(window, "Alt+B")
    idle(qtbot, window)
    assert mend.list.thing().key == booked.key


def test_a_reason_typed_survives_looking_at_another_gap(window: MainWindow, qtbot: QtBot) -> None:
    window.go(places.MEND)
    idle(qtbot, window)
    mend = window.places[places.MEND]
    one, other = [gap for gap in mend.list.things() if gap.state == "open"][:2]
    mend.show_target(one.key)
    idle(qtbot, window)
    type_into(mend.reason, "the cable was chewed")
    mend.show_target(other.key)
    idle(qtbot, window)
    assert mend.reason.text() == ""
    window.house.archive_changed.emit()
    idle(qtbot, window)
    mend.show_target(one.key)
    idle(qtbot, window)
    assert mend.reason.text() == "the cable was chewed"


def test_a_mark_is_typed_zoomed_to_and_goes_where_no_record_is(
    window: MainWindow, qtbot: QtBot, demo_desk: Desk
) -> None:
    window.go(places.TRENDS, point_named(demo_desk, "Textile store").id)
    idle(qtbot, window)
    trends = window.places[places.TRENDS]
    press(window, "Ctrl+I")
    dialog = next(w for w in QApplication.topLevelWidgets() if isinstance(w, StretchDialog))
    dialog.since.setDateTime(QDateTime(2026, 11, 20, 6, 0, 0, 0, QTimeZone.utc()))
    dialog.until.setDateTime(QDateTime(2026, 11, 19, 6, 0, 0, 0, QTimeZone.utc()))
    dialog._take(zoom=True)
    assert dialog.problem.text().startswith("The stretch ends before it begins")
    dialog.until.setDateTime(QDateTime(2026, 11, 21, 18, 0, 0, 0, QTimeZone.utc()))
    dialog._take(zoom=True)
    berlin = ZoneInfo("Europe/Berlin")
    marked = tuple(
        round(datetime(2026, 11, day, hour, tzinfo=berlin).timestamp() * 1000)
        for day, hour in ((20, 6), (21, 18))
    )
    assert trends.chart.mark == marked
    assert trends.chart.view() == pytest.approx(marked, abs=2000)
    press(window, "Alt+3")
    press(window, "Ctrl+J")
    assert trends.chart.view() == pytest.approx(marked, abs=2000)
    press(window, "Ctrl+G")
    day = next(w for w in QApplication.topLevelWidgets() if isinstance(w, GoToDay))
    day.day.setDate(QDate(2026, 11, 18))
    QTest.keyClick(day.day, Qt.Key.Key_Return)
    midnight = round(datetime(2026, 11, 18, tzinfo=berlin).timestamp() * 1000)
    assert trends.chart.view() == pytest.approx((midnight, midnight + DAY_MS), abs=2000)
    # a mark before the tank was ever recorded
    trends.chart.set_mark((marked[0] - 900 * DAY_MS, marked[0] - 899 * DAY_MS))
    other = next(i for i in trends._items() if i.text(0) == "Display case 7")
    other.setCheckState(0, Qt.CheckState.Checked)
    idle(qtbot, window)
    assert trends.chart.mark is None
    assert window.message.text().startswith("The mark was taken off")


def test_handover_offers_stretches_by_name(window: MainWindow, qtbot: QtBot) -> None:
    window.go(places.HANDOVER)
    idle(qtbot, window)
    handover = window.places[places.HANDOVER]
    words = [handover.named.itemText(i) for i in range(handover.named.count())]
    assert words[:3] == ["two instants, below", "this mission", "since the last visit"]
    assert any(w.startswith("day of the excursion of ") for w in words)
    handover.named.setCurrentIndex(2)
    handover.named.activated.emit(2)
    wanted = handover.named.currentData()
    assert handover.span() == (wanted[0] // 60_000 * 60_000, -(-wanted[1] // 60_000) * 60_000)
    handover.since.setDateTime(handover.since.dateTime().addDays(-1))
    assert handover.named.currentIndex() == 0


def test_figures_of_three_points_with_long_names_are_never_cut(
    window: MainWindow, qtbot: QtBot, demo_desk: Desk
) -> None:
    with demo_desk.archive.writing() as session:
        session.execute(text("UPDATE point SET name = name || ' behind the northern lock'"))
    for percent in (100, 150):
        window._change(font_percent=percent)
        window.go(places.TRENDS)
        window.places[places.TRENDS].refresh()
        idle(qtbot, window)
        trends = window.places[places.TRENDS]
        for item in trends._items():
            ticked = item.text(0).startswith(("Textile", "Display", "Tower"))
            item.setCheckState(0, Qt.CheckState.Checked if ticked else Qt.CheckState.Unchecked)
        idle(qtbot, window)
        QApplication.processEvents()
        shown = [trends.table.itemAt(i).widget() for i in range(trends.table.count())]
        labels = [w for w in shown if isinstance(w, QLabel)]
        assert sum("behind the northern lock" in w.text() for w in labels) == 6
        for label in labels:
            widest = max(
                (label.fontMetrics().horizontalAdvance(word) for word in label.text().split()),
                default=0,
            )
            assert widest <= label.width() + 1, (percent, label.text())
            if label.wordWrap():
                assert label.heightForWidth(label.width()) <= label.height() + 1, label.text()


def test_a_gap_filled_from_the_logger_says_so(window: MainWindow, qtbot: QtBot) -> None:
    """What the logger could still give is beside the point then: it gave it."""
    window.go(places.MEND)
    idle(qtbot, window)
    mend = window.places[places.MEND]
    booked = next(g for g in mend.list.things() if g.point.name == "Piezometer K2")
    mend.show_target(booked.key)
    idle(qtbot, window)
    press(window, "Ctrl+Return")
    idle(qtbot, window)
    filled = next(g for g in mend.list.things()
                  if g.point.name == "Piezometer K2" and g.state == "from the logger")  # fmt: skip
    mend.show_target(filled.key)
    idle(qtbot, window)
    assert "readings came from the logger" in mend.picture.title.text()
    assert "missing" not in mend.picture.title.text()
    assert mend.logger_cells[0].text() == "fetched; the record holds what it measured"
    assert "cannot serve" not in mend.logger_cells[2].text()
    count = f"{filled.gap.missing:,}"
    assert mend.logger_cells[2].text() == f"{count} of {count}"


def test_the_figures_of_a_month_agree_on_screen_in_csv_and_on_paper(
    window: MainWindow, qtbot: QtBot, demo_desk: Desk, tmp_path: Path
) -> None:
    point = point_named(demo_desk, "Cold room A")
    end = demo_desk.now_ms() // 3_600_000 * 3_600_000
    month = (end - 30 * DAY_MS, end)
    window.go(places.TRENDS, places.Look(point.id, month))
    idle(qtbot, window)
    shown = figures_shown(window.places[places.TRENDS])
    frame = pl.read_csv(export_csv(demo_desk, point, month, tmp_path / "m.csv").path)
    pages = pypdf.PdfReader(export_pdf(demo_desk, point, month, tmp_path / "m.pdf").path).pages
    paper = " ".join(" ".join(page.extract_text() for page in pages).split())
    for name in ("Store temperature", "Room around the store"):
        values = frame[f"{name} [°C]"].drop_nulls()
        low, high, mean = (f"{v:.2f}" for v in (values.min(), values.max(), values.mean()))
        assert {low, high, f"{len(values):,}"} <= set(shown)
        # readings are evenly held but for what is missing: the plain mean is near the weighted one
        assert any(abs(float(mean) - float(text)) < 0.02 for text in shown if text.count(".") == 1
                   and text.replace(".", "").isdigit())  # fmt: skip
        assert re.search(rf"Whole {low} \d\d-\d\d \d\d:\d\d {high} \d\d-\d\d", paper)
