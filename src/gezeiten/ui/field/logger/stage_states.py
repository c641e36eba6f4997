"""What the five stages of the Field desk say of a logger, by its card and the checks."""

from __future__ import annotations

from gezeiten.desk.logger.contact import LoggerCard
from gezeiten.desk.logger.launch.launch_checks import Check
from gezeiten.ui.field.logger.logger_texts import doing
from gezeiten.ui.format.i18n import counted, tr

IDENTITY, OFFLOAD, HEALTH, PLAN, LAUNCH = range(5)


def stage_states(
    card: LoggerCard, checks: list[Check], zone: str, *, changed: bool, is_valid: bool
) -> list[tuple[int, str, str]]:
    """Return stage, state and words of each.

    changed: the plan is not the one to start from; is_valid: it can be checked: what depends on it
    is not known otherwise.
    """
    return [
        (IDENTITY, *_identity(card, checks)),
        (OFFLOAD, *_offload(card)),
        (HEALTH, *(_health(checks) if is_valid else ("note", tr("not valid yet")))),
        (PLAN, *_plan(checks, changed)),
        (LAUNCH, *_launch(card, checks, zone)),
    ]


def _identity(card: LoggerCard, checks: list[Check]) -> tuple[str, str]:
    label = next((check for check in checks if check.key == "label"), None)
    if label is None or label.weight == "note":
        return "note", card.serial
    if label.weight == "blocking":
        return "blocking", tr("wrong label!")
    return "passed", tr("label compared")


def _offload(card: LoggerCard) -> tuple[str, str]:
    if card.readings_to_offload:
        return "look", counted(card.readings_to_offload, "%n to offload", "%n to offload")
    return "passed", tr("all saved")


def _health(checks: list[Check]) -> tuple[str, str]:
    looks = sum(check.weight == "look" and not check.field for check in checks)
    if looks:
        return "look", counted(looks, "%n warning", "%n warnings")
    return "passed", tr("good")


def _plan(checks: list[Check], changed: bool) -> tuple[str, str]:
    blocked = sum(check.weight == "blocking" and bool(check.field) for check in checks)
    if blocked:
        return "blocking", counted(blocked, "%n problem", "%n problems")
    return "passed", tr("changed") if changed else tr("fits")


def _launch(card: LoggerCard, checks: list[Check], zone: str) -> tuple[str, str]:
    waits = any(check.weight == "blocking" or check.needs_reason for check in checks)
    return "note", doing(card, zone) if waits else tr("ready")
