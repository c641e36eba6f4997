"""The checks before a launch, in plain sentences: passed, worth a look, blocking; and the outlook.

Some things worth a look want a deliberate yes, a word why (`wants_word`); the word is kept with the
mission in the logbook. Any other may be accepted with a word too.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Literal

from gezeiten.archive.queries.missions import recording_at
from gezeiten.archive.queries.sites import find_point_by_names, next_visit_of
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.logger.computer_clock import clock_doubts
from gezeiten.desk.logger.contact import LoggerCard
from gezeiten.desk.logger.pins import is_locked, pin_group
from gezeiten.domain.base.intervals import interval_text
from gezeiten.domain.base.wording import grouped, readings_text
from gezeiten.domain.board.thresholds import (
    CALIBRATION_SOON_MS,
    LOW_BATTERY,
    is_clock_difference_notable,
    is_clock_wrong,
)
from gezeiten.domain.facts.sites import POINT_SEPARATOR, split_name
from gezeiten.domain.plan.outlook import REFERENCE_TEMP_C, Outlook, outlook
from gezeiten.domain.plan.plan import Plan, first_due_ms
from gezeiten.domain.plan.plan_check import check_plan
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.timeline import (
    DAY_MS,
    MINUTE_MS,
    approximate_duration_text,
    duration_text,
)
from gezeiten.link.registers import SELF_CHECK_GOOD, SensorStatus, State

CLOCK_KEY = "computer clock"
BEGUN_KEY = "begun"

Weight = Literal["passed", "look", "blocking", "note"]
_ORDER = {"blocking": 0, "look": 1, "passed": 2, "note": 3}


@dataclass(frozen=True, slots=True)
class Check:
    """One sentence of the list before launch.

    key: names the check for accepting it. needs_reason: nothing is launched before somebody said
    why it is all right. field: of the plan, where the sentence belongs, or "".
    """

    weight: Weight
    sentence: str
    key: str = ""
    needs_reason: bool = False
    field: str = ""


def next_visit_ms(desk: Workspace, point_name: str) -> int | None:
    """Return when the site of a point is visited next."""
    site_name = split_name(point_name)[0]
    with desk.archive.reading() as session:
        return next_visit_of(session, site_name)


def present_temp_c(card: LoggerCard) -> float:
    """Return the temperature at the logger for its battery; 20 °C where it measures none."""
    for spec, live in zip(card.identity.model.channels, card.live, strict=True):
        if quantity(spec.key).is_temperature and live.status == SensorStatus.OK:
            return live.value
    return REFERENCE_TEMP_C


def mission_outlook(desk: Workspace, card: LoggerCard, plan: Plan) -> Outlook:
    """Return the outlook of a plan on this logger, against the next visit.

    For a start by button it is reckoned as if the button were pressed now.
    """
    now = desk.now_ms()
    return outlook(
        card.identity.model,
        plan,
        first_ms=first_due_ms(plan, now),
        now_ms=now,
        charge=card.state.battery_permille / 1000,
        temp_c=present_temp_c(card),
        calibration_due_ms=card.calibration_due_ms,
        visit_ms=next_visit_ms(desk, plan.point_name),
    )


def launch_checks(
    desk: Workspace,
    card: LoggerCard,
    plan: Plan,
    accepted: Mapping[str, str] | None = None,
    label: str = "",
) -> list[Check]:
    """Return the list of checks, blocking ones first.

    Args:
        accepted: words why, by the keys of checks.
        label: the last digits as read from the case; "" when nobody compared.
    """
    checks = [
        *_interrupted_checks(card),
        *_unoffloaded_checks(card),
        *_running_mission_checks(card),
    ]
    checks.append(label_check(card.serial, label))
    checks += [
        Check(
            "blocking" if fault.blocking else "look",
            fault.sentence,
            f"plan {fault.field}",
            field=fault.field,
        )
        for fault in check_plan(plan, card.identity.model, desk.now_ms())
    ]
    checks += _point_checks(desk, card, plan)
    checks += _computer_checks(desk)
    checks += [_clock_check(card), _battery_check(card), *_sensor_checks(card, plan)]
    checks += _calibration_checks(desk, card)
    if not any(check.weight == "blocking" and check.field for check in checks):
        checks += _outlook_checks(desk, card, plan)
    if is_locked(card.state) and desk.pins.get(pin_group(desk, card.serial)) is None:
        checks.append(Check("blocking", f"{card.serial} is locked; enter its PIN first.", "pin"))
    weighed = [_accepted(check, (accepted or {}).get(check.key, "")) for check in checks]
    return sorted(weighed, key=lambda check: _ORDER[check.weight])


def _accepted(check: Check, word: str) -> Check:
    if check.weight != "look" or not word.strip():
        return check
    return replace(
        check,
        weight="passed",
        needs_reason=False,
        sentence=f"{check.sentence} Overridden: {word.strip()}",
    )


def label_check(serial: str, typed: str) -> Check:
    """Compare what was read from the case with the serial that the logger tells."""
    cleaned = "".join(char for char in typed.upper() if char.isalnum())
    bare = "".join(char for char in serial.upper() if char.isalnum())
    if not cleaned:
        sentence = f"The label has not been compared; does it end in {serial[-4:]}?"
        return Check("note", sentence, "label")
    if len(cleaned) >= 3 and bare.endswith(cleaned):
        sentence = f"The label ends in {cleaned}, as the logger reports."
        return Check("passed", sentence, "label")
    if bare.endswith(cleaned):
        return Check("note", "Type at least the last three characters of the label.", "label")
    return Check(
        "blocking",
        f"The label ends in {cleaned[:12]}, but {serial} answers: this is another "
        "logger. Blink its LED and look again.",
        "label",
    )


def _interrupted_checks(card: LoggerCard) -> list[Check]:
    return [Check("look", card.interrupted, "interrupted")] if card.interrupted else []


def _unoffloaded_checks(card: LoggerCard) -> list[Check]:
    if card.readings_damaged:
        count = card.readings_damaged
        arrive = "reading on {} arrives" if count == 1 else "readings on {} arrive"
        sentence = (
            f"{grouped(count)} {arrive.format(card.serial)} damaged and would be "
            "lost; offload again, or override with a reason."
        )
        return [Check("look", sentence, "damaged", needs_reason=True)]
    if card.readings_to_offload:
        words = readings_text(card.readings_to_offload)
        return [Check("note", f"{words} to offload; the launch offloads them first.")]
    return [Check("passed", f"All readings on {card.serial} are saved.")]


def _running_mission_checks(card: LoggerCard) -> list[Check]:
    """Ending what waits or has just begun is most often a second press, or the wrong logger."""
    if not card.has_just_started:
        return []
    mission = f"Mission {card.state.mission_number} of {card.serial}"
    if card.state.state == State.WAITING:
        sentence = (
            f"{mission} is waiting for its first reading; launching again ends it before that."
        )
    else:
        age_ms = max(card.state.clock_ms - card.directory[-1].launched_ms, 0)
        age = duration_text(max(age_ms // MINUTE_MS, 1) * MINUTE_MS)
        sentence = f"{mission} was launched only {age} ago; launching again ends it."
    return [Check("look", sentence, BEGUN_KEY, needs_reason=True)]


def erase_sentence(card: LoggerCard) -> str:
    """Return what a launch does to what is on a logger."""
    state = card.state
    held = sum(entry.readings - entry.first_held for entry in card.directory)
    ends = f"ends mission {state.mission_number} and " if card.is_recording else ""
    if not held:
        return f"Launching {ends}sets the logger's clock; its memory is empty."
    what = f"erases the {readings_text(held)} in memory"
    open_part = card.readings_to_offload
    if not open_part:
        return f"Launching {ends}{what}, all of them saved, and sets the logger's clock."
    after = f"{grouped(open_part)} of them after offloading"
    return f"Launching {ends}{what}, {after}, and sets the logger's clock."


def _point_checks(desk: Workspace, card: LoggerCard, plan: Plan) -> list[Check]:
    name = plan.point_name.strip()
    if not name:
        words = "The plan has no point; choose where the logger will be."
        return [Check("blocking", words, "point", field="point_name")]
    site_name, _, point_name = (part.strip() for part in name.partition(POINT_SEPARATOR))
    with desk.archive.reading() as session:
        point = find_point_by_names(session, site_name, point_name or site_name)
    if point is None:
        words = f"“{name}” is a new point; it is added with the launch."
        return [Check("look", words, "new point", field="point_name")]
    if point.is_retired:
        words = f"“{name}” is retired; reactivate it or choose another point."
        return [Check("blocking", words, "point", field="point_name")]
    missing = [k for k in point.facts.duty_channels if k not in plan.channels]
    longest = point.facts.duty_interval_s
    checks = []
    if missing:
        names = ", ".join(quantity(key).name for key in missing)
        words = f"{point_name} also requires {names}."
        checks.append(Check("look", words, "duty channels", field="channels"))
    if longest and plan.interval_s > longest:
        words = f"{point_name} requires an interval of {interval_text(longest)} or less."
        checks.append(Check("look", words, "duty interval", field="interval"))
    with desk.archive.reading() as session:
        others = recording_at(session, point.id, card.serial)
    for serial in others:
        words = f"{serial} also records at {point_name}; the two records overlap."
        checks.append(Check("look", words, f"beside {serial}", field="point_name"))
    if card.point and name != card.point:
        words = f"{card.serial} has been at {card.point}; its new readings go to {name}."
        checks.append(Check("look", words, "moved", field="point_name"))
    return checks


def _computer_checks(desk: Workspace) -> list[Check]:
    doubts = clock_doubts(desk)
    if not doubts:
        return [Check("passed", "This computer's clock is set by a time service.")]
    sentence = " ".join(doubts) + " Every reading is dated by it; give a reason why it is right."
    return [Check("look", sentence, CLOCK_KEY, needs_reason=True)]


def _clock_check(card: LoggerCard) -> Check:
    off = card.clock.difference_ms
    if is_clock_difference_notable(off):
        ahead = "ahead of" if off > 0 else "behind"
        length = duration_text(round(abs(off)))
        sentence = f"Its clock is {length} {ahead} this computer's; launching sets it."
        if is_clock_wrong(off):
            sentence += (
                " The readings of its mission are dated by it and count as suspect until a clock "
                "correction is applied; give a reason."
            )
        return Check("look", sentence, "clock", needs_reason=is_clock_wrong(off))
    off_s = round(off / 1000, 1) + 0.0  # no minus sign before a nought
    return Check("passed", f"Its clock agrees with this computer's ({off_s:+.1f} s).")


def _battery_check(card: LoggerCard) -> Check:
    percent = card.state.battery_permille / 10
    if percent < LOW_BATTERY * 100:
        return Check("look", f"Battery {percent:.0f} %; take a fresh one along.", "battery")
    return Check("passed", f"Battery {percent:.0f} %.")


def _sensor_checks(card: LoggerCard, plan: Plan) -> list[Check]:
    checks = []
    failed = max(card.state.self_check - SELF_CHECK_GOOD, 0)
    for i, (spec, live) in enumerate(zip(card.identity.model.channels, card.live, strict=True)):
        name = quantity(spec.key).name
        if spec.key not in plan.channels:
            continue
        if live.status == SensorStatus.NO_SENSOR:
            words = f"{name} has no sensor; connect it or switch the channel off."
            checks.append(Check("look", words, f"sensor {spec.key}"))
        elif failed & 2 ** (i + 1):
            words = f"{name} failed the self-check; look at its sensor."
            checks.append(Check("look", words, f"self-check {spec.key}"))
    return checks


def _calibration_checks(desk: Workspace, card: LoggerCard) -> list[Check]:
    due = card.calibration_due_ms
    if due is None:
        return [Check("note", "When its calibration is due is not known.")]
    left = due - desk.now_ms()
    if left < 0:
        words = f"Calibration has been due for {duration_text(-left // DAY_MS * DAY_MS)}."
        return [Check("look", words, "calibration")]
    if left < CALIBRATION_SOON_MS:
        words = f"Calibration is due in {duration_text(left // DAY_MS * DAY_MS)}."
        return [Check("look", words, "calibration")]
    return []


def _outlook_checks(desk: Workspace, card: LoggerCard, plan: Plan) -> list[Check]:
    look = mission_outlook(desk, card, plan)
    visit = next_visit_ms(desk, plan.point_name)
    if visit is None:
        return []
    name = "The plan" if look.ends_by_plan else "Memory"
    checks = [] if look.ends_ms is None else [_against_visit(name, look.ends_ms, visit, "memory")]
    checks.append(_against_visit("Battery", look.battery_empty_ms, visit, "battery life"))
    if look.worst_ends_ms is not None and look.worst_ends_ms < visit:
        words = "If every reading were outside limits, memory would be full before the next visit."
        checks.append(Check("look", words, "worst case"))
    if look.overwritten_readings:
        lost = readings_text(look.overwritten_readings)
        words = f"{lost} would be overwritten before the next visit."
        checks.append(Check("look", words, "overwritten"))
    return checks


def _against_visit(name: str, end_ms: int, visit_ms: int, key: str) -> Check:
    spare = end_ms - visit_ms
    if spare < 0:
        return Check(
            "look", f"{name} ends {approximate_duration_text(spare)} before the next visit.", key
        )
    return Check(
        "passed", f"{name} lasts {approximate_duration_text(spare)} beyond the next visit."
    )
