"""What a calculated series would lose by a change, in a sentence."""

from __future__ import annotations

from gezeiten.desk.record.losses import Loss
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.series_keys import channel_of
from gezeiten.ui.shell.i18n import counted, number


def loss_words(loss: Loss) -> str:
    """Return which series loses how many of its values."""
    words = counted(loss.lost, "%1 of %2 loses %n of its %3 values there.",
                    "%1 of %2 loses %n of its %3 values there.")  # fmt: skip
    words = words.replace("%1", quantity(channel_of(loss.series)).name)
    words = words.replace("%3", number(loss.before))
    return words.replace("%2", loss.point.full_name)
