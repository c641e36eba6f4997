"""Values stored as JSON: one that cannot be read spoils what it belongs to and nothing else."""

from __future__ import annotations

from typing import Any, NoReturn

from gezeiten.domain.base.untrusted import json_of
from gezeiten.errors import ArchiveDamagedError


class UnreadableValue:
    """Stands for a stored value that is no JSON; whoever looks into it hears so."""

    def _refuse(self, *_: object) -> NoReturn:
        raise ArchiveDamagedError(
            "A value in the archive cannot be read; gezeiten verify names it."
        )

    __getitem__ = __iter__ = __len__ = __bool__ = get = items = keys = values = _refuse


def stored_value(text: str) -> Any:
    """Return the value of a stored JSON text, `UnreadableValue` where it is none."""
    try:
        return json_of(text)
    except ValueError:
        return UnreadableValue()
