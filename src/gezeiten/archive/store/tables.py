"""All tables in one file, since rows refer to each other and one migration history makes them.

Instants are UTC ms. What was measured is never updated, only added to.

A change here needs a migration in `migrations/versions`; a test compares the two.
"""

from __future__ import annotations

from typing import Any, ClassVar

from sqlalchemy import (
    JSON,
    BigInteger,
    ForeignKey,
    Index,
    Integer,
    LargeBinary,
    UniqueConstraint,
    false,
)
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

from gezeiten.archive.store.ids import fresh_id


class Base(DeclarativeBase):
    """The declarative base of all tables; whole numbers are 64 bit everywhere."""

    type_annotation_map: ClassVar[dict[type, Any]] = {int: BigInteger()}


def row_key(sort_order: int = 0) -> Mapped[int]:
    """The key of a row: this database's alone. sort_order: of columns that a base class has, before
    (< 0) or behind those of the table."""
    # SQLite numbers rows by itself only for a column of exactly this type
    number = BigInteger().with_variant(Integer(), "sqlite")
    return mapped_column(number, primary_key=True, sort_order=sort_order)


def _uid(sort_order: int = 0) -> Mapped[str]:
    """What names a row for ever and everywhere; its key is this database's alone."""
    return mapped_column(
        unique=True, index=True, server_default="", default=fresh_id, sort_order=sort_order
    )


class _Statement:
    """The columns that every dated statement has: who said it and when (UTC ms), who withdrew it.
    undone_ms set, it has no effect any more."""

    id: Mapped[int] = row_key(sort_order=-1)
    uid: Mapped[str] = _uid(sort_order=-1)
    said_ms: Mapped[int] = mapped_column(sort_order=1)
    said_by: Mapped[str] = mapped_column(sort_order=1)
    undone_ms: Mapped[int | None] = mapped_column(sort_order=1)
    undone_by: Mapped[str | None] = mapped_column(sort_order=1)


class Site(Base):
    """A place. next_visit_ms: None for one that is followed online. visit_every_days: how often
    it is to be visited, None for no duty. retired_ms: no longer in use, its records stay."""

    __tablename__ = "site"
    id: Mapped[int] = row_key()
    uid: Mapped[str] = _uid()
    name: Mapped[str]
    kind: Mapped[str]
    zone: Mapped[str]
    latitude: Mapped[float | None]
    longitude: Mapped[float | None]
    height_m: Mapped[float | None]
    next_visit_ms: Mapped[int | None]
    visit_every_days: Mapped[int | None]
    retired_ms: Mapped[int | None]
    points: Mapped[list[Point]] = relationship(back_populates="site", order_by="Point.id")


class Point(Base):
    """One measuring place. Heights are above the site's datum, measuring point: the rim that dip
    readings are taken from. duty: what must be recorded there, channel keys and the longest
    interval."""

    __tablename__ = "point"
    id: Mapped[int] = row_key()
    uid: Mapped[str] = _uid()
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id"))
    name: Mapped[str]
    fill_limit_s: Mapped[int]
    height_m: Mapped[float | None]
    measuring_point_height_m: Mapped[float | None]
    duty_channels: Mapped[list[str] | None] = mapped_column(JSON)
    duty_interval_s: Mapped[int | None]
    checks_a_day: Mapped[int | None]
    checks_working_days: Mapped[bool] = mapped_column(server_default=false())
    retired_ms: Mapped[int | None]
    site: Mapped[Site] = relationship(back_populates="points")


class Logger(Base):
    """A logger as it was seen last; state is a plain dict of its state registers. pin_group: the
    loggers that share a PIN; the PIN itself is never stored here."""

    __tablename__ = "logger"
    id: Mapped[int] = row_key()
    serial: Mapped[str] = mapped_column(unique=True)
    model: Mapped[str]
    firmware: Mapped[str]
    practice: Mapped[bool]
    point_id: Mapped[int | None] = mapped_column(ForeignKey("point.id"))
    seen_ms: Mapped[int | None]
    state: Mapped[dict[str, Any] | None] = mapped_column(JSON)
    clock_difference_ms: Mapped[float | None]
    clock_uncertainty_ms: Mapped[float | None]
    pin_group: Mapped[str | None]
    retired_ms: Mapped[int | None]


