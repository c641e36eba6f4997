"""What the large button of the Field desk does next for one logger, and how it says so."""

from __future__ import annotations

from collections.abc import Sequence

from gezeiten.desk.checks import Check
from gezeiten.desk.contact import LoggerCard
from gezeiten.ui.i18n import counted, tr


def next_step(card: LoggerCard, checks: Sequence[Check]) -> str:
    """Return "offload", "pin", "accept", "launch", or "" while something is in the way."""
    if card.readings_to_fetch:
        return "offload"
    blocking = [check for check in checks if check.weight == "blocking"]
    if [check.key for check in blocking] == ["pin"]:
        return "pin"
    if blocking:
        return ""
    return "accept" if any(check.wants_word for check in checks) else "launch"


def step_words(card: LoggerCard, step: str, first_reading: str) -> tuple[str, str]:
    """Return what the button says, and what follows."""
    if step == "accept":
        return tr("Say why it is all right"), tr("then it can be launched")
    if step == "offload":
        count = card.readings_not_kept
        words = counted(count, "Offload %n reading", "Offload %n readings")
        return words, tr("then the logger can be launched")
    if step == "pin":
        words = tr("Give the PIN of %1").replace("%1", card.serial)
        return words, tr("then it can be launched")
    launch = tr("Launch %1").replace("%1", card.serial)
    if not step:
        return launch, tr("first clear what is in the way")
    return f"{launch}\n{first_reading}", tr("then reads the plan back and compares")
