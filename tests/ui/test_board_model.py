"""What the Tideboard shows: found by typing, in order of need, folded, over any stretch. No Qt."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.domain.board.board import Board
from gezeiten.domain.board.facts import BoardPoint, BoardSite
from gezeiten.domain.board.rows import BoardRow, VisitNeed
from gezeiten.domain.series.timeline import DAY_MS, HOUR_MS, from_ms
from gezeiten.ui.tideboard.axis import ticks
from gezeiten.ui.tideboard.model import BoardModel

NOW_MS = 1_795_392_000_000
FULL, GAP = VisitNeed("end", "memory full", NOW_MS, 2), VisitNeed("gap", "gap", NOW_MS + DAY_MS, 1)
CALM = VisitNeed("calibration", "calibration", NOW_MS + 9 * DAY_MS, 0)


def row(number: int, site: int, *needs: VisitNeed) -> BoardRow:
    point = BoardPoint(number, site, f"Site {site}", f"Point {number}", "Europe/Berlin")
    return BoardRow(
        point, f"D-{number:04}", (), (), (), (), (), None, None, "memory full", True, needs
    )


def model(**state: Any) -> BoardModel:
    """Two sites: 1 with points 1 to 3, 2 with point 4, which needs somebody most."""
    listed = {1: (row(1, 1), row(2, 1, GAP), row(3, 1, CALM)), 2: (row(4, 2, FULL),)}
    sites = tuple(
        (BoardSite(key, f"Site {key}", "", "Europe/Berlin", None), rows)
        for key, rows in listed.items()
    )
    made = BoardModel(**state)
    made.show(Board(NOW_MS, sites, ()))
    return made


def shown(made: BoardModel) -> list[int]:
    """The points shown, heads of sites as 0."""
    return [line.row.point.id if line.row else 0 for line in made.lines]


def test_sites_in_their_order_or_what_needs_somebody_first() -> None:
    made = model()
    assert shown(made) == [0, 1, 2, 3, 0, 4]
    made.set_order("needs")
    assert shown(made) == [4, 2, 3, 1]
    assert made.row is not None
    assert made.row.point.id == 1  # stays chosen wherever it is


def test_of_many_points_needs_come_first_until_somebody_says_otherwise() -> None:
    rows = tuple(row(i, 1, *([GAP] if i == 30 else [])) for i in range(1, 50))
    made = BoardModel()
    made.show(Board(NOW_MS, ((BoardSite(1, "Site 1", "", "UTC", None), rows),), ()))
    assert shown(made)[0] == 30
    made.set_order("sites")
    assert shown(made)[:2] == [0, 1]


@pytest.mark.parametrize(
    ("typed", "points"),
    [("site 1", [0, 1, 2, 3]), ("d-0004", [0, 4]), ("GAP site", [0, 2]), ("nothing such", [])],
)
def test_found_by_site_point_serial_or_need(typed: str, points: list[int]) -> None:
    made = model()
    made.type(typed)
    assert shown(made) == points
    assert made.point_count == len([key for key in points if key])
    made.type("")
    assert shown(made) == [0, 1, 2, 3, 0, 4]


def test_a_folded_site_shows_its_worst_and_how_many_need_somebody() -> None:
    made = model()
    made.fold(1)
    assert shown(made) == [2, 0, 4]
    line = made.lines[0]
    assert (line.folded, line.asking) == (3, 1)
    made.fold_all()  # a site of one point is its own line
    assert shown(made) == [2, 0, 4]
    made.fold_all()
    assert shown(made) == [0, 1, 2, 3, 0, 4]


def test_the_choice_moves_over_rows_alone() -> None:
    made = model()
    assert made.move(1)
    assert made.select_site("Site 2")
    assert not made.move(1)
    assert made.move(-1)
    assert made.row is not None
    assert made.row.point.id == 3


@given(st.floats(0.1, 10), st.floats(0, 1))
def test_zooming_keeps_the_instant_under_the_pointer_in_its_place(
    factor: float, share: float
) -> None:
    made = model()
    start, end = made.shown
    at_ms = start + share * (end - start)
    made.zoom(factor, at_ms)
    start, end = made.shown
    assert abs(start + share * (end - start) - at_ms) <= 2
    made.show_default_period()
    assert made.shown == (NOW_MS - 64 * DAY_MS, NOW_MS + 50 * DAY_MS)


def test_moving_keeps_the_length() -> None:
    made = model()
    before = made.shown
    made.shift(0.5)
    assert made.shown[1] - made.shown[0] == before[1] - before[0]
    assert made.shown[0] - before[0] == (before[1] - before[0]) // 2


@given(st.integers(3 * HOUR_MS, 20 * 366 * DAY_MS), st.integers(2, 12))
def test_ticks_lie_in_the_stretch_in_order_and_are_not_too_many(length: int, most: int) -> None:
    span = (NOW_MS - length // 2, NOW_MS + length // 2)
    found = [at for at, _ in ticks(span, NOW_MS, "Europe/Berlin", most)]
    assert found == sorted(set(found))
    assert all(span[0] <= at < span[1] for at in found)
    assert len(found) <= most + 2
    days = {from_ms(at, "Europe/Berlin").day for at in found}
    if length > most * 14 * DAY_MS:
        assert days <= {1}
