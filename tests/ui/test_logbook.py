"""The Logbook: found by words, who, what and when; from things to entries and back; checked."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from PySide6.QtCore import QEvent, Qt
from PySide6.QtWidgets import QApplication, QPushButton
from pytestqt.qtbot import QtBot

from gezeiten.archive.actions.conflicts import store_conflicts
from gezeiten.archive.intake.block_check import all_raw_bytes
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.record.excursion_book import excursions, settle
from gezeiten.desk.record.statements.site_editor import point_facts, save_point
from gezeiten.desk.sites.places import point_named
from gezeiten.ui.format.i18n import day_and_time
from gezeiten.ui.logbook.lost_dialog import LostDialog
from gezeiten.ui.logbook.place import LogbookPlace
from gezeiten.ui.parts.flow import ElidingButton
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.window import MainWindow
from tests.ui_help import idle, press, type_into


@pytest.fixture
def book(window: MainWindow, qtbot: QtBot) -> LogbookPlace:
    window.show_place(places.LOGBOOK)
    idle(qtbot, window)
    shown = window.places[places.LOGBOOK]
    assert isinstance(shown, LogbookPlace)
    return shown


def acts(book: LogbookPlace) -> set[str]:
    return {entry.act for entry in book.entries}


def test_entries_are_found_by_words_who_what_and_when(
    book: LogbookPlace, window: MainWindow, qtbot: QtBot
) -> None:
    everything = book.table.rowCount()
    assert "contact" not in acts(book)
    book.contacts.setChecked(True)
    idle(qtbot, window)
    assert book.table.rowCount() > everything
    assert "contact" in acts(book)
    book.contacts.setChecked(False)
    type_into(book.filter, "offload K2 damaged")
    idle(qtbot, window)
    assert 0 < book.table.rowCount() < everything
    book.filter.clear()
    book.kind.setCurrentIndex(book.kind.findData("launch"))
    idle(qtbot, window)
    assert acts(book) == {"launch"}
    book.since.setCurrentIndex(book.since.findData(1))
    idle(qtbot, window)
    assert len(book.entries) < 17
    press(window, "Ctrl+B")
    idle(qtbot, window)
    assert book.table.rowCount() == everything


def test_a_change_is_told_before_and_after_and_leads_to_its_point(
    book: LogbookPlace, window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    from dataclasses import replace

    point = point_named(demo_desk, "Piezometer K2")
    facts = replace(point_facts(demo_desk, point.id), measuring_point_height_m=3.08)
    save_point(demo_desk, point.site_id, facts, point.id)
    window.context.archive_changed.emit()
    idle(qtbot, window)
    book.table.setCurrentCell(0, 0)  # what was chosen stays chosen
    idle(qtbot, window)
    assert "height of the reference mark" in book.entry.sentence.text()
    assert "→ 3.08 m" in book.entry.sentence.text()
    assert json.loads(book.entry.held.toPlainText())["changes"][0]["after"] == 3.08
    press(window, "Ctrl+G")
    idle(qtbot, window)
    assert window.stack.currentIndex() == places.TRENDS
    assert [shown.id for shown in window.places[places.TRENDS].points()] == [point.id]


def test_from_an_excursion_to_its_entries_and_back(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    event = next(e for e in excursions(demo_desk) if not e.is_settled)
    settle(demo_desk, event.id, "Power", "Fuse tripped.")
    window.show_place(places.EXCURSIONS, event.id)
    idle(qtbot, window)
    press(window, "Ctrl+H")
    idle(qtbot, window)
    book = window.places[places.LOGBOOK]
    assert window.stack.currentIndex() == places.LOGBOOK
    assert event.point.full_name in book.about_button.text()
    # what was said of it, that it was found, what brought its readings
    assert acts(book) == {"settle", "found", "offload"}
    assert "assessed: Power" in book.entry.sentence.text()
    [to] = [way for way in book.entry._ways if way.kind == "excursion"]
    assert to.key == event.id
    begin = day_and_time(event.start_ms, event.point.zone)  # as Excursions says it
    words = [b.text() for b in book.entry.findChildren(ElidingButton)]
    assert f"To the excursion of {begin}" in words
    book.about_button.click()
    idle(qtbot, window)
    assert not book.about_button.isVisible()
    assert len(book.entries) > 20


def test_a_conflict_is_shown_until_somebody_looked(
    book: LogbookPlace, window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    """As if another computer had renamed the site meanwhile (tests/archive/test_union.py)."""
    assert not book.conflicts.isVisible()
    odd = book.entries[3]
    with demo_desk.archive.writing() as session:
        store_conflicts(session, {odd.hash: ["name was 'Krabbenkoog', not 'Koog'"]})
    window.context.archive_changed.emit()
    idle(qtbot, window)
    assert book.conflicts.text() == "1 conflict"
    assert not book.entry.seen.isVisible()
    press(window, "Ctrl+M")
    idle(qtbot, window)
    assert [entry.hash for entry in book.entries] == [odd.hash]
    assert "Conflict: name was 'Krabbenkoog', not 'Koog'." in book.entry.conflict.text()
    press(window, "Ctrl+L")
    idle(qtbot, window)
    assert not book.entry.seen.isVisible()
    book.show_all()
    idle(qtbot, window)
    assert not book.conflicts.isVisible()
    assert book.entries[0].sentence.startswith("Acknowledged, name was 'Krabbenkoog'")


def test_from_each_place_to_what_is_chosen_there(window: MainWindow, qtbot: QtBot) -> None:
    for place in (places.TIDEBOARD, places.MEND, places.TRENDS, places.HANDOVER):
        window.show_place(place)
        idle(qtbot, window)
        press(window, "Ctrl+H")
        idle(qtbot, window)
        book = window.places[places.LOGBOOK]
        assert window.stack.currentIndex() == places.LOGBOOK, place
        assert book.about_button.isVisible()
        assert book.entries, place


def test_all_faults_are_listed_and_a_check_can_be_stopped(
    book: LogbookPlace, window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    press(window, "F5")
    idle(qtbot, window)
    assert "everything is as it was saved." in book.check.verdict.text()
    assert not book.check.faults.isVisible()
    with demo_desk.archive.engine.begin() as connection:
        connection.exec_driver_sql("UPDATE site SET name = name || 'x'")
        connection.exec_driver_sql("UPDATE offload SET route = 'x'")
    book.check.start()
    assert book.check.button.text() == "Stop"
    book.check.press()
    idle(qtbot, window)
    assert book.check.verdict.text() == "Verification was cancelled; nothing was changed."
    assert book.check.button.text() == "Resume verification"
    press(window, "F5")
    idle(qtbot, window)
    count = book.check.faults.count()
    assert count > 20
    assert f"{count} faults." in book.check.verdict.text()
    assert any("“route” of offload" in book.check.faults.item(i).text() for i in range(count))


def test_lost_entries_are_shown_and_written_again(
    book: LogbookPlace, window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    [chain] = (demo_desk.archive.folder / "logbook").glob("*.jsonl")
    chain.write_bytes(b"".join(chain.read_bytes().splitlines(keepends=True)[:-2]))
    gone = [entry.sentence for entry in logbook_entries(demo_desk)[:2]]
    press(window, "F5")
    idle(qtbot, window)
    assert book.check.lost.text() == "2 lost entries …"
    for wanted in ("Leave as it is", "Restore entries"):
        qtbot.keyClick(book.check.lost, Qt.Key.Key_Space)
        [dialog] = window.findChildren(LostDialog)
        said = " ".join(dialog.listed.item(i).text() for i in range(dialog.listed.count()))
        assert all(sentence in said for sentence in gone)
        [pressed] = [one for one in dialog.findChildren(QPushButton) if one.text() == wanted]
        qtbot.keyClick(pressed, Qt.Key.Key_Space)
        idle(qtbot, window)
        assert book.check.lost.isVisible() == (wanted == "Leave as it is")
        dialog.deleteLater()
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    assert "2 entries were restored." in window.message.text()
    assert "everything is as it was saved." in book.check.verdict.text()


def test_bytes_that_no_entry_names_are_imported_again(
    book: LogbookPlace, window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    with demo_desk.archive.reading() as session:
        held = next(raw.sha256 for raw in all_raw_bytes(session) if raw.reading is None)
    whole = demo_desk.archive.vault.get(held)
    demo_desk.archive.vault.store(whole[: len(whole) // 2])  # the file as it was on its way
    press(window, "F5")
    idle(qtbot, window)
    assert "1 fault." in book.check.verdict.text()
    assert book.check.unnamed.text() == "Import 1 mission file without a logbook entry"
    book.check.unnamed.setFocus()
    qtbot.keyClick(book.check.unnamed, Qt.Key.Key_Space)
    idle(qtbot, window)
    assert "0 readings saved" in window.message.text()
    assert "everything is as it was saved." in book.check.verdict.text()
    assert not book.check.unnamed.isVisible()


def test_a_head_is_held_against_the_logbook(
    book: LogbookPlace, window: MainWindow, qtbot: QtBot
) -> None:
    old = book.entries[-1]
    for typed, words in (
        (f"{old.hash[:4]} {old.hash[4:8]} {old.hash[8:12]}", f"That is entry {old.seq}"),
        (
            "0123456789abcdef",
            (
                "No entry of this logbook has this hash: it is of another archive, or "
                "the logbook was changed."
            ),
        ),
        ("hello", "No hash was found; type at least eight of its digits."),
    ):
        book.check.compare.setText(typed)
        book.check.compare_button.click()
        idle(qtbot, window)
        assert words in book.check.compared.text()


def test_entries_are_written_out(
    book: LogbookPlace, window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    import pypdf

    book.kind.setCurrentIndex(book.kind.findData("launch"))
    idle(qtbot, window)
    book.export("jsonl", tmp_path / "launches.jsonl")
    book.export("pdf", tmp_path / "launches.pdf")
    idle(qtbot, window)
    lines = [json.loads(line) for line in (tmp_path / "launches.jsonl").read_text().splitlines()]
    assert {line["act"] for line in lines} == {"launch"}
    assert [line["seq"] for line in lines] == sorted(line["seq"] for line in lines)
    text = "".join(page.extract_text() for page in pypdf.PdfReader(tmp_path / "launches.pdf").pages)
    assert all(line["hash"][:16] in text for line in lines)
    assert len(lines) == 17