class Mission(Base):
    """One run of one logger at one point under one plan; of texts, a source at a point. Instants by
    the logger's clock.

    uid: derived from what it is (`ids.py`). first_ms: 0 while it waits for its button.
    damaged: ranges that arrived damaged at the last offload."""

    __tablename__ = "mission"
    __table_args__ = (UniqueConstraint("logger_id", "number", "launched_ms"),)
    id: Mapped[int] = row_key()
    uid: Mapped[str] = _uid()
    logger_id: Mapped[int] = mapped_column(ForeignKey("logger.id"))
    point_id: Mapped[int | None] = mapped_column(ForeignKey("point.id"), index=True)
    number: Mapped[int]
    launched_ms: Mapped[int]
    first_ms: Mapped[int]
    interval_ms: Mapped[int]
    plan: Mapped[dict[str, Any]] = mapped_column(JSON)
    readings: Mapped[int] = mapped_column(default=0)  # on the logger at the last contact
    first_held: Mapped[int] = mapped_column(default=0)
    state: Mapped[str] = mapped_column(default="")
    damaged: Mapped[list[list[int]] | None] = mapped_column(JSON)
    logger: Mapped[Logger] = relationship()


class DeploymentRow(_Statement, Base):
    """Where somebody said that a source was in [start_ms, end_ms) (None: until further notice):
    at a point, None for at none. undone_ms set, it has no effect any more."""

    __tablename__ = "placing"
    logger_id: Mapped[int] = mapped_column(ForeignKey("logger.id"))
    point_id: Mapped[int | None] = mapped_column(ForeignKey("point.id"))
    start_ms: Mapped[int]
    end_ms: Mapped[int | None]
    words: Mapped[str]


class SeriesAssignmentRow(_Statement, Base):
    """Which source somebody said feeds a series of a point in [start_ms, end_ms); label "" for the
    main series of the channel. undone_ms set, it has no effect any more."""

    __tablename__ = "feeding"
    logger_id: Mapped[int] = mapped_column(ForeignKey("logger.id"))
    point_id: Mapped[int] = mapped_column(ForeignKey("point.id"))
    start_ms: Mapped[int]
    end_ms: Mapped[int | None]
    channel: Mapped[str]
    label: Mapped[str]


class OwnQuantity(Base):
    """A quantity that a user added. facts: as `domain/quantities.own_facts` gives them."""

    __tablename__ = "own_quantity"
    id: Mapped[int] = row_key()
    uid: Mapped[str] = _uid()
    key: Mapped[str]
    facts: Mapped[dict[str, Any]] = mapped_column(JSON)
    changed_ms: Mapped[int]
    changed_by: Mapped[str]


class SeriesLimit(_Statement, Base):
    """A limit that was set for a series (its key) of a point, in force in [start_ms, end_ms), None:
    until further notice. undone_ms set, it has no effect any more."""

    __tablename__ = "series_limit"
    point_id: Mapped[int] = mapped_column(ForeignKey("point.id"))
    series: Mapped[str]
    rule: Mapped[dict[str, Any]] = mapped_column(JSON)
    start_ms: Mapped[int]
    end_ms: Mapped[int | None]
    words: Mapped[str]


class CorrectionRow(_Statement, Base):
    """A step in the chain of a series (its key) of a point, in force in [start_ms, end_ms), None:
    until further notice. is_on: else it has no effect; undone_ms set, it never was."""

    __tablename__ = "correction"
    point_id: Mapped[int] = mapped_column(ForeignKey("point.id"))
    series: Mapped[str]
    kind: Mapped[str]
    version: Mapped[int]
    start_ms: Mapped[int]
    end_ms: Mapped[int | None]
    parameters: Mapped[dict[str, Any]] = mapped_column(JSON)
    is_on: Mapped[bool]
    words: Mapped[str]


class RemarkRow(_Statement, Base):
    """A note on [start_ms, end_ms) of a series (its key, "" for all) of a point, or of all points
    of its site. undone_ms set, it does not stand any more."""

    __tablename__ = "remark"
    point_id: Mapped[int] = mapped_column(ForeignKey("point.id"))
    series: Mapped[str]
    whole_site: Mapped[bool]
    start_ms: Mapped[int]
    end_ms: Mapped[int]
    words: Mapped[str]


