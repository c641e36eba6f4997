"""Where an archive's logbook ended when this computer's user last wrote to it, kept outside it.

Whoever puts a backup back, cuts an end off or copies an archive to another computer cannot change
this as well without knowing of it.
"""

from __future__ import annotations

import contextlib
import json
import os
from dataclasses import asdict, dataclass
from pathlib import Path


@dataclass(frozen=True, slots=True)
class Head:
    """The end of a chain: which entry, and its hash."""

    chain: str
    number: int
    hash: str


class Heads:
    """The heads that are remembered, by archive; a file of the user's."""

    def __init__(self, path: Path | None) -> None:
        """path: None remembers nothing."""
        self._path = path

    @property
    def is_kept(self) -> bool:
        """Whether anything is remembered at all."""
        return self._path is not None

    def of(self, archive: str) -> Head | None:
        """Return what is remembered of an archive, None where this user never wrote to it."""
        known = self._all().get(archive)
        try:
            return Head(**known) if isinstance(known, dict) else None
        except TypeError:
            return None

    def remember(self, archive: str, head: Head) -> None:
        """Remember an end; where the file cannot be written the one before stays remembered."""
        if self._path is None:
            return
        with contextlib.suppress(OSError):
            self._path.parent.mkdir(parents=True, exist_ok=True)
            fresh = self._path.with_name(f"{self._path.name}.{os.getpid()}")
            fresh.write_text(json.dumps({**self._all(), archive: asdict(head)}, indent=1))
            fresh.replace(self._path)

    def _all(self) -> dict[str, object]:
        if self._path is None:
            return {}
        try:
            known = json.loads(self._path.read_text())
        except (OSError, ValueError):
            return {}
        return known if isinstance(known, dict) else {}
