"""PDF pages of made-up reports: odd names, empty parts, weeks across the clock change."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path

import pypdf
import pytest

from gezeiten.domain.limits import LimitRule
from gezeiten.domain.statistics import daily_numbers, numbers
from gezeiten.domain.timeline import DAY_MS, HOUR_MS, to_ms
from gezeiten.report.content import (
    PointReport,
    ReportChannel,
    ReportExcursion,
    ReportGap,
    ReportMission,
)
from gezeiten.report.pdf import write_pdf
from gezeiten.report.pictures import week_picture, week_title, weeks
from tests.conftest import series_of

ZONE = "Europe/Berlin"
START = to_ms(datetime(2026, 11, 16, tzinfo=UTC))
SPAN = (START, START + 3 * DAY_MS)
RULE = LimitRule("air_temperature", "above", 20.0, 1800)


def report(**change: object) -> PointReport:
    minutes = [START / 60_000 + 10 * i for i in range(432) if not 100 < i < 140]
    series = series_of(minutes, [15 + i % 30 / 4 for i in range(len(minutes))], estimated=(7, 8))
    channel = ReportChannel(
        "air_temperature", "°C", series, (RULE,), numbers(series, SPAN, (RULE,), kinetic=True),
        tuple(daily_numbers(series, SPAN, ZONE, (RULE,), kinetic=True)),
    )  # fmt: skip
    mission = ReportMission("D-2041", "Düne T2", 12, START, "recorded", 600, "when memory is full",
                            ((START, "JA", "ab" * 32),))  # fmt: skip
    made = PointReport(
        "Alte Lotsenwacht", "Textile store", ZONE, SPAN, START + 4 * DAY_MS, "JA", (channel,),
        (mission,), (), (ReportGap(START, START + HOUR_MS, 6, ("air_temperature",), "open", ""),),
        "cd" * 32,
    )  # fmt: skip
    return replace(made, **change)


def text_of(path: Path) -> str:
    pages = pypdf.PdfReader(path).pages
    return " ".join(page.extract_text() for page in pages).replace("\n", " ")


def test_all_parts_are_there(tmp_path: Path) -> None:
    pages = write_pdf(report(), tmp_path / "r.pdf")
    text = text_of(tmp_path / "r.pdf")
    assert pages == len(pypdf.PdfReader(tmp_path / "r.pdf").pages)
    for words in ("Textile store", "10 min", "when memory is full", "above", "20 °C", "30 min",
                  "2026-11-16", "None alarmed in this stretch", "ab" * 32, "cd" * 32,
                  "2 estimated"):  # fmt: skip
        assert words in text, words


@pytest.mark.parametrize(
    "name", ["<b>Raum</b> & Co", "Ω 🌊 ж", "x" * 300, "a\nb", "“quoted”", "C:\\temp"]
)
def test_any_name_makes_a_readable_file(tmp_path: Path, name: str) -> None:
    gap = ReportGap(START, START + HOUR_MS, 6, ("air_temperature",), "left open", name)
    assert write_pdf(report(point=name, gaps=(gap,)), tmp_path / "r.pdf") >= 1


def test_an_excursion_stands_with_its_assessment(tmp_path: Path) -> None:
    event = ReportExcursion(
        RULE, START, START + HOUR_MS, START + HOUR_MS // 2, 22.25, 1.5, 6, 2, "Power",
        "Fuse & <switch>", "JA", START + DAY_MS,
    )  # fmt: skip
    write_pdf(report(excursions=(event,)), tmp_path / "r.pdf")
    text = text_of(tmp_path / "r.pdf")
    for words in ("Power: Fuse & <switch> (JA,", "22.25", "1.5 °C·h", "2 of the readings are"):
        assert words in text, words


def test_status_says_what_a_day_was(tmp_path: Path) -> None:
    write_pdf(report(), tmp_path / "r.pdf")
    text = text_of(tmp_path / "r.pdf")
    assert "above" in text
    assert "under 75 % held" in text or "74 %" in text or "inside" in text


def test_weeks_are_local_and_whole() -> None:
    # the clocks go back on Sunday 25 October 2026: that week has 169 hours
    start = to_ms(datetime(2026, 10, 21, 12, tzinfo=UTC))
    listed = weeks((start, start + 9 * DAY_MS), ZONE)
    assert [(b - a) / HOUR_MS for a, b in listed] == [169, 168]
    assert week_title(listed[0], ZONE) == "19 Oct to 25 Oct 2026"


def test_a_stretch_inside_one_week_is_one_picture() -> None:
    assert len(weeks(SPAN, ZONE)) == 1


def test_the_picture_hatches_only_inside_the_report() -> None:
    whole_week = weeks(SPAN, ZONE)[0]
    drawing = week_picture(report(), whole_week, 480.0, "Helvetica")
    rects = [shape for shape in drawing.contents if type(shape).__name__ == "Rect"]
    # the report ends on Wednesday night: nothing is hatched after it
    end_x = 44 + (SPAN[1] - whole_week[0]) / (whole_week[1] - whole_week[0]) * (480 - 44)
    assert rects
    assert all(rect.x + rect.width <= end_x + 1 for rect in rects)


def test_estimated_stretches_are_dashed() -> None:
    drawing = week_picture(report(), weeks(SPAN, ZONE)[0], 480.0, "Helvetica")
    dashed = [
        shape for shape in drawing.contents
        if type(shape).__name__ == "PolyLine" and getattr(shape, "strokeDashArray", None)
    ]  # fmt: skip
    assert dashed
