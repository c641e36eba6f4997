"""What is said of a logger in a word or two, wherever it is shown: what it does, what it holds."""

from __future__ import annotations

from gezeiten.desk.logger.contact import LoggerCard
from gezeiten.desk.office.logger_history import PastMission
from gezeiten.domain.facts.stored import GOING_ON
from gezeiten.domain.series.timeline import HOUR_MS, duration_text
from gezeiten.link.registers import Flag, State
from gezeiten.ui.format.i18n import clock_time, counted, day_and_time, number, tr

_FAR_MS = 20 * HOUR_MS
"""From here on a time of day alone would not say which day."""


def doing(card: LoggerCard, zone: str) -> str:
    """Return what a logger says it does: "logging", "waiting until 23:00"; zone: of its site."""
    state = card.state
    if state.flags & Flag.WAITS_FOR_BUTTON:
        return tr("waiting for its button")
    if state.state == State.WAITING and state.first_due_ms:
        is_far = state.first_due_ms - state.clock_ms > _FAR_MS
        seconds = bool(state.first_due_ms // 1000 % 60)
        at = clock_time(state.first_due_ms, zone, seconds=seconds)
        shown = day_and_time(state.first_due_ms, zone) if is_far else at
        return tr("waiting until %1").replace("%1", shown)
    return {
        State.IDLE: tr("idle, no mission"),
        State.WAITING: tr("waiting for its start"),
        State.LOGGING: tr("logging"),
        State.FULL: tr("memory full"),
        State.ENDED: tr("ended as planned"),
        State.STOPPED: tr("stopped"),
        State.BATTERY_EMPTY: tr("battery was empty"),
    }[State(state.state)]


def clock_text(difference_ms: float) -> str:
    """Return how far a clock is off this computer's; less than a twentieth of a second is not."""
    off_s = difference_ms / 1000
    if abs(off_s) < 0.05:
        return tr("agrees with the computer")
    far = (
        duration_text(round(abs(difference_ms)))
        if abs(off_s) >= 60
        else tr("%1 s").replace("%1", number(abs(off_s), 1))
    )
    side = tr("ahead of the computer") if off_s > 0 else tr("behind the computer")
    return f"{far} {side}"


def mission_state(mission: PastMission) -> str:
    """Return how a mission stands, or how it ended."""
    words = {
        "logging": tr("logging"),
        "waiting": tr("waiting for its start"),
        "full": tr("memory full"),
        "ended": tr("ended as planned"),
        "stopped": tr("stopped"),
        "battery_empty": tr("battery was empty"),
        "relaunched": tr("ended by the next launch"),
        "idle": tr("erased"),
    }.get(mission.state, "")
    is_over = mission.state not in GOING_ON
    if is_over and not mission.readings and not mission.stored:
        return tr("never recorded; %1").replace("%1", words)
    return words


def to_offload_text(card: LoggerCard) -> str:
    """Return "2,880 to offload": readings that are only on the logger; "all kept" without any."""
    count = card.readings_to_offload
    return counted(count, "%n to offload", "%n to offload") if count else tr("all saved")
