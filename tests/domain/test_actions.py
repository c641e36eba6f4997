"""Acts tell what was done in words: what changed, before and after."""

from __future__ import annotations

import dataclasses

import pytest

from gezeiten.domain.actions import KINDS, Action, Change, Subject
from gezeiten.domain.actions.archives import (
    ArchiveBegun,
    ChainBegun,
    ConflictAcknowledged,
    EntriesRemoved,
    EntriesRestored,
)
from gezeiten.domain.actions.assessments import (
    AssessmentWithdrawn,
    AssessmentWords,
    DetectedExcursion,
    ExcursionAssessed,
    ExcursionsFound,
)
from gezeiten.domain.actions.base import BY_KIND, changes_between
from gezeiten.domain.actions.calculated_series import CalculationRemoved, Input, SeriesCalculated
from gezeiten.domain.actions.carriers import (
    CourierCleared,
    CourierClockSet,
    CourierConfigured,
    DriveCleared,
    DriveReleased,
    FileQuarantined,
    ReportNotKept,
    VaultCopyExported,
    VaultCopyImported,
)
from gezeiten.domain.actions.check_readings import CheckRead, CheckWithdrawn
from gezeiten.domain.actions.clocks import (
    ClockCorrected,
    ClockCorrectionDisabled,
    ClockCorrectionEnabled,
    ClockCorrectionWithdrawn,
)
from gezeiten.domain.actions.contacts import (
    AttemptFailed,
    FollowedBack,
    LoggerBlinked,
    LoggerContacted,
    MemoryErased,
    MissionStopped,
    SensorsChecked,
)
from gezeiten.domain.actions.corrections import (
    CorrectionSet,
    CorrectionSwitched,
    CorrectionWithdrawn,
)
from gezeiten.domain.actions.deployments import (
    AssignmentWithdrawn,
    DeploymentWithdrawn,
    SeriesAssigned,
    SourceDeployed,
)
from gezeiten.domain.actions.documents import DocumentIssued
from gezeiten.domain.actions.gaps import (
    AssignedPart,
    Estimate,
    GapEstimated,
    GapFetched,
    GapFilledByAlternative,
    GapFilledByLine,
    GapFillWithdrawn,
    GapLeftOpen,
    GapRefilled,
    fill_method_text,
)
from gezeiten.domain.actions.launches import LaunchBegun, LaunchEnded, NewMission
from gezeiten.domain.actions.limits import LimitEnded, LimitSet, LimitWithdrawn
from gezeiten.domain.actions.loggers import LoggerRetired, PinGroupSet, ReportStored, ServiceNoted
from gezeiten.domain.actions.missions import MissionName
from gezeiten.domain.actions.offloads import (
    BytesReread,
    DamageNoted,
    MissionOffloaded,
    OverviewImported,
    RawBytes,
    ReaderVersion,
    ReadingsRescued,
    StatedMission,
    TextImported,
    TextRemoved,
)
from gezeiten.domain.actions.people import PersonErased, PersonNamed
from gezeiten.domain.actions.plans import (
    ImportTemplateDeleted,
    ImportTemplateSaved,
    PlanDeleted,
    PlanRenamed,
    PlanSaved,
)
from gezeiten.domain.actions.quantities import QuantityDeleted, QuantitySaved
from gezeiten.domain.actions.remarks import RemarkMade, RemarkWithdrawn
from gezeiten.domain.actions.scope import no_scope
from gezeiten.domain.actions.sensor_depths import SensorDepthSet, SensorDepthWithdrawn
from gezeiten.domain.actions.sites import (
    NextVisitSet,
    PointChanged,
    PointMade,
    PointRetired,
    SiteChanged,
    SiteMade,
    SiteReference,
    SiteRetired,
)
from gezeiten.domain.actions.visits import (
    DueVisit,
    RoundClosed,
    RoundMade,
    TaskOmitted,
    TaskPlanned,
)
from gezeiten.domain.facts.sites import PointFacts, SiteFacts
from gezeiten.domain.limits.assessments import AssessedExcursion
from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.series.gaps import Gap

SHORE = Subject("Shore", "Europe/Berlin")
WELL = Subject("Shore · Well", "Europe/Berlin")
GAP = Gap(0, 1_800_000, 600_000)
MISSION = MissionName("D-1", 3, 5)
RULE = LimitRule("air_temperature", "above", 28.0, 1800).as_dict()
COLD = LimitRule("air_temperature", "below", 2.0, 3600).as_dict()
SEEN = AssessedExcursion(0, 9, 3, 9.5, 6, 2.0, 10, 0)
NEW_YEAR_MS = 1_798_758_000_000
"""2026-12-31T23:00:00Z: the first of January 2027 in Berlin."""


