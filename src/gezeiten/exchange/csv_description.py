"""What stands beside a CSV: its columns, units and where it comes from, as W3C describes tables.

Source: W3C Recommendation "Metadata Vocabulary for Tabular Data" (2015); the file is called as its
section on standard places says: the CSV's name and "-metadata.json".
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from urllib.parse import quote

from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.quality import Quality
from gezeiten.domain.series.timeline import iso_utc
from gezeiten.exchange.csv_out import FIXED, CsvTable, channel_titles

SUFFIX = "-metadata.json"
_DATATYPES = {
    "mission": "integer",
    "time_utc": {"base": "dateTimeStamp"},
    "time_local": {"base": "dateTimeStamp"},
}
_WORDS = {
    "logger": "Serial of the logger; of a text or a live line the name of the source.",
    "mission": "Number of the logger's mission.",
    "time_utc": "Instant of the reading.",
    "time_local": "The same instant in the zone of the site.",
}


@dataclass(frozen=True, slots=True)
class Origin:
    """Where a CSV comes from. sha256: of the file; head_hash: of the logbook when it was
    written."""

    made_ms: int
    made_by: str
    sha256: str
    readings: int
    head_hash: str


def described(path: Path) -> Path:
    """Return where the description of a CSV stands."""
    return path.with_name(path.name + SUFFIX)


def description(name: str, table: CsvTable, origin: Origin) -> str:
    """Return the description of a CSV of this name as JSON."""
    content: dict[str, Any] = {
        "@context": ["http://www.w3.org/ns/csvw", {"@language": "en"}],
        "url": name,
        "dc:title": f"{table.site} · {table.point}",
        "dc:created": iso_utc(origin.made_ms),
        "dc:creator": origin.made_by,
        "dialect": {"lineTerminators": ["\r\n"]},
        "tableSchema": {
            "columns": [*map(_fixed, FIXED), *_channel_columns(table)],
            "primaryKey": "time_utc",
        },
        "notes": [
            {
                "sha256": origin.sha256,
                "readings": origin.readings,
                "zone": table.zone,
                "logbook": origin.head_hash,
            }
        ],
    }
    return json.dumps(content, ensure_ascii=False, indent=1) + "\n"


def _fixed(name: str) -> dict[str, Any]:
    column = {"name": name, "titles": name, "datatype": _DATATYPES.get(name, "string")}
    return {**column, "dc:description": _WORDS[name]} if name in _WORDS else column


def _as_name(key: str) -> str:
    """Return the key of a series as CSVW wants names: letters, digits, _ and percent signs."""
    return quote(key, safe="").translate({ord(sign): f"%{ord(sign):02X}" for sign in "-.~"})


def _channel_columns(table: CsvTable) -> list[dict[str, Any]]:
    columns: list[dict[str, Any]] = []
    for channel in table.channels:
        value, code, mark = channel_titles(channel.key, channel.unit)
        how = channel.formula_text or "as recorded"
        words = f"{quantity(channel.key).name} in {channel.unit}, {how}."
        key = _as_name(channel.key)
        codes = ", ".join(one.file_code for one in Quality)
        columns += [
            {"name": key, "titles": value, "datatype": "double", "dc:description": words},
            {
                "name": f"{key}_quality",
                "titles": code,
                "datatype": "string",
                "dc:description": f"Quality of the value: {codes}.",
            },
            {
                "name": f"{key}_limit",
                "titles": mark,
                "datatype": "string",
                "dc:description": "above or below where the value is outside a limit in force.",
            },
        ]
    return columns
