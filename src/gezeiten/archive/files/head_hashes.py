"""Where an archive's logbook ended when this computer's user last wrote to it, kept outside it.

Whoever puts a backup back, cuts an end off or copies an archive to another computer cannot change
this as well without knowing of it. What was copied to another machine with a whole home folder
does not count there: two machines would write one chain.
"""

from __future__ import annotations

import contextlib
import json
import os
from dataclasses import asdict, dataclass
from pathlib import Path

MACHINE = Path("/etc/machine-id")
"""Names this machine (man machine-id)."""


@dataclass(frozen=True, slots=True)
class Head:
    """The end of a chain: which entry, and its hash."""

    chain: str
    number: int
    hash: str


class Heads:
    """The heads that are remembered, by archive; a file of the user's."""

    def __init__(self, path: Path | None, machine: Path = MACHINE) -> None:
        """path: None remembers nothing. machine: the file that names this machine."""
        self._path = path
        self._machine = ""
        with contextlib.suppress(OSError):
            self._machine = machine.read_text().strip()

    @property
    def is_stored(self) -> bool:
        """Whether anything is remembered at all."""
        return self._path is not None

    def of(self, archive: str) -> Head | None:
        """Return what is remembered of an archive, None where this user never wrote to it."""
        known = self._all().get(archive)
        if not isinstance(known, dict) or known.pop("machine", self._machine) != self._machine:
            return None
        try:
            return Head(**known)
        except TypeError:
            return None

    def remember(self, archive: str, head: Head) -> None:
        """Remember an end; where the file cannot be written the one before stays remembered."""
        if self._path is None:
            return
        with contextlib.suppress(OSError):
            self._path.parent.mkdir(parents=True, exist_ok=True)
            fresh = self._path.with_name(f"{self._path.name}.{os.getpid()}")
            content = {**asdict(head), "machine": self._machine}
            fresh.write_text(json.dumps({**self._all(), archive: content}, indent=1))
            fresh.replace(self._path)

    def _all(self) -> dict[str, object]:
        if self._path is None:
            return {}
        try:
            known = json.loads(self._path.read_text())
        except (OSError, ValueError):
            return {}
        return known if isinstance(known, dict) else {}
