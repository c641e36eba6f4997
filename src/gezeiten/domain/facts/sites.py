"""Sites and points as people speak of them, and which facts can be."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from gezeiten.domain.base.naming import name_fault
from gezeiten.domain.base.wording import figure
from gezeiten.domain.quantities.quantities import QUANTITIES
from gezeiten.domain.steps.fills import DEFAULT_LINE_LIMIT_S
from gezeiten.errors import InputError

POINT_SEPARATOR = " · "
LONGEST_NAME = 30


@dataclass(frozen=True, slots=True)
class SiteFacts:
    """What people say of a site. Degrees WGS 84; height above the site's datum."""

    name: str
    kind: str = ""
    zone: str = "Europe/Berlin"
    latitude: float | None = None
    longitude: float | None = None
    height_m: float | None = None
    next_visit_ms: int | None = None
    visit_every_days: int | None = None


@dataclass(frozen=True, slots=True)
class PointFacts:
    """What people say of a point. measuring_point_height_m: the rim that dips are taken from.

    duty_channels: what must be recorded there, duty_interval_s: at least so often. fill_limit_s:
    the longest gap that a straight line may fill. checks_a_day: how often something has to be read
    by hand there, None: no duty; on working days alone where checks_working_days.
    """

    name: str
    height_m: float | None = None
    measuring_point_height_m: float | None = None
    duty_channels: tuple[str, ...] = ()
    duty_interval_s: int | None = None
    fill_limit_s: int = DEFAULT_LINE_LIMIT_S
    checks_a_day: int | None = None
    checks_working_days: bool = False


def full_name(site: str, point: str) -> str:
    """Return "Site · point"."""
    return f"{site}{POINT_SEPARATOR}{point}"


def split_name(name: str) -> tuple[str, str]:
    """Return site and point of "Site · point"; a bare name is a site with a point of that name."""
    site, _, point = (part.strip() for part in name.partition(POINT_SEPARATOR))
    return site, point or site


def checked_site(facts: SiteFacts) -> SiteFacts:
    """Return a site's facts with name and kind cleaned.

    Raises:
        InputError: one of them cannot be.
    """
    name = _valid_name(facts.name, "site")
    try:
        ZoneInfo(facts.zone)
    except (ZoneInfoNotFoundError, ValueError, OSError) as exc:
        raise InputError(
            f"“{facts.zone}” is not a time zone; type one like Europe/Berlin."
        ) from exc
    _in_range(facts.latitude, -90, 90, "latitude")
    _in_range(facts.longitude, -180, 180, "longitude")
    _in_range(facts.height_m, -500, 9000, "height")
    if (facts.latitude is None) != (facts.longitude is None):
        raise InputError("A position needs latitude and longitude; enter both or neither.")
    if facts.visit_every_days is not None and not 1 <= facts.visit_every_days <= 3650:
        raise InputError("The days between visits must be from 1 to 3650.")
    return replace(facts, name=name, kind=facts.kind.strip())


def checked_point(facts: PointFacts) -> PointFacts:
    """Return a point's facts with its name cleaned.

    Raises:
        InputError: one of them cannot be.
    """
    name = _valid_name(facts.name, "point")
    _in_range(facts.height_m, -500, 9000, "height")
    _in_range(facts.measuring_point_height_m, -500, 9000, "measuring-point height")
    unknown = [key for key in facts.duty_channels if key not in QUANTITIES]
    if unknown:
        raise InputError(f"“{unknown[0]}” is not a quantity; choose from the list.")
    if facts.duty_interval_s is not None and not 1 <= facts.duty_interval_s <= 86_400 * 31:
        raise InputError("The required interval must be from 1 s to 31 d.")
    if not 0 <= facts.fill_limit_s <= 86_400:
        raise InputError("A straight line fills gaps of up to one day; choose a shorter limit.")
    if facts.checks_a_day is not None and not 1 <= facts.checks_a_day <= 24:
        raise InputError("Check readings a day must be from 1 to 24.")
    return replace(facts, name=name)


def _valid_name(name: str, what: str) -> str:
    cleaned = " ".join(name.split())
    if not cleaned or POINT_SEPARATOR.strip() in cleaned:
        raise InputError(f"“{name}” cannot be the name of a {what}; choose a name without “·”.")
    if len(cleaned.encode()) > LONGEST_NAME:
        raise InputError(f"The name of a {what} has up to {LONGEST_NAME} bytes; shorten it.")
    fault = name_fault(cleaned)
    if fault:
        raise InputError(fault)
    return cleaned


def _in_range(value: float | None, low: float, high: float, what: str) -> None:
    if value is not None and not (math.isfinite(value) and low <= value <= high):
        raise InputError(
            f"The {what} {figure(value)} is out of range; enter a value from {figure(low)} "
            f"to {figure(high)}."
        )
