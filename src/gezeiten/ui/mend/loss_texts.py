"""What a rule catches, and what a calculated series would lose by a change, in a sentence."""

from __future__ import annotations

from gezeiten.desk.record.statements.losses import ValueLoss
from gezeiten.desk.record.statements.proposals import ProposedCorrection
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.series_keys import channel_of
from gezeiten.ui.format.i18n import counted, number, tr


def loss_text(loss: ValueLoss) -> str:
    """Return which series loses how many of its values."""
    words = counted(
        loss.count,
        "%1 of %2 loses %n of its %3 values there.",
        "%1 of %2 loses %n of its %3 values there.",
    )
    words = words.replace("%1", quantity(channel_of(loss.series)).name)
    words = words.replace("%3", number(loss.before))
    return words.replace("%2", loss.point.full_name)


def caught_text(caught: ProposedCorrection) -> str:
    """Return how many readings a rule catches in its whole stretch, "" where no rule is tried."""
    if not caught.of:
        return ""
    words = counted(
        caught.readings,
        "The rule catches %n of %1 readings (%2 %).",
        "The rule catches %n of %1 readings (%2 %).",
    )
    words = words.replace("%1", number(caught.of))
    words = words.replace("%2", number(100 * caught.readings / caught.of, 2))
    much = tr("That is a lot: look at some of them before you save.")
    return f"{words} {much}" if caught.is_excessive else words
