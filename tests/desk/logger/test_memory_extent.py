"""A part of a mission: numbers by hand for readings every ten minutes from 1 000 000 on."""

from __future__ import annotations

from dataclasses import replace

import pytest

from gezeiten.desk.logger.contact import contact
from gezeiten.desk.logger.launch.launching import launch
from gezeiten.desk.logger.memory_extent import MissionExtent, newest_extent
from gezeiten.domain.series.drawing.thinning import ThinKind
from gezeiten.link.session import DirectoryEntry
from tests.conftest import COLD_PLAN, Lab

STEP = 600_000
ENTRY = DirectoryEntry(
    7, "m", "p", 0, 1_000_000, STEP, readings=1000, first_held=240, header_bytes=200,
    block_bytes=980, file=1000, tail_file=10,
)  # fmt: skip
EXTENT = MissionExtent(ENTRY, ((480, 700), (720, 1000)))


def at(number: float) -> int:
    return round(1_000_000 + number * STEP)


def test_a_part_holds_what_is_missing_in_its_stretch() -> None:
    assert EXTENT.span == (at(240), at(999))
    assert EXTENT.open_spans == [(at(480), at(699)), (at(720), at(999))]
    assert EXTENT.numbers_in((at(0), at(300.5))) == (240, 301)  # what was overwritten is gone
    assert EXTENT.missing_in((at(600), at(800))) == [(600, 700), (720, 801)]
    assert EXTENT.missing_in((at(240), at(400))) == []
    assert EXTENT.numbers_in((at(5000), at(6000))) == (5000, 5000)


def test_what_a_part_costs_and_leaves() -> None:
    part = EXTENT.missing_in((at(600), at(800)))
    # blocks of 240 readings: 480 to 720, and 720 to 960
    assert EXTENT.blocks(part) == 2
    assert EXTENT.bytes_of(part) == 2 * 980
    assert EXTENT.left_open(part) == (220 + 280) - (100 + 81)


def test_overviews_fill_a_screen() -> None:
    assert EXTENT.neat_every(EXTENT.span) == 2
    long = MissionExtent(replace(ENTRY, readings=50_240), ())
    assert long.neat_every(long.span) == 50
    means = EXTENT.overview((at(240), at(999)), ThinKind.MEANS, 10)
    assert (means.first, means.end, means.values) == (240, 1000, 76)
    assert EXTENT.overview_bytes(means) == 3 * 980
    assert EXTENT.overview_bytes(EXTENT.overview(EXTENT.span, ThinKind.NTH, 2)) == 2 * 980


@pytest.mark.parametrize("uneven", [True, False])
def test_only_evenly_spaced_missions_have_parts(cold_lab: Lab, uneven: bool) -> None:
    lab = cold_lab
    card = contact(lab.desk, lab.standin.address, lab.serial)
    assert newest_extent(card) is None  # idle
    plan = replace(COLD_PLAN, outside_interval_s=60 if uneven else 0)
    launch(lab.desk, lab.standin.address, lab.serial, plan, {})
    lab.later(100)
    extent = newest_extent(contact(lab.desk, lab.standin.address, lab.serial))
    assert (extent is None) == uneven
    if extent is not None:
        assert extent.open_ranges == ((0, extent.entry.readings),)
