"""The time zone of this computer, by its IANA name."""

from __future__ import annotations

import os
from pathlib import Path
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

_LOCALTIME, _NAMED = Path("/etc/localtime"), Path("/etc/timezone")


def computer_zone() -> str:
    """Return what the environment, the link of the system, or its note says; "UTC" for none."""
    candidates = [os.environ.get("TZ", "").lstrip(":")]
    if _LOCALTIME.is_symlink():
        candidates.append(str(_LOCALTIME.resolve()).partition("zoneinfo/")[2])
    if _NAMED.exists():
        candidates.append(_NAMED.read_text(errors="replace").strip())
    return next((name for name in candidates if _is_zone(name)), "UTC")


def _is_zone(name: str) -> bool:
    try:
        return bool(name) and bool(ZoneInfo(name))
    except (ZoneInfoNotFoundError, ValueError, OSError):
        return False
