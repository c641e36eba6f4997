"""Settings, declared once: default, title, help and kind stand beside each field.

Kept as JSON with the user (or in the archive's folder where a file lies there already: the
demonstration and practice keep theirs apart).
"""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass, field, fields, replace
from pathlib import Path
from typing import Any, Literal

from gezeiten.archive.files.atomic_files import write_atomic
from gezeiten.domain.base.naming import USUAL_PATTERN
from gezeiten.domain.base.untrusted import json_of
from gezeiten.domain.quantities.units import UNIT_CHOICES
from gezeiten.errors import InputError

THEMES = ("light", "dark", "sun")
Kind = Literal["text", "person", "choice", "number", "switch", "folder"]


@dataclass(frozen=True, slots=True)
class SettingInfo:
    """How one setting is shown and what it may be. choices: for kind "choice"; low, high: for
    kind "number"."""

    key: str
    default: Any
    section: str
    title: str
    help: str
    kind: Kind
    choices: tuple[str, ...] = ()
    low: int = 0
    high: int = 0


def _setting(
    default: Any, section: str, title: str, help_text: str, kind: Kind = "text", **more: Any
) -> Any:
    about = {"section": section, "title": title, "help": help_text, "kind": kind, **more}
    return field(default=default, metadata=about)


_LOOK, _PEOPLE, _ROUTES = "Appearance and region", "Users and names", "Routes"
_UNITS, _WORK = "Units", "Folders and power"


@dataclass(frozen=True, slots=True)
class Settings:
    """Everything that a user can choose once for all: one by one in the dialog of settings, but for
    `units`."""

    addresses: str = _setting(
        "127.0.0.1:15020-15039",
        _ROUTES,
        "Network addresses",
        "Where to search for loggers, like 192.168.4.10:502, logger.lan:502 or 10.0.0.5:502-520.",
    )
    serial_ports: str = _setting(
        "auto",
        _ROUTES,
        "Serial ports",
        "auto: the ports the system lists; others by name, like auto, ~/ports/*; empty: none.",
    )
    watched_folders: str = _setting(
        "",
        _ROUTES,
        "Watched folders",
        (
            "Folders in which mission files arrive, separated by commas; drives are "
            "found by themselves."
        ),
    )
    text_folders: str = _setting(
        "",
        _ROUTES,
        "Folders of text files",
        (
            "Folders in which text files arrive, separated by commas; files with an "
            "import template are imported."
        ),
    )
    followed: str = _setting(
        "",
        _ROUTES,
        "Loggers to follow",
        "Addresses of loggers that stay online: offloaded by themselves while Gezeiten runs.",
    )
    follow_minutes: int = _setting(
        15,
        _ROUTES,
        "Offload interval, min",
        (
            "Shortest time between two offloads; a logger that was away is offloaded "
            "as soon as it returns."
        ),
        "number",
        low=1,
        high=1440,
    )
    look_on_start: bool = _setting(
        True,
        _ROUTES,
        "Search at start",
        "Search for loggers as soon as the Field desk is opened.",
        "switch",
    )
    person: str = _setting(
        "",
        _PEOPLE,
        "User",
        "Name or initials for the logbook; empty: the account's name.",
        "person",
    )
    people: str = _setting("", _PEOPLE, "Team", "Names to choose from, separated by commas.")
    name_pattern: str = _setting(
        USUAL_PATTERN,
        _PEOPLE,
        "Mission names",
        "Pattern of new names: {site} {point} {serial} {model} {year} {month} {day} {season} "
        "{mission}.",
    )
    theme: str = _setting(
        "light", _LOOK, "Theme", "Light, Dark, or Sun for outdoors.", "choice", choices=THEMES
    )
    font_percent: int = _setting(
        100, _LOOK, "Text size, %", "Size of all text; 100 is normal.", "number", low=75, high=200
    )
    region: str = _setting(
        "",
        _LOOK,
        "Region",
        "Formats of numbers and dates, like de_DE; empty: as the system.",
        "choice",
        choices=("", "de_DE", "en_GB", "en_US", "fr_FR", "nl_NL", "da_DK", "sv_SE"),
    )
    unit_temperature: str = _setting(
        "°C",
        _UNITS,
        "Temperature",
        "On the Field desk, in Trends and in Excursions.",
        "choice",
        choices=UNIT_CHOICES["°C"],
    )
    unit_pressure: str = _setting(
        "kPa",
        _UNITS,
        "Pressure",
        "On the Field desk, in Trends and in Excursions.",
        "choice",
        choices=UNIT_CHOICES["kPa"],
    )
    unit_conductivity: str = _setting(
        "mS/cm",
        _UNITS,
        "Conductivity",
        "On the Field desk, in Trends and in Excursions.",
        "choice",
        choices=UNIT_CHOICES["mS/cm"],
    )
    unit_particles: str = _setting(
        "per m³",
        _UNITS,
        "Particle counts",
        "On the Field desk, in Trends and in Excursions.",
        "choice",
        choices=UNIT_CHOICES["per m³"],
    )
    units: dict[str, str] = field(default_factory=dict)
    """Units of the screen by quantity, and by series (`series_name`); chosen where they are seen
    (`ui/points/units_dialog.py`)."""
    sheets_folder: str = _setting(
        "",
        _WORK,
        "Folder for sheets",
        "Where labels, round sheets and plan files are saved; empty: the archive's folder.",
        "folder",
    )
    keep_awake: bool = _setting(
        True,
        _WORK,
        "Keep the computer awake",
        "While offloading, launching or recording; needs the system's power service.",
        "switch",
    )


