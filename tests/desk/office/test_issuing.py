"""Handing over: CSV and PDF re-read by other libraries, and what was handed over watched."""

from __future__ import annotations

import csv
import hashlib
import json
import re
import shutil
from datetime import datetime
from pathlib import Path
from zoneinfo import ZoneInfo

import numpy as np
import polars as pl
import pypdf
import pytest

from gezeiten.desk.base.pin_store import MemoryPins
from gezeiten.desk.base.workspace import TrustedClock, Workspace
from gezeiten.desk.field.estimates import estimates, fill_by_method
from gezeiten.desk.field.gaps import gaps
from gezeiten.desk.office.documents import point_report
from gezeiten.desk.office.issuing import (
    export_csv,
    export_pdf,
    file_name,
    issued_documents,
    reissue,
)
from gezeiten.desk.office.logbook import (
    compare_hashes,
    logbook_entries,
    newest_entry,
    text_of_document,
)
from gezeiten.desk.office.verification import verify
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.record.excursion_book import excursions, settle
from gezeiten.desk.record.statements.corrections import proposed, save_correction
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import PointPlace, point_named
from gezeiten.domain.series.timeline import DAY_MS, Span, to_ms
from gezeiten.errors import ArchiveDamagedError, InputError


@pytest.fixture
def room(demo_desk: Workspace) -> PointPlace:
    return point_named(demo_desk, "Cold room A")


@pytest.fixture
def fortnight(demo_desk: Workspace) -> Span:
    end = demo_desk.now_ms()
    return (end - 14 * DAY_MS, end)


def test_the_csv_holds_every_reading_as_polars_reads_it(
    demo_desk: Workspace, room: PointPlace, fortnight: Span, tmp_path: Path
) -> None:
    done = export_csv(demo_desk, room, fortnight, tmp_path / "a.csv")
    frame = pl.read_csv(done.path)
    series = record(demo_desk, room.id, "probe_temperature").between(*fortnight)
    column = frame["Store temperature [°C]"].drop_nulls().to_numpy()
    assert np.array_equal(column, series.values)
    assert done.readings == frame.height
    times = [to_ms(datetime.fromisoformat(t)) for t in frame["time_utc"]]
    assert times == series.times_utc_ms.tolist()
    local = [to_ms(datetime.fromisoformat(t)) for t in frame["time_local"]]
    assert local == times
    above = frame.filter(pl.col("Store temperature limit") == "above")
    assert above["Store temperature [°C]"].min() > 7.0
    assert above.height == (series.values > 7.0).sum()
    assert set(frame["logger"]) == {"R-1107"}


def test_the_csv_keeps_to_rfc_4180(
    demo_desk: Workspace, room: PointPlace, fortnight: Span, tmp_path: Path
) -> None:
    done = export_csv(demo_desk, room, fortnight, tmp_path / "a.csv")
    data = done.path.read_bytes()
    assert data.endswith(b"\r\n")
    assert data.count(b"\n") == data.count(b"\r\n")
    with done.path.open(newline="", encoding="utf-8") as lines:
        rows = list(csv.reader(lines, strict=True))
    assert len({len(row) for row in rows}) == 1


def test_estimates_are_coded_in_the_csv(demo_desk: Workspace, tmp_path: Path) -> None:
    store = point_named(demo_desk, "Textile store")
    whole = (0, demo_desk.now_ms())
    done = export_csv(demo_desk, store, whole, tmp_path / "s.csv")
    frame = pl.read_csv(done.path, infer_schema_length=None)
    codes = frame["Relative humidity quality"].value_counts()
    counted = dict(zip(codes[codes.columns[0]], codes["count"], strict=True))
    assert counted["estimate"] == 6
    assert set(counted) == {"good", "estimate"}
    assert sorted(set(frame["mission"])) == [12, 13]


def text_of(path: Path) -> str:
    return "\n".join(page.extract_text() for page in pypdf.PdfReader(path).pages)


