"""Opening the window. The only place below `ui` that knows it, and only when called."""

from __future__ import annotations

from pathlib import Path

from gezeiten.archive.whereabouts import is_archive
from gezeiten.cli.practice import PracticeFleet
from gezeiten.cli.whereabouts import default_folder, head_hashes_file, is_read_only, settings_file
from gezeiten.errors import InputError


def open_window(folder: Path | None, *, read_only: bool = False) -> int:
    """Open the window on an archive; returns the exit code when it is closed. read_only: nothing is
    changed, as on a medium that cannot be written.

    Raises:
        InputError: there is no archive to look at.
    """
    from gezeiten.ui.shell.app import run

    target = folder or default_folder()
    if read_only or is_read_only(target):
        if not is_archive(target):
            raise InputError(f"There is no archive in {target}; name its folder with --archive.")
        return run(
            target, settings_file(target), heads_file=head_hashes_file(target), read_only=True
        )
    target.mkdir(parents=True, exist_ok=True)
    with PracticeFleet(target / "practice") as practice:
        return run(target, settings_file(target), practice, head_hashes_file(target))
