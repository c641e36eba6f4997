"""Opening the window. The only place below `ui` that knows it, and only when called."""

from __future__ import annotations

from pathlib import Path

from gezeiten.cli.common import default_folder, heads_file, settings_file
from gezeiten.cli.practice import PracticeFleet


def open_window(folder: Path | None) -> int:
    """Open the window on an archive; returns the exit code when it is closed."""
    from gezeiten.ui.app import run

    target = folder or default_folder()
    target.mkdir(parents=True, exist_ok=True)
    with PracticeFleet(target / "practice") as practice:
        return run(target, settings_file(target), practice, heads_file(target))