def test_the_pdf_says_what_it_must(
    demo_desk: Workspace, room: PointPlace, fortnight: Span, tmp_path: Path
) -> None:
    event = next(e for e in excursions(demo_desk, room.id) if e.extreme > 11)
    settle(demo_desk, event.id, "Power", "Fuse tripped, lots 14–22 moved <to> room B & back.")
    done = export_pdf(demo_desk, room, fortnight, tmp_path / "a.pdf")
    text = text_of(done.path)
    pages = len(pypdf.PdfReader(done.path).pages)
    assert done.pages == pages
    for i in range(1, pages + 1):
        assert f"page {i} of {pages}" in text
    for words in (
        "Cold room A",
        "R-1107 (Reif C2, practice)",
        "Mean kinetic temperature",
        "Plans and limits",
        "Curves",
        "Excursions",
        "Gaps and how they were filled",
        "Fingerprint",
        "5 min",
        "lots 14–22 moved <to> room B & back",
        "How to compute it",
    ):
        assert words in text.replace("\n", " "), words
    report = point_report(demo_desk, room, fortnight)
    assert report.fingerprint in text
    values = f"{report.values:,} measured values, 0 estimated"
    assert f"{report.readings:,} with {values}" in text


def test_the_daily_table_agrees_with_polars(
    demo_desk: Workspace, room: PointPlace, fortnight: Span, tmp_path: Path
) -> None:
    frame = pl.read_csv(export_csv(demo_desk, room, fortnight, tmp_path / "a.csv").path)
    report = point_report(demo_desk, room, fortnight)
    days = frame.group_by(pl.col("time_local").str.slice(0, 10).alias("day")).agg(
        pl.col("Store temperature [°C]").min().alias("low"),
        pl.col("Store temperature [°C]").max().alias("high"),
        pl.col("Store temperature [°C]").mean().alias("mean"),
    )
    by_day = {row["day"]: row for row in days.iter_rows(named=True)}
    listed = [row for row in report.channels[0].days if row.numbers.n]
    assert len(listed) >= 14
    for row in listed:
        numbers, other = row.numbers, by_day[row.day.isoformat()]
        assert (numbers.lowest, numbers.highest) == (other["low"], other["high"])
    for row in listed[1:-1]:  # whole days have even holds: the plain mean is the weighted one
        assert row.numbers.mean == pytest.approx(by_day[row.day.isoformat()]["mean"], abs=0.01)


def test_an_empty_stretch_is_refused(
    demo_desk: Workspace, room: PointPlace, tmp_path: Path
) -> None:
    with pytest.raises(InputError, match="has no reading in this period; choose another"):
        export_csv(demo_desk, room, (0, 1000), tmp_path / "a.csv")
    assert list(tmp_path.glob("*.csv*")) == []


def test_what_was_handed_over_is_watched(
    demo_desk: Workspace, room: PointPlace, fortnight: Span, tmp_path: Path
) -> None:
    first = export_csv(demo_desk, room, fortnight, tmp_path / "a.csv")
    second = export_csv(demo_desk, room, fortnight, tmp_path / "b.csv")
    assert first.sha256 == second.sha256  # the same stretch is the same file
    first.path.write_text("changed")
    second.path.unlink()
    states = {Path(p.file_name).name: p.state for p in issued_documents(demo_desk)}
    assert states["a.csv"] == "changed"
    assert states["b.csv"] == "missing"


