"""Where archive, settings and memory of a user lie, without what opening an archive needs."""

from __future__ import annotations

import os
from pathlib import Path

from platformdirs import user_config_path, user_data_path, user_state_path

from gezeiten.archive.whereabouts import DATABASE, is_archive


def default_folder() -> Path:
    """Return where the archive lies when nothing else is said."""
    return user_data_path("gezeiten") / "archive"


def settings_file(folder: Path) -> Path:
    """Return where the settings for an archive lie: with the user, unless the archive has its own
    (as the demonstration does)."""
    own = folder / "settings.json"
    return own if own.exists() else user_config_path("gezeiten") / "settings.json"


def head_hashes_file(folder: Path) -> Path | None:
    """Return where this computer's user remembers how archives ended; nowhere for an archive with
    settings of its own: demonstrations are rebuilt and thrown away."""
    if (folder / "settings.json").exists():
        return None
    return user_state_path("gezeiten") / "heads.json"


def is_read_only(folder: Path) -> bool:
    """Whether an archive lies on a medium, or in a folder, that cannot be written, or its database
    is another's alone."""
    if not is_archive(folder):
        return False
    file = folder / DATABASE
    return not os.access(folder, os.W_OK) or (file.exists() and not os.access(file, os.W_OK))
