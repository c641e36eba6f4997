"""Acts tell what was done in words: what changed, before and after."""

from __future__ import annotations

import dataclasses

import pytest

from gezeiten.domain.acts import KINDS, Act, Change, Subject
from gezeiten.domain.acts.assessments import AssessmentTakenBack, ExcursionAssessed, Words
from gezeiten.domain.acts.base import changes_between
from gezeiten.domain.acts.documents import DocumentHandedOver
from gezeiten.domain.acts.gaps import GapFetched, GapFilledByLine, GapLeftOpen, GapTakenBack
from gezeiten.domain.acts.loggers import LoggerRetired, PinGroupSet, ReportKept, ServiceNoted
from gezeiten.domain.acts.missions import MissionName
from gezeiten.domain.acts.plans import PlanDropped, PlanKept, PlanRenamed, TieForgotten, TieKept
from gezeiten.domain.acts.sites import (
    Moved,
    NextVisitSet,
    PointChanged,
    PointMade,
    PointRetired,
    SiteChanged,
    SiteMade,
    SiteRetired,
)
from gezeiten.domain.acts.visits import DueVisit, RoundClosed, RoundMade, TaskLeftOut, TaskPlanned
from gezeiten.domain.assessments import Seen
from gezeiten.domain.gaps import Gap
from gezeiten.domain.limits import LimitRule
from gezeiten.domain.sites import PointFacts, SiteFacts

SHORE = Subject("Shore", "Europe/Berlin")
WELL = Subject("Shore · Well", "Europe/Berlin")
GAP = Gap(0, 1_800_000, 600_000)
MISSION = MissionName("D-1", 3, 5)
RULE = LimitRule("air_temperature", "above", 28.0, 1800).as_dict()
SEEN = Seen(0, 9, 3, 9.5, 6, 2.0, 10, 0)
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
        (SiteChanged("a", (Change("latitude", None, 53.9), Change("longitude", 8.25, 8.1),
                           Change("height_m", 1.0, 1.5), Change("kind", "", "marsh"),
                           Change("next_visit_ms", None, NEW_YEAR_MS))), SHORE,
         "Site Shore changed: latitude none → 53.9°, longitude 8.25° → 8.1°, height 1.00 m → "
         "1.50 m, kind none → marsh, next visit none → 2027-01-01."),
        (SiteRetired("a", True), SHORE, "Site Shore retired."),
        (SiteRetired("a", False), SHORE, "Site Shore taken up again."),
        (NextVisitSet("a", None, NEW_YEAR_MS, 45), SHORE,
         "Next visit in 45 days, by its duty: 2027-01-01."),
        (NextVisitSet("a", None, NEW_YEAR_MS, 1), SHORE,
         "Next visit in 1 day, by its duty: 2027-01-01."),
        (PointMade("p", "a", PointFacts("Well")), WELL, "Point Shore · Well added."),
        (PointRetired("a", False), WELL, "Point Shore · Well taken up again."),
        (PlanKept("a", "Store", "", {}), Subject("Store"), "Plan “Store” kept."),
        (PlanRenamed("a", "Store", "Depot"), Subject("Depot"), "Plan “Store” is now “Depot”."),
        (PlanDropped("a", "Store", "", {}), Subject("Store"), "Kept plan “Store” dropped."),
        (TieKept("a", "Weather", {}, {"name": "x"}), Subject("Weather"),
         "How “Weather” is read was changed."),
        (TieForgotten("a", "Weather", {}), Subject("Weather"),
         "How “Weather” is read was forgotten; what was taken in by it stays."),
        (ServiceNoted("D-1", "s", "repair", 0, "new plug"), Subject("D-1"),
         "D-1: repaired, new plug."),
        (ServiceNoted("D-1", "s", "note", 0, "seen"), Subject("D-1"), "D-1: noted, seen."),
        (LoggerRetired("D-1", True), Subject("D-1"), "Logger D-1 retired."),
        (PinGroupSet("D-1", "", "cellar"), Subject("D-1"), "D-1 shares the PIN of: cellar."),
        (ReportKept("D-1", "a.pdf", "f", 3), Subject("D-1"),
         "The report a.pdf that D-1 wrote by itself was kept."),
        (RoundMade("r", 0, "Shore, Dock", ()), Subject("Shore, Dock"),
         "Round prepared: Shore, Dock."),
        (TaskPlanned("r", "t", "p", None, {"interval_s": 60}), WELL,
         "Shore · Well is launched again on the round."),
        (TaskPlanned("r", "t", "p", {"interval_s": 60}, None), WELL,
         "Shore · Well is only offloaded on the round."),
        (TaskLeftOut("r", "t", "p", "no boat", ""), WELL,
         "Shore · Well is to be done after all."),
        (RoundClosed("r", "Shore, Dock", 2, 2, (DueVisit("a", "Shore", None, 5),
                                               DueVisit("b", "Dock", 3, 5))),
         Subject("Shore, Dock"),
         "Round ended: 2 of 2 points done. Next visit by duty set for Shore, Dock."),
        (RoundClosed("r", "Shore", 1, 2), Subject("Shore"), "Round ended: 1 of 2 points done."),
        (GapFetched("p", "s", GAP, "f"), WELL, "Gap filled from the logger: 3 readings, 30 min."),
        (ExcursionAssessed("p", "a", MISSION, RULE, SEEN, Words("Power", "Fuse.")), WELL,
         "Air temperature: alarm above 28 °C for 30 min settled: Power."),
        (ExcursionAssessed("p", "a", MISSION, RULE, SEEN, Words("Power", "Fuse."),
                           Words("Sensor", "Odd.")), WELL,
         "Air temperature: alarm above 28 °C for 30 min settled: Power anew, before: Sensor."),
        (AssessmentTakenBack("p", "a", RULE, SEEN, Words("Power", "Fuse.")), WELL,
         "Air temperature: alarm above 28 °C for 30 min: assessment taken back (Power)."),
        (DocumentHandedOver("p", "d", "csv", 0, 9, "C:\\x\\well.csv", "f", 8, 2_000), WELL,
         "CSV with 2,000 readings written: well.csv."),
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


def test_what_no_table_names_is_named_by_the_act() -> None:
    assert PlanRenamed("a", "Store", "Depot").named == "Depot"
    assert PlanKept("a", "Store", "", {}).named == "Store"
    assert PlanDropped("a", "Store", "", {}).named == "Store"
    assert TieKept("a", "Weather", {}).named == TieForgotten("a", "Weather", {}).named == "Weather"
    assert RoundMade("r", 0, "Shore", ()).named == RoundClosed("r", "Shore", 0, 0).named == "Shore"
    assert SiteMade("a", SiteFacts("Shore")).named == ""


def test_an_act_knows_what_it_is_about() -> None:
    assert SiteRetired("a", True).about == "a"
    assert TaskLeftOut("r", "t", "p", "", "no boat").about == "p"
    assert ServiceNoted("D-1", "s", "note", 0, "seen").about == "D-1"
