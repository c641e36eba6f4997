"""One thing that cannot be read never keeps the others from being shown."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TypeVar

from gezeiten.errors import GezeitenError, bug

T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class Fault:
    """Why something cannot be shown, as a sentence."""

    sentence: str


def or_fault(run: Callable[[], T]) -> T | Fault:
    """Return what an action gives, or why it cannot."""
    try:
        return run()
    except GezeitenError as exc:
        return Fault(str(exc))
    except Exception as exc:  # noqa: BLE001 - a mistake of ours at one point spares the others
        return Fault(str(bug(exc)))