def test_a_document_is_put_out_again_as_it_was_handed_over(
    demo_desk: Workspace, room: PointPlace, fortnight: Span, tmp_path: Path
) -> None:
    done = export_csv(demo_desk, room, fortnight, tmp_path / "a.csv")
    as_it_was = done.path.read_bytes()
    done.path.unlink()
    past = issued_documents(demo_desk)[0]
    assert (past.state, past.can_be_reissued) == ("missing", True)
    assert past.shown is not None
    assert past.shown.read_bytes() == as_it_was
    again = reissue(demo_desk, past)
    assert (again.name, again.read_bytes()) == ("a.csv", as_it_was)
    now = issued_documents(demo_desk)[0]
    assert (now.state, now.shown, now.can_be_reissued) == ("as it was", again, False)
    assert logbook_entries(demo_desk)[0].sentence == "a.csv issued again, exactly as it was."
    assert verify(demo_desk).is_intact


def test_a_kept_document_that_is_damaged_is_found(
    demo_desk: Workspace, room: PointPlace, fortnight: Span, tmp_path: Path
) -> None:
    done = export_csv(demo_desk, room, fortnight, tmp_path / "a.csv")
    kept = demo_desk.archive.documents.path(done.sha256)
    kept.chmod(0o644)
    kept.write_bytes(kept.read_bytes()[:-1])
    assert any(done.sha256[:12] in fault for fault in verify(demo_desk).faults)
    done.path.unlink()
    with pytest.raises(ArchiveDamagedError):
        reissue(demo_desk, issued_documents(demo_desk)[0])


def test_a_report_prints_the_end_of_the_logbook_and_can_be_held_against_it(
    demo_desk: Workspace, room: PointPlace, fortnight: Span, tmp_path: Path
) -> None:
    last = newest_entry(demo_desk)
    assert last is not None
    done = export_pdf(demo_desk, room, fortnight, tmp_path / "a.pdf")
    text = text_of_document(done.path)
    assert last.hash in text
    assert compare_hashes(demo_desk, text).startswith(f"That is entry {last.seq} of ")


def test_a_csv_has_a_description_beside_it_that_can_be_held_against_the_logbook(
    demo_desk: Workspace, room: PointPlace, fortnight: Span, tmp_path: Path
) -> None:
    done = export_csv(demo_desk, room, fortnight, tmp_path / "a.csv")
    [note] = json.loads((tmp_path / "a.csv-metadata.json").read_text())["notes"]
    assert note["sha256"] == hashlib.sha256(done.path.read_bytes()).hexdigest()
    assert note["readings"] == done.readings
    last = newest_entry(demo_desk)
    assert last is not None
    assert compare_hashes(demo_desk, note["logbook"]).startswith(f"That is entry {last.seq} of ")


def test_file_names_suit_every_file_system(demo_desk: Workspace, room: PointPlace) -> None:
    from dataclasses import replace

    odd = replace(room, site="../Wörk\\shop:*?", name="a/b\0c")
    name = file_name(odd, (0, DAY_MS), "csv")
    assert name.isprintable()
    assert not set(name) & set('/\\:*?"<>|\0')
    assert not name.startswith(".")


@pytest.mark.parametrize("name", ["Creek gauge", "Paint hall", "Piezometer K2", "Cold room B"])
def test_reports_of_other_points_read_back_too(
    demo_desk: Workspace, name: str, tmp_path: Path
) -> None:
    point = point_named(demo_desk, name)
    span = (demo_desk.now_ms() - 40 * DAY_MS, demo_desk.now_ms())
    done = export_pdf(demo_desk, point, span, tmp_path / "p.pdf")
    assert done.pages == len(pypdf.PdfReader(done.path).pages) >= 3
    [past] = [p for p in issued_documents(demo_desk) if p.sha256 == done.sha256]
    assert past.state == "as it was"
    assert Path(past.file_name) == done.path


def test_a_second_document_of_a_stretch_stands_beside_the_first(
    demo_desk: Workspace, room: PointPlace, fortnight: Span
) -> None:
    week = (fortnight[0], fortnight[0] + 7 * DAY_MS)
    first = export_pdf(demo_desk, room, week)
    second = export_pdf(demo_desk, room, week)
    third = export_csv(demo_desk, room, week)
    assert second.path.name == first.path.name.replace(".pdf", "_2.pdf")
    assert third.path.suffix == ".csv"
    assert {p.state for p in issued_documents(demo_desk)} == {"as it was"}
    assert not list(first.path.parent.glob(".*"))


