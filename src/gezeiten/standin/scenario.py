"""The made-up stretch of coast: sites, points, loggers and what befalls them. Data only."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from gezeiten.domain.limits.limits import Counting, LimitRule, Side
from gezeiten.domain.plan.models import End
from gezeiten.domain.quantities.quantities import particles_from

TroubleKind = Literal["no sensor", "no reading"]
NO_SENSOR: TroubleKind = "no sensor"
NO_READING: TroubleKind = "no reading"


@dataclass(frozen=True, slots=True)
class SensorOutage:
    """A stretch in which a logger records no value; days before the anchor.

    channel: one channel, or "" for all of them. event: what the logger notes of it.
    """

    from_days_ago: float
    to_days_ago: float
    kind: TroubleKind
    channel: str
    event: str


@dataclass(frozen=True, slots=True)
class StandinSpec:
    """One logger: who it is, how its clock and battery behave, what befalls it.

    battery_ends_days: days after the anchor at which the first cell is empty; None leaves it
    seven tenths full. pin: locks changes to the logger.
    """

    serial: str
    model: str
    point: str
    firmware: str = "1.4.2"
    clock_ppm: float = 1.2
    first_mission: int = 11
    battery_ends_days: float | None = None
    calibration_due_days: float = 200.0
    troubles: tuple[SensorOutage, ...] = ()
    pin: int | None = None


@dataclass(frozen=True, slots=True)
class PointPlan:
    """How a point is recorded in the demonstration."""

    channels: tuple[str, ...]
    interval_s: int
    limits: tuple[LimitRule, ...] = ()
    end: End = "full"


@dataclass(frozen=True, slots=True)
class PointSpec:
    """A measuring point of the demonstration with its logger and record."""

    key: str
    name: str
    logger: StandinSpec
    plan: PointPlan


@dataclass(frozen=True, slots=True)
class SiteSpec:
    """A site; next_visit_days after the anchor, None for one that is online."""

    name: str
    kind: str
    latitude: float
    longitude: float
    height_m: float
    next_visit_days: float | None
    points: tuple[PointSpec, ...] = field(default_factory=tuple)


def _rule(
    channel: str,
    side: Side,
    value: float,
    minutes: int,
    counting: Counting = "consecutive",
    *,
    daily: bool = False,
) -> LimitRule:
    return LimitRule(channel, side, value, minutes * 60, counting, daily)


_T_RH = ("air_temperature", "relative_humidity")
_P_T = ("water_pressure", "water_temperature")
_T_EC = ("water_temperature", "conductivity")
_COLD = ("probe_temperature", "room_temperature")
_AIR = (particles_from(0.5), particles_from(5.0), "co2", "air_temperature", "relative_humidity")
_STORE = (
    _rule("probe_temperature", "above", 7.0, 30),
    _rule("probe_temperature", "below", 1.0, 30),
)

HATCHERY_PIN = 2580
"""The hatchery keeps visitors' fingers off its loggers; README tells it."""

