"""The PDF of a point over a stretch: facts, plan, days, weeks, excursions, gaps, fingerprint."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape

import pypdf
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import (
    BaseDocTemplate,
    Flowable,
    Frame,
    KeepTogether,
    PageTemplate,
    Paragraph,
    Spacer,
    Table,
)

from gezeiten.domain.plan_words import rule_text
from gezeiten.domain.quantities import quantity
from gezeiten.domain.statistics import Numbers
from gezeiten.domain.timeline import duration_text, from_ms
from gezeiten.domain.wording import counted, grouped
from gezeiten.errors import SurroundingsError
from gezeiten.report.content import PointReport, ReportChannel, ReportExcursion, ReportMission
from gezeiten.report.ink import INK, MUTED, PALE, RULE, fonts
from gezeiten.report.pictures import week_picture, week_title, weeks

WIDTH = A4[0] - 36 * mm


def write_pdf(report: PointReport, path: Path) -> int:
    """Write the report, read it back, and return its number of pages.

    Raises:
        SurroundingsError: what was read back is not the report.
        OSError: the disk.
    """
    regular, bold = fonts()
    layout = _Layout(report, regular, bold)
    document = BaseDocTemplate(
        str(path),
        pagesize=A4,
        title=f"{report.site} · {report.point}",
        author=report.made_by,
        creator="Gezeiten",
    )
    edges = dict.fromkeys(("leftPadding", "rightPadding", "topPadding", "bottomPadding"), 0)
    frame = Frame(18 * mm, 18 * mm, WIDTH, A4[1] - 38 * mm, **edges)
    document.addPageTemplates(PageTemplate("page", [frame]))
    document.build(layout.story(), canvasmaker=layout.canvas)
    return _read_back(report, path)


def _read_back(report: PointReport, path: Path) -> int:
    reader = pypdf.PdfReader(path)
    pages = len(reader.pages)
    text = "\n".join(page.extract_text() for page in reader.pages)
    wanted = [report.fingerprint[:16], f"page {pages} of {pages}"]
    if not all(words in text for words in wanted):
        raise SurroundingsError(f"{path} was not written whole; write it again.")
    return pages


class _Layout:
    """Builds the flow of one report."""

    def __init__(self, report: PointReport, regular: str, bold: str) -> None:
        self._report = report
        self._regular, self._bold = regular, bold
        base = ParagraphStyle("base", fontName=regular, fontSize=8, leading=11, textColor=INK)
        self._text = base
        self._muted = ParagraphStyle("muted", base, textColor=MUTED)
        self._title = ParagraphStyle("title", base, fontName=bold, fontSize=17, leading=22)
        self._head = ParagraphStyle(
            "head", base, fontName=bold, fontSize=11, leading=15, spaceBefore=12, spaceAfter=4
        )

    def story(self) -> list[Flowable]:
        report = self._report
        parts: list[Flowable] = [
            Paragraph(escape(report.point), self._title),
            Paragraph(
                escape(f"{report.site}, {week_title(report.span, report.zone)}"), self._muted
            ),
            Spacer(1, 6),
            self._facts(),
            Paragraph("Plan and limits", self._head),
            self._plans(),
        ]
        for channel in report.channels:
            parts += self._daily(channel)
        parts += self._weeks()
        parts += self._excursions()
        parts += self._gaps()
        parts += self._fingerprint()
        return parts

    # -- parts ---------------------------------------------------------------------------------
    def _facts(self) -> Table:
        report = self._report
        values = counted(report.values - report.estimated, "measured value", "measured values")
        loggers = dict.fromkeys(f"{m.serial} ({m.model})" for m in report.missions)
        rows = [
            ["Stretch", f"{self._time(report.span[0])} to {self._time(report.span[1])}"],
            ["Times", f"local time of the site, {report.zone}"],
            ["Loggers", ", ".join(loggers) or "none"],
            [
                "Readings",
                f"{grouped(report.readings)} with {values}, {grouped(report.estimated)} estimated",
            ],
            ["Excursions", self._count_settled()],
            ["Made", f"{self._time(report.made_ms)} by {report.made_by}"],
        ]
        return self._table(rows, [32 * mm, WIDTH - 32 * mm], head=False)

    def _count_settled(self) -> str:
        total = len(self._report.excursions)
        to_assess = sum(1 for e in self._report.excursions if e.settled_ms is None)
        return f"{total} that alarmed, {to_assess} still to assess"

    def _first_reading(self, mission: ReportMission) -> str:
        if mission.record == "recorded":
            return self._time(mission.first_ms)
        return "not yet" if mission.record == "waiting" else "never recorded"

    def _plans(self) -> Flowable:
        rows = [["Mission", "Logger", "First reading", "Interval", "Ends"]]
        rows += [
            [
                str(m.number),
                m.serial,
                self._first_reading(m),
                duration_text(m.interval_s * 1000),
                m.end,
            ]
            for m in self._report.missions
        ]
        limits = [["Channel", "Limit"]]
        limits += [
            [
                quantity(channel.key).name,
                rule_text(rule),
            ]
            for channel in self._report.channels
            for rule in channel.rules
        ]
        if len(limits) == 1:
            limits.append(["none", ""])
        widths = [18 * mm, 26 * mm, 40 * mm, 30 * mm, WIDTH - 114 * mm]
        return KeepTogether(
            [
                self._table(rows, widths),
                Spacer(1, 8),
                self._table(limits, [50 * mm, WIDTH - 50 * mm], wrap=True),
            ]
        )

    def _daily(self, channel: ReportChannel) -> list[Flowable]:
        name = quantity(channel.key)
        kinetic = name.is_temperature
        head = ["Day", "Lowest", "Highest", "Mean"]
        head += ["Kinetic mean"] if kinetic else []
        head += ["Above for", "Below for", "Held", "Status"]
        rows = [head]
        rows += [
            self._day_row(row.day.isoformat(), row.numbers, channel, kinetic)
            for row in channel.days
        ]
        rows.append(self._day_row("Whole", channel.whole, channel, kinetic))
        title = Paragraph(f"{name.name}, {escape(channel.unit)}: by day", self._head)
        return [title, self._table(rows, last_is_total=True)]

    def _day_row(self, label: str, n: Numbers, channel: ReportChannel, kinetic: bool) -> list[str]:
        places = quantity(channel.key).decimals
        cells = [label, *(_figure(v, places) for v in (n.lowest, n.highest, n.mean))]
        if kinetic:
            cells.append(_figure(n.kinetic_mean_c, places))
        cells += [duration_text(n.above_ms) if n.above_ms else "", ""]
        cells[-1] = duration_text(n.below_ms) if n.below_ms else ""
        cells += [f"{n.coverage * 100:.0f} %", _status(n)]
        return cells

    def _weeks(self) -> list[Flowable]:
        parts: list[Flowable] = [Paragraph("Week by week", self._head)]
        for span in weeks(self._report.span, self._report.zone):
            title = Paragraph(week_title(span, self._report.zone), self._muted)
            picture = week_picture(self._report, span, WIDTH, self._regular)
            parts.append(KeepTogether([title, picture, Spacer(1, 6)]))
        return parts

    def _excursions(self) -> list[Flowable]:
        parts: list[Flowable] = [Paragraph("Excursions", self._head)]
        if not self._report.excursions:
            return [*parts, Paragraph("None alarmed in this stretch.", self._text)]
        rows = [["Began", "Limit", "Outside for", "Extreme", "Dose", "Assessment"]]
        rows += [self._excursion_row(excursion) for excursion in self._report.excursions]
        widths = [27 * mm, 36 * mm, 20 * mm, 19 * mm, 21 * mm, WIDTH - 123 * mm]
        return [*parts, self._table(rows, widths, wrap=True)]

    def _excursion_row(self, excursion: ReportExcursion) -> list[str]:
        name, has_value = quantity(excursion.rule.channel), excursion.rule.has_value
        if excursion.settled_ms is None:
            said = "to assess"
        else:
            said = (
                f"{excursion.cause}: {excursion.words} ({excursion.settled_by}, "
                f"{self._time(excursion.settled_ms)})"
            )
        if excursion.estimated:
            said += f" {excursion.estimated} of the readings are estimated."
        return [
            self._time(excursion.start_ms),
            f"{name.name}: {rule_text(excursion.rule)}",
            duration_text(excursion.end_ms - excursion.start_ms),
            f"{excursion.extreme:.{name.decimals}f}" if has_value else "",
            f"{excursion.dose:.1f} {name.dose_unit}" if has_value else "",
            said,
        ]

    def _gaps(self) -> list[Flowable]:
        parts: list[Flowable] = [Paragraph("Gaps", self._head)]
        if not self._report.gaps:
            return [*parts, Paragraph("None in this stretch.", self._text)]
        rows = [["From", "To", "Missing", "Channels", "What was done"]]
        rows += [
            [
                self._time(gap.start_ms),
                self._time(gap.end_ms),
                str(gap.missing),
                ", ".join(quantity(channel).name for channel in gap.channels),
                gap.state + (f": {gap.reason}" if gap.reason else ""),
            ]
            for gap in self._report.gaps
        ]
        widths = [29 * mm, 29 * mm, 16 * mm, 48 * mm, WIDTH - 122 * mm]
        return [*parts, self._table(rows, widths, wrap=True)]

    def _fingerprint(self) -> list[Flowable]:
        rows = [["Offloaded", "By", "SHA-256 of the bytes as received"]]
        rows += [
            [self._time(at_ms), person, sha256]
            for mission in self._report.missions
            for at_ms, person, sha256 in mission.offloads
        ]
        return [
            Paragraph("Fingerprint", self._head),
            Paragraph(f"Readings shown: {self._report.fingerprint}", self._text),
            Spacer(1, 4),
            self._table(rows, [30 * mm, 26 * mm, WIDTH - 56 * mm], wrap=True),
        ]

    # -- pieces --------------------------------------------------------------------------------
    def _time(self, utc_ms: int) -> str:
        return f"{from_ms(utc_ms, self._report.zone):%Y-%m-%d %H:%M}"

    def _table(
        self,
        rows: Sequence[Sequence[str]],
        widths: list[float] | None = None,
        *,
        head: bool = True,
        last_is_total: bool = False,
        wrap: bool = False,
    ) -> Table:
        cells: list[list[Any]] = [list(row) for row in rows]
        if wrap:
            start = 1 if head else 0
            cells[start:] = [
                [Paragraph(escape(cell), self._text) for cell in row] for row in cells[start:]
            ]
        if widths is None:
            widths = [WIDTH / len(rows[0])] * len(rows[0])
        style: list[tuple[Any, ...]] = [
            ("FONT", (0, 0), (-1, -1), self._regular, 7.5),
            ("TEXTCOLOR", (0, 0), (-1, -1), INK),
            ("LINEBELOW", (0, 0), (-1, -1), 0.3, RULE),
            ("VALIGN", (0, 0), (-1, -1), "TOP"),
            ("LEFTPADDING", (0, 0), (-1, -1), 2),
            ("RIGHTPADDING", (0, 0), (-1, -1), 2),
            ("TOPPADDING", (0, 0), (-1, -1), 2),
            ("BOTTOMPADDING", (0, 0), (-1, -1), 2),
        ]
        if head:
            style += [("TEXTCOLOR", (0, 0), (-1, 0), MUTED)]
        else:
            style += [("TEXTCOLOR", (0, 0), (0, -1), MUTED)]
        if last_is_total:
            style += [("FONT", (0, -1), (-1, -1), self._bold, 7.5)]
            style += [("BACKGROUND", (0, -1), (-1, -1), PALE)]
        return Table(cells, widths, repeatRows=1 if head else 0, style=style)

    def canvas(self, *args: Any, **options: Any) -> Canvas:
        """Make the canvas that writes foot lines once the number of pages is known."""
        report, font = self._report, self._regular
        left = f"{report.site} · {report.point}"

        class NumberedCanvas(Canvas):  # type: ignore[misc]
            def __init__(self, *a: Any, **o: Any) -> None:
                super().__init__(*a, **o)
                self._pages: list[dict[str, Any]] = []

            def showPage(self) -> None:  # noqa: N802 - the library's name
                self._pages.append(dict(self.__dict__))
                self._startPage()

            def save(self) -> None:
                for number, page in enumerate(self._pages, 1):
                    self.__dict__.update(page)
                    self.setFont(font, 7.5)
                    self.setFillColor(MUTED)
                    self.drawString(18 * mm, 10 * mm, left)
                    foot = f"page {number} of {len(self._pages)}"
                    self.drawRightString(A4[0] - 18 * mm, 10 * mm, foot)
                    super().showPage()
                super().save()

        return NumberedCanvas(*args, **options)


def _figure(value: float, places: int) -> str:
    return "" if value != value else f"{value:.{places}f}"


def _status(n: Numbers) -> str:
    """Say in a word or two whether a day was inside its limits and well covered."""
    if not n.n:
        return "no readings"
    words = []
    if n.above_ms:
        words.append("above")
    if n.below_ms:
        words.append("below")
    if not n.enough:
        words.append("under 75 % held")
    return ", ".join(words) or "inside"
