"""Heights above a datum follow how a sensor hangs; excursions and dips follow, and taken back it is
what it was."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.office.verification import verify
from gezeiten.desk.record.excursion_book import excursions
from gezeiten.desk.record.statements.calculated_series import Calculation, calculate, preview
from gezeiten.desk.record.statements.check_readings import TypedCheck, checks_of, enter
from gezeiten.desk.record.statements.limits import set_limit
from gezeiten.desk.record.statements.sensor_depths import (
    sensor_depths_of,
    set_sensor_depth,
    withdraw_sensor_depth,
)
from gezeiten.desk.record.uncertainty import reading_uncertainty
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import PointPlace, points
from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.steps.formulas import FORMULAS
from gezeiten.domain.steps.sensor_depth import SensorDepth
from gezeiten.errors import InputError
from tests.conftest import ANCHOR_MS
from tests.small_blocks import MINUTE, Kept, level_in

BEGIN = ANCHOR_MS + 2_000 * MINUTE
HEIGHT = FORMULAS["water_height", 1]


@pytest.fixture
def kept(tmp_path: Path) -> Iterator[Kept]:
    with level_in(tmp_path) as made:
        yield made


def point_of(desk: Workspace) -> PointPlace:
    return points(desk)[0]


def test_heights_before_and_after_a_cut_and_taken_back(kept: Kept) -> None:
    desk, point = kept.desk, point_of(kept.desk)
    calculation = Calculation(HEIGHT, ((point, "water_level"),), {})
    with pytest.raises(
        InputError,
        match=r"The sensor depth there is not known",
    ):
        preview(desk, calculation)
    with pytest.raises(InputError, match="Enter a reason"):
        set_sensor_depth(desk, point, SensorDepth(BEGIN, 3.2, 8.4), " ")
    with pytest.raises(InputError, match="0 to 5000 m below"):
        set_sensor_depth(desk, point, SensorDepth(BEGIN, 3.2, -1.0), "typed wrong")
    set_sensor_depth(desk, point, SensorDepth(BEGIN, 3.2, 8.4), "levelled")
    with pytest.raises(InputError, match="This is already saved"):
        set_sensor_depth(desk, point, SensorDepth(BEGIN, 3.2, 8.4), "again")
    key = calculate(desk, calculation)
    level, before = record(desk, point.id, "water_level"), record(desk, point.id, key)
    assert before.values == pytest.approx(level.values - 5.2, abs=1e-5)
    set_limit(desk, point.id, key, LimitRule(key, "above", 4.75, delay_s=60), BEGIN, None, "road")
    high = len(excursions(desk, point.id))
    assert high > 0
    cut = BEGIN + 300 * MINUTE
    set_sensor_depth(desk, point, SensorDepth(cut, 3.08, 8.4), "cut by 12 cm, sensor came along")
    after = record(desk, point.id, key)
    is_later = after.times_utc_ms >= cut
    np.testing.assert_array_equal(after.values[~is_later], before.values[~is_later])
    assert after.values[is_later] == pytest.approx(before.values[is_later] - 0.12, abs=1e-5)
    assert (
        len([excursion for excursion in excursions(desk, point.id) if not excursion.is_gone]) < high
    )
    assert reading_uncertainty(desk, point, key, int(after.times_utc_ms[-1])) is not None
    assert all("cannot be checked" in fault for fault in verify(desk).faults)
    withdraw_sensor_depth(desk, point, sensor_depths_of(desk, point)[-1])
    assert record(desk, point.id, key).values.tobytes() == before.values.tobytes()
    assert (
        len([excursion for excursion in excursions(desk, point.id) if not excursion.is_gone])
        == high
    )


def test_a_dip_is_taken_from_the_rim_as_it_was_then(kept: Kept) -> None:
    """Entered later than the cut, one of before it still starts from the old rim; the level is what
    of 8.4 m the dip leaves."""
    desk, point = kept.desk, point_of(kept.desk)
    set_sensor_depth(desk, point, SensorDepth(BEGIN, 3.20, 8.4), "levelled")
    set_sensor_depth(desk, point, SensorDepth(BEGIN + 300 * MINUTE, 3.08, 8.4), "cut")
    for minute in (400, 100):
        enter(
            desk,
            [TypedCheck(point, "water_level", BEGIN + minute * MINUTE, 1.97, "ah", is_dip=True)],
        )
    assert [(check.rim_m, round(check.value, 3)) for check in checks_of(desk, point.id)] == [
        (3.20, 6.43),
        (3.08, 6.43),
    ]
