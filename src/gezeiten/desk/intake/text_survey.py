"""What taking a text would bring, counted over all of its lines before anything is taken."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from gezeiten.exchange.text.form import Tie, wheres
from gezeiten.exchange.text.reading import read_text

_MANY = 0.2
"""Of the lines, so many on instants of others say that the time was understood wrongly."""
_QUOTED = re.compile(r"“.*?”")


@dataclass(slots=True)
class Survey:
    """readings: lines that would give one; doubled: lines whose instant is that of a line before of
    the same station, in the same piece of the text; left_out: other lines, by reason; spoilt: lines
    that would be taken without a cell of theirs. first_ms, last_ms: from when to when, UTC ms, None
    without any.
    """

    readings: int = 0
    doubled: int = 0
    spoilt: int = 0
    left_out: Counter[str] = field(default_factory=Counter)
    first_ms: int | None = None
    last_ms: int | None = None

    @property
    def lines(self) -> int:
        """How many lines it has that are no head and not empty."""
        return self.readings + self.doubled + self.left_out.total()

    @property
    def seems_wrong(self) -> bool:
        """Whether so many lines fall together that the time must be another one."""
        return self.doubled > _MANY * max(self.lines, 1)


def survey(path: Path, tie: Tie, cancelled: Callable[[], bool] = lambda: False) -> Survey:
    """Count what a text would bring by a tie; stops where that is wished.

    Raises:
        InputError: the tie cannot be used.
    """
    found = Survey()
    used = tuple(one for one in tie.columns if one.quantity) or tie.columns
    columns = tuple(dict.fromkeys(one.column for one in used))
    rows = wheres(used)
    for piece in read_text(path, tie.form, columns, cancelled, rows=rows):
        times = np.unique(piece.times)
        for where in rows or ((),):
            own = piece.times[piece.of(where)]
            found.readings += len(np.unique(own))
            found.doubled += len(own) - len(np.unique(own))
        found.spoilt += len(piece.spoilt)
        found.left_out.update(_QUOTED.sub("“…”", one.reason) for one in piece.rejected)
        if len(times):
            first, last = int(times[0]), int(times[-1])
            found.first_ms = first if found.first_ms is None else min(found.first_ms, first)
            found.last_ms = last if found.last_ms is None else max(found.last_ms, last)
    return found
