"""Who feeds which series: the cases of the field by hand, and what holds in every case."""

from __future__ import annotations

from collections.abc import Sequence

from hypothesis import given
from hypothesis import strategies as st

from gezeiten.domain.series.assignments import (
    NOWHERE,
    MissionStay,
    SeriesAssignment,
    StatedAssignment,
    StatedDeployment,
    deployments,
    series_assignments,
)
from gezeiten.domain.series.timeline import EVER_MS

POINTS, SOURCES = ("well", "shore"), ("D-1", "D-2", "Buoy text")


def stay(
    source: str, first_ms: int, point: str = "well", arrived_ms: int | None = None
) -> MissionStay:
    is_logger = source.startswith("D")
    name = f"{source}/{first_ms}" if is_logger else f"{source}/{point}"
    came = first_ms if arrived_ms is None else arrived_ms
    return MissionStay(name, source, is_logger, point, came, first_ms, ("level", "temp"))


def fed_at(
    stays: list[MissionStay],
    placed: Sequence[StatedDeployment] = (),
    assignments: Sequence[StatedAssignment] = (),
) -> list[tuple]:
    """What feeds the level of each point: point, label, mission and stretch."""
    return [
        (
            series_assignment.point,
            series_assignment.label,
            series_assignment.mission,
            max(series_assignment.start_ms, 0),
            min(series_assignment.end_ms, 999),
        )
        for series_assignment in series_assignments(deployments(stays, placed), assignments)
        if series_assignment.channel == "level"
    ]


def test_missions_of_one_logger_follow_each_other_in_the_main_series() -> None:
    assert fed_at([stay("D-1", 10), stay("D-1", 50)]) == [
        ("well", "", "D-1/10", 10, 50),
        ("well", "", "D-1/50", 50, 999),
    ]


def test_a_logger_in_place_of_another_goes_on_and_what_the_other_recorded_later_stays() -> None:
    assert fed_at([stay("D-1", 10), stay("D-2", 50)]) == [
        ("well", "", "D-1/10", 10, 50),
        ("well", "", "D-2/50", 50, 999),
        ("well", "D-1", "D-1/10", 50, 999),
    ]


def test_a_text_laid_where_a_logger_records_is_a_series_of_its_own() -> None:
    assert fed_at([stay("D-1", 10), stay("Buoy text", 5, arrived_ms=700)]) == [
        ("well", "", "D-1/10", 10, 999),
        ("well", "Buoy text", "Buoy text/well", 0, 999),
    ]


def test_a_text_from_before_there_was_a_logger_is_followed_by_it() -> None:
    assert fed_at([stay("Buoy text", 5, arrived_ms=7), stay("D-1", 10)]) == [
        ("well", "", "Buoy text/well", 0, 10),
        ("well", "", "D-1/10", 10, 999),
        ("well", "Buoy text", "Buoy text/well", 10, 999),
    ]


def test_a_logger_moved_while_it_recorded_feeds_two_points() -> None:
    moved = [StatedDeployment("D-1", "shore", 40, EVER_MS)]
    assert fed_at([stay("D-1", 10)], moved) == [
        ("shore", "", "D-1/10", 40, 999),
        ("well", "", "D-1/10", 10, 40),
    ]


def test_readings_on_the_bench_belong_to_no_point() -> None:
    bench = [StatedDeployment("D-1", NOWHERE, 0, 20), StatedDeployment("D-1", NOWHERE, 90, EVER_MS)]
    assert fed_at([stay("D-1", 10)], bench) == [("well", "", "D-1/10", 20, 90)]


def test_two_loggers_side_by_side_keep_a_series_each_once_somebody_said_so() -> None:
    stays = [stay("D-1", 10), stay("D-2", 20), stay("D-1", 50), stay("D-2", 60)]
    said = [StatedAssignment("well", "level", "upper", "D-2", -EVER_MS, EVER_MS)]
    assert fed_at(stays, assignments=said) == [
        ("well", "", "D-1/10", 10, 50),
        ("well", "", "D-1/50", 50, 999),
        ("well", "upper", "D-2/20", 20, 60),
        ("well", "upper", "D-2/60", 60, 999),
    ]


def test_a_text_joined_into_the_main_series_takes_its_stretch_from_the_logger() -> None:
    stays = [stay("D-1", 10), stay("Buoy text", 5, arrived_ms=700)]
    said = [StatedAssignment("well", "level", "", "Buoy text", 30, 40)]
    assert fed_at(stays, assignments=said) == [
        ("well", "", "D-1/10", 10, 30),
        ("well", "", "Buoy text/well", 30, 40),
        ("well", "", "D-1/10", 40, 999),
        ("well", "Buoy text", "Buoy text/well", 0, 30),
        ("well", "Buoy text", "Buoy text/well", 40, 999),
        ("well", "D-1", "D-1/10", 30, 40),
    ]


INSTANTS = st.integers(1, 100)
STAYS = st.lists(
    st.builds(stay, st.sampled_from(SOURCES), INSTANTS, st.sampled_from(POINTS), INSTANTS),
    max_size=8,
    unique_by=lambda one: one.mission,
)
ENDS = INSTANTS.map(lambda end: end + 100)
PLACED = st.lists(
    st.builds(
        StatedDeployment,
        st.sampled_from(SOURCES),
        st.sampled_from((*POINTS, NOWHERE)),
        INSTANTS,
        ENDS,
    ),
    max_size=4,
)
FED = st.lists(
    st.builds(
        StatedAssignment,
        st.sampled_from(POINTS),
        st.just("level"),
        st.sampled_from(("", "upper")),
        st.sampled_from(SOURCES),
        INSTANTS,
        ENDS,
    ),
    max_size=4,
)


@given(STAYS, PLACED, FED)
def test_one_source_feeds_a_series_and_every_reading_at_a_point_is_in_one(
    stays: list[MissionStay], placed: list[StatedDeployment], assignments: list[StatedAssignment]
) -> None:
    stood = deployments(stays, placed)
    found = [
        series_assignment
        for series_assignment in series_assignments(stood, assignments)
        if series_assignment.channel == "level"
    ]
    for at_ms in range(1, 210, 3):
        there = [one for one in found if one.start_ms <= at_ms < one.end_ms]
        series = [(one.point, one.label) for one in there]
        assert len(series) == len(set(series)), f"two feed one series at {at_ms}"
        standing = [
            deployment for deployment in stood if deployment.start_ms <= at_ms < deployment.end_ms
        ]
        assert sorted(map(_what, there)) == sorted(
            (one.stay.mission, one.point) for one in standing
        )


def _what(assignment: SeriesAssignment) -> tuple[str, str]:
    return (assignment.mission, assignment.point)


@given(STAYS, FED, st.randoms())
def test_the_order_in_which_missions_came_says_nothing(
    stays: list[MissionStay], assignments: list[StatedAssignment], dice: object
) -> None:
    shuffled = list(stays)
    dice.shuffle(shuffled)  # type: ignore[attr-defined]
    assert series_assignments(deployments(shuffled), assignments) == series_assignments(
        deployments(stays), assignments
    )
