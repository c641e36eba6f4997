"""Text files into the archive: tied, converted, taken once, verified, recognised next time."""

from __future__ import annotations

import os
import subprocess
import sys
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
import pytest
from sqlalchemy import select

from gezeiten.archive.store.tables import Logger, Offload
from gezeiten.desk.field.board import board
from gezeiten.desk.field.gaps import gaps
from gezeiten.desk.intake.live import LivePlan, Recorder
from gezeiten.desk.intake.texts.import_templates import (
    delete_template,
    proposed_template,
    recognise_text,
    stored_templates,
)
from gezeiten.desk.intake.texts.text_files import checked_template, import_text, preview
from gezeiten.desk.logger.contact import contact
from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.office.verification import verify
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import point_named
from gezeiten.errors import CancelledError, InputError
from gezeiten.exchange.text.form import ColumnMapping, ImportTemplate
from gezeiten.link.instruments.profile import find_profiles
from gezeiten.link.transfer import Progress, Watch
from tests.conftest import Lab

BEGIN = datetime(2026, 10, 1, tzinfo=UTC)
POINT = "Krabbenkoog · Weather"


def station(path: Path, count: int, start: int = 0, minutes: int = 10) -> Path:
    """A weather station's text: °F and hPa, local time of Berlin is two hours ahead of UTC."""
    lines = ["Date;Time;Temp (°F);Air pressure (hPa);Note"]
    for i in range(start, start + count):
        at = BEGIN + timedelta(minutes=minutes * i, hours=2)
        lines.append(f"{at:%d.%m.%Y;%H:%M};{50 + i % 7 * 1.8:.2f};{1000 + i % 5:.2f};ok")
    path.write_text("\n".join(lines) + "\n", encoding="cp1252")
    return path


def tie_of(lab: Lab, path: Path, zone: str = "Europe/Berlin") -> ImportTemplate:
    template = proposed_template(recognise_text(lab.desk, path), "Weather station")
    form = replace(template.form, time=replace(template.form.time, zone=zone))
    return replace(template, point=POINT, form=form)


def series(lab: Lab, channel: str = "air_temperature") -> tuple[np.ndarray, np.ndarray]:
    made = record(lab.desk, point_named(lab.desk, POINT).id, channel)
    return made.times_utc_ms, made.values


def test_a_text_is_taken_in_recorded_units_and_utc(lab: Lab, tmp_path: Path) -> None:
    path = station(tmp_path / "weather.txt", 500)
    tie = tie_of(lab, path)
    assert [(c.quantity, c.unit) for c in tie.columns] == [
        ("air_temperature", "°F"),
        ("air_pressure", "hPa"),
    ]
    seen = preview(path, tie)
    assert seen.values[0][0] == 50.0
    progress_seen: list[Progress] = []
    taken = import_text(lab.desk, path, tie, Watch(progress_seen.append))
    assert (taken.readings, taken.rejected_in_all) == (500, 0)
    assert progress_seen[-1].readings == 500
    times, temp_c = series(lab)
    assert times[0] == round(BEGIN.timestamp() * 1000)
    assert np.diff(times).tolist() == [600_000] * 499
    assert temp_c[:3] == pytest.approx([10.0, 11.0, 12.0])
    assert series(lab, "air_pressure")[1][:2] == pytest.approx([100.0, 100.1])
    with lab.desk.archive.reading() as session:
        offload = session.scalars(select(Offload)).one()
        assert offload.route == "text file"
        assert lab.desk.archive.vault.get(offload.sha256) == path.read_bytes()
    verdict = verify(lab.desk)
    assert (verdict.faults, verdict.values) == ([], 1000)
    [taken] = logbook_entries(lab.desk, action="offload")
    assert "500 readings of weather.txt imported for Krabbenkoog · Weather" in taken.sentence


def test_a_grown_text_brings_only_what_is_new_and_its_kind_is_recognised(
    lab: Lab, tmp_path: Path
) -> None:
    path = station(tmp_path / "weather.txt", 300)
    import_text(lab.desk, path, tie_of(lab, path))
    again = import_text(lab.desk, path, tie_of(lab, path))
    assert (again.points, again.repeated) == (set(), 300)
    grown = station(tmp_path / "weather-2.txt", 320, start=100)
    recognised = recognise_text(lab.desk, grown)
    assert recognised.template is not None
    assert recognised.template.name == "Weather station"
    assert recognised.template.point == POINT
    more = import_text(lab.desk, grown, recognised.template)
    assert (more.readings, more.repeated) == (120, 200)
    assert len(series(lab)[0]) == 420
    assert verify(lab.desk).is_intact
    assert [tie.name for tie in stored_templates(lab.desk)] == ["Weather station"]
    delete_template(lab.desk, "Weather station")
    assert recognise_text(lab.desk, grown).template is None


