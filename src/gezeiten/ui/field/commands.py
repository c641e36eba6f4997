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
        ("look", tr("Search for loggers again"), "F5", field.search),
        ("logger.next", tr("Next logger"), "Ctrl+Down", lambda: field.step(1)),
        ("logger.previous", tr("Previous logger"), "Ctrl+Up", lambda: field.step(-1)),
        ("tick.all", tr("Select all loggers, or none"), "Ctrl+T", actions.tick_all),
        ("offload.start", tr("Offload the selected logger"), "F6", actions.offload),
        (
            "offload.part",
            tr("Offload part of the selected logger, or an overview"),
            "Ctrl+F6",
            more.show_part,
        ),
        ("offload.all", tr("Offload all connected loggers"), "Shift+F6", actions.offload_all),
        ("offload.stop", tr("Cancel what is running"), "Esc", actions.cancel),
        ("carriers", tr("Connected couriers and drives"), "Ctrl+J", field.carriers.open_next),
        ("text", tr("Import text files or mission files"), "Ctrl+O", more.pick_text),
        (
            "text.folder",
            tr("Import the text files of a folder"),
            "Ctrl+Alt+O",
            more.pick_text_folder,
        ),
        (
            "text.taken",
            tr("Imported text files"),
            "Ctrl+Alt+T",
            more.show_imported_texts,
        ),
        ("text.kinds", tr("Import templates"), "Ctrl+Alt+K", more.text_kinds),
        ("live.line", tr("Live line: record an instrument"), "Ctrl+R", more.live_line),
        ("folder", tr("Open a folder with mission files"), "Ctrl+Shift+O", more.pick_folder),
        ("blink", tr("Blink the LED of the selected logger"), "F8", actions.blink),
        ("label.type", tr("Compare the label on the case"), "F4", field.chosen.type_label),
        ("self-check", tr("Run the logger's self-check"), "Shift+F8", actions.self_check),
        ("live", tr("Keep reading live values"), "F7", actions.watch_live),
        ("pin", tr("Enter the PIN of the selected logger"), "Ctrl+I", more.pin),
        ("launch", tr("Offload and launch the selected loggers"), "F9", actions.launch),
        (
            "again",
            tr("Launch again with the plan of the last mission"),
            "Shift+F9",
            actions.relaunch_last_plan,
        ),
        (
            "next.open",
            tr("Next logger still to launch"),
            "Ctrl+Shift+Down",
            actions.next_logger,
        ),
        (
            "mission.stop",
            tr("Stop the mission of the selected logger and offload it"),
            "",  # nothing that ends or erases has a key next to a harmless one
            more.stop,
        ),
        (
            "memory.erase",
            tr("Erase the memory of the selected logger"),
            "",
            more.erase,
        ),
        ("accept", tr("Override a launch check with a reason"), "F3", field.ask_reason),
        ("plan.kept", tr("Saved plans"), "Ctrl+P", actions.show_stored_plans),
        (
            "plan.last",
            tr("Use the plan of the last mission here"),
            "Ctrl+L",
            actions.use_last_plan,
        ),
        (
            "plan.before",
            tr("Use the plan of the logger launched before"),
            "Ctrl+E",
            actions.use_previous_loggers_plan,
        ),
        (
            "plan.differs",
            tr("Compare with the last plan"),
            "Ctrl+D",
            actions.show_differences,
        ),
        (
            "day",
            tr("Today's work: offloaded, launched, remaining"),
            "Ctrl+Shift+T",
            more.day,
        ),
        (
            "plugged",
            tr("Go to the logger that was just connected"),
            "Ctrl+G",
            field.select_plugged,
        ),
        ("logger.rows", tr("Readings of the selected logger as a table"), "Alt+R", more.rows),
        ("logger.life", tr("History of the selected logger"), "Ctrl+B", more.life),
        (
            "label.write",
            tr("Print labels for launched loggers"),
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
