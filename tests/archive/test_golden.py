"""Small archives that each version with a schema of its own really made: opened today, they tell
what they told before. A change of form has to leave every line of tests/golden as it is."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

import pytest

from gezeiten.archive.database import known_revisions
from tests.golden import golden_of

FOLDER = Path(__file__).parent.parent / "golden"


def unpacked(version: str, into: Path) -> Path:
    """Return the folder of an archive as that version left it."""
    shutil.unpack_archive(FOLDER / f"{version}.zip", into)
    return into / version


@pytest.mark.parametrize("version", known_revisions()[:-1])
def test_an_archive_of_an_earlier_version_tells_what_it_told(version: str, tmp_path: Path) -> None:
    wanted = json.loads((FOLDER / f"{version}.json").read_text())
    assert golden_of(unpacked(version, tmp_path)) == wanted


def test_a_text_laid_at_a_loggers_point_takes_nothing_of_the_logger_any_more(
    tmp_path: Path,
) -> None:
    """Up to 0009 such a text ended the logger's limits, and its readings went in among the
    logger's. No reading is lost; the excursion is there again, with its assessment."""
    before = json.loads((FOLDER / "0009-beside.json").read_text())
    told = golden_of(unpacked("0009-beside", tmp_path))
    store = "Saatgutspeicher · Cold room A"
    own, beside = f"{store} · probe_temperature", f"{store} · probe_temperature@Weather station"
    mixed = before["records"].pop(own)
    records = {name: told["records"].pop(name) for name in (own, beside)}
    assert sum(record["readings"] for record in records.values()) == mixed["readings"]
    assert records[beside]["readings"] == 300
    assert told["records"] == before["records"]
    [was], [now] = before["excursions"], told["excursions"]
    assert (was["gone"], now["gone"], now["cause"]) == (True, False, "Weather")
    assert (now["start_ms"], now["extreme"]) == (was["start_ms"], was["extreme"])
    assert told["gaps"] == before["gaps"] == []
    for one in ("sites", "documents", "logbook", "loggers", "whole"):
        assert told[one] == before[one], one