SITES: tuple[SiteSpec, ...] = (
    SiteSpec(
        "Alte Lotsenwacht",
        "museum",
        53.86,
        8.02,
        9.0,
        10.0,
        (
            PointSpec(
                "textile_store",
                "Textile store",
                StandinSpec("D-2041", "Düne T2", "textile_store"),
                PointPlan(
                    _T_RH,
                    360,
                    (
                        _rule("relative_humidity", "above", 60.0, 120),
                        _rule("relative_humidity", "below", 40.0, 120),
                        _rule("air_temperature", "above", 24.0, 60),
                    ),
                ),
            ),
            PointSpec(
                "display_case",
                "Display case 7",
                StandinSpec(
                    "D-2044", "Düne T2", "display_case", clock_ppm=-0.8, calibration_due_days=10
                ),
                PointPlan(
                    _T_RH,
                    600,
                    (
                        _rule("relative_humidity", "above", 55.0, 30),
                        _rule("relative_humidity", "below", 40.0, 30),
                    ),
                ),
            ),
            PointSpec(
                "tower_attic",
                "Tower attic",
                StandinSpec("D-2038", "Düne T2", "tower_attic", clock_ppm=2.1),
                PointPlan(
                    _T_RH,
                    600,
                    (
                        _rule("air_temperature", "above", 28.0, 60),
                        _rule("relative_humidity", "above", 85.0, 600, "accumulated", daily=True),
                    ),
                ),
            ),
        ),
    ),
    SiteSpec(
        "Krabbenkoog",
        "salt marsh",
        53.92,
        8.11,
        1.0,
        1.0,
        (
            PointSpec(
                "creek_gauge",
                "Creek gauge",
                StandinSpec(
                    "P-0317",
                    "Priel W3",
                    "creek_gauge",
                    troubles=(SensorOutage(35.0, 34.5, NO_READING, "", "lifted for cleaning"),),
                ),
                PointPlan(_P_T, 120, (_rule("water_pressure", "above", 137.8, 10),)),
            ),
            PointSpec(
                "piezometer_k1",
                "Piezometer K1",
                StandinSpec("P-0320", "Priel W3", "piezometer_k1", clock_ppm=-7.94),
                PointPlan(_P_T, 360, (_rule("water_temperature", "above", 25.0, 30),)),
            ),
            PointSpec(
                "piezometer_k2",
                "Piezometer K2",
                StandinSpec("P-0321", "Priel W3", "piezometer_k2"),
                PointPlan(
                    (*_P_T, "conductivity"),
                    360,
                    (
                        _rule("water_pressure", "below", 111.5, 30),
                        _rule("conductivity", "above", 3.5, 60, "accumulated"),
                    ),
                ),
            ),
            PointSpec(
                "barometer_hut",
                "Barometer hut",
                StandinSpec("W-0112", "Wolke B1", "barometer_hut", clock_ppm=0.3),
                PointPlan(("air_pressure", "air_temperature"), 360),
            ),
        ),
    ),
    SiteSpec(
        "Saatgutspeicher",
        "seed bank",
        53.75,
        8.25,
        4.0,
        None,
        (
            PointSpec(
                "cold_room_a",
                "Cold room A",
                StandinSpec("R-1107", "Reif C2", "cold_room_a", calibration_due_days=53),
                PointPlan(_COLD, 300, _STORE, end="wrap"),
            ),
            PointSpec(
                "cold_room_b",
                "Cold room B",
                StandinSpec(
                    "R-1109",
                    "Reif C2",
                    "cold_room_b",
                    calibration_due_days=53,
                    troubles=(
                        SensorOutage(
                            18.2, 16.7, NO_SENSOR, "probe_temperature", "probe pulled off"
                        ),
                    ),
                ),
                PointPlan(_COLD, 300, _STORE, end="wrap"),
            ),
        ),
    ),
    SiteSpec(
        "Bootswerft Sielhafen",
        "boatyard",
        53.88,
        8.05,
        3.0,
        8.0,
        (
            PointSpec(
                "paint_hall",
                "Paint hall",
                StandinSpec("B-0508", "Brise A4", "paint_hall", battery_ends_days=8.2),
                PointPlan(
                    _AIR,
                    600,
                    (
                        _rule(particles_from(0.5), "above", 12_000_000.0, 20),
                        _rule("co2", "above", 1500.0, 30),
                    ),
                ),
            ),
            PointSpec(
                "outdoor_mast",
                "Outdoor mast",
                StandinSpec("B-0511", "Brise A4", "outdoor_mast", battery_ends_days=-31.6),
                PointPlan(_AIR, 600, (_rule(particles_from(0.5), "above", 9_000_000.0, 30),)),
            ),
        ),
    ),
    SiteSpec(
        "Austernzucht Ost",
        "hatchery",
        53.95,
        8.19,
        2.0,
        1.1,
        (
            PointSpec(
                "tank_2",
                "Tank 2",
                StandinSpec("P-0330", "Priel W3", "tank_2", pin=HATCHERY_PIN),
                PointPlan(_T_EC, 120, (_rule("water_temperature", "above", 21.0, 60),)),
            ),
            PointSpec(
                "intake",
                "Intake",
                StandinSpec("P-0331", "Priel W3", "intake", clock_ppm=3.0, pin=HATCHERY_PIN),
                PointPlan(_T_EC, 60, (_rule("conductivity", "below", 38.0, 60),), end="wrap"),
            ),
        ),
    ),
)


def standins() -> list[StandinSpec]:
    """Return the loggers of all points."""
    return [point.logger for site in SITES for point in site.points]


def standin(serial: str) -> StandinSpec:
    """Return one logger by its serial.

    Raises:
        KeyError: there is none.
    """
    return {spec.serial: spec for spec in standins()}[serial]


def point_plan(key: str) -> PointPlan:
    """Return how a point of the scenario is recorded."""
    return {point.key: point.plan for site in SITES for point in site.points}[key]
