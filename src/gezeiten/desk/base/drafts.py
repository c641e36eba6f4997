"""What was typed and not kept yet: it survives choosing something else, closing, and a crash."""

from __future__ import annotations

import json
import threading
from pathlib import Path

from gezeiten.archive.files.atomic_files import write_atomic
from gezeiten.domain.base.untrusted import json_of


class Drafts:
    """Texts by their key ("excursion:4:…"). Looked up in memory; `save` writes the file, whole."""

    def __init__(self, file: Path) -> None:
        self._file = file
        self._lock = threading.Lock()
        self._texts = _texts_of(file)

    def get(self, key: str) -> str:
        """Return the text of a key, "" for none."""
        return self._texts.get(key, "")

    def remember(self, key: str, text: str) -> None:
        """Remember a text; "" forgets it."""
        if text:
            self._texts[key] = text
        else:
            self._texts.pop(key, None)

    def save(self) -> None:
        """Write all texts so that they survive a crash.

        Raises:
            OSError: the disk does not take them.
        """
        with self._lock:
            write_atomic(self._file, json.dumps(dict(self._texts), ensure_ascii=False, indent=1))


def _texts_of(file: Path) -> dict[str, str]:
    """Only a help for who types: a file that cannot be read holds no drafts."""
    try:
        known = json_of(file.read_bytes())
    except (OSError, ValueError):
        return {}
    return {str(k): str(v) for k, v in known.items()} if isinstance(known, dict) else {}
