"""What is offered while an archive is only looked at: looking, checking, writing elsewhere."""

from __future__ import annotations

from gezeiten.ui.shell.commands import Command

_BEGINNINGS = ("go.", "logbook.", "view.", "mark", "days")
_OFFERED = {
    "find",
    "theme",
    "larger",
    "smaller",
    "settings",
    "history",
    "quit",
    "verify",
    "unmark",
    "origin",
    "points",
    "event.next",
    "event.previous",
    "event.trends",
    "gap.next",
    "gap.previous",
    "gap.trends",
    "gap.chain",
    "gap.remark",
    "gap.coverage",
    "gap.story",
    "gap.rows",
    "trends.chain",
    "trends.days",
    "trends.remark",
    "trends.coverage",
    "trends.story",
    "event.story",
    "trends.rows",
    "checks",
    "remarks",
    "handover.open",
    "report",
    "export",
}


def is_offered(command: Command) -> bool:
    """Whether a command changes nothing in the archive."""
    return command.id in _OFFERED or command.id.startswith(_BEGINNINGS)
