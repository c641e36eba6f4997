"""The first sight of the next start is the board itself, as long as nothing has changed."""

from __future__ import annotations

import shutil
import subprocess
import sys
from pathlib import Path

import pytest

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.board import board
from gezeiten.desk.field.startup_cache import NAME, cached_board, fresh_board
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.sites.places import add_point
from gezeiten.domain.series.timeline import DAY_MS

_START = """
import sys
from pathlib import Path
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.ui.shell.app import application
from gezeiten.ui.shell.window import MainWindow
app = application()
window = MainWindow(open_workspace(Path(sys.argv[1]), lazy=True))
window.show()
window.grab()
assert len(window.places[0].canvas.board.visits) == 4
late = "sqlalchemy", "pymodbus", "serial", "pyqtgraph", "reportlab", "gezeiten.domain.actions.base"
assert not set(late) & set(sys.modules), set(late) & set(sys.modules)
"""


@pytest.fixture
def now_ms(demo_desk: Workspace) -> int:
    return demo_desk.now_ms()


def start(folder: Path, now_ms: int) -> Workspace:
    """The desk of the next start, before its archive is opened."""
    return open_workspace(folder, now_ms=lambda: now_ms, lazy=True)


def test_it_is_the_board_as_of_now(demo_desk: Workspace, now_ms: int) -> None:
    fresh_board(demo_desk)
    desk = start(demo_desk.folder, now_ms + 3 * DAY_MS)
    shown = cached_board(desk)
    assert not desk.is_open
    assert shown is not None
    assert shown == board(desk)  # three days later, so with other needs than before
    assert desk.is_open
    desk.close()


def test_it_is_gone_as_soon_as_anything_was_done(demo_desk: Workspace, now_ms: int) -> None:
    fresh_board(demo_desk)
    add_point(demo_desk, "Shore · Pier")
    assert cached_board(start(demo_desk.folder, now_ms)) is None
    fresh_board(demo_desk)
    shown = cached_board(start(demo_desk.folder, now_ms))
    assert shown is not None
    assert "Shore" in [site.name for site, _ in shown.sites]


def test_acts_that_came_as_a_file_and_were_not_applied_yet_are_seen(
    demo_desk: Workspace, now_ms: int, tmp_path: Path
) -> None:
    fresh_board(demo_desk)
    demo_desk.close()
    other = tmp_path / "other"
    shutil.copytree(demo_desk.folder, other)
    desk = open_workspace(other)
    before = {path.name for path in (other / "logbook").iterdir()}
    add_point(desk, "Shore · Pier")
    desk.close()
    for path in (other / "logbook").iterdir():
        shutil.copy(path, demo_desk.folder / "logbook")
    assert before
    assert cached_board(start(demo_desk.folder, now_ms)) is None


@pytest.mark.parametrize("damage", [b"", b"{", b'{"of":"x","facts":{"sites":[[1]]}}'])
def test_a_damaged_one_is_none(demo_desk: Workspace, now_ms: int, damage: bytes) -> None:
    fresh_board(demo_desk)
    (demo_desk.folder / NAME).write_bytes(damage)
    assert cached_board(start(demo_desk.folder, now_ms)) is None


def test_models_of_ones_own_are_part_of_it(demo_desk: Workspace, now_ms: int) -> None:
    fresh_board(demo_desk)
    (demo_desk.folder / "models").mkdir(exist_ok=True)
    (demo_desk.folder / "models" / "own.toml").write_text("name = 1\n")
    assert cached_board(start(demo_desk.folder, now_ms)) is None


def test_the_first_place_needs_neither_database_nor_lines_nor_charts(demo_desk: Workspace) -> None:
    fresh_board(demo_desk)
    demo_desk.close()
    subprocess.run([sys.executable, "-c", _START, str(demo_desk.folder)], check=True, timeout=60)