AT_WELL = Subject("D-1", "Europe/Berlin", "Shore · Well")
SAID = StatedMission("Düne T2", "1.4", 3, 5, 0, 60_000, "p", {"point_name": "Shore · Well"})
RAW = RawBytes("f", 9, "network")
STATE = {"mission_number": 3, "readings": 2_880, "battery_permille": 843}
BEGUN = NewMission(4, 5, 9, 60_000, "p", {"point_name": "Shore · Well"})


@pytest.mark.parametrize(
    ("action", "subject", "words"),
    [
        (SiteMade("a", SiteFacts("Shore")), SHORE, "Site Shore added."),
        (
            SiteMade("a", SiteFacts("Shore", zone="Europe/Oslo"), by_the_way=True),
            SHORE,
            "Site Shore added. Its zone Europe/Oslo is this computer's.",
        ),
        (
            SiteChanged(
                "a", (Change("zone", "UTC", "Europe/Berlin"), Change("visit_every_days", None, 1))
            ),
            SHORE,
            "Site Shore changed: time zone UTC → Europe/Berlin, visits every none → 1 day.",
        ),
        (
            PointChanged("a", (Change("measuring_point_height_m", 3.2, 3.08),)),
            WELL,
            "Point Shore · Well changed: height of the reference mark 3.20 m → 3.08 m.",
        ),
        (
            PointChanged(
                "a",
                (
                    Change("duty_channels", [], ["water_level", "water_temperature"]),
                    Change("duty_interval_s", 900, None),
                    Change("fill_limit_s", 7200, 0),
                ),
                (SiteReference("x", "Dock"), SiteReference("y", "Shore")),
            ),
            WELL,
            "Point Shore · Well changed: site Dock → Shore, required quantities none → "
            "Water level, Water temperature, required interval 15 min → none, longest "
            "gap filled by a straight line 2 h → 0 s.",
        ),
        (NextVisitSet("a", None, NEW_YEAR_MS), SHORE, "Next visit set: 2027-01-01."),
        (
            NextVisitSet("a", NEW_YEAR_MS, None),
            SHORE,
            "No next visit: the site is followed online.",
        ),
        (PointRetired("a", True), WELL, "Point Shore · Well retired; its record stays."),
        (
            PlanSaved("a", "Store", "", {}, {"interval_s": 60}),
            Subject("Store"),
            "Plan “Store” saved, replacing the one before.",
        ),
        (
            ImportTemplateSaved("a", "Weather", {}),
            Subject("Weather"),
            "Import template “Weather” saved.",
        ),
        (
            ServiceNoted("D-1", "s", "calibration", 0, "three points", NEW_YEAR_MS),
            Subject("D-1", "Europe/Berlin"),
            "D-1: calibrated, three points, valid until 2027-01-01.",
        ),
        (ServiceNoted("D-1", "s", "battery", 0, ""), Subject("D-1"), "D-1: battery changed."),
        (LoggerRetired("D-1", False), Subject("D-1"), "Logger D-1 reactivated."),
        (PinGroupSet("D-1", "cellar", ""), Subject("D-1"), "D-1 shares the PIN of: its site's."),
        (TaskOmitted("r", "t", "p", "", "no boat"), WELL, "Shore · Well left out: no boat."),
        (
            RoundClosed("r", "Shore", 1, 2, (DueVisit("a", "Shore", None, 5),)),
            Subject("Shore"),
            "Round finished: 1 of 2 points done. Next visit set by the visit interval for Shore.",
        ),
        (
            SiteChanged(
                "a",
                (
                    Change("latitude", None, 53.9),
                    Change("longitude", 8.25, 8.1),
                    Change("height_m", 1.0, 1.5),
                    Change("kind", "", "marsh"),
                    Change("next_visit_ms", None, NEW_YEAR_MS),
                ),
            ),
            SHORE,
            "Site Shore changed: latitude none → 53.9°, longitude 8.25° → 8.1°, height 1.00 m → "
            "1.50 m, kind none → marsh, next visit none → 2027-01-01.",
        ),
        (SiteRetired("a", True), SHORE, "Site Shore retired."),
        (SiteRetired("a", False), SHORE, "Site Shore reactivated."),
        (
            NextVisitSet("a", None, NEW_YEAR_MS, 45),
            SHORE,
            "Next visit in 45 days, by its visit interval: 2027-01-01.",
        ),
        (
            NextVisitSet("a", None, NEW_YEAR_MS, 1),
            SHORE,
            "Next visit in 1 day, by its visit interval: 2027-01-01.",
        ),
        (PointMade("p", "a", PointFacts("Well")), WELL, "Point Shore · Well added."),
        (PointRetired("a", False), WELL, "Point Shore · Well reactivated."),
        (PlanSaved("a", "Store", "", {}), Subject("Store"), "Plan “Store” saved."),
        (PlanRenamed("a", "Store", "Depot"), Subject("Depot"), "Plan “Store” is now “Depot”."),
        (PlanDeleted("a", "Store", "", {}), Subject("Store"), "Saved plan “Store” deleted."),
        (
            ImportTemplateSaved("a", "Weather", {}, {"name": "x"}),
            Subject("Weather"),
            "Import template “Weather” changed.",
        ),
        (
            ImportTemplateDeleted("a", "Weather", {}),
            Subject("Weather"),
            "Import template “Weather” deleted; files already imported stay.",
        ),
        (
            ServiceNoted("D-1", "s", "repair", 0, "new plug"),
            Subject("D-1"),
            "D-1: repaired, new plug.",
        ),
        (ServiceNoted("D-1", "s", "note", 0, "seen"), Subject("D-1"), "D-1: noted, seen."),
        (LoggerRetired("D-1", True), Subject("D-1"), "Logger D-1 retired."),
        (PinGroupSet("D-1", "", "cellar"), Subject("D-1"), "D-1 shares the PIN of: cellar."),
        (
            ReportStored("D-1", "a.pdf", "f", 3),
            Subject("D-1"),
            "The report a.pdf that D-1 wrote was saved.",
        ),
        (
            RoundMade("r", 0, "Shore, Dock", ()),
            Subject("Shore, Dock"),
            "Round prepared: Shore, Dock.",
        ),
        (
            TaskPlanned("r", "t", "p", None, {"interval_s": 60}),
            WELL,
            "Shore · Well is launched again on the round.",
        ),
        (
            TaskPlanned("r", "t", "p", {"interval_s": 60}, None),
            WELL,
            "Shore · Well is only offloaded on the round.",
        ),
        (TaskOmitted("r", "t", "p", "no boat", ""), WELL, "Shore · Well is to be done after all."),
        (
            RoundClosed(
                "r",
                "Shore, Dock",
                2,
                2,
                (DueVisit("a", "Shore", None, 5), DueVisit("b", "Dock", 3, 5)),
            ),
            Subject("Shore, Dock"),
            (
                "Round finished: 2 of 2 points done. Next visit set by the visit "
                "interval for Shore, Dock."
            ),
        ),
        (RoundClosed("r", "Shore", 1, 2), Subject("Shore"), "Round finished: 1 of 2 points done."),
        (
            GapEstimated("p", GAP, (Estimate("x", "co2", (1.0, None), {"cycles": ["24 h"]}),)),
            WELL,
            "Gap filled by its own cycles: 3 readings, 30 min.",
        ),
        (GapFetched("p", "s", GAP, "f"), WELL, "Gap filled from the logger: 3 readings, 30 min."),
        (
            GapFetched("p", "s", GAP, "f", "drive BLUE"),
            WELL,
            "Gap filled from drive BLUE: 3 readings, 30 min.",
        ),
        (
            GapFilledByAlternative("p", GAP, "D-7", (AssignedPart("s", "co2", "", 0, 9),)),
            WELL,
            "Gap filled by readings of D-7: 3 readings, 30 min.",
        ),
        (
            ExcursionAssessed("p", "a", MISSION, RULE, SEEN, AssessmentWords("Power", "Fuse.")),
            WELL,
            "Air temperature: alarm above 28 °C for 30 min assessed: Power.",
        ),
        (
            ExcursionAssessed(
                "p",
                "a",
                MISSION,
                RULE,
                SEEN,
                AssessmentWords("Power", "Fuse."),
                AssessmentWords("Sensor", "Odd."),
            ),
            WELL,
            "Air temperature: alarm above 28 °C for 30 min assessed: Power (before: Sensor).",
        ),
        (
            AssessmentWithdrawn("p", "a", RULE, SEEN, AssessmentWords("Power", "Fuse.")),
            WELL,
            "Air temperature: alarm above 28 °C for 30 min reopened (was: Power).",
        ),
        (
            DocumentIssued("p", "d", "csv", 0, 9, "C:\\x\\well.csv", "f", 8, 2_000),
            WELL,
            "CSV with 2,000 readings exported: well.csv.",
        ),
        (GapFilledByLine("p", GAP, ()), WELL, "Gap filled by a straight line: 3 readings, 30 min."),
        (
            GapRefilled("p", GAP, ("s",), ""),
            WELL,
            "Gap filled again as it was before (3 readings, 30 min).",
        ),
        (
            GapRefilled("p", GAP, ("s",), "it was right"),
            WELL,
            "Gap filled again as it was before (3 readings, 30 min): it was right.",
        ),
        (
            GapFillWithdrawn("p", GAP, ("s",), "left open"),
            WELL,
            "Undone (left open): 3 readings, 30 min.",
        ),
        (GapLeftOpen("p", "s", GAP, "no boat"), WELL, "Gap left open: no boat."),
        (
            DocumentIssued("p", "d", "pdf", 0, 9, "/x/well.pdf", "f", 8, 1),
            WELL,
            "PDF with 1 reading exported: well.pdf.",
        ),
        (
            ChainBegun("c", "ebb", "first", 1_200),
            Subject("archive"),
            "ebb starts a chain of its own after entry 1,200; it had not written in "
            "this folder before.",
        ),
        (
            ChainBegun("c", "ebb", "other", 3),
            Subject("archive"),
            "ebb starts a chain of its own after entry 3; the archive "
            "is not as this computer left it: an older copy was restored, or the end "
            "of its logbook is missing.",
        ),
        (
            EntriesRestored("0123456789", 1_200, 1_201, ("a", "b"), ("c", "d")),
            Subject("archive"),
            "Entries 1,200 to 1,201 of the chain 01234567, which its file had lost, were restored "
            "from the table.",
        ),
        (
            EntriesRestored("0123456789", 7, 7, ("a",), ("c",)),
            Subject("archive"),
            "Entry 7 of the chain 01234567, which its file had lost, was restored from the table.",
        ),
        (
            EntriesRemoved("0123456789", 7, 7, ("a",), ("Bench was made.",)),
            Subject("archive"),
            "Entry 7 of the chain 01234567, which its file had lost, was removed: Bench was made.",
        ),
        (
            EntriesRemoved("0123456789", 7, 8, ("a", "b"), ("Bench was made.", "It moved.")),
            Subject("archive"),
            "Entries 7 to 8 of the chain 01234567, which its file had "
            "lost, were removed: Bench was "
            "made. It moved.",
        ),
        (ArchiveBegun("a", (), "", 0), Subject("archive"), "The archive was created."),
        (
            ArchiveBegun("a", (), "0123456789abcdef", 1_200),
            Subject("archive"),
            "The earlier contents of the archive, 1,200 rows, were saved as 0123456789ab.",
        ),
        (PersonNamed("u", "MB"), Subject("MB"), "MB is a new user of this archive."),
        (
            PersonErased("u"),
            Subject("–"),
            "A name was erased at its owner's request; the entries stay.",
        ),
        (
            LoggerContacted("D-1", "Düne T2", "1.4", "battery_empty", STATE, -2_140.0, 4.0),
            AT_WELL,
            "D-1 battery empty, mission 3, 2,880 readings; battery 84 %, clock -2.1 s.",
        ),
        (
            LoggerContacted("D-1", "Düne T2", "1.4", "idle", {**STATE, "mission_number": 0}, 49, 4),
            AT_WELL,
            "D-1 idle, empty; battery 84 %, clock right.",
        ),
        (MissionStopped("D-1"), AT_WELL, "The mission of D-1 was stopped."),
        (MemoryErased("D-1", 1), AT_WELL, "The memory of D-1 was erased; 1 reading in the vault."),
        (LoggerBlinked("D-1"), AT_WELL, "D-1 blinked its LED."),
        (SensorsChecked("D-1", False), AT_WELL, "Self-check of D-1: failed."),
        (FollowedBack("D-1", 5_400_000), AT_WELL, "D-1 is back after 1 h 30 min."),
        (AttemptFailed("D-1", "launch", "It is away."), AT_WELL, "It is away."),
        (
            LaunchBegun("D-1", "here/1", SAID.plan, 3, {}),
            AT_WELL,
            "Launch of D-1 for Shore · Well begun.",
        ),
        (
            LaunchEnded("D-1", "here/1", "happened", 4, {}, BEGUN, ("D-2", "D-3")),
            AT_WELL,
            "Mission 4 launched for Shore · Well; plan read back, the same. D-1 "
            "replaces D-2, D-3 there.",
        ),
        (
            LaunchEnded("D-1", "here/1", "refused", 3, {}, why="It is locked."),
            AT_WELL,
            "It is locked.",
        ),
        (
            LaunchEnded("D-1", "x", "happened", 4, {}, BEGUN, cut_off=True),
            AT_WELL,
            "The interrupted launch did happen: D-1 is in its new mission 4.",
        ),
        (
            LaunchEnded("D-1", "x", "another", 5, {}, cut_off=True),
            AT_WELL,
            "A launch of D-1 was interrupted, and it is now in another mission; "
            "somebody else has launched it.",
        ),
        (
            LaunchEnded("D-1", "x", "not happened", 3, {}, cut_off=True, doing="battery_empty"),
            AT_WELL,
            "A launch of D-1 was interrupted; it is still in its old mission 3, "
            "battery empty, and all its readings are safe.",
        ),
        (
            MissionOffloaded("D-1", SAID, RAW, ((0, 1_000), (1_200, 1_201)), (), None, ()),
            AT_WELL,
            "1,001 readings of mission 3 saved for Shore · Well.",
        ),
        (
            MissionOffloaded(
                "D-1", SAID, RAW, ((0, 9),), ((3, 4),), ((3, 4),), (), cut_short="It went away."
            ),
            AT_WELL,
            "9 readings of mission 3 saved for Shore · Well. 1 reading damaged "
            "in transfer, set aside. Ended early: It went away.",
        ),
        (
            DamageNoted("D-1", 3, 5, ((0, 240),)),
            AT_WELL,
            "240 readings of mission 3 arrived damaged.",
        ),
        (DamageNoted("D-1", 3, 5, ()), AT_WELL, "Nothing of mission 3 arrives damaged any more."),
        (
            SourceDeployed("D-1", "x", "p", NEW_YEAR_MS, None, "carried over"),
            AT_WELL,
            "D-1 was at Shore · Well from 2027-01-01 00:00: carried over.",
        ),
        (
            SourceDeployed("D-1", "x", None, 0, NEW_YEAR_MS, ""),
            Subject("D-1", "Europe/Berlin"),
            "D-1 was at no point from its first reading to 2027-01-01 00:00.",
        ),
        (
            DeploymentWithdrawn("D-1", "x", ("p",)),
            AT_WELL,
            "A change to the deployment of D-1 was withdrawn.",
        ),
        (
            SeriesAssigned("p", "x", "air_temperature", "upper", "D-1", NEW_YEAR_MS, None),
            WELL,
            "Air temperature (upper) is supplied by D-1 from 2027-01-01 00:00.",
        ),
        (
            AssignmentWithdrawn("p", "x"),
            WELL,
            "A series assignment of Shore · Well was withdrawn.",
        ),
        (
            LimitSet("p", "x", "air_temperature", RULE, NEW_YEAR_MS, None, "frames warp"),
            WELL,
            "Air temperature: alarm above 28 °C for 30 min valid from 2027-01-01 "
            "00:00: frames warp.",
        ),
        (
            LimitEnded("p", "x", None, NEW_YEAR_MS, "moved"),
            WELL,
            "A limit of Shore · Well is valid until 2027-01-01 00:00: moved.",
        ),
        (
            LimitWithdrawn("p", "x"),
            WELL,
            "A limit of Shore · Well withdrawn, with its excursions.",
        ),
        (
            RemarkMade("p", "x", "", False, NEW_YEAR_MS, NEW_YEAR_MS, "Rain gauge cleaned."),
            WELL,
            "2027-01-01 00:00: Rain gauge cleaned.",
        ),
        (
            RemarkMade("p", "x", "air_temperature", False, 0, NEW_YEAR_MS, "Door open."),
            WELL,
            "1970-01-01 01:00 to 2027-01-01 00:00 (Air temperature): Door open.",
        ),
        (
            RemarkMade("p", "x", "", True, NEW_YEAR_MS, NEW_YEAR_MS, "Power cut."),
            WELL,
            "2027-01-01 00:00 (the whole site): Power cut.",
        ),
        (RemarkWithdrawn("p", "x", "Power cut."), WELL, "Remark withdrawn: Power cut."),
        (
            CheckRead(
                "p",
                "x",
                "water_level",
                NEW_YEAR_MS,
                1.23,
                0.007,
                None,
                None,
                1.97,
                3.2,
                "ah",
                "tape K-3",
            ),
            WELL,
            (
                "Check reading at 2027-01-01 00:00 by ah: Water level 1.230 m, dip 1.970 "
                "m: tape K-3."
            ),
        ),
        (
            CheckRead(
                "p", "x", "air_temperature", NEW_YEAR_MS, None, 0.5, 2.1, 7.9, None, None, "ah", ""
            ),
            WELL,
            (
                "Check reading at 2027-01-01 00:00 by ah: Air temperature, lowest 2.10, "
                "highest 7.90."
            ),
        ),
        (
            CheckWithdrawn("p", "x", "water_level", NEW_YEAR_MS),
            WELL,
            "Check reading of Water level at 2027-01-01 00:00 withdrawn.",
        ),
        (
            ClockCorrected(
                "D-1", "m", 3, "x", "measured", ((0, 2000), (9000, 14000)), 1000, "drift"
            ),
            SHORE,
            (
                "Clock of D-1, mission 3: its readings are shifted by +2 s to +5 s "
                "(measured): drift."
            ),
        ),
        (
            ClockCorrected("D-1", "m", 3, "x", "shifted", ((0, -3600000),), 0, "zone"),
            SHORE,
            "Clock of D-1, mission 3: its readings are shifted by -3600 s (shifted): zone.",
        ),
        (
            SensorDepthSet("p", "h", 0, 3.2, 8.4, "levelled"),
            WELL,
            "Shore · Well: from 1970-01-01 01:00 the reference mark is 3.200 m above the datum, "
            "the sensor 8.400 m below it: levelled.",
        ),
        (
            SensorDepthWithdrawn("p", "h", 0),
            WELL,
            "The sensor depth at Shore · Well from 1970-01-01 01:00 was withdrawn.",
        ),
        (
            ClockCorrectionDisabled("D-1", "m", 3, "x", "try without"),
            SHORE,
            "The clock correction of D-1, mission 3, was disabled: try without.",
        ),
        (
            ClockCorrectionEnabled("D-1", "m", 3, "x", "y", "it was right"),
            SHORE,
            "The clock correction of D-1, mission 3, was enabled again: it was right.",
        ),
        (
            ClockCorrectionWithdrawn("D-1", "m", 3, "x"),
            SHORE,
            "The clock correction of D-1, mission 3, was withdrawn.",
        ),
        (
            CorrectionSet(
                "p",
                "x",
                "air_temperature",
                "linear",
                1,
                NEW_YEAR_MS,
                None,
                {"offset": 0.3, "gain": 1.0, "u": 0.1},
                "certificate K-1",
            ),
            WELL,
            "Air temperature: Offset and gain: offset +0.3 °C (±0.1 °C), from 2027-01-01 00:00: "
            "certificate K-1.",
        ),
        (
            CorrectionSet(
                "p",
                "x",
                "air_temperature",
                "points",
                1,
                0,
                NEW_YEAR_MS,
                {"points": [[0, 0.1], [10, 10.2]], "as_found": [[0, 0.2]], "u": 0},
                "K-2",
            ),
            WELL,
            "Air temperature: Calibration points: 0 → 0.1, 10 → 10.2 °C; at the end 0 → 0.2, "
            "from 1970-01-01 01:00 to 2027-01-01 00:00: K-2.",
        ),
        (
            CorrectionSet(
                "p",
                "x",
                "air_temperature",
                "mark",
                1,
                0,
                NEW_YEAR_MS,
                {"mark": "taken out", "cause": "spike", "stretches": [[1, 2], [4, 5]]},
                "seen",
            ),
            WELL,
            "Air temperature: Mark: taken out (spike), 2 periods, from 1970-01-01 "
            "01:00 to 2027-01-01 00:00: seen.",
        ),
        (
            CorrectionSwitched("p", "x", "air_temperature", 0, None, False, "another sensor's"),
            WELL,
            "A correction of Air temperature disabled: another sensor's.",
        ),
        (
            CorrectionSwitched("p", "x", "air_temperature", 0, None, True, ""),
            WELL,
            "A correction of Air temperature enabled again.",
        ),
        (
            CorrectionWithdrawn("p", "x", "air_temperature", 0, None),
            WELL,
            "A correction of Air temperature of Shore · Well withdrawn.",
        ),
        (
            SeriesCalculated(
                "p",
                "x",
                "dew_point@=",
                "dew_point",
                1,
                {},
                (Input("p", "air_temperature"), Input("p", "relative_humidity")),
                "mould",
            ),
            WELL,
            "Dew point (calculated) is calculated from Air temperature and Relative humidity "
            "(Dew point, WMO-No. 8, Annex 4.B): mould.",
        ),
        (
            CalculationRemoved("p", "x", "dew_point@=in the attic"),
            WELL,
            "Dew point (in the attic, calculated) of Shore · Well is no longer calculated.",
        ),
        (
            QuantitySaved("x", "sap_flow", {"name": "Sap flow", "unit": "g/h"}),
            Subject("Sap flow"),
            "Quantity Sap flow, g/h, added.",
        ),
        (
            QuantitySaved("x", "sap", {"name": "Sap"}, {"name": "Sap"}),
            Subject("Sap"),
            "Quantity Sap changed.",
        ),
        (
            QuantityDeleted("x", "sap", {"name": "Sap"}),
            Subject("Sap"),
            "Quantity Sap removed.",
        ),
        (
            TextImported("Weather", SAID, RAW, "air.csv", {}, 1, 5),
            AT_WELL,
            "1 reading of air.csv imported for Shore · Well.",
        ),
        (
            TextImported("Weather", SAID, RAW, "air.csv", {}, 2_090, 5),
            AT_WELL,
            "2,090 readings of air.csv imported for Shore · Well.",
        ),
        (
            TextRemoved("Weather", "p", "ab" * 32, "air.csv", "wrong mast"),
            AT_WELL,
            (
                "air.csv removed from the record of Shore · Well (wrong mast); the file "
                "stays in the vault."
            ),
        ),
        (
            TextRemoved("Weather", "p", "ab" * 32, "", ""),
            AT_WELL,
            (
                "The file abababababab removed from the record of Shore · Well; the "
                "file stays in the vault."
            ),
        ),
        (
            ReadingsRescued("D-1", "ab" * 32, RAW),
            AT_WELL,
            "The file abababababab is lost; the readings made from it are kept instead.",
        ),
        (
            BytesReread("D-1", "p", "ab" * 32, ReaderVersion(1, "x"), ReaderVersion(2, "y")),
            AT_WELL,
            "The file abababababab was read again: version 1 → 2 of the reader.",
        ),
        (
            BytesReread("D-1", "p", "ab" * 32, ReaderVersion(1, "x"), ReaderVersion(1, "y")),
            AT_WELL,
            "The file abababababab was read again: version 1 of the reader, as it is now.",
        ),
        (
            ExcursionsFound(
                "p", (DetectedExcursion(MISSION, RULE, NEW_YEAR_MS, NEW_YEAR_MS + 5, 9),)
            ),
            WELL,
            "1 excursion found, the first at 2027-01-01 00:00: Air "
            "temperature: alarm above 28 °C for "
            "30 min.",
        ),
        (
            ExcursionsFound(
                "p",
                (
                    DetectedExcursion(MISSION, RULE, NEW_YEAR_MS + 60_000, NEW_YEAR_MS * 2, 9),
                    DetectedExcursion(MISSION, COLD, NEW_YEAR_MS, NEW_YEAR_MS + 5, 9),
                    DetectedExcursion(MISSION, RULE, NEW_YEAR_MS * 3, NEW_YEAR_MS * 4, 9),
                ),
            ),
            WELL,
            "3 excursions found, the first at 2027-01-01 00:00: Air temperature: alarm above 28 °C "
            "for 30 min (2 times); Air temperature: alarm below 2 °C for 1 h.",
        ),
        (
            ConflictAcknowledged(
                "h", "Site Shore retired.", ("height was 3.20 m, not 3.08 m",), "Shore"
            ),
            Subject("Shore"),
            "Acknowledged, height was 3.20 m, not 3.08 m: Site Shore retired.",
        ),
        (
            OverviewImported("D-1", SAID, RAW, "nth", 16, ((0, 3_200),), "It went away."),
            AT_WELL,
            "An overview of 3,200 readings of mission 3 offloaded for Shore · Well, "
            "one value for every 16; the readings themselves are still to offload. "
            "Ended early: It went away.",
        ),
        (
            CourierCleared("C-1", 1, ()),
            Subject("C-1"),
            "1 record cleared from the courier C-1, 0 kept; clock set.",
        ),
        (
            CourierCleared("C-1", 2, ("x",)),
            Subject("C-1"),
            "2 records cleared from the courier C-1, 1 kept; clock left as it is "
            "until the rest is imported.",
        ),
        (
            CourierClockSet("C-1", 2_140.0),
            Subject("C-1"),
            "The clock of the courier C-1 was set; it was +2.1 s wrong.",
        ),
        (
            CourierConfigured("C-1", True),
            Subject("C-1"),
            "The courier C-1 launches loggers again from now on.",
        ),
        (
            CourierConfigured("C-1", False),
            Subject("C-1"),
            "The courier C-1 leaves loggers running from now on.",
        ),
        (
            DriveCleared("STICK", {"a": "f"}, ("x", "y")),
            Subject("STICK"),
            "1 mission file deleted from STICK, 2 kept.",
        ),
        (DriveReleased("STICK", "/dev/sdx1"), Subject("STICK"), "/dev/sdx1 was unmounted."),
        (ReportNotKept("STICK", "Too large."), Subject("STICK"), "Too large."),
        (
            VaultCopyExported("copy.zip", 1, (), as_folder=False),
            Subject("copy.zip"),
            "The vault, 1 raw offload, was exported as copy.zip.",
        ),
        (
            VaultCopyExported("/x", 1_200, (), as_folder=True),
            Subject("/x"),
            "The vault, 1,200 raw offloads, was copied to /x.",
        ),
        (
            VaultCopyImported("copy.zip", 2, 1, 3, 1, (), 0),
            Subject("copy.zip"),
            "2 raw offloads with 1 new reading imported from copy.zip; 3 were "
            "already saved, 1 of them repaired, 0 refused.",
        ),
        (
            FileQuarantined("a.unreadable", "no header"),
            Subject("a.unreadable"),
            "a.unreadable in incoming/ could not be read: no header",
        ),
    ],
)
def test_an_act_is_told_in_words(action: Action, subject: Subject, words: str) -> None:
    assert action.describe(subject) == words


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