def test_the_name_says_the_stretch_that_is_inside(demo_desk: Workspace, room: PointPlace) -> None:
    whole = (0, demo_desk.now_ms() + 400 * DAY_MS)
    series = record(demo_desk, room.id, room.channels[0].channel)
    first = datetime.fromtimestamp(int(series.times_utc_ms[0]) / 1000, ZoneInfo(room.zone))
    today = datetime.fromtimestamp(demo_desk.now_ms() / 1000, ZoneInfo(room.zone))
    for done in (export_csv(demo_desk, room, whole), export_pdf(demo_desk, room, whole)):
        assert f"_{first:%Y-%m-%d}_{today:%Y-%m-%d}" in done.path.name


def test_only_offloads_that_hold_readings_of_the_stretch_are_listed(
    demo_desk: Workspace, room: PointPlace, fortnight: Span
) -> None:
    day = (fortnight[0], fortnight[0] + DAY_MS)
    listed = [o for m in point_report(demo_desk, room, day).missions for o in m.offloads]
    everything = [
        o for m in point_report(demo_desk, room, (0, fortnight[1])).missions for o in m.offloads
    ]
    assert 1 <= len(listed) < len(everything)
    assert all(offload.at_ms > day[0] for offload in listed)  # none came before it was recorded


def test_what_is_absent_at_the_end_is_said(demo_desk: Workspace) -> None:
    gauge = point_named(demo_desk, "Creek gauge")  # nine days lie on its logger only
    now = demo_desk.now_ms()
    report = point_report(demo_desk, gauge, (now - 12 * DAY_MS, now))
    last = report.gaps[-1]
    assert (last.resolution, last.is_pending) == ("not offloaded yet", True)
    assert last.end_ms == now
    assert 8 * DAY_MS < last.end_ms - last.start_ms < 10 * DAY_MS
    assert last.missing == pytest.approx((last.end_ms - last.start_ms) / 120_000, abs=2)


def test_a_gap_says_how_it_was_mended(demo_desk: Workspace) -> None:
    store = point_named(demo_desk, "Textile store")
    words = [gap.resolution for gap in point_report(demo_desk, store, (0, demo_desk.now_ms())).gaps]
    assert any(w.startswith("estimated by a straight line, expected error ") for w in words)
    mast = point_named(demo_desk, "Outdoor mast")
    words = [gap.resolution for gap in point_report(demo_desk, mast, (0, demo_desk.now_ms())).gaps]
    assert any(w.startswith("left open: Battery was") for w in words)


def test_what_was_corrected_and_estimated_stands_in_every_paper(
    demo_desk: Workspace, room: PointPlace, fortnight: Span, tmp_path: Path
) -> None:
    key = room.channels[0].channel
    before = pl.read_csv(export_csv(demo_desk, room, fortnight, tmp_path / "a.csv").path)
    for kind, parameters, span in (
        ("linear", {"offset": 0.25, "u": 0.1}, (fortnight[0] - DAY_MS, None)),
        ("mark", {"mark": "suspect", "cause": "door"}, (fortnight[0], fortnight[0] + DAY_MS)),
        ("trim", {}, (fortnight[0] - 9 * DAY_MS, fortnight[0] - 8 * DAY_MS)),
    ):
        save_correction(
            demo_desk, room, proposed(room, key, kind, span, parameters), "certificate K-118"
        )
    paper = text_of(export_pdf(demo_desk, room, fortnight, tmp_path / "a.pdf").path)
    words = " ".join(paper.split())
    assert "Corrections" in words
    assert "offset +0.25 °C (±0.1 °C)" in words
    assert "Not in place" not in words  # not in this stretch
    after = pl.read_csv(export_csv(demo_desk, room, fortnight, tmp_path / "b.csv").path)
    column = "Store temperature [°C]"
    difference = (after[column] - before[column]).drop_nulls()
    assert difference.min() == pytest.approx(0.25)
    assert difference.max() == pytest.approx(0.25)
    codes = after["Store temperature quality"].value_counts()
    assert codes.filter(pl.col("Store temperature quality") == "suspect")["count"].item() == 288
    described = (tmp_path / "b.csv-metadata.json").read_text()
    assert "corrected from" in described
    assert "certificate K-118; set by JA" in described
    creek = next(one for one in gaps(demo_desk) if one.point.name == "Creek gauge")
    best = estimates(demo_desk, creek)[0]
    fill_by_method(demo_desk, creek, best)
    said = [
        gap.resolution for gap in point_report(demo_desk, creek.point, (0, demo_desk.now_ms())).gaps
    ]
    [how] = [one for one in said if one.startswith("estimated by ")]
    assert all(one.partition(" by ")[2] in how for one in best.name.split("; "))


