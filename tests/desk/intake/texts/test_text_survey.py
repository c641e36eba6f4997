"""What a text would bring is counted before it is taken, and is what it brings then."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest

from gezeiten.desk.intake.texts.text_files import import_text
from gezeiten.desk.intake.texts.text_survey import survey
from gezeiten.exchange.text.form import ColumnMapping, ImportTemplate, TextForm, TimeForm
from gezeiten.exchange.text.layout import lines
from gezeiten.exchange.text.questions import apply_answer
from tests.conftest import DAY_MS, DEMO_MS, Lab
from tests.desk.intake.texts.test_text_files import POINT

LINES = (
    "time,T\n2026-11-20 10:00,1\n2026-11-20 10:10,x1\n2026-11-20 10:20,3\nrubbish\n"
    "2026-13-20 10:30,4\n2026-13-21 10:30,4\n2026-11-20 10:20,5\n2026-11-20 10:40,6\n"
)
FORM = TextForm("utf-8", ",", ".", 2, 2, TimeForm((0,), "%Y-%m-%d %H:%M", "UTC"))
TIE = ImportTemplate("Station", POINT, FORM, (ColumnMapping(1, "air_temperature", "°C"),))


NOW_MS = DEMO_MS


@pytest.fixture
def path(tmp_path: Path) -> Path:
    made = tmp_path / "station.csv"
    made.write_text(LINES)
    return made


def test_every_line_is_counted_once_with_its_reason(path: Path) -> None:
    found = survey(path, TIE, NOW_MS)
    assert (found.readings, found.doubled, found.spoilt, found.lines) == (3, 1, 0, 8)
    assert dict(found.rejected) == {
        "its time cannot be read or does not exist in this zone": 2,
        "it has 1 column; 2 are expected": 1,
        "“…” in column 2 is not a number": 1,
    }
    assert (found.last_ms or 0) - (found.first_ms or 0) == 40 * 60_000
    assert not found.has_many_duplicates


def test_taking_brings_what_was_counted(lab: Lab, path: Path) -> None:
    found = survey(path, TIE, NOW_MS)
    imported = import_text(lab.desk, path, TIE)
    assert imported.readings == found.readings
    assert imported.rejected_in_all == found.doubled + found.rejected.total()
    assert imported.spoilt_in_all == found.spoilt


def test_a_date_without_its_time_of_day_is_noticed(tmp_path: Path) -> None:
    path = tmp_path / "day.csv"
    path.write_text("".join(f"2026-11-20,{hour}:00,{hour}\n" for hour in range(10, 24)))
    form = replace(FORM, first_line=1, columns=3, time=TimeForm((0,), "%Y-%m-%d", "UTC"))
    tie = replace(TIE, form=form, columns=(ColumnMapping(2, "air_temperature", "°C"),))
    assert survey(path, tie, NOW_MS).has_many_duplicates
    whole = replace(form, time=TimeForm((0, 1), "%Y-%m-%d %H:%M", "UTC"))
    assert not survey(path, replace(tie, form=whole), NOW_MS).has_many_duplicates


def test_counting_stops_when_it_is_asked_to(path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(lines, "PIECE_BYTES", 32)
    asked = iter([False, False, True])
    assert 0 < survey(path, TIE, NOW_MS, lambda: next(asked, True)).lines < 8


@pytest.mark.parametrize(
    ("before_ms", "asks"), [(DAY_MS - 1, False), (DAY_MS, False), (DAY_MS + 1, True)]
)
def test_readings_of_the_future_are_asked_about(path: Path, before_ms: int, asks: bool) -> None:
    """2605010000, read as seconds, once made the year 2052 of 1 May 2026."""
    last_ms = survey(path, TIE, NOW_MS).last_ms
    assert last_ms is not None
    found = survey(path, TIE, last_ms - before_ms)
    assert [one.kind for one in found.doubts] == (["future"] if asks else [])
    if not asks:
        return
    [doubt] = found.doubts
    assert "2026-11-20T10:40:00Z" in doubt.question
    accepted = replace(TIE, form=apply_answer(FORM, doubt, "value"))
    assert survey(path, accepted, last_ms - before_ms).doubts == []
    path.write_text(LINES + "2026-11-20 10:50,6\n")  # later than what was looked at
    assert survey(path, accepted, last_ms - before_ms).doubts != []
