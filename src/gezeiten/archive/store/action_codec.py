"""Acts as JSON has them, for the logbook, and back."""

from __future__ import annotations

from typing import Any

import msgspec

from gezeiten.domain.actions import Action
from gezeiten.domain.actions.base import BY_KIND
from gezeiten.domain.base.untrusted import plain
from gezeiten.errors import ArchiveDamagedError, ArchiveNewerError


def as_stored(action: Action) -> dict[str, Any]:
    """Return an action as the logbook keeps it: kind, version, and what the action holds."""
    return {"kind": action.KIND, "version": action.VERSION, "act": plain(action)}


def is_action(details: dict[str, Any]) -> bool:
    """Whether the details of an entry are an action; entries of earlier versions only tell."""
    return details.keys() == {"kind", "version", "act"}


def from_stored(details: dict[str, Any]) -> Action:
    """Return the action of an entry.

    Raises:
        ArchiveNewerError: a newer Gezeiten wrote it.
        ArchiveDamagedError: it is none.
    """
    kind = BY_KIND.get(details["kind"])
    if kind is None or details["version"] > kind.VERSION:
        raise ArchiveNewerError(
            f"The logbook has an entry “{details['kind']}” that this version does "
            "not know; update Gezeiten."
        )
    try:
        return msgspec.convert(kind.upgrade(details["act"], details["version"]), kind)
    except (msgspec.ValidationError, KeyError, TypeError) as exc:
        raise ArchiveDamagedError(
            f"An entry “{details['kind']}” of the logbook cannot be read ({exc}); verify the "
            "archive."
        ) from exc