def infos() -> list[SettingInfo]:
    """Return every setting's declaration, by section in the order of the sections."""
    order = [_PEOPLE, _LOOK, _UNITS, _ROUTES, _WORK]
    listed = [
        SettingInfo(key=f.name, default=f.default, **f.metadata)
        for f in fields(Settings)
        if f.metadata
    ]
    return sorted(listed, key=lambda info: order.index(info.section))


def info(key: str) -> SettingInfo:
    """Return the declaration of one setting."""
    return next(i for i in infos() if i.key == key)


def checked(key: str, value: Any) -> Any:
    """Return a value that a setting may have.

    Raises:
        InputError: it may not, in one sentence.
    """
    about = info(key)
    if not isinstance(value, type(about.default)) or isinstance(value, bool) != (
        about.kind == "switch"
    ):
        raise InputError(f"“{value}” is not valid for “{about.title}”; enter another value.")
    if about.kind == "choice" and value not in about.choices:
        raise InputError(f"“{value}” is not a choice for “{about.title}”; choose from the list.")
    if about.kind == "number" and not about.low <= value <= about.high:
        raise InputError(f"“{about.title}” must be between {about.low} and {about.high}.")
    return value


def load_settings(file: Path) -> Settings:
    """Return the settings of a file; what is missing or cannot be keeps its default.

    Raises:
        InputError: the file is no JSON object.
    """
    if not file.exists():
        return Settings()
    try:
        data = json_of(file.read_text())
        known = {f.name for f in fields(Settings)}
        given = {name: value for name, value in data.items() if name in known}
    except (ValueError, AttributeError) as exc:
        raise InputError(
            f"The settings in {file} cannot be read; correct the file or delete it."
        ) from exc
    units = given.pop("units", {})
    settings = Settings(units=_valid_units(units) if isinstance(units, dict) else {})
    for name, value in given.items():
        try:
            settings = replace(settings, **{name: checked(name, value)})
        except InputError:
            continue  # of an older or newer version, or edited by hand: the default stands
    return settings


def _valid_units(selected: dict[str, Any]) -> dict[str, str]:
    """Return what can be of the units that somebody chose."""
    return {name: unit for name, unit in selected.items() if isinstance(unit, str)}


def series_name(point_uid: str, key: str) -> str:
    """Return under which name the unit of a series is kept."""
    return f"{point_uid}/{key}"


def save_settings(file: Path, settings: Settings) -> None:
    """Write the settings, whole or not at all."""
    write_atomic(file, json.dumps(asdict(settings), indent=2, ensure_ascii=False) + "\n")
