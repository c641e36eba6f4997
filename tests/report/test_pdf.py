"""PDF pages of made-up reports: odd names, empty parts, weeks across the clock change."""

from __future__ import annotations

import itertools
from dataclasses import replace
from datetime import UTC, date, datetime
from pathlib import Path

import pypdf
import pytest

from gezeiten.domain.limits.limits import LimitRule, constant_limits
from gezeiten.domain.limits.verdicts import DayVerdict, KnownUntil, day_verdicts
from gezeiten.domain.series.statistics.figures import daily_numbers, numbers
from gezeiten.domain.series.statistics.moving import moving_mean
from gezeiten.domain.series.timeline import DAY_MS, EVER_MS, HOUR_MS, from_ms, to_ms
from gezeiten.domain.steps.uncertainty import Uncertainty, UncertaintyShare
from gezeiten.report.content import (
    PointReport,
    ReportChannel,
    ReportExcursion,
    ReportGap,
    ReportMission,
    ReportOffload,
)
from gezeiten.report.pdf import write_pdf
from gezeiten.report.pictures import (
    curves_picture,
    event_picture,
    period_title,
    pieces,
)
from gezeiten.report.summary import day_cells, sentence
from tests.conftest import series_of

ZONE = "Europe/Berlin"
START = to_ms(datetime(2026, 11, 16, tzinfo=UTC))
SPAN = (START, START + 3 * DAY_MS)
RULE = LimitRule("air_temperature", "above", 20.0, 1800)


def report(**change: object) -> PointReport:
    minutes = [START / 60_000 + 10 * i for i in range(432) if not 100 < i < 140]
    series = series_of(minutes, [15 + i % 30 / 4 for i in range(len(minutes))], estimated=(7, 8))
    channel = ReportChannel(
        "air_temperature",
        "°C",
        series,
        constant_limits((RULE,)),
        numbers(series, SPAN, constant_limits((RULE,)), kinetic=True),
        tuple(daily_numbers(series, SPAN, ZONE, constant_limits((RULE,)), kinetic=True)),
        verdicts=tuple(
            day_verdicts(series, constant_limits((RULE,)), SPAN, ZONE, KnownUntil(EVER_MS))
        ),
    )
    offload = ReportOffload(START, "JA", "network", "ab" * 32, 1500.0)
    mission = ReportMission(
        "D-2041", "Düne T2", 12, START, "recorded", 600, "when memory is full", (offload,)
    )
    point_report = PointReport(
        "Alte Lotsenwacht",
        "Textile store",
        ZONE,
        SPAN,
        START + 4 * DAY_MS,
        "JA",
        (channel,),
        (mission,),
        (),
        (ReportGap(START, START + HOUR_MS, 6, ("air_temperature",), "open"),),
        "cd" * 32,
    )
    return replace(point_report, **change)


def text_of(path: Path) -> str:
    pages = pypdf.PdfReader(path).pages
    return " ".join(page.extract_text() for page in pages).replace("\n", " ")


def test_all_parts_are_there(tmp_path: Path) -> None:
    pages = write_pdf(report(), tmp_path / "r.pdf")
    text = text_of(tmp_path / "r.pdf")
    assert pages == len(pypdf.PdfReader(tmp_path / "r.pdf").pages)
    for words in (
        "Textile store",
        "10 min",
        "when memory is full",
        "above",
        "20 °C",
        "30 min",
        "2026-11-16",
        "None in this period.",
        "ab" * 32,
        "cd" * 32,
        "2 estimated",
    ):
        assert words in text, words