class CheckReadingRow(_Statement, Base):
    """A value read by hand for a series (its key) of a point; see `CheckReading`. undone_ms set, it
    does not stand any more."""

    __tablename__ = "check_reading"
    point_id: Mapped[int] = mapped_column(ForeignKey("point.id"))
    series: Mapped[str]
    at_ms: Mapped[int]
    value: Mapped[float | None]
    u: Mapped[float]
    low: Mapped[float | None]
    high: Mapped[float | None]
    dip_m: Mapped[float | None]
    rim_m: Mapped[float | None]
    by: Mapped[str]
    words: Mapped[str]


class ClockRow(_Statement, Base):
    """What a mission's clock showed and what time it was then, pairs of UTC ms. The one said last
    stands. undone_ms set, it has no effect any more; is_off: it was only switched off."""

    __tablename__ = "clock"
    mission_id: Mapped[int] = mapped_column(ForeignKey("mission.id"))
    way: Mapped[str]
    pairs: Mapped[list[list[int]]] = mapped_column(JSON)
    u_ms: Mapped[int]
    us_ms: Mapped[list[int] | None] = mapped_column(JSON(none_as_null=True))
    rate_beyond: Mapped[float | None]
    drift_ppm: Mapped[float | None]
    words: Mapped[str]
    is_off: Mapped[bool] = mapped_column(default=False, server_default=false(), sort_order=2)


class SensorDepthRow(_Statement, Base):
    """How a sensor hangs at a point from an instant on: the height of the measuring point, and how
    far below it. undone_ms set, it has no effect any more."""

    __tablename__ = "hanging"
    point_id: Mapped[int] = mapped_column(ForeignKey("point.id"))
    since_ms: Mapped[int]
    rim_m: Mapped[float]
    length_m: Mapped[float]
    words: Mapped[str]


class DerivedRow(_Statement, Base):
    """A series (its key) of a point that is calculated from others, by a formula of some version.
    undone_ms set, it is not any more."""

    __tablename__ = "derived"
    point_id: Mapped[int] = mapped_column(ForeignKey("point.id"))
    series: Mapped[str]
    formula: Mapped[str]
    version: Mapped[int]
    parameters: Mapped[dict[str, float]] = mapped_column(JSON)
    words: Mapped[str]


class DerivedInput(Base):
    """A series that another one is calculated from. position: which role of its formula."""

    __tablename__ = "derived_input"
    id: Mapped[int] = row_key()
    derived_id: Mapped[int] = mapped_column(ForeignKey("derived.id"))
    position: Mapped[int]
    point_id: Mapped[int] = mapped_column(ForeignKey("point.id"), index=True)
    series: Mapped[str]


class Offload(Base):
    """One transfer. received: ranges in the raw file; added: those that were new here (of a text,
    which has no numbers, both count its readings on from those of texts before).

    carried: by whom and how it was brought home, for a courier's records. reading: how the raw
    bytes are read where they are no mission file (a tie, exchange/tie.py). rescued: fingerprint of
    the readings that were left of it when its bytes were found to be lost. reader: the version that
    its bytes are read by; read_as: the fingerprint of the readings that came out."""

    __tablename__ = "offload"
    id: Mapped[int] = row_key()
    mission_id: Mapped[int] = mapped_column(ForeignKey("mission.id"), index=True)
    at_ms: Mapped[int]
    person: Mapped[str]
    route: Mapped[str]
    sha256: Mapped[str] = mapped_column(index=True)
    size: Mapped[int]
    received: Mapped[list[list[int]]] = mapped_column(JSON)
    added: Mapped[list[list[int]]] = mapped_column(JSON)
    damaged: Mapped[list[list[int]]] = mapped_column(JSON)
    clock_difference_ms: Mapped[float | None]
    clock_uncertainty_ms: Mapped[float | None]
    events: Mapped[list[list[Any]]] = mapped_column(JSON)
    carried: Mapped[dict[str, Any] | None] = mapped_column(JSON)
    reading: Mapped[dict[str, Any] | None] = mapped_column(JSON)
    rescued: Mapped[str | None]
    reader: Mapped[int] = mapped_column(server_default="1")
    read_as: Mapped[str] = mapped_column(server_default="")
    taken_out_ms: Mapped[int | None]
    """When somebody took it out of the record again, with all that it brought."""
    taken_out_by: Mapped[str | None]


