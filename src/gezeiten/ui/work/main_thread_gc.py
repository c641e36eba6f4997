"""Collecting Python's cyclic rubbish in the main thread only.

Python collects in whichever thread happens to allocate. What then dies in a worker may be a Qt
object of the main thread that just is being sent an event: the window would crash, rarely and
anywhere. So automatic collection is off while there is a window, and this does it instead, when
Python itself would have.
"""

from __future__ import annotations

import gc

from PySide6.QtCore import QObject, QTimer

EVERY_MS = 1_000


class MainThreadGc(QObject):
    """Looks every second; lives as long as its parent."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        gc.disable()
        timer = QTimer(self)
        timer.timeout.connect(collect_due)
        timer.start(EVERY_MS)


def collect_due() -> None:
    """Collect the oldest generation whose count is above Python's own threshold, if any."""
    pairs = list(zip(gc.get_count(), gc.get_threshold(), strict=True))
    due = [generation for generation, (count, most) in enumerate(pairs) if 0 < most < count]
    if due:
        gc.collect(max(due))