@pytest.mark.parametrize(
    ("sure", "words"),
    [
        (
            Uncertainty(
                (UncertaintyShare("calibration", 0.1), UncertaintyShare("fill", 0.05, "Door")),
                is_least=False,
            ),
            "18.40 ± 0.22 °C (k = 2: calibration 0.20, fill of Door 0.10).",
        ),
        (
            Uncertainty(
                (UncertaintyShare("clock", 0.2), UncertaintyShare("resolution", 0.0)), is_least=True
            ),
            "18.40 at least ± 0.40 °C (k = 2: clock 0.40).",
        ),
        (
            Uncertainty((UncertaintyShare("resolution", 0.01),), is_least=True),
            "its uncertainty is not known",
        ),
    ],
)
def test_beside_the_mean_stands_how_sure_it_is(
    tmp_path: Path, sure: Uncertainty, words: str
) -> None:
    """2 x hypot(0.1, 0.05) = 0.224; the mean as numpy weights it is tested elsewhere."""
    made = report()
    whole = replace(made.channels[0].statistics, mean=18.4)
    channel = replace(made.channels[0], uncertainty=sure, statistics=whole)
    write_pdf(replace(made, channels=(channel,)), tmp_path / "r.pdf")
    assert f"Mean of the whole period: {words}" in text_of(tmp_path / "r.pdf")


@pytest.mark.parametrize(
    "name", ["<b>Raum</b> & Co", "Ω 🌊 жx", "x" * 300, "Raum\nzwei", "“quoted”", "C:\\temp"]
)
def test_any_name_makes_a_readable_file(tmp_path: Path, name: str) -> None:
    gap = ReportGap(START, START + HOUR_MS, 6, ("air_temperature",), name)
    event = replace(EVENT, cause=name, comment=name, settled_by=name)
    made = report(point=name, site=name, made_by=name, gaps=(gap,), excursions=(event,))
    write_pdf(made, tmp_path / "r.pdf")
    letters = "".join(c for c in name if c.isascii() and c.isalnum())[:20]
    text = "".join(c for c in text_of(tmp_path / "r.pdf") if c.isascii() and c.isalnum())
    assert text.count(letters) >= 5  # title, foot, cause, words, gap


def test_an_excursion_stands_with_its_assessment(tmp_path: Path) -> None:
    event = ReportExcursion(
        RULE,
        START,
        START + HOUR_MS,
        START + HOUR_MS // 2,
        22.25,
        1.5,
        6,
        2,
        "Power",
        "Fuse & <switch>",
        "JA",
        START + DAY_MS,
    )
    write_pdf(report(excursions=(event,)), tmp_path / "r.pdf")
    text = text_of(tmp_path / "r.pdf")
    for words in (
        "Power, assessed by JA on ",
        "Fuse & <switch>",
        "22.25",
        "1.5 °C·h",
        "2 of the readings are",
    ):
        assert words in text, words


def test_what_is_calculated_is_not_said_to_be_measured(tmp_path: Path) -> None:
    made = report(excursions=(EVENT,))
    channel = replace(made.channels[0], formula_text="calculated from b")
    write_pdf(replace(made, channels=(channel,)), tmp_path / "r.pdf")
    text = text_of(tmp_path / "r.pdf")
    assert "6 calculated values" in text
    assert "measured reading" not in text
    assert "0 measured values" in text


def test_status_says_what_a_day_was(tmp_path: Path) -> None:
    write_pdf(report(), tmp_path / "r.pdf")
    text = text_of(tmp_path / "r.pdf")
    assert "▲ above" in text
    assert "under 75 % covered" in text  # the second day lacks 6 h 40 min


def test_pieces_are_whole_local_days_of_a_month_at_most() -> None:
    # the clocks go back on Sunday 25 October 2026
    start = to_ms(datetime(2026, 10, 21, 12, tzinfo=UTC))
    listed = pieces((start, start + 70 * DAY_MS), ZONE)
    assert listed[0][0] == start
    assert listed[-1][1] == start + 70 * DAY_MS
    assert all(one[1] == other[0] for one, other in itertools.pairwise(listed))
    assert all(from_ms(begin, ZONE).hour == 0 for begin, _ in listed[1:])
    assert max(b - a for a, b in listed) <= 31 * DAY_MS + HOUR_MS
    assert period_title(listed[0], ZONE) == "21 Oct to 20 Nov 2026"


def shapes(drawing: object, kind: str) -> list[object]:
    found = []
    for shape in drawing.contents:
        if type(shape).__name__ == "Group":
            found += shapes(shape, kind)
        elif type(shape).__name__ == kind:
            found.append(shape)
    return found