def test_two_kinds_cannot_have_one_name() -> None:
    with pytest.raises(TypeError, match="are both “site made”"):

        class Other(SiteMade, kind="site made", word="x", about="site", affects=no_scope):
            pass


def test_a_kind_that_does_not_say_whose_record_it_affects_cannot_be() -> None:
    with pytest.raises(TypeError, match="must say whose record it affects"):

        class Forgetful(SiteMade, kind="forgotten", word="x", about="site"):
            pass

    assert "forgotten" not in BY_KIND


def test_some_kinds_are_filed_by_how_they_went() -> None:
    assert AttemptFailed("D-1", "erase", "x").entry_word == "erase refused"
    assert AttemptFailed("D-1", "follow", "x").entry_word == "followed logger away"
    assert AttemptFailed("D-1", "overview", "x").entry_word == "overview failed"
    assert LaunchEnded("D-1", "x", "happened", 4, {}).entry_word == "launch"
    assert LaunchEnded("D-1", "x", "refused", 4, {}).entry_word == "launch failed"
    assert LaunchEnded("D-1", "x", "another", 4, {}, cut_off=True).entry_word == "launch settled"
    assert VaultCopyExported("x", 1, (), as_folder=True).entry_word == "vault copied"
    assert VaultCopyExported("x", 1, (), as_folder=False).entry_word == "vault handed on"