class OverviewRow(Base):
    """A mission looked at by every n-th reading or by means; adds no reading. kind: `ThinKind`.

    came: the readings that its values stand for."""

    __tablename__ = "overview"
    id: Mapped[int] = row_key()
    mission_id: Mapped[int] = mapped_column(ForeignKey("mission.id"), index=True)
    at_ms: Mapped[int]
    person: Mapped[str]
    route: Mapped[str]
    sha256: Mapped[str]
    size: Mapped[int]
    kind: Mapped[str]
    every: Mapped[int]
    came: Mapped[list[list[int]]] = mapped_column(JSON)


class Step(Base):
    """One reversible entry from logger to record; undone_ms set, it has no effect any more.

    kind: "line" (estimated readings in data), "refetch" (offload_id's readings fill a gap),
    "left_open" (a gap stays, with a reason). facts: numbers for people, such as expected error.
    """

    __tablename__ = "step"
    id: Mapped[int] = row_key()
    uid: Mapped[str] = _uid()
    point_id: Mapped[int] = mapped_column(ForeignKey("point.id"), index=True)
    channel: Mapped[str]
    kind: Mapped[str]
    start_ms: Mapped[int]
    end_ms: Mapped[int]
    interval_ms: Mapped[int]
    offload_id: Mapped[int | None] = mapped_column(ForeignKey("offload.id"))
    data: Mapped[bytes | None] = mapped_column(LargeBinary)
    facts: Mapped[dict[str, Any]] = mapped_column(JSON)
    made_ms: Mapped[int]
    made_by: Mapped[str]
    undone_ms: Mapped[int | None]
    undone_by: Mapped[str | None]


class FoundRow(Base):
    """An excursion when it was found for the first time, as an action told it. at_ms: when."""

    __tablename__ = "excursion_found"
    id: Mapped[int] = row_key()
    point_id: Mapped[int] = mapped_column(ForeignKey("point.id"), index=True)
    mission_id: Mapped[int] = mapped_column(ForeignKey("mission.id"))
    rule_key: Mapped[str]
    start_ms: Mapped[int]
    end_ms: Mapped[int]
    at_ms: Mapped[int]


class AssessmentRow(Base):
    """What somebody said of an excursion; seen: the excursion as it was then (`Seen`)."""

    __tablename__ = "assessment"
    id: Mapped[int] = row_key()
    uid: Mapped[str] = _uid()
    point_id: Mapped[int] = mapped_column(ForeignKey("point.id"), index=True)
    mission_id: Mapped[int] = mapped_column(ForeignKey("mission.id"))
    rule_key: Mapped[str]
    rule: Mapped[dict[str, Any]] = mapped_column(JSON)
    seen: Mapped[dict[str, Any]] = mapped_column(JSON)
    cause: Mapped[str]
    words: Mapped[str]
    at_ms: Mapped[int]
    person: Mapped[str]


class IssuedDocumentRow(Base):
    """A document that left the house."""

    __tablename__ = "handover"
    id: Mapped[int] = row_key()
    uid: Mapped[str] = _uid()
    at_ms: Mapped[int]
    person: Mapped[str]
    kind: Mapped[str]
    point_id: Mapped[int] = mapped_column(ForeignKey("point.id"))
    start_ms: Mapped[int]
    end_ms: Mapped[int]
    file_name: Mapped[str]
    sha256: Mapped[str]
    size: Mapped[int]
    readings: Mapped[int]


class LogbookRow(Base):
    """One act, as its chain file has it. hash covers the entry and the hash before it. seq: its
    place in this database; chain, number: in its chain, "" for entries from before there were
    chain files, which only this table has. stamp: orders the actions of all computers."""

    __tablename__ = "logbook"
    __table_args__ = (Index("logbook_in_chain", "chain", "number"),)
    seq: Mapped[int] = row_key()
    at_ms: Mapped[int]
    person: Mapped[str]
    act: Mapped[str] = mapped_column(index=True)
    subject: Mapped[str]
    sentence: Mapped[str]
    details: Mapped[dict[str, Any]] = mapped_column(JSON)
    previous: Mapped[str]
    hash: Mapped[str]
    chain: Mapped[str] = mapped_column(server_default="", default="")
    number: Mapped[int] = mapped_column(server_default="0", default=0)
    stamp: Mapped[int] = mapped_column(server_default="0", default=0)


class Person(Base):
    """Somebody who acts. name: as it stands beside what was done."""

    __tablename__ = "person"
    id: Mapped[int] = row_key()
    uid: Mapped[str] = _uid()
    name: Mapped[str] = mapped_column(index=True)


