"""Who is at it: chosen at start where several people act here; a name erased through the window."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QDialog
from pytestqt.qtbot import QtBot

from gezeiten.desk.base.pin_store import MemoryPins
from gezeiten.desk.base.workspace import TrustedClock, Workspace
from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.office.verification import verify
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.record.statements.site_editor import save_site
from gezeiten.desk.sites.people import names
from gezeiten.domain.facts.sites import SiteFacts
from gezeiten.ui.shell.people_dialog import EraseNameDialog, PeopleDialog
from tests.ui_help import idle, open_window


@pytest.fixture
def desk(tmp_path: Path) -> Iterator[Workspace]:
    workspace = open_workspace(
        tmp_path / "archive", computer=TrustedClock(), pins=MemoryPins(), zone="UTC"
    )
    yield workspace
    workspace.close()


def act_as(desk: Workspace, name: str) -> None:
    desk.change_settings(replace(desk.settings, person=name))
    save_site(desk, SiteFacts(f"Site of {name}"))


def shown(kind: type[QDialog]) -> QDialog | None:
    found = [w for w in QApplication.topLevelWidgets() if isinstance(w, kind) and w.isVisible()]
    return found[0] if found else None


def people_dialog(qtbot: QtBot) -> PeopleDialog:
    """The dialog that is being opened."""
    qtbot.waitUntil(lambda: shown(PeopleDialog) is not None)
    dialog = shown(PeopleDialog)
    assert isinstance(dialog, PeopleDialog)
    return dialog


def test_whoever_is_at_it_is_chosen_by_keyboard(qtbot: QtBot, desk: Workspace) -> None:
    for name in ("Jana Albers", "Ole Brandt"):
        act_as(desk, name)
    window = open_window(qtbot, desk)
    window.show_user_dialog()
    dialog = people_dialog(qtbot)
    assert [dialog.table.item(0, i).text() for i in (0, 1, 3)] == ["Ole Brandt", "OB", "2 entries"]
    assert dialog.take.text() == "Continue as Ole Brandt"  # Enter leaves it as it was
    qtbot.keyClick(dialog.table, Qt.Key.Key_Down)
    qtbot.keyClick(dialog.table, Qt.Key.Key_Return)
    idle(qtbot, window)
    assert desk.person == "Jana Albers"
    assert window.strip.person.text() == "Jana Albers"
    save_site(desk, SiteFacts("Shore"))
    assert logbook_entries(desk)[0].person == "Jana Albers"


def test_one_person_alone_is_not_asked(qtbot: QtBot, desk: Workspace) -> None:
    act_as(desk, "Jana Albers")
    window = open_window(qtbot, desk)
    window.show_user_dialog()
    idle(qtbot, window)
    assert shown(PeopleDialog) is None


def test_a_name_is_erased_once_it_was_written(qtbot: QtBot, desk: Workspace) -> None:
    for name in ("Jana Albers", "Ole Brandt"):
        act_as(desk, name)
    window = open_window(qtbot, desk)
    window.show_people()
    dialog = people_dialog(qtbot)
    dialog.table.selectRow(1)
    dialog.erase_button.click()
    asked = shown(EraseNameDialog)
    assert isinstance(asked, EraseNameDialog)
    qtbot.keyClicks(asked.typed, "Jana")
    assert not asked.take.isEnabled()
    qtbot.keyClicks(asked.typed, " Albers")
    qtbot.keyClick(asked.typed, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: dialog.table.rowCount() == 1)
    assert names(desk) == ["Ole Brandt"]
    assert verify(desk).is_intact
    dialog.close()
