"""How the large button of the Field desk says what comes next, and what follows."""

from __future__ import annotations

from gezeiten.ui.field.model import NextAction
from gezeiten.ui.format.i18n import counted, tr


def step_texts(act: NextAction, first_reading: str) -> tuple[str, str]:
    """Return what the button says and what follows. first_reading: when it comes, in words."""
    if act.kind == "pin":
        words = tr("Give the PIN of %1").replace("%1", act.serial)
        return words, tr("then it can be launched")
    if act.kind == "accept":
        after = tr("then they can be launched") if act.loggers else tr("then it can be launched")
        return tr("Say why it is all right"), after
    if act.kind == "launch":
        words = f"{_launch_text(act)}\n{first_reading}"
        return words, tr("then reads the plan back and compares")
    if act.kind == "several" or act.loggers:
        words = counted(
            act.loggers, "Offload and launch\n%n logger", "Offload and launch\n%n loggers"
        )
        return words, tr("their first readings fall together")
    if act.kind == "blocked":
        return _launch_text(act), tr("first clear what is in the way")
    if act.kind == "next":
        words = tr("Next logger: %1").replace("%1", act.serial)
        return words, tr("Enter in the list goes there too")
    return tr("All at hand are launched"), tr("Ctrl+Shift+T lists the day")


def _launch_text(act: NextAction) -> str:
    count = act.readings
    if count and act.repeats_last:
        return counted(count, "Offload %n and launch again", "Offload %n and launch again")
    if count:
        return counted(count, "Offload %n and launch", "Offload %n and launch")
    words = tr("Launch %1 again") if act.repeats_last else tr("Launch %1")
    return words.replace("%1", act.serial)
