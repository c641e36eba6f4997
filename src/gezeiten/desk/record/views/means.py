"""What limits of means compare: the moving mean of a series, the moving sum of what is summed."""

from __future__ import annotations

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.record.views.records import extent, read_around
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.series import Series
from gezeiten.domain.series.series_keys import channel_of
from gezeiten.domain.series.statistics.moving import moving_mean, moving_sum
from gezeiten.domain.series.timeline import EVER_MS, Span


def moving_means_around(
    desk: Workspace, point_id: int, key: str, mean_s: int, span: Span
) -> Series:
    """Return the moving means of a series in a stretch, with at least one on either side.

    Raises:
        ArchiveDamagedError: readings are damaged.
    """
    window_ms = mean_s * 1000
    # twice the window, so that the mean beside the stretch is whole as well
    read = read_around(desk, point_id, key, (span[0] - 2 * window_ms, span[1]))
    summed = quantity(channel_of(key)).averages == "sum"
    means = moving_sum(read, window_ms) if summed else moving_mean(read, window_ms)
    known = extent(desk, point_id, [key])
    if not len(read) or known is None or read.times_utc_ms[0] == known[0]:
        return means
    return means.between(int(read.times_utc_ms[0]) + window_ms, EVER_MS)
