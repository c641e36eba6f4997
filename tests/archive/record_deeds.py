"""What people say of series, for tests that do any deeds in any order."""

from __future__ import annotations

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.record.fills import switch_fill
from gezeiten.desk.record.statements.calculated_series import (
    Calculation,
    calculate,
    calculations,
    remove_calculation,
)
from gezeiten.desk.record.statements.check_readings import (
    TypedCheck,
    checks_of,
    enter,
    withdraw_check,
)
from gezeiten.desk.record.statements.clocks import (
    by_amount,
    mission_clocks,
    save_clock_correction,
    switch_clock,
    withdraw_clock_correction,
)
from gezeiten.desk.record.statements.corrections import (
    chain,
    proposed,
    save_correction,
    switch,
    withdraw_correction,
)
from gezeiten.desk.record.statements.limits import set_limit
from gezeiten.desk.record.statements.remarks import remarks, withdraw_remark, write_remark
from gezeiten.desk.record.statements.sensor_depths import (
    sensor_depths_of,
    set_sensor_depth,
    withdraw_sensor_depth,
)
from gezeiten.desk.sites.places import PointPlace, points
from gezeiten.desk.sites.quantities import save_quantity
from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.limits.windows import WORKING_HOURS
from gezeiten.domain.quantities.quantities import Quantity
from gezeiten.domain.series.clocks.clock_uncertainty import ClockUncertainty
from gezeiten.domain.steps.chain import Correction
from gezeiten.domain.steps.formulas import FORMULAS
from gezeiten.domain.steps.sensor_depth import SensorDepth
from gezeiten.errors import InputError


def _series(desk: Workspace) -> list[tuple[PointPlace, str]]:
    return [(point, place.channel) for point in points(desk) for place in point.channels]


def subtract(desk: Workspace, first: int, second: int, label: str) -> None:
    """Let the difference of the n-th series and the m-th be calculated; most have another unit."""
    places = _series(desk)
    if not places:
        raise InputError("nothing is measured yet")
    inputs = (places[first % len(places)], places[second % len(places)])
    calculate(desk, Calculation(FORMULAS["difference", 1], inputs, {}, label))


def subtract_no_more(desk: Workspace, number: int) -> None:
    """Take the n-th calculated series back."""
    said = [
        calculation.series for point in points(desk) for calculation in calculations(desk, point.id)
    ]
    if not said:
        raise InputError("nothing is calculated yet")
    remove_calculation(desk, said[number % len(said)])


def set_some_limit(desk: Workspace, number: int, side: str, how: str) -> None:
    """Set a limit on the n-th series, for all time: on each reading, in working hours, or on means
    of an hour."""
    places = _series(desk)
    if not places:
        raise InputError("nothing is measured yet")
    point, key = places[number % len(places)]
    rule = LimitRule(
        key,
        side,
        1.0,
        window=WORKING_HOURS if how == "working hours" else None,
        mean_s=3600 if how == "means" else 0,
    )  # type: ignore[arg-type]
    set_limit(desk, point.id, key, rule, 0, None, "asked for")


def average(desk: Workspace, averages: str) -> None:
    """Add a quantity of one's own, or have it averaged otherwise."""
    save_quantity(desk, Quantity("sap_flow", "Sap flow", "F", "kg", 1, averages=averages))  # type: ignore[arg-type]


def correct(desk: Workspace, number: int, mark: str) -> None:
    """Put a mark on all readings of the n-th series, or an offset where there is none."""
    places = _series(desk)
    if not places:
        raise InputError("nothing is measured yet")
    point, key = places[number % len(places)]
    kind, parameters = ("mark", {"mark": mark}) if mark else ("linear", {"offset": 1.5})
    save_correction(desk, point, proposed(point, key, kind, (0, None), parameters), "asked for")


def _corrections(desk: Workspace) -> list[tuple[PointPlace, Correction]]:
    return [
        (point, step)
        for point, key in _series(desk)
        for step in chain(desk, point, key).corrections
    ]


def switch_correction(desk: Workspace, number: int) -> None:
    """Switch the n-th step off, or on again."""
    report_corrections = _corrections(desk)
    if not report_corrections:
        raise InputError("nothing is corrected yet")
    switch(desk, *report_corrections[number % len(report_corrections)])


def switch_some_fill(desk: Workspace, number: int) -> None:
    """Switch the n-th fill off, or one that was taken back on again."""
    listed = [
        (point, fill) for point, key in _series(desk) for fill in chain(desk, point, key).fills
    ]
    if not listed:
        raise InputError("nothing is filled yet")
    switch_fill(desk, *listed[number % len(listed)])


def correct_no_more(desk: Workspace, number: int) -> None:
    """Take the n-th step back."""
    report_corrections = _corrections(desk)
    if not report_corrections:
        raise InputError("nothing is corrected yet")
    withdraw_correction(desk, *report_corrections[number % len(report_corrections)])


def remark(desk: Workspace, number: int, whole_site: bool) -> None:
    """Write a remark on the n-th point."""
    listed = points(desk)
    if not listed:
        raise InputError("there is no point yet")
    write_remark(desk, listed[number % len(listed)].id, (0, 9), "seen", whole_site=whole_site)


def remark_no_more(desk: Workspace, number: int) -> None:
    """Take a remark on the n-th point back."""
    listed = points(desk)
    its = remarks(desk, listed[number % len(listed)].id) if listed else []
    if not its:
        raise InputError("nothing is remarked yet")
    withdraw_remark(desk, its[0])


def read_by_hand(desk: Workspace, number: int) -> None:
    """Enter a check of the n-th series."""
    places = _series(desk)
    if not places:
        raise InputError("nothing is measured yet")
    point, key = places[number % len(places)]
    enter(desk, [TypedCheck(point, key, 5, 20.0, "ah", low=1.0)])


def read_by_hand_no_more(desk: Workspace, number: int) -> None:
    """Take a check at the n-th point back."""
    listed = points(desk)
    its = checks_of(desk, listed[number % len(listed)].id) if listed else []
    if not its:
        raise InputError("nothing was read yet")
    withdraw_check(desk, its[0])


def put_clock_right(desk: Workspace, number: int, shift_ms: int) -> None:
    """Move the clock of the first mission that feeds the n-th series, or take that back."""
    places = _series(desk)
    its = mission_clocks(desk, *places[number % len(places)]) if places else []
    if not its:
        raise InputError("no logger measured anything yet")
    if its[0].correction is not None and not shift_ms:
        withdraw_clock_correction(desk, its[0])
    else:
        save_clock_correction(
            desk,
            its[0],
            by_amount(its[0], shift_ms),
            "shifted",
            ClockUncertainty(1000),
            "wrong zone",
        )


def switch_some_clock(desk: Workspace, number: int) -> None:
    """Switch what puts the clock of the first mission of the n-th series right off, or on."""
    places = _series(desk)
    its = mission_clocks(desk, *places[number % len(places)]) if places else []
    if not its:
        raise InputError("no logger measured anything yet")
    switch_clock(desk, its[0], "to see")


def hang_sensor(desk: Workspace, number: int, length_m: float) -> None:
    """Say how the sensor hangs at the n-th point; of no length, take that back."""
    listed = points(desk)
    if not listed:
        raise InputError("there is no point yet")
    point = listed[number % len(listed)]
    sensor_depths = sensor_depths_of(desk, point)
    if length_m or not sensor_depths:
        set_sensor_depth(desk, point, SensorDepth(number, 3.2, length_m), "levelled")
    else:
        withdraw_sensor_depth(desk, point, sensor_depths[0])
