"""From when on something is worth a look, or a visit: all limits of attention in one place."""

from __future__ import annotations

from gezeiten.domain.series.timeline import DAY_MS

CLOCK_OFF_MS = 30_000
"""From here on it is said that a clock is off."""
LOW_BATTERY = 0.15
"""Of a full one: it is said at the logger."""
BATTERY_TO_TAKE = 0.25
"""Below that a fresh one is taken along on a round."""
CALIBRATION_SOON_MS = 30 * DAY_MS
"""Before it falls due it is said at the logger."""
CALIBRATION_TO_TAKE_MS = 60 * DAY_MS
"""Before it falls due a calibrated logger is taken along on a round."""
LONG_NOT_OFFLOADED_MS = 7 * DAY_MS
PRESSING_MS = 4 * DAY_MS
"""A memory that is full, or a battery that is empty, before then is urgent."""
SOON_MS = 14 * DAY_MS
FORESEEN_MS = 60 * DAY_MS
"""What lies farther ahead is no need yet."""


_CLOCK_WRONG_MS = DAY_MS
"""From here on a clock was not drifting but set wrongly."""


def is_clock_wrong(difference_ms: float) -> bool:
    """Whether a logger's clock is so far off that its readings are dated wrongly."""
    return abs(difference_ms) >= _CLOCK_WRONG_MS


def is_clock_difference_notable(difference_ms: float) -> bool:
    """Whether a logger's clock is so far off that it is said."""
    return abs(difference_ms) >= CLOCK_OFF_MS