def test_readings_that_come_when_they_come_keep_their_instants(lab: Lab, tmp_path: Path) -> None:
    dice = np.random.default_rng(5)
    seconds = np.cumsum(dice.integers(50, 71, 5_000))
    lines = [f"{(BEGIN + timedelta(seconds=int(s))):%Y-%m-%d %H:%M:%S},{s % 9}" for s in seconds]
    lines[4_000:4_100] = []  # a gap of about a hundred minutes
    path = tmp_path / "jitter.csv"
    path.write_text("time,Temp (°C)\n" + "\n".join(lines) + "\n")
    import_text(lab.desk, path, tie_of(lab, path, "UTC"))
    kept = np.delete(seconds, slice(4_000, 4_100))
    times, values = series(lab)
    assert times.tolist() == (round(BEGIN.timestamp() * 1000) + kept * 1000).tolist()
    assert values.tolist() == (kept % 9).tolist()
    [gap] = gaps(lab.desk, point_named(lab.desk, POINT).id)
    assert 95 < (gap.gap.end_ms - gap.gap.start_ms) / 60_000 < 105
    assert verify(lab.desk).is_intact
    assert board(lab.desk)  # a source that is no logger does not trouble the Tideboard


def test_lines_out_of_order_and_twice_are_sorted_and_said(lab: Lab, tmp_path: Path) -> None:
    path = tmp_path / "odd.csv"
    path.write_text(
        "time,Temp (°C)\n2026-10-01 02:00,3\n2026-10-01 00:00,1\n2026-10-01 01:00,2\n"
        "2026-10-01 00:00,9\n2026-10-01 03:00,bad\n"
    )
    imported = import_text(lab.desk, path, tie_of(lab, path, "UTC"))
    assert series(lab)[1].tolist() == [1, 2, 3]
    assert sorted((r.line, r.reason) for r in imported.rejected) == [
        (5, "its time is that of an earlier line"),
        (6, "“bad” in column 2 is not a number"),
    ]
    assert verify(lab.desk).is_intact


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"name": " "}, "The import template has no name; enter one."),
        ({"point": ""}, "The point is missing"),
        ({"columns": ()}, "No column has a quantity; choose at least one."),
        (
            {"columns": (ColumnMapping(1, "co2", "ppm"), ColumnMapping(2, "co2", "ppm"))},
            "different labels",
        ),
        (
            {"columns": (ColumnMapping(1, "air_temperature", "bar"),)},
            "Air temperature has no unit “bar”",
        ),
        ({"columns": (ColumnMapping(1, "magic", ""),)}, "is not a quantity"),
    ],
)
def test_a_tie_that_cannot_be_used_says_why(
    lab: Lab, tmp_path: Path, change: dict[str, object], words: str
) -> None:
    tie = tie_of(lab, station(tmp_path / "weather.txt", 20))
    with pytest.raises(InputError, match=words):
        checked_template(replace(tie, **change))  # type: ignore[arg-type]


def test_a_source_never_takes_the_name_of_a_logger(lab: Lab, tmp_path: Path) -> None:
    contact(lab.desk, lab.standin.address, lab.serial)
    path = station(tmp_path / "weather.txt", 20)
    with pytest.raises(InputError, match="name of another source"):
        import_text(lab.desk, path, replace(tie_of(lab, path), name=lab.serial))
    with lab.desk.archive.reading() as session:
        logger = session.scalars(select(Logger)).one()
        assert (logger.serial, logger.model) == (lab.serial, "Düne T2")
        assert logger.firmware
    profile = find_profiles()[0][0]
    with pytest.raises(InputError, match="name of another source"):
        Recorder(
            lab.desk, LivePlan(profile, "x", lab.serial, POINT, 1.0), lambda _: None, lambda: True
        )
    import_text(lab.desk, path, tie_of(lab, path))
    with pytest.raises(InputError, match="name of another source"):
        Recorder(
            lab.desk,
            LivePlan(profile, "x", "Weather station", POINT, 1.0),
            lambda _: None,
            lambda: True,
        )