def test_estimated_stretches_are_dotted() -> None:
    lines = shapes(curves_picture(report(), SPAN, 480.0, "Helvetica"), "PolyLine")
    assert [line for line in lines if getattr(line, "strokeDashArray", None) == [1, 1.5]]


def test_a_lane_without_readings_says_so_and_draws_no_scale() -> None:
    empty = (SPAN[1] + DAY_MS, SPAN[1] + 2 * DAY_MS)
    drawing = curves_picture(replace(report(), span=(SPAN[0], empty[1])), empty, 480.0, "Helvetica")
    words = [shape.text for shape in shapes(drawing, "String")]
    assert "no reading in this period" in words
    assert not [w for w in words if w.replace(".", "").isdigit() and "." in w]


def test_all_pictures_of_a_channel_share_one_scale() -> None:
    made = report()
    scales = set()
    for part in (SPAN, (SPAN[0], SPAN[0] + DAY_MS)):
        drawing = curves_picture(made, part, 480.0, "Helvetica")
        numbers_ = [s.text for s in shapes(drawing, "String") if "." in s.text]
        scales.add(tuple(numbers_[:2]))
    assert len(scales) == 1


# -- the first page ------------------------------------------------------------------------------
EVENT = ReportExcursion(
    RULE,
    START,
    START + HOUR_MS,
    START + HOUR_MS // 2,
    22.25,
    1.5,
    6,
    0,
    "Power",
    "Fuse.",
    "JA",
    START + DAY_MS,
)
GAP = ReportGap(START, START + HOUR_MS, 6, ("air_temperature",), "open")


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (
            {"gaps": ()},
            "4 of 4 days outside, no alarm excursion; no reading missing, 2 values estimated.",
        ),
        (
            {"excursions": (EVENT,), "gaps": (GAP,)},
            "4 of 4 days outside, the one excursion assessed; 6 readings missing in 1 gap, ",
        ),
        ({"excursions": (EVENT, EVENT)}, "both excursions assessed; "),
        (
            {"excursions": (EVENT, replace(EVENT, settled_ms=None))},
            "1 of 2 excursions still to assess; ",
        ),
        ({"gaps": (replace(GAP, is_filled=True),)}, "; no reading missing, "),
    ],
)
def test_the_first_sentence_answers(change: dict[str, object], words: str) -> None:
    assert words in sentence(report(**change))


def test_without_limits_no_day_is_called_inside(tmp_path: Path) -> None:
    made = report()
    series = made.channels[0].series
    channel = replace(
        made.channels[0],
        limits=(),
        verdicts=(),
        statistics=numbers(series, SPAN),
        days=tuple(daily_numbers(series, SPAN, ZONE)),
    )
    free = replace(made, channels=(channel,))
    assert sentence(free).startswith("4 days, no limit was set; ")
    write_pdf(free, tmp_path / "r.pdf")
    text = text_of(tmp_path / "r.pdf")
    assert "no limit" in text
    assert "inside" not in text


def judged(*verdicts: DayVerdict) -> PointReport:
    """Return a report of four days with these verdicts and nothing outside."""
    made = report(gaps=())
    days = [row.day for row in made.channels[0].days]
    told = tuple(replace(one, day=day) for one, day in zip(verdicts, days, strict=True))
    quiet = tuple(
        replace(row, numbers=replace(row.numbers, above_ms=0, below_ms=0))
        for row in made.channels[0].days
    )
    return replace(made, channels=(replace(made.channels[0], verdicts=told, days=quiet),))


DAY = date(2026, 1, 1)
INSIDE, OUTSIDE = DayVerdict(DAY, "inside"), DayVerdict(DAY, "outside")
NONE_THERE = DayVerdict(DAY, "not judged", "no readings")
FREE = DayVerdict(DAY, "not judged", "no limit was in force")