def test_the_figures_of_a_month_agree_on_paper_and_in_the_csv(
    demo_desk: Workspace, room: PointPlace, tmp_path: Path
) -> None:
    end = demo_desk.now_ms()
    month = (end - 30 * DAY_MS, end)
    frame = pl.read_csv(export_csv(demo_desk, room, month, tmp_path / "m.csv").path)
    paper = text_of(export_pdf(demo_desk, room, month, tmp_path / "m.pdf").path)
    lines = [line.split() for line in paper.splitlines()]
    days = frame.group_by(pl.col("time_local").str.slice(0, 10).alias("day")).agg(
        pl.col("Store temperature [°C]").min().alias("low"),
        pl.col("Store temperature [°C]").max().alias("high"),
    )
    words = " ".join(word for line in lines for word in line)
    for row in days.iter_rows(named=True):
        assert re.search(rf"{row['day']} {row['low']:.2f} \d\d:\d\d {row['high']:.2f} ", words)


@pytest.mark.parametrize("said_in_whole", [False, True])
def test_a_copied_archive_judges_its_own_documents(
    demo_desk: Workspace, room: PointPlace, fortnight: Span, tmp_path: Path, said_in_whole: bool
) -> None:
    """Before, it looked at those of the archive that it was copied from."""
    done = export_csv(demo_desk, room, fortnight)
    (tmp_path / "elsewhere").mkdir()
    outside = export_csv(demo_desk, room, fortnight, tmp_path / "elsewhere" / "a.csv")
    if said_in_whole:  # as versions before did
        with demo_desk.archive.engine.begin() as connection:
            behind = "UPDATE handover SET file_name = ? WHERE sha256 = ? AND file_name LIKE ?"
            connection.exec_driver_sql(behind, (str(done.path.resolve()), done.sha256, "handov%"))
    folder = demo_desk.archive.folder
    shutil.copytree(folder, tmp_path / "moved")
    copied = open_workspace(
        tmp_path / "moved", now_ms=demo_desk.now_ms, computer=TrustedClock(), pins=MemoryPins()
    )

    def states(desk: Workspace) -> dict[str, str]:
        return {
            issued_document.file_name: issued_document.state
            for issued_document in issued_documents(desk)
            if Path(issued_document.file_name).name in (done.path.name, "a.csv")
        }

    own = str(copied.archive.handovers / done.path.name)
    done.path.write_bytes(b"changed there")
    assert states(copied) == {own: "as it was", str(outside.path.resolve()): "as it was"}
    assert states(demo_desk)[str(done.path)] == "changed"
    Path(own).unlink()
    assert states(copied)[own] == "missing"
    past = next(
        issued_document
        for issued_document in issued_documents(copied)
        if issued_document.file_name == own
    )
    assert reissue(copied, past).parent == copied.archive.handovers
    assert verify(copied).is_intact
    copied.close()
