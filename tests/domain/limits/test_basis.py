"""Where excursions may be others because their basis is another one: hand-worked."""

from __future__ import annotations

import pytest

from gezeiten.domain.limits.basis import Basis, basis_line, changed_span, parse_basis
from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.series.timeline import EVER_MS

WARM = (LimitRule("air_temperature", "above", 8.0, 0),)
COLD = (LimitRule("air_temperature", "below", 2.0, 0),)
EVERYWHERE = (-EVER_MS, EVER_MS)


def basis(*stretches: str, zone: str = "UTC") -> Basis:
    return Basis(zone, frozenset(stretches))


FIRST = basis_line("air_temperature", "m1", (0, EVER_MS), WARM)
ENDED = basis_line("air_temperature", "m1", (0, 500), WARM)
SECOND = basis_line("air_temperature (a b)", "m2", (500, 900), COLD)


@pytest.mark.parametrize(
    ("before", "now", "wanted"),
    [
        (basis(FIRST), basis(FIRST), None),
        (basis(FIRST), basis(ENDED), (500, EVER_MS)),
        (basis(ENDED), basis(ENDED, SECOND), (500, 900)),
        (basis(FIRST), basis(ENDED, SECOND), (500, EVER_MS)),
        (basis(FIRST, zone="Europe/Berlin"), basis(FIRST), EVERYWHERE),
        (None, basis(FIRST), EVERYWHERE),
        (
            basis(basis_line("x", "", (3, 9), COLD)),
            basis(basis_line("x", "", (3, 9), WARM)),
            (3, 9),
        ),
    ],
)
def test_only_what_is_different_is_looked_at(
    before: Basis | None, now: Basis, wanted: tuple[int, int] | None
) -> None:
    assert changed_span(before, now) == wanted
    if before is not None:
        assert changed_span(parse_basis(before.text()), now) == wanted


@pytest.mark.parametrize(
    "text",
    ["", "{", "3", "[1]", '[1,"UTC",[]]', '[2,"UTC",["0 x y"]]', '[2,"UTC",[7]]', '[2,"UTC",[[]]]'],
)
def test_what_was_kept_and_cannot_be_read_is_no_basis(text: str) -> None:
    assert changed_span(parse_basis(text), basis(FIRST)) == EVERYWHERE