def test_nothing_is_half_kept(lab: Lab, tmp_path: Path) -> None:
    path = station(tmp_path / "weather.txt", 100)
    with pytest.raises(CancelledError):
        import_text(lab.desk, path, tie_of(lab, path), Watch(cancelled=lambda: True))
    tie = tie_of(lab, path)
    path.write_text("Date;Time;Temp (°F);Air pressure (hPa);Note\n")
    with pytest.raises(InputError, match=r"has no usable reading; nothing was imported\."):
        import_text(lab.desk, path, tie)
    assert verify(lab.desk).offloads == 0
    assert list(lab.desk.archive.vault.fingerprints()) == []


_TAKE = """
import resource, sys
from pathlib import Path
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.intake.texts.text_files import import_text
from gezeiten.exchange.text.form import ColumnMapping, TextForm, ImportTemplate, TimeForm
if sys.argv[3] != "0":
    resource.setrlimit(resource.RLIMIT_FSIZE, (int(sys.argv[3]), int(sys.argv[3])))
form = TextForm("utf-8", ",", ".", 1, 3, TimeForm((0,), "epoch_s"))
columns = (ColumnMapping(1, "air_temperature", "°C"), ColumnMapping(2, "co2", "ppm"))
tie = ImportTemplate("Big", "A · B", form, columns)
try:
    taken = import_text(open_workspace(Path(sys.argv[1])), Path(sys.argv[2]), tie)
except Exception as exc:
    print(type(exc).__name__, exc)
else:
    # not getrusage: that one remembers the largest size of the process this one was forked from
    status = dict(line.split(":", 1) for line in open("/proc/self/status"))
    print(taken.readings, int(status["VmHWM"].split()[0]) // 1024)
"""


def take_apart(lab: Lab, path: Path, limit: int = 0) -> str:
    command = [sys.executable, "-c", _TAKE, str(lab.desk.archive.folder), str(path), str(limit)]
    done = subprocess.run(command, capture_output=True, text=True, check=True)
    return done.stdout.strip()


def test_a_large_text_needs_little_memory_and_a_full_disk_keeps_nothing(
    lab: Lab, tmp_path: Path
) -> None:
    path = tmp_path / "big.csv"
    line = "".join(f"{1_700_000_000 + i},{i % 50}.5,4{i % 10}0\n" for i in range(1_000_000))
    path.write_text(line)
    said = take_apart(lab, path, limit=os.path.getsize(path) // 2)
    assert said.startswith("DiskFullError")
    assert verify(lab.desk).offloads == 0
    readings, resident_mb = take_apart(lab, path).split()
    assert readings == "1000000"
    assert int(resident_mb) < 600


def bare(path: Path, count: int, start: int = 0, columns: int = 2) -> Path:
    """A text without words above its columns."""
    lines = [
        f"{(BEGIN + timedelta(minutes=10 * i)):%Y-%m-%dT%H:%M:%SZ}" + f",{i % 7}.5" * columns
        for i in range(start, start + count)
    ]
    path.write_text("\n".join(lines) + "\n")
    return path


def bare_tie(lab: Lab, path: Path, name: str) -> ImportTemplate:
    template = proposed_template(recognise_text(lab.desk, path), name)
    columns = (ColumnMapping(1, "air_temperature", "°C"),)
    return replace(template, name=name, point=POINT, columns=columns)


def test_a_kind_without_words_above_its_columns_is_asked_about(lab: Lab, tmp_path: Path) -> None:
    path = bare(tmp_path / "a.txt", 30)
    assert recognise_text(lab.desk, path).similar is None
    import_text(lab.desk, path, bare_tie(lab, path, "Mast"))
    again = recognise_text(lab.desk, bare(tmp_path / "b.txt", 30, 30))
    assert again.template is None  # it may be another one that is written alike
    assert again.similar is not None
    assert (again.similar.name, again.similar.point) == ("Mast", POINT)
    assert [doubt.kind for doubt in again.doubts] == ["kind"]
    assert "looks like “Mast”" in again.doubts[0].question
    imported = import_text(lab.desk, tmp_path / "b.txt", again.similar)
    assert imported.readings == 30
    other = recognise_text(lab.desk, bare(tmp_path / "c.txt", 30, columns=3))
    assert other.similar is None
    import_text(lab.desk, path, bare_tie(lab, path, "Buoy"))
    assert recognise_text(lab.desk, path).similar is None  # of two that are alike none is named
