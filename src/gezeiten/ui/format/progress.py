"""How the progress of a transfer is said, the same everywhere."""

from __future__ import annotations

from gezeiten.domain.series.timeline import duration_text
from gezeiten.link.transfer import Progress
from gezeiten.ui.format.i18n import number, tr


def progress_text(who: str, progress: Progress) -> str:
    """Return "P-0320 offloading · 480 of 7 200 readings · 9.9 kB/s (the line can do 10.5) · 3 s
    left"."""
    rate = number(progress.bytes_per_s / 1000, 1) + " kB/s"
    if progress.limit_bytes_per_s:
        limit = number(progress.limit_bytes_per_s / 1000, 1)
        rate += " " + tr("(the line can do %1)").replace("%1", limit)
    words = tr("%1 · %2 of %3 readings · %4")
    values = (who, number(progress.readings), number(progress.of_readings), rate)
    for i, value in enumerate(values, 1):
        words = words.replace(f"%{i}", value)
    if progress.seconds_left is not None:
        left = duration_text(round(progress.seconds_left * 1000))
        words += " · " + tr("%1 left").replace("%1", left)
    return words
