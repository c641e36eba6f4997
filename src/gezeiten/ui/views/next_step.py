"""What the large button of the Field desk does next for one logger, and how it says so."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from gezeiten.desk.logger.checks import Check
from gezeiten.desk.logger.contact import LoggerCard
from gezeiten.ui.i18n import counted, tr

Kind = Literal["launch", "accept", "pin", "next", "several", "done", ""]


@dataclass(frozen=True, slots=True)
class Step:
    """kind: what the button does, "" while something is in the way. words: what it says; after:
    what follows. serial: of the logger to go to next."""

    kind: Kind
    words: str = ""
    after: str = ""
    serial: str = ""

    @property
    def is_open(self) -> bool:
        """Whether the button can be pressed."""
        return self.kind not in ("", "done")


def launch_step(
    card: LoggerCard, checks: Sequence[Check], first_reading: str, *, as_last: bool
) -> Step:
    """Return the step that leads to a launch. as_last: the plan is that of the last mission."""
    blocking = [check for check in checks if check.weight == "blocking"]
    if [check.key for check in blocking] == ["pin"]:
        words = tr("Give the PIN of %1").replace("%1", card.serial)
        return Step("pin", words, tr("then it can be launched"))
    if not blocking and any(check.wants_word for check in checks):
        return Step("accept", tr("Say why it is all right"), tr("then it can be launched"))
    words = _launch_words(card, as_last=as_last)
    if blocking:
        return Step("", words, tr("first clear what is in the way"))
    return Step("launch", f"{words}\n{first_reading}", tr("then reads the plan back and compares"))


def _launch_words(card: LoggerCard, *, as_last: bool) -> str:
    count = card.readings_not_kept
    if count and as_last:
        return counted(count, "Offload %n and launch again", "Offload %n and launch again")
    if count:
        return counted(count, "Offload %n and launch", "Offload %n and launch")
    words = tr("Launch %1 again") if as_last else tr("Launch %1")
    return words.replace("%1", card.serial)


def after_launch(next_serial: str) -> Step:
    """Return the step once a logger is launched: on to the next one that is not."""
    if not next_serial:
        return Step("done", tr("All at hand are launched"), tr("Ctrl+Shift+T lists the day"))
    words = tr("Next logger: %1").replace("%1", next_serial)
    return Step("next", words, tr("Enter in the list goes there too"), next_serial)
