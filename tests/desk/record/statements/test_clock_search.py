"""A clock looked for in the data: which times count as right, and what follows from them."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from gezeiten.archive.intake.missions import (
    Circumstances,
    RawChannel,
    RawMission,
    import_mission_file,
)
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.record.statements.clock_search import (
    by_data,
    correct_clock_spans,
    shared,
)
from gezeiten.desk.record.statements.clocks import (
    by_amount,
    mission_clocks,
    save_clock_correction,
    uncertainty_of_amount,
)
from gezeiten.desk.sites.places import point_named
from gezeiten.domain.plan.plan import Plan
from gezeiten.domain.series.timeline import HOUR_MS, Span, Values
from gezeiten.ui.mend.clock_texts import search_text
from tests.conftest import ANCHOR_MS
from tests.small_blocks import KEY, kept_in


def test_a_clock_counts_as_right_up_to_its_last_contact(demo_desk: Workspace) -> None:
    point = point_named(demo_desk, "Textile store")
    clocks = mission_clocks(demo_desk, point, "air_temperature")
    assert len(clocks) > 1
    spans = correct_clock_spans(demo_desk, point, "air_temperature")
    assert spans == [(clock.span[0], clock.reads[-1].true_ms) for clock in clocks]
    but = correct_clock_spans(demo_desk, point, "air_temperature", but=clocks[-1].mission)
    assert but == spans[:-1]


def test_a_clock_that_somebody_moved_is_no_reference(demo_desk: Workspace) -> None:
    point = point_named(demo_desk, "Outdoor mast")
    before = correct_clock_spans(demo_desk, point, "co2")
    clock = mission_clocks(demo_desk, point, "co2")[-1]
    moved = by_amount(clock, HOUR_MS)
    save_clock_correction(
        demo_desk, clock, moved, "shifted", uncertainty_of_amount(clock, moved, 1000), "it was"
    )
    assert correct_clock_spans(demo_desk, point, "co2") == before[:-1]


@pytest.mark.parametrize(
    ("spans", "others", "wanted"),
    [
        ([(0, 10)], [(5, 20)], [(5, 10)]),
        ([(0, 10), (20, 30)], [(5, 25)], [(5, 10), (20, 25)]),
        ([(0, 10)], [(10, 20)], []),
        ([], [(0, 1)], []),
    ],
)
def test_shared_stretches(spans: list[Span], others: list[Span], wanted: list[Span]) -> None:
    assert shared(spans, others) == wanted


STEP_MS = 600_000
OFF_MS = -2 * HOUR_MS
LAG_MS = 40 * 60_000


def take(
    desk: Workspace,
    place: str,
    serial: str,
    number: int,
    first_ms: int,
    values: Values,
    off_ms: int,
) -> None:
    """Take a mission in, its clock ahead by so much; unless that is far, it was read at the end."""
    numbers = np.arange(len(values), dtype=np.int64)
    begin = first_ms + off_ms
    plan = Plan((KEY,), STEP_MS // 1000, point_name=f"Deich · {place}")
    raw_mission = RawMission(
        serial,
        "Düne T2",
        "1.4",
        number,
        begin - 60_000,
        begin,
        STEP_MS,
        plan.as_dict(),
        (RawChannel(KEY, "°C"),),
        numbers,
        begin + numbers * STEP_MS,
        0,
        [values],
        [(0, len(values))],
        [],
        [],
    )
    end = first_ms + len(values) * STEP_MS
    circumstances = Circumstances(end, "JA", "network")
    if off_ms == 0:
        circumstances = Circumstances(end, "JA", "network", 800.0, 50.0)
    import_mission_file(desk.archive, f"{serial} {number}".encode(), raw_mission, circumstances)


@pytest.mark.parametrize("with_reference", [True, False])
def test_a_clock_that_is_off_is_found_less_the_lag_of_the_place(
    tmp_path: Path, *, with_reference: bool
) -> None:
    """Weather reaches the mole 40 minutes after the dyke; the clock of the dyke's second mission is
    two hours slow. Without the first one nobody knows the 40 minutes, and nothing is said of the
    clock."""
    rng = np.random.default_rng(7)
    count, lag = 25 * 144, LAG_MS // STEP_MS
    whole = np.cumsum(rng.normal(0, 0.2, 2 * count + 144))
    with kept_in(tmp_path) as kept:
        desk = kept.desk
        for number in (0, 1):
            first_ms = ANCHOR_MS + number * (count + 20) * STEP_MS
            a = number * count + 100
            weather = whole[a : a + count] + rng.normal(0, 0.02, count)
            behind = whole[a - lag : a - lag + count] + rng.normal(0, 0.02, count)
            if number or with_reference:
                take(desk, "Dyke", "D-1", number + 1, first_ms, weather, OFF_MS * number)
            take(desk, "Mole", "D-2", number + 1, first_ms, behind, 0)
        dyke, mole = (point_named(desk, name) for name in ("Dyke", "Mole"))
        clock = mission_clocks(desk, dyke, KEY)[-1]
        found = by_data(desk, dyke, KEY, clock, (mole, KEY))
    assert found.shift.is_clear
    assert abs(found.shift.shift_ms - (LAG_MS - OFF_MS)) < STEP_MS / 2
    if with_reference:
        assert found.lag is not None
        assert abs(found.shift_ms + OFF_MS) <= found.u_ms < 30 * 60_000
        assert "The natural lag between these points is" in search_text(found)
    else:
        assert (found.lag, found.shift_ms) == (None, 0)
        assert "Nothing is proposed" in search_text(found)
