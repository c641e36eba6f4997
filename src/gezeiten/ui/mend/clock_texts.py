"""What is said of a clock that is put right, and how an amount of time is typed."""

from __future__ import annotations

from gezeiten.desk.record.statements.clock_search import FoundClock
from gezeiten.desk.record.statements.clocks import MissionClock
from gezeiten.domain.series.clocks.clock_map import ClockMap
from gezeiten.domain.series.clocks.clock_uncertainty import ClockUncertainty, clock_u_ms
from gezeiten.errors import InputError
from gezeiten.ui.format.i18n import counted, number, tr

_MOST_CONFIDENCE = 0.999


def parsed_shift_ms(text: str) -> int:
    """Return an amount typed as "-1:00:00", "2:30" (minutes and seconds) or "45" (seconds).

    Raises:
        InputError: it is none.
    """
    typed = text.strip().replace("\N{MINUS SIGN}", "-")
    sign = -1 if typed.startswith("-") else 1
    parts = typed.lstrip("+-").split(":")
    try:
        numbers = [int(part) for part in parts]
    except ValueError:
        numbers = []
    if not 1 <= len(numbers) <= 3 or any(one < 0 for one in numbers):
        words = tr("“%1” is not a time shift; type it like -1:00:00, or 45 for seconds.")
        raise InputError(words.replace("%1", text.strip()))
    seconds = 0
    for one in numbers:
        seconds = 60 * seconds + one
    return sign * seconds * 1000


def shift_text(clock: MissionClock, put_right: ClockMap) -> str:
    """By how much the first and the last reading would be moved from what the logger wrote."""
    first, last = (
        put_right.corrected_instant(at) - at
        for at in (clock.reads[0].shown_ms, clock.reads[-1].shown_ms)
    )
    words = tr("Readings are shifted by %1 at the launch and %2 at the last contact.")
    return words.replace("%1", seconds(first)).replace("%2", seconds(last))


def search_text(clock: FoundClock) -> str:
    """What the data say of a clock, how sure that is, or why nothing follows."""
    likeness = tr("Changes match to %1 %, at the next best shift to %2 %: confidence %3.")
    likeness = likeness.replace("%1", number(100 * clock.shift.likeness))
    likeness = likeness.replace("%2", number(100 * clock.shift.second))
    words = likeness.replace("%3", _confidence_text(clock.shift.confidence))
    if not clock.shift.is_clear:
        none = tr("No clear result: another shift matches nearly as well.")
        return f"{none} {words}"
    if clock.lag is None:
        unknown = tr(
            "They are %1 apart, but the natural lag between these points is not "
            "known: that takes three periods of five days in which both clocks were "
            "right. Nothing is proposed."
        )
        return f"{unknown.replace('%1', seconds(clock.shift.shift_ms))} {words}"
    lag = tr("The natural lag between these points is %1 ± %2 s (%3); it is subtracted.")
    lag = lag.replace("%1", seconds(clock.lag.lag_ms)).replace("%2", number(clock.lag.u_ms / 1000))
    spans = counted(clock.lag.periods, "%n period of five days", "%n periods of five days")
    return f"{lag.replace('%3', spans)} {words}"


def _confidence_text(confidence: float) -> str:
    if confidence > _MOST_CONFIDENCE:
        return tr("over 99.9 %")
    return tr("%1 %").replace("%1", number(100 * confidence, 1))


def uncertainty_text(
    clock: MissionClock, put_right: ClockMap, uncertainty: ClockUncertainty
) -> str:
    """How sure the instants are up to the last contact, and at the last reading after it."""
    words = tr("Uncertainty at most ± %1 s.").replace("%1", number(uncertainty.u_ms / 1000, 1))
    if not put_right or clock.last_shown_ms <= put_right.shown_ms[-1]:
        return words
    last_ms = put_right.corrected_instant(clock.last_shown_ms)
    beyond = tr("± %1 s up to the last contact, growing to ± %2 s at the last reading.")
    beyond = beyond.replace("%1", number(uncertainty.u_ms / 1000, 1))
    u_ms = clock_u_ms(put_right, uncertainty, last_ms)
    return beyond.replace("%2", number(u_ms / 1000, 1))


def seconds(length_ms: int) -> str:
    decimals = 0 if abs(length_ms) >= 100_000 else 1
    sign = "+" if length_ms > 0 else ""
    return f"{sign}{number(length_ms / 1000, decimals)} s"