class ChainRow(Base):
    """How far a chain file has been applied here: its last entry's number, hash and stamp, and the
    length of the file up to there."""

    __tablename__ = "chain"
    id: Mapped[int] = row_key()
    uid: Mapped[str] = _uid()
    number: Mapped[int]
    head: Mapped[str]
    stamp: Mapped[int]
    bytes: Mapped[int]


class LaunchIntent(Base):
    """A launch that is not known to have ended; old_mission: the number before.

    owner: computer and token of the program that launches; state: "noted" before anything on the
    logger changed, "begun" when it was told to launch."""

    __tablename__ = "launch_intent"
    id: Mapped[int] = row_key()
    logger_id: Mapped[int] = mapped_column(ForeignKey("logger.id"), unique=True)
    at_ms: Mapped[int]
    person: Mapped[str]
    plan: Mapped[dict[str, Any]] = mapped_column(JSON)
    old_mission: Mapped[int]
    accepted: Mapped[dict[str, Any]] = mapped_column(JSON)
    owner: Mapped[str] = mapped_column(server_default="")
    state: Mapped[str] = mapped_column(server_default="begun")


class PlanRow(Base):
    """A plan kept under a name."""

    __tablename__ = "kept_plan"
    id: Mapped[int] = row_key()
    uid: Mapped[str] = _uid()
    name: Mapped[str]
    model: Mapped[str]
    plan: Mapped[dict[str, Any]] = mapped_column(JSON)
    changed_ms: Mapped[int]
    changed_by: Mapped[str]


class Service(Base):
    """Something done to a logger: kind "battery", "calibration", "repair" or "note".

    due_ms: until when a calibration holds. The certificate lies in the vault by its SHA-256.
    """

    __tablename__ = "service"
    id: Mapped[int] = row_key()
    uid: Mapped[str] = _uid()
    logger_id: Mapped[int] = mapped_column(ForeignKey("logger.id"), index=True)
    at_ms: Mapped[int]
    person: Mapped[str]
    kind: Mapped[str]
    words: Mapped[str]
    due_ms: Mapped[int | None]
    certificate_name: Mapped[str | None]
    certificate_sha256: Mapped[str | None]


class LoggerReport(Base):
    """A document that a logger wrote by itself onto its drive; kept under its SHA-256."""

    __tablename__ = "logger_report"
    __table_args__ = (UniqueConstraint("logger_id", "sha256"),)
    id: Mapped[int] = row_key()
    logger_id: Mapped[int] = mapped_column(ForeignKey("logger.id"), index=True)
    mission_number: Mapped[int | None]
    name: Mapped[str]
    sha256: Mapped[str]
    size: Mapped[int]
    at_ms: Mapped[int]
    person: Mapped[str]


class StoredImportTemplate(Base):
    """How text from one kind of source is read and where it belongs, kept under a name."""

    __tablename__ = "kept_tie"
    id: Mapped[int] = row_key()
    uid: Mapped[str] = _uid()
    name: Mapped[str]
    tie: Mapped[dict[str, Any]] = mapped_column(JSON)
    changed_ms: Mapped[int]
    changed_by: Mapped[str]


class VisitRound(Base):
    """A day's round of sites; closed_ms: over, whether all was done or not."""

    __tablename__ = "visit_round"
    id: Mapped[int] = row_key()
    uid: Mapped[str] = _uid()
    day_ms: Mapped[int]
    made_ms: Mapped[int]
    made_by: Mapped[str]
    closed_ms: Mapped[int | None]
    tasks: Mapped[list[RoundTask]] = relationship(
        back_populates="round", order_by="RoundTask.position", cascade="all, delete-orphan"
    )


class RoundTask(Base):
    """What is to be done at one point of a round. plan: ready to launch there, None: only offload.
    left_out: why it was not done."""

    __tablename__ = "round_task"
    id: Mapped[int] = row_key()
    uid: Mapped[str] = _uid()
    round_id: Mapped[int] = mapped_column(ForeignKey("visit_round.id"), index=True)
    point_id: Mapped[int] = mapped_column(ForeignKey("point.id"))
    position: Mapped[int]
    plan: Mapped[dict[str, Any] | None] = mapped_column(JSON)
    left_out: Mapped[str | None]
    round: Mapped[VisitRound] = relationship(back_populates="tasks")