def test_what_no_table_names_is_named_by_the_act() -> None:
    assert PlanRenamed("a", "Store", "Depot").named == "Depot"
    assert PlanSaved("a", "Store", "", {}).named == "Store"
    assert PlanDeleted("a", "Store", "", {}).named == "Store"
    assert (
        ImportTemplateSaved("a", "Weather", {}).named
        == ImportTemplateDeleted("a", "Weather", {}).named
        == "Weather"
    )
    assert RoundMade("r", 0, "Shore", ()).named == RoundClosed("r", "Shore", 0, 0).named == "Shore"
    assert SiteMade("a", SiteFacts("Shore")).named == ""


def test_an_act_knows_what_it_is_about() -> None:
    assert SiteRetired("a", True).subject_id == "a"
    assert TaskOmitted("r", "t", "p", "", "no boat").subject_id == "p"
    assert ServiceNoted("D-1", "s", "note", 0, "seen").subject_id == "D-1"


@pytest.mark.parametrize(
    ("facts", "words"),
    [
        ({}, "by a straight line"),
        ({"cycles": ["M2"]}, "by its own cycles"),
        ({"companion": "Air pressure of Hut", "lag_ms": 0}, "by Air pressure of Hut"),
        (
            {"companion": "Level of K1", "lag_ms": 1_200_000, "cycles": ["M2"]},
            "by Level of K1, 20 min earlier, and its own cycles",
        ),
        ({"companion": "Level of K1", "lag_ms": -60_000}, "by Level of K1, 1 min later"),
    ],
)
def test_by_what_a_gap_was_filled_is_said_in_words(facts: dict[str, object], words: str) -> None:
    assert fill_method_text(facts) == words
