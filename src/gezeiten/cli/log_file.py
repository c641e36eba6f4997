"""What led to a mistake of our own goes into a file, not onto the screen of who cannot read it."""

from __future__ import annotations

import logging
from pathlib import Path

_LARGEST = 1_000_000


class LogFile(logging.Handler):
    """Appends to a file that is begun again when it has grown; made only when it is needed."""

    def __init__(self, path: Path) -> None:
        super().__init__(logging.WARNING)
        self.path = path
        self.setFormatter(logging.Formatter("%(asctime)s %(name)s %(levelname)s %(message)s"))

    def emit(self, record: logging.LogRecord) -> None:
        """Append one record to the file; a log that cannot be written is left unwritten."""
        try:
            self.path.parent.mkdir(parents=True, exist_ok=True)
            is_long = self.path.exists() and self.path.stat().st_size > _LARGEST
            with self.path.open("w" if is_long else "a", encoding="utf-8") as file:
                file.write(self.format(record) + "\n")
        except OSError:
            pass  # a full disk must not turn one mistake into two


def start_log() -> None:
    """Write warnings and mistakes of this program into the user's log folder from now on."""
    ours = logging.getLogger("gezeiten")
    if any(isinstance(known, LogFile) for known in ours.handlers):
        return
    from platformdirs import user_log_path

    ours.addHandler(LogFile(user_log_path("gezeiten") / "gezeiten.log"))
