"""How the large button of the Field desk says what comes next, and what follows."""

from __future__ import annotations

from gezeiten.ui.field.model import NextAction
from gezeiten.ui.format.i18n import counted, tr


def step_texts(action: NextAction, first_reading: str) -> tuple[str, str]:
    """Return what the button says and what follows. first_reading: when it comes, in words."""
    if action.kind == "pin":
        words = tr("Enter the PIN of %1").replace("%1", action.serial)
        return words, tr("then it can be launched")
    if action.kind == "accept":
        after = tr("then they can be launched") if action.loggers else tr("then it can be launched")
        return tr("Override: reason"), after
    if action.kind == "launch":
        words = f"{_launch_text(action)}\n{first_reading}"
        return words, tr("then the plan is read back and compared")
    if action.kind == "several" or action.loggers:
        words = counted(
            action.loggers, "Offload and launch\n%n logger", "Offload and launch\n%n loggers"
        )
        return words, tr("synchronised start")
    if action.kind == "blocked":
        return _launch_text(action), tr("solve the problems first")
    if action.kind == "next":
        words = tr("Next logger: %1").replace("%1", action.serial)
        return words, tr("Enter in the list goes there too")
    return tr("All connected loggers are launched"), tr("Ctrl+Shift+T lists today's work")


def _launch_text(action: NextAction) -> str:
    count = action.readings
    if count and action.repeats_last:
        return counted(count, "Offload %n and launch again", "Offload %n and launch again")
    if count:
        return counted(count, "Offload %n and launch", "Offload %n and launch")
    words = tr("Launch %1 again") if action.repeats_last else tr("Launch %1")
    return words.replace("%1", action.serial)
