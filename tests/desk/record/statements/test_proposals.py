"""What is proposed for a chain: a certificate of this sensor and of no other, points by what was
read by hand, a stretch by the visit."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest

from gezeiten.desk.office.logger_history import note_service
from gezeiten.desk.record.statements.check_readings import TypedCheck, enter
from gezeiten.desk.record.statements.corrections import (
    chain,
    of_another_sensor,
    proposed,
    save_correction,
    step_text,
)
from gezeiten.desk.record.statements.proposals import by_the_visit, certificates, points_by_hand
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import PointPlace, points
from gezeiten.domain.series.timeline import DAY_MS, EVER_MS
from gezeiten.errors import InputError
from tests.conftest import ANCHOR_MS
from tests.small_blocks import KEY, MINUTE, PLAN, Kept, kept_in


@pytest.fixture
def kept(tmp_path: Path) -> Iterator[Kept]:
    """Ten hours of one logger; it is read 12 min before its last reading."""
    with kept_in(tmp_path / "archive") as made:
        made.take(0, 600, read=(587 * MINUTE, 0.0))
        yield made


def point_of(kept: Kept) -> PointPlace:
    return next(point for point in points(kept.desk) if point.id == kept.point)


def test_a_certificate_is_of_the_sensor_that_measured(kept: Kept, tmp_path: Path) -> None:
    desk, point = kept.desk, point_of(kept)
    paper = tmp_path / "cal 12.pdf"
    paper.write_bytes(b"%PDF-1.4 as found, as left")
    now = round(desk.now_ms())
    note_service(
        desk,
        "D-2041",
        "calibration",
        "",
        at_ms=now - DAY_MS,
        due_ms=now + DAY_MS,
        certificate=paper,
    )
    [one] = certificates(desk, point, KEY)
    assert (one.serial, one.name) == ("D-2041", "cal 12.pdf")
    parameters = {"offset": 0.2, "u": 0.1, "certificate": {"serial": one.serial, "name": one.name}}
    step = proposed(point, KEY, "linear", (0, None), parameters)
    assert step_text(step).endswith(", certificate cal 12.pdf of D-2041")
    save_correction(desk, point, step, "as left")
    # another logger takes its place: what stands is told, what is new is refused
    kept._take("D-2042", PLAN, 0, 100, 2, 0)
    seen = chain(desk, point, KEY)
    other = of_another_sensor(seen.corrections[0], (feed.assignment for feed in seen.assignments))
    assert other is not None
    assert other.deployment.stay.source == "D-2042"
    with pytest.raises(InputError, match=r"for D-2041, but from .* on D-2042 measured here"):
        save_correction(desk, point, proposed(point, KEY, "linear", (0, None), parameters), "again")
    end = int(other.start_ms)
    save_correction(
        desk, point, proposed(point, KEY, "linear", (0, end), parameters), "until it was taken"
    )
    assert [certificate.serial for certificate in certificates(desk, point, KEY)] == ["D-2041"]


@pytest.mark.parametrize("said", ["cal 12", {"serial": "D-2041"}, 7])
def test_a_certificate_that_says_not_whose_is_refused(kept: Kept, said: object) -> None:
    with pytest.raises(InputError, match="serial of its logger"):
        proposed(point_of(kept), KEY, "linear", (0, None), {"offset": 1.0, "certificate": said})


def test_points_follow_from_what_was_read_by_hand_before_all_corrections(kept: Kept) -> None:
    """reference = 0.5 + 1.02 x, read to the last digit at twelve readings."""
    desk, point = kept.desk, point_of(kept)
    series = record(desk, kept.point, KEY)
    chosen = np.argsort(series.values)[:: len(series) // 12][:12]
    with pytest.raises(InputError, match=r"enter one with Ctrl\+Shift\+H"):
        points_by_hand(desk, point, KEY, (0, EVER_MS))
    read = np.round(0.5 + 1.02 * series.values, 2).tolist()
    enter(
        desk,
        [TypedCheck(point, KEY, int(series.times_utc_ms[i]), read[i], "ah", u=0.1) for i in chosen],
    )
    save_correction(
        desk, point, proposed(point, KEY, "linear", (0, None), {"offset": 3.0}), "wrong"
    )
    hand_points = points_by_hand(desk, point, KEY, (0, EVER_MS))
    assert (hand_points.looks, len(hand_points.points)) == (12, 5)
    for indicated, reference in hand_points.points:
        assert reference == pytest.approx(0.5 + 1.02 * indicated, abs=0.01)
    step = proposed(
        point, KEY, "points", (0, None), {"points": hand_points.points, "u": hand_points.u}
    )
    assert step.parameters["u"] == pytest.approx(hand_points.u)


def test_the_visit_tells_when_a_sensor_was_not_in_its_place(kept: Kept) -> None:
    """Launched a minute before the first reading, looked at 20 min after it: 21 readings lie in
    that visit, and the last twelve in the one at which it was read."""
    desk, point = kept.desk, point_of(kept)
    begin = ANCHOR_MS + 2_000 * MINUTE
    enter(desk, [TypedCheck(point, KEY, begin + 20 * MINUTE, 1.0, "ah")])
    assert by_the_visit(desk, point, KEY, at_end=False) == (begin, begin + 20 * MINUTE + 1)
    span = by_the_visit(desk, point, KEY, at_end=True)
    assert span == (begin + 587 * MINUTE, begin + 598 * MINUTE + 1)  # the last of all has no value
    step = proposed(point, KEY, "trim", span, {})
    save_correction(desk, point, step, "pulled up")
    assert int(record(desk, point.id, KEY).times_utc_ms[-1]) < span[0]


def test_without_a_visit_there_is_nothing_to_propose(tmp_path: Path) -> None:
    with kept_in(tmp_path) as kept:
        kept.take(0, 600)  # taken in at its first reading
        with pytest.raises(InputError, match="No reading lies within a visit at the beginning"):
            by_the_visit(kept.desk, point_of(kept), KEY, at_end=False)
