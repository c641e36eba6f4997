"""What is done to an archive, in the words of the trade: one module a family, one class a kind.

An act carries all that it changed and nothing else. What is true of an archive is its acts and its
bytes; the tables are made from them (`archive/apply`). A kind is added by a class here, a function
there and a test.
"""

from __future__ import annotations

from gezeiten.domain.acts.archives import ArchiveBegun, ChainBegun, MisfitSeen
from gezeiten.domain.acts.assessments import (
    AssessmentTakenBack,
    ExcursionAssessed,
    ExcursionsFound,
)
from gezeiten.domain.acts.base import Act, Change, Subject
from gezeiten.domain.acts.carriers import (
    CopyTakenIn,
    CourierClockSet,
    CourierMadeReady,
    CourierTold,
    DriveCleared,
    DriveReleased,
    PutAside,
    ReportNotKept,
    VaultGiven,
)
from gezeiten.domain.acts.contacts import (
    AttemptFailed,
    FollowedBack,
    LoggerBlinked,
    LoggerContacted,
    MemoryErased,
    MissionStopped,
    SensorsChecked,
)
from gezeiten.domain.acts.documents import DocumentHandedOver, DocumentPutOut
from gezeiten.domain.acts.gaps import GapFetched, GapFilledByLine, GapLeftOpen, GapTakenBack
from gezeiten.domain.acts.launches import LaunchBegun, LaunchEnded
from gezeiten.domain.acts.loggers import LoggerRetired, PinGroupSet, ReportKept, ServiceNoted
from gezeiten.domain.acts.offloads import (
    DamageNoted,
    MissionOffloaded,
    OverviewTaken,
    ReadingsRescued,
    TextTaken,
)
from gezeiten.domain.acts.people import PersonErased, PersonNamed
from gezeiten.domain.acts.plans import PlanDropped, PlanKept, PlanRenamed, TieForgotten, TieKept
from gezeiten.domain.acts.sites import (
    NextVisitSet,
    PointChanged,
    PointMade,
    PointRetired,
    SiteChanged,
    SiteMade,
    SiteRetired,
)
from gezeiten.domain.acts.visits import RoundClosed, RoundMade, TaskLeftOut, TaskPlanned

KINDS: tuple[type[Act], ...] = (
    ArchiveBegun, ChainBegun, MisfitSeen, PersonNamed, PersonErased,
    SiteMade, SiteChanged, SiteRetired, NextVisitSet, PointMade, PointChanged, PointRetired,
    PlanKept, PlanRenamed, PlanDropped, TieKept, TieForgotten,
    ServiceNoted, LoggerRetired, PinGroupSet, ReportKept,
    RoundMade, TaskPlanned, TaskLeftOut, RoundClosed,
    GapFilledByLine, GapFetched, GapLeftOpen, GapTakenBack,
    ExcursionsFound, ExcursionAssessed, AssessmentTakenBack,
    DocumentHandedOver, DocumentPutOut,
    LoggerContacted, MissionStopped, MemoryErased, LoggerBlinked, SensorsChecked, FollowedBack,
    AttemptFailed, LaunchBegun, LaunchEnded,
    MissionOffloaded, DamageNoted, TextTaken, OverviewTaken, ReadingsRescued,
    CourierMadeReady, CourierClockSet, CourierTold, DriveCleared, DriveReleased, ReportNotKept,
    VaultGiven, CopyTakenIn, PutAside,
)  # fmt: skip
"""Every kind of act there is."""

__all__ = ["KINDS", "Act", "Change", "Subject"]
