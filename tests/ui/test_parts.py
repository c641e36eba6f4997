"""Themes, formats, work off the main thread, the empty window."""

from __future__ import annotations

import os
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import QLocale
from PySide6.QtGui import QColor
from pytestqt.qtbot import QtBot

from gezeiten.desk.base.settings import Settings, load_settings, save_settings
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.errors import InputError
from gezeiten.ui.format.i18n import counted, day_and_time, number
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.theme import THEMES, Theme
from tests.ui_help import idle, open_window, press


# -- looks and formats ---------------------------------------------------------------------------
def luminance(color: str) -> float:
    """Relative luminance after WCAG 2."""
    given = QColor(color)
    parts = [
        channel / 12.92 if channel <= 0.03928 else ((channel + 0.055) / 1.055) ** 2.4
        for channel in (given.redF(), given.greenF(), given.blueF())
    ]
    return 0.2126 * parts[0] + 0.7152 * parts[1] + 0.0722 * parts[2]


def contrast(one: str, other: str) -> float:
    high, low = sorted((luminance(one), luminance(other)), reverse=True)
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize("theme", THEMES.values(), ids=lambda t: t.name)
@pytest.mark.parametrize("text", ["ink", "muted", "tide", "brass", "ember", "plum", "kelp"])
def test_text_contrast_is_at_least_four_and_a_half(theme: Theme, text: str) -> None:
    for ground in ("paper", "ground", "tide_wash"):
        assert contrast(getattr(theme, text), getattr(theme, ground)) >= 4.5, ground
    assert contrast(theme.on_tide, theme.tide) >= 4.5


@pytest.fixture
def german() -> Iterator[None]:
    before = QLocale()
    QLocale.setDefault(QLocale("de_DE"))
    yield
    QLocale.setDefault(before)


@pytest.mark.usefixtures("german")
def test_numbers_and_dates_follow_the_region() -> None:
    assert number(2880) == "2.880"
    assert number(8.4, 2) == "8,40"
    assert day_and_time(1_795_392_000_000, "Europe/Berlin").startswith("23 Nov")


def test_one_is_not_many(qapp: object) -> None:
    assert counted(1, "%n gap", "%n gaps") == "1 gap"
    assert counted(0, "%n gap", "%n gaps") == "0 gaps"


# -- settings ------------------------------------------------------------------------------------
def test_settings_read_back(tmp_path: Path) -> None:
    settings = Settings(addresses="10.0.0.1:502", person="Jänne", theme="sun", font_percent=125)
    save_settings(tmp_path / "s.json", settings)
    assert load_settings(tmp_path / "s.json") == settings
    assert load_settings(tmp_path / "none.json") == Settings()


def test_settings_of_another_kind_keep_their_default(tmp_path: Path) -> None:
    (tmp_path / "s.json").write_text('{"theme": "neon", "font_percent": "big", "person": "JA"}')
    assert load_settings(tmp_path / "s.json") == Settings(person="JA")
    (tmp_path / "s.json").write_text("{{{")
    with pytest.raises(InputError, match="correct the file or delete it"):
        load_settings(tmp_path / "s.json")


# -- the window with nothing in it ---------------------------------------------------------------
def test_an_empty_archive_says_what_to_do(qtbot: QtBot, tmp_path: Path) -> None:
    desk = open_workspace(tmp_path)
    desk.change_settings(Settings(addresses="127.0.0.1:1", serial_ports=""))
    window = open_window(qtbot, desk)
    board = window.places[places.TIDEBOARD]
    assert board.empty.isVisible()
    for place in range(7):
        window.show_place(place)
        idle(qtbot, window)
    field = window.places[places.FIELD_DESK]
    assert "No logger answers at 127.0.0.1:1" in field.nobody.where.text()
    assert not field.main.isEnabled()
    assert window.places[places.HANDOVER].empty.text() == "No document has been issued yet."
    desk.close()


def test_text_size_stays_within_reason(qtbot: QtBot, tmp_path: Path) -> None:
    desk = open_workspace(tmp_path)
    desk.change_settings(Settings(addresses="127.0.0.1:1", serial_ports=""))
    window = open_window(qtbot, desk)
    for _ in range(9):
        press(window, "Ctrl++")
    assert desk.settings.font_percent == 200
    press(window, "F10")
    assert desk.settings.theme == "dark"
    desk.close()


def test_a_window_leaves_no_signs_behind(tmp_path: Path) -> None:
    """Nor does a program that ends with its window still there."""
    program = (
        "from gezeiten.ui.shell.theme import signs_folder\n"
        "class Window: ...\n"
        "window, gone = Window(), Window()\n"
        "folders = [signs_folder(window), signs_folder(gone)]\n"
        "del gone\n"
        "print(*[folder.exists() for folder in folders])"
    )
    environment = {**os.environ, "TMPDIR": str(tmp_path)}
    said = subprocess.run(
        [sys.executable, "-c", program], env=environment, capture_output=True, text=True, check=True
    )
    assert said.stdout.split() == ["True", "False"]
    assert not list(tmp_path.iterdir())
