"""An archive that is only looked at: shown, checked, written elsewhere, and nothing is changed."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtWidgets import QFileDialog
from pytestqt.qtbot import QtBot

from gezeiten.desk.base.pin_store import MemoryPins
from gezeiten.desk.base.workspace import TrustedClock, Workspace
from gezeiten.desk.intake.recovery import recover
from gezeiten.desk.office.verification import verify
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.record.statements.site_editor import save_site
from gezeiten.desk.sites.places import sites
from gezeiten.domain.facts.sites import SiteFacts
from gezeiten.errors import ReadOnlyError
from gezeiten.ui.shell import app_context as places
from tests.golden import golden
from tests.ui_help import idle, open_window, press


def as_it_lies(folder: Path) -> dict[str, tuple[int, int]]:
    """Every file and folder with its length and when it was changed."""
    return {str(path): (path.stat().st_size, path.stat().st_mtime_ns) for path in folder.rglob("*")}


def looking(folder: Path) -> Workspace:
    return open_workspace(folder, computer=TrustedClock(), pins=MemoryPins(), read_only=True)


def test_everything_is_shown_and_nothing_changed(demo_desk: Workspace) -> None:
    told, folder = golden(demo_desk), demo_desk.archive.folder
    demo_desk.close()
    before = as_it_lies(folder)
    desk = looking(folder)
    recover(desk)
    assert verify(desk).is_intact
    assert golden(desk) == told
    with pytest.raises(ReadOnlyError, match="is open read-only"):
        save_site(desk, SiteFacts("Buoy"))
    assert "Buoy" not in {site.name for site in sites(desk)}
    desk.close()
    assert as_it_lies(folder) == before


def test_without_its_database_it_is_made_beside(demo_desk: Workspace) -> None:
    names, folder = [site.name for site in sites(demo_desk)], demo_desk.archive.folder
    demo_desk.close()
    for path in folder.glob("archive.db*"):
        path.unlink()
    before = as_it_lies(folder)
    desk = looking(folder)
    recover(desk)
    assert [site.name for site in sites(desk)] == names
    assert verify(desk).is_intact
    desk.close()
    assert as_it_lies(folder) == before


def test_the_window_says_so_and_offers_no_act(
    demo_desk: Workspace, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    folder = demo_desk.archive.folder
    demo_desk.close()
    before = as_it_lies(folder)
    window = open_window(qtbot, looking(folder))
    assert window.strip.looking.isVisible()
    assert not window.strip.tabs[places.FIELD_DESK].isVisible()
    offered = {command.id for command in window.commands()}
    assert offered >= {"verify", "event.next", "gap.next", "report", "history", "go.6"}
    assert not offered & {"go.1", "gap.fill", "event.settle", "point.edit", "launch", "vault.take"}
    window.show_place(places.EXCURSIONS)
    idle(qtbot, window)
    assert not window.places[places.EXCURSIONS].settle_button.isVisible()
    window.show_place(places.MEND)
    idle(qtbot, window)
    assert not window.places[places.MEND].fill_button.isVisible()
    assert window.places[places.MEND].list.isVisible()
    window.show_place(places.HANDOVER)
    idle(qtbot, window)
    target = tmp_path / "elsewhere.csv"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(target), "CSV (*.csv)"))
    press(window, "Ctrl+E")
    idle(qtbot, window)
    assert target.read_text(encoding="utf-8-sig").startswith("site,")
    window.close()
    window.context.desk.close()
    assert as_it_lies(folder) == before
