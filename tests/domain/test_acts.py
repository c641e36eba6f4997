"""Acts tell what was done in words: what changed, before and after."""

from __future__ import annotations

import dataclasses

import pytest

from gezeiten.domain.acts import KINDS, Act, Change, Subject
from gezeiten.domain.acts.base import changes_between
from gezeiten.domain.acts.documents import DocumentHandedOver
from gezeiten.domain.acts.gaps import GapFilledByLine, GapLeftOpen, GapTakenBack
from gezeiten.domain.acts.loggers import LoggerRetired, PinGroupSet, ServiceNoted
from gezeiten.domain.acts.plans import PlanKept, TieKept
from gezeiten.domain.acts.sites import (
    Moved,
    NextVisitSet,
    PointChanged,
    PointRetired,
    SiteChanged,
    SiteMade,
)
from gezeiten.domain.acts.visits import DueVisit, RoundClosed, TaskLeftOut
from gezeiten.domain.gaps import Gap
from gezeiten.domain.sites import PointFacts, SiteFacts

SHORE = Subject("Shore", "Europe/Berlin")
WELL = Subject("Shore · Well", "Europe/Berlin")
GAP = Gap(0, 1_800_000, 600_000)
NEW_YEAR_MS = 1_798_758_000_000
"""2026-12-31T23:00:00Z: the first of January 2027 in Berlin."""


@pytest.mark.parametrize(
    ("act", "subject", "words"),
    [
        (SiteMade("a", SiteFacts("Shore")), SHORE, "Site Shore added."),
        (SiteMade("a", SiteFacts("Shore", zone="Europe/Oslo"), by_the_way=True), SHORE,
         "Site Shore added. Its zone Europe/Oslo is this computer's."),
        (SiteChanged("a", (Change("zone", "UTC", "Europe/Berlin"),
                           Change("visit_every_days", None, 1))), SHORE,
         "Site Shore changed: time zone UTC → Europe/Berlin, visits every none → 1 day."),
        (PointChanged("a", (Change("measuring_point_height_m", 3.2, 3.08),)), WELL,
         "Point Shore · Well changed: height of the measuring point 3.20 m → 3.08 m."),
        (PointChanged("a", (Change("duty_channels", [], ["water_level", "water_temperature"]),
                            Change("duty_interval_s", 900, None),
                            Change("fill_limit_s", 7200, 0)),
                      (Moved("x", "Dock"), Moved("y", "Shore"))), WELL,
         "Point Shore · Well changed: site Dock → Shore, duty to record none → "
         "Water level, Water temperature, at least every 15 min → none, longest gap for a "
         "straight line 2 h → 0 s."),
        (NextVisitSet("a", None, NEW_YEAR_MS), SHORE, "Next visit set: 2027-01-01."),
        (NextVisitSet("a", NEW_YEAR_MS, None), SHORE,
         "No next visit: the site is followed online."),
        (PointRetired("a", True), WELL, "Point Shore · Well retired; its record stays."),
        (PlanKept("a", "Store", "", {}, {"interval_s": 60}), Subject("Store"),
         "Plan “Store” kept, in place of the one before."),
        (TieKept("a", "Weather", {}), Subject("Weather"), "How “Weather” is read was kept."),
        (ServiceNoted("D-1", "s", "calibration", 0, "three points", NEW_YEAR_MS),
         Subject("D-1", "Europe/Berlin"),
         "D-1: calibrated, three points, holds until 2027-01-01."),
        (ServiceNoted("D-1", "s", "battery", 0, ""), Subject("D-1"), "D-1: battery changed."),
        (LoggerRetired("D-1", False), Subject("D-1"), "Logger D-1 taken up again."),
        (PinGroupSet("D-1", "cellar", ""), Subject("D-1"), "D-1 shares the PIN of: its site's."),
        (TaskLeftOut("r", "t", "p", "", "no boat"), WELL, "Shore · Well left out: no boat."),
        (RoundClosed("r", "Shore", 1, 2, (DueVisit("a", "Shore", None, 5),)), Subject("Shore"),
         "Round ended: 1 of 2 points done. Next visit by duty set for Shore."),
        (GapFilledByLine("p", GAP, ()), WELL,
         "Gap filled by a straight line: 3 readings, 30 min."),
        (GapTakenBack("p", GAP, ("s",), "left open"), WELL,
         "Undone (left open): 3 readings, 30 min."),
        (GapLeftOpen("p", "s", GAP, "no boat"), WELL, "Gap left open: no boat."),
        (DocumentHandedOver("p", "d", "pdf", 0, 9, "/x/well.pdf", "f", 8, 1), WELL,
         "PDF with 1 reading written: well.pdf."),
    ],
)  # fmt: skip
def test_an_act_is_told_in_words(act: Act, subject: Subject, words: str) -> None:
    assert act.told(subject) == words


def test_only_what_differs_is_a_change() -> None:
    before = PointFacts("Well", 2.5, 3.2, ("water_level",), 900)
    after = dataclasses.replace(before, measuring_point_height_m=3.08, duty_channels=())
    assert changes_between(before, before) == ()
    assert changes_between(before, after) == (
        Change("measuring_point_height_m", 3.2, 3.08),
        Change("duty_channels", ["water_level"], []),
    )


def test_each_kind_has_a_name_of_its_own_and_a_field_that_says_what_it_is_about() -> None:
    assert len({kind.KIND for kind in KINDS}) == len(KINDS)
    for kind in KINDS:
        assert kind.VERSION >= 1
        assert kind.ABOUT in {field.name for field in dataclasses.fields(kind)}
        assert kind.__dataclass_params__.frozen
