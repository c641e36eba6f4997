"""What can be done at the Field desk, with its keys: for shortcuts and the command finder."""

from __future__ import annotations

from functools import partial

from gezeiten.ui.field.actions import FieldActions
from gezeiten.ui.field.dialogs.opener import FieldDialogs
from gezeiten.ui.field.view import FieldView
from gezeiten.ui.format.i18n import tr
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.commands import Command


def field_commands(field: FieldView, actions: FieldActions, more: FieldDialogs) -> list[Command]:
    """Return every action of the Field desk."""
    here = places.FIELD_DESK
    listed = [
        ("look", tr("Look for loggers again"), "F5", field.search),
        ("logger.next", tr("Next logger"), "Ctrl+Down", lambda: field.step(1)),
        ("logger.previous", tr("Previous logger"), "Ctrl+Up", lambda: field.step(-1)),
        ("tick.all", tr("Tick all loggers, or none"), "Ctrl+T", actions.tick_all),
        ("offload.start", tr("Offload the chosen logger"), "F6", actions.offload),
        (
            "offload.part",
            tr("Offload a part of the chosen logger, or an overview"),
            "Ctrl+F6",
            more.show_part,
        ),
        ("offload.all", tr("Offload all loggers at hand"), "Shift+F6", actions.offload_all),
        ("offload.stop", tr("Stop what runs"), "Esc", actions.cancel),
        ("carriers", tr("Couriers and drives at hand"), "Ctrl+J", field.carriers.open_next),
        ("text", tr("Take a text file or several, or mission files"), "Ctrl+O", more.pick_text),
        (
            "text.folder",
            tr("Take the text files of a folder"),
            "Ctrl+Alt+O",
            more.pick_text_folder,
        ),
        (
            "text.taken",
            tr("Text files that were taken: take one out again"),
            "Ctrl+Alt+T",
            more.show_imported_texts,
        ),
        ("text.kinds", tr("Kinds of text files"), "Ctrl+Alt+K", more.text_kinds),
        ("live.line", tr("Live line: record an instrument"), "Ctrl+R", more.live_line),
        ("folder", tr("Look into a folder with mission files"), "Ctrl+Shift+O", more.pick_folder),
        ("blink", tr("Let the chosen logger blink"), "F8", actions.blink),
        ("label.type", tr("Compare the label on the case"), "F4", field.chosen.type_label),
        ("self-check", tr("Let the logger check its sensors"), "Shift+F8", actions.self_check),
        ("live", tr("Keep reading present values"), "F7", actions.watch_live),
        ("pin", tr("Give the PIN of the chosen logger"), "Ctrl+I", more.pin),
        ("launch", tr("Offload and launch the chosen or the ticked loggers"), "F9", actions.launch),
        (
            "again",
            tr("Launch again as last time, whatever was typed"),
            "Shift+F9",
            actions.relaunch_last_plan,
        ),
        (
            "next.open",
            tr("Next logger that is not launched yet"),
            "Ctrl+Shift+Down",
            actions.next_logger,
        ),
        (
            "mission.stop",
            tr("Stop the mission of the chosen logger and offload it"),
            "Ctrl+F9",
            more.stop,
        ),
        ("memory.erase", tr("Erase the memory of the chosen logger"), "Ctrl+Shift+F9", more.erase),
        ("accept", tr("Accept a check with a word why"), "F3", field.ask_reason),
        ("plan.kept", tr("Kept plans"), "Ctrl+P", actions.show_stored_plans),
        (
            "plan.last",
            tr("Take the plan of the last mission here"),
            "Ctrl+L",
            actions.use_last_plan,
        ),
        (
            "plan.before",
            tr("Take the plan of the logger launched before"),
            "Ctrl+E",
            actions.use_previous_loggers_plan,
        ),
        (
            "plan.differs",
            tr("What differs from the last plan?"),
            "Ctrl+D",
            actions.show_differences,
        ),
        (
            "day",
            tr("The day: what came, what was launched, what is left"),
            "Ctrl+Shift+T",
            more.day,
        ),
        (
            "plugged",
            tr("Go to the logger that was just plugged in"),
            "Ctrl+G",
            field.select_plugged,
        ),
        ("logger.rows", tr("Readings of the chosen logger as a table"), "Alt+R", more.rows),
        ("logger.life", tr("The life of the chosen logger"), "Ctrl+B", more.life),
        (
            "label.write",
            tr("Write labels of what was launched"),
            "Ctrl+Shift+P",
            actions.write_labels,
        ),
    ]
    stepping = ("logger.next", "logger.previous")  # the only ones that a key held down repeats
    made = [
        Command(name, title, key, handler, here, repeats=name in stepping)
        for name, title, key, handler in listed
    ]
    made += [
        Command(
            f"stage.{i}",
            tr("Stage: %1").replace("%1", name),
            f"Alt+{i + 1}",
            partial(field.chosen.select_stage, i),
            here,
        )
        for i, name in enumerate(field.stages.names)
    ]
    if field.context.practice is not None:
        made.append(Command("practice", tr("Start practice loggers"), "", more.practice, here))
    return made