@pytest.mark.parametrize(
    ("verdicts", "words"),
    [
        ((INSIDE,) * 4, "None of 4 days outside, 4 inside, no alarm excursion"),
        (
            (INSIDE, NONE_THERE, NONE_THERE, OUTSIDE),
            "1 of 4 days outside, 1 inside, 2 not judged: no readings, no alarm excursion",
        ),
        (
            (FREE, NONE_THERE, FREE, FREE),
            "None of 4 days outside, 4 not judged: no limit was in force (3), no readings (1), ",
        ),
    ],
)
def test_nothing_is_claimed_of_days_that_are_not_judged(
    tmp_path: Path, verdicts: tuple[DayVerdict, ...], words: str
) -> None:
    made = judged(*verdicts)
    assert words in sentence(made)
    write_pdf(made, tmp_path / "r.pdf")
    text = text_of(tmp_path / "r.pdf")
    assert ("not judged: no limit then" in text) == (FREE in verdicts)
    assert ("outside by a mean" in text) == (OUTSIDE in verdicts)
    assert text.count("inside") >= verdicts.count(INSIDE)
    assert [cell.verdict for cell in day_cells(made)] == [verdict.verdict for verdict in verdicts]


def test_what_waits_on_a_logger_is_no_gap_and_what_is_calculated_not_measured() -> None:
    waiting = replace(GAP, is_pending=True, missing=144)
    lacking = replace(GAP, is_calculated=True, missing=1)
    made = report(gaps=(waiting, lacking))
    assert "; no reading missing, 144 readings not offloaded yet, 1 value not calculated, " in (
        sentence(made)
    )
    channel = replace(made.channels[0], formula_text="calculated from b")
    both = replace(made, channels=(made.channels[0], replace(channel, key="dew_point")))
    assert both.calculated == int((~channel.series.estimated).sum())


def test_a_limit_of_means_says_so_and_a_warning_is_none_alarm(tmp_path: Path) -> None:
    rule = LimitRule("air_temperature", "above", 18.0, level="warning", mean_s=86_400)
    made = report()
    means = moving_mean(made.channels[0].series, DAY_MS)
    channel = replace(made.channels[0], limits=constant_limits((rule,)), means=((86_400, means),))
    begin = START + 2 * DAY_MS
    event = replace(
        EVENT, rule=rule, extreme=18.25, start_ms=begin, alarm_ms=begin, end_ms=begin + 26 * HOUR_MS
    )
    write_pdf(replace(made, channels=(channel,), excursions=(event,)), tmp_path / "r.pdf")
    text = text_of(tmp_path / "r.pdf")
    for words in (
        "Highest mean of 1 d 18.25",
        "of the mean of 1 d before each reading",
        "Warning 2026-11-18",
        "1 d 2 h",
    ):
        assert words in text, words
    assert "Alarm" not in text
    picture = event_picture(replace(made, channels=(channel,)), event, 480.0, "Helvetica")
    pens = {shape.strokeWidth for shape in shapes(picture, "PolyLine")}
    assert 1.1 in pens


def test_the_band_has_a_cell_a_day_with_its_shares() -> None:
    """By hand: the 39 absent readings (410 min) lie on the first day and the next, rule by rule."""
    cells = day_cells(report())
    assert [cell.day.isoformat() for cell in cells] == [
        "2026-11-16",
        "2026-11-17",
        "2026-11-18",
        "2026-11-19",
    ]
    absent_h = sum(cell.absent for cell in cells[:2]) * 24
    assert 5.5 < absent_h < 7.5
    assert all(0 <= cell.outside <= 1 for cell in cells)


# -- anybody's words -----------------------------------------------------------------------------
def test_a_long_assessment_flows_over_pages(tmp_path: Path) -> None:
    words = "The door stood open <again> & nobody knew why.\nAsked the keeper. " * 400
    long = replace(EVENT, comment=words)
    pages = write_pdf(report(excursions=(long,)), tmp_path / "r.pdf")
    assert pages >= 6
    assert text_of(tmp_path / "r.pdf").count("Asked the keeper.") == 400


def test_a_long_reason_in_a_table_flows_over_pages(tmp_path: Path) -> None:
    gap = replace(GAP, resolution="left open: " + "because of the <tide> & the wind, " * 600)
    assert write_pdf(report(gaps=(gap,)), tmp_path / "r.pdf") >= 3
    assert text_of(tmp_path / "r.pdf").count("wind,") == 600
