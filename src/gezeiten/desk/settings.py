"""Settings, declared once; kept as JSON in the archive's folder."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass, fields, replace
from pathlib import Path
from typing import Any

from gezeiten.errors import InputError

THEMES = ("light", "dark", "sun")


@dataclass(frozen=True, slots=True)
class Settings:
    """addresses: where to look for loggers, "host:port-port, host:port".

    person: initials or name that goes into the logbook. theme: one of THEMES. font_percent:
    size of all text, 100 is normal.
    """

    addresses: str = "127.0.0.1:15020-15039"
    person: str = ""
    theme: str = "light"
    font_percent: int = 100


def load_settings(file: Path) -> Settings:
    """Return the settings of a file; what is missing or of another kind keeps its default.

    Raises:
        InputError: the file is no JSON object.
    """
    if not file.exists():
        return Settings()
    try:
        data = json.loads(file.read_text())
        known = {f.name: type(getattr(Settings(), f.name)) for f in fields(Settings)}
        good: dict[str, Any] = {
            name: v for name, v in data.items() if isinstance(v, known.get(name, ()))
        }
    except (ValueError, AttributeError) as exc:
        raise InputError(
            f"The settings in {file} cannot be read; correct the file or delete it."
        ) from exc
    settings = replace(Settings(), **good)
    return settings if settings.theme in THEMES else replace(settings, theme="light")


def save_settings(file: Path, settings: Settings) -> None:
    """Write the settings, whole or not at all."""
    fresh = file.with_suffix(".new")
    fresh.write_text(json.dumps(asdict(settings), indent=2, ensure_ascii=False) + "\n")
    fresh.replace(file)
