"""What a report of a point says; built by the desk, laid out by `pdf`."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from gezeiten.domain.facts.stored import Remark, StoredClockCorrection
from gezeiten.domain.limits.limits import InForce, LimitRule
from gezeiten.domain.limits.verdicts import DayVerdict
from gezeiten.domain.series.series import Series, all_instants
from gezeiten.domain.series.statistics.figures import DayNumbers, Statistics
from gezeiten.domain.series.timeline import Span
from gezeiten.domain.steps.checks.comparing import CheckComparison
from gezeiten.domain.steps.checks.schedule import CheckScheduleDay
from gezeiten.domain.steps.uncertainty import Uncertainty


@dataclass(frozen=True, slots=True)
class ReportChannel:
    """One channel over the stretch: readings, limits, figures as a whole and by day. formula_text:
    it is calculated, "" where it was measured; uncertainty: how sure its mean (the sum of what is
    summed) is, None where nothing is said of it; verdicts: of each day; means: what limits of means
    compare, by their length (s)."""

    key: str
    unit: str
    series: Series
    limits: tuple[InForce, ...]
    statistics: Statistics
    days: tuple[DayNumbers, ...]
    formula_text: str = ""
    uncertainty: Uncertainty | None = None
    verdicts: tuple[DayVerdict, ...] = ()
    means: tuple[tuple[int, Series], ...] = ()

    @property
    def rules(self) -> tuple[LimitRule, ...]:
        """All limits of the stretch, each once."""
        return tuple(dict.fromkeys(rule for limit in self.limits for rule in limit.rules))

    def rules_by_time(self) -> list[tuple[LimitRule, Span]]:
        """Return each limit with the stretches in which it was in force, those that touch as
        one."""
        found: list[tuple[LimitRule, Span]] = []
        for rule in self.rules:
            for limit in self.limits:
                if rule not in limit.rules:
                    continue
                if found and found[-1][0] == rule and found[-1][1][1] == limit.start_ms:
                    found[-1] = (rule, (found[-1][1][0], limit.end_ms))
                else:
                    found.append((rule, (limit.start_ms, limit.end_ms)))
        return found


@dataclass(frozen=True, slots=True)
class ReportOffload:
    """A transfer that holds readings of the stretch; the clock's difference as it was found then,
    None where nobody looked."""

    at_ms: int
    person: str
    route: str
    sha256: str
    clock_difference_ms: float | None = None


@dataclass(frozen=True, slots=True)
class ReportCalibration:
    """A calibration of a logger of the stretch. until_ms: how long it holds, None for not said."""

    serial: str
    at_ms: int
    until_ms: int | None
    certificate: str


@dataclass(frozen=True, slots=True)
class ReportCorrection:
    """A step by which readings of a series were corrected, as far as in the stretch. does: with its
    numbers; reason: why."""

    series: str
    step: str
    does: str
    start_ms: int
    end_ms: int
    person: str
    at_ms: int
    reason: str


@dataclass(frozen=True, slots=True)
class ReportMission:
    """A mission that was in force in the stretch, and its offloads that hold readings of it.

    first_ms: when its first reading was or is due. record: "never" where it was over before it
    recorded any, "waiting" where it has not begun.
    """

    serial: str
    model: str
    number: int
    first_ms: int
    record: Literal["recorded", "waiting", "never"]
    interval_s: int
    end: str
    offloads: tuple[ReportOffload, ...]


@dataclass(frozen=True, slots=True)
class ReportExcursion:
    """One excursion as a document tells it; instants UTC ms, figures in the channel's unit."""

    rule: LimitRule
    start_ms: int
    end_ms: int
    alarm_ms: int
    extreme: float
    dose: float
    measured: int
    estimated: int
    cause: str
    comment: str
    settled_by: str
    settled_ms: int | None


@dataclass(frozen=True, slots=True)
class ReportGap:
    """Where readings are or were absent. missing: readings, as far as inside the stretch;
    resolution: what was done about it, in words. is_filled: the record holds something there by
    now; is_pending: they wait on a logger, and are no gap; is_calculated: of a series that is
    calculated, whose inputs have readings."""

    start_ms: int
    end_ms: int
    missing: int
    channels: tuple[str, ...]
    resolution: str
    is_filled: bool = False
    is_pending: bool = False
    is_calculated: bool = False


@dataclass(frozen=True, slots=True)
class PointReport:
    """Everything in one report. fingerprint: SHA-256 over the readings shown. head_hash: the
    newest entry of the logbook, "entry 213, HASH"; "" where there is none. checks: read by hand,
    beside the record as it stands; check_schedule: the days on which they were due. dated_later:
    readings that are dated later than the period ends or the document was made."""

    site: str
    point: str
    zone: str
    span: Span
    made_ms: int
    made_by: str
    channels: tuple[ReportChannel, ...]
    missions: tuple[ReportMission, ...]
    excursions: tuple[ReportExcursion, ...]
    gaps: tuple[ReportGap, ...]
    fingerprint: str
    calibrations: tuple[ReportCalibration, ...] = ()
    corrections: tuple[ReportCorrection, ...] = ()
    remarks: tuple[Remark, ...] = ()
    checks: tuple[CheckComparison, ...] = ()
    clocks: tuple[StoredClockCorrection, ...] = ()
    check_schedule: tuple[CheckScheduleDay, ...] = ()
    head_hash: str = ""
    dated_later: int = 0

    @property
    def readings(self) -> int:
        """Instants at which anything was recorded or estimated; each with all its channels."""
        return len(all_instants(channel.series for channel in self.channels))

    @property
    def values(self) -> int:
        """Values of all channels."""
        return sum(len(channel.series) for channel in self.channels)

    @property
    def calculated(self) -> int:
        """Values that are calculated, not measured."""
        return sum(
            int((~channel.series.estimated).sum())
            for channel in self.channels
            if channel.formula_text
        )

    @property
    def estimated(self) -> int:
        """Values that are estimated."""
        return sum(int(channel.series.estimated.sum()) for channel in self.channels)
