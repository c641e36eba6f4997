"""The PDF of a point over a stretch: the answer first, then each excursion, the curves, the tables
by day, and at last what all of it rests on."""

from __future__ import annotations

from collections import Counter
from pathlib import Path
from typing import Any

from reportlab import rl_config
from reportlab.lib.pagesizes import A4
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import (
    BaseDocTemplate,
    Flowable,
    Frame,
    KeepTogether,
    PageTemplate,
    Spacer,
    Table,
)

from gezeiten.domain.base.wording import counted, error_decimals, grouped
from gezeiten.domain.limits.verdicts import DayVerdict
from gezeiten.domain.plan.plan_words import compared_value_text, rule_text
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.statistics.figures import Statistics
from gezeiten.domain.series.timeline import Span, from_ms, whole_duration_text
from gezeiten.errors import SurroundingsError
from gezeiten.report.content import PointReport, ReportChannel, ReportExcursion
from gezeiten.report.evidence import evidence_part
from gezeiten.report.ink import MUTED
from gezeiten.report.pages import pages_text
from gezeiten.report.pictures import (
    curves_picture,
    day_band,
    event_picture,
    period_title,
    pieces,
)
from gezeiten.report.pieces import WIDTH, PageBuilder
from gezeiten.report.summary import day_cells, sentence

LEGEND = (
    "Solid: measured or calculated. Dotted: estimated. Hatched: no readings. "
    "Dashed: a limit. Dark and heavier: the mean or sum that such a limit "
    "compares. Coverage: the share of the time with readings, each holding "
    "until the next one and for at most 1.5 intervals."
)


def write_pdf(report: PointReport, path: Path) -> int:
    """Write the report, read it back, and return its number of pages.

    Raises:
        SurroundingsError: what was read back is not the report.
        OSError: the disk.
    """
    builder = PageBuilder(report)
    document = BaseDocTemplate(
        str(path),
        pagesize=A4,
        title=f"{report.site} · {report.point}",
        author=report.made_by,
        creator="Gezeiten",
    )
    rl_config.useA85 = 0  # bytes as they are, a quarter fewer
    edges = dict.fromkeys(("leftPadding", "rightPadding", "topPadding", "bottomPadding"), 0)
    frame = Frame(18 * mm, 18 * mm, WIDTH, A4[1] - 38 * mm, **edges)
    document.addPageTemplates(PageTemplate("page", [frame]))
    flowables = [*_answer(builder), *_excursions(builder), *_curves(builder)]
    for channel in report.channels:
        flowables += _by_day(builder, channel)
    flowables += evidence_part(builder)
    document.build(flowables, canvasmaker=_canvas(builder))
    return _check_written(report, path)


def _check_written(report: PointReport, path: Path) -> int:
    texts = pages_text(path)
    pages, text = len(texts), "\n".join(texts)
    wanted = [report.fingerprint[:16], f"page {pages} of {pages}"]
    if not all(words in text for words in wanted):
        raise SurroundingsError(f"{path} was not written completely; export it again.")
    return pages


# -- the first page ------------------------------------------------------------------------------
def _answer(p: PageBuilder) -> list[Flowable]:
    report = p.report
    legend = (
        "One cell per day: the darker, the longer outside limits; hatched: share "
        "without readings; a dash: not judged."
    )
    return [
        p.text(report.point, p.title),
        p.text(f"{report.site}, {period_title(report.span, report.zone)}", p.muted),
        p.text(sentence(report), p.first),
        day_band(day_cells(report), WIDTH, p.regular),
        p.text(legend, p.muted),
        Spacer(1, 8),
        _facts(p),
    ]


def _facts(p: PageBuilder) -> Table:
    report = p.report
    measured = report.values - report.estimated - report.calculated
    values = counted(measured, "measured value", "measured values")
    if report.calculated:
        values += f", {grouped(report.calculated)} calculated"
    loggers = dict.fromkeys(f"{m.serial} ({m.model})" for m in report.missions)
    rows = [
        ["Period", f"{p.time(report.span[0])} to {p.time(report.span[1])}"],
        ["Times", f"local time of the site, {report.zone}"],
        ["Loggers", ", ".join(loggers) or "none"],
        [
            "Readings",
            f"{grouped(report.readings)} with {values}, {grouped(report.estimated)} estimated",
        ],
        ["Made", f"{p.time(report.made_ms)} by {report.made_by}"],
    ]
    return p.table(rows, [32 * mm, WIDTH - 32 * mm], head=False)


# -- excursions ----------------------------------------------------------------------------------
def _excursions(p: PageBuilder) -> list[Flowable]:
    parts: list[Flowable] = [p.text("Excursions", p.head)]
    if not p.report.excursions:
        return [*parts, p.text("None in this period.")]
    for number, event in enumerate(p.report.excursions, 1):
        parts += _excursion(p, number, event)
    return parts


def _excursion(p: PageBuilder, number: int, event: ReportExcursion) -> list[Flowable]:
    """Picture and facts stay together; what somebody wrote flows on."""
    name = quantity(event.rule.channel)
    whole: list[Flowable] = [p.text(f"{number}. {name.name}: {rule_text(event.rule)}", p.subhead)]
    picture = event_picture(p.report, event, WIDTH, p.regular)
    whole += [picture] if picture is not None else []
    whole.append(p.table(_event_facts(p, event), [32 * mm, WIDTH - 32 * mm], head=False))
    if event.settled_ms is None:
        return [KeepTogether(whole), p.text("Not assessed yet.", p.strong)]
    by = f"{event.cause}, assessed by {event.settled_by} on {p.time(event.settled_ms)}:"
    return [KeepTogether(whole), p.text(by, p.strong), p.text(event.comment)]


def _event_facts(p: PageBuilder, event: ReportExcursion) -> list[list[str]]:
    name, has_value = quantity(event.rule.channel), event.rule.has_value
    lasted = whole_duration_text(event.end_ms - event.start_ms)
    rows = [
        ["Began", p.time(event.start_ms)],
        ["Warning" if event.rule.level == "warning" else "Alarm", p.time(event.alarm_ms)],
        ["Ended", f"{p.time(event.end_ms)}, after {lasted}"],
    ]
    if event.rule.mean_s:
        words = (
            f"of the {compared_value_text(event.rule)} before each reading, not of single readings"
        )
        rows.insert(0, ["Limit", words])
    if has_value:
        which = "Highest" if event.rule.side == "above" else "Lowest"
        which += f" {compared_value_text(event.rule)}" if event.rule.mean_s else ""
        rows.append([which, f"{event.extreme:,.{name.decimals}f} {name.unit}"])
    if has_value and name.dose_unit:
        rows.append(["Exposure beyond the limit", f"{event.dose:.1f} {name.dose_unit}"])
    if any(
        channel.formula_text for channel in p.report.channels if channel.key == event.rule.channel
    ):
        text = counted(event.measured, "calculated value", "calculated values")
    else:
        text = counted(event.measured, "measured reading", "measured readings")
    if event.estimated:
        text += f", {event.estimated} of the readings are estimated"
    return [*rows, ["Based on", text], *_other_channels(p, event)]


def _other_channels(p: PageBuilder, event: ReportExcursion) -> list[list[str]]:
    """What the other channels of the point showed meanwhile."""
    rows = []
    for channel in p.report.channels:
        values = channel.series.between(event.start_ms, event.end_ms).values
        if channel.key != event.rule.channel and len(values):
            places = quantity(channel.key).decimals
            span = f"{values.min():,.{places}f} to {values.max():,.{places}f} {channel.unit}"
            rows.append(["Meanwhile", f"{quantity(channel.key).name} {span}"])
    return rows


# -- curves and days -----------------------------------------------------------------------------
def _curves(p: PageBuilder) -> list[Flowable]:
    parts: list[Flowable] = [p.text("Curves", p.head), p.text(LEGEND, p.muted)]
    for span in pieces(p.report.span, p.report.zone):
        title = p.text(period_title(span, p.report.zone), p.muted)
        picture = curves_picture(p.report, span, WIDTH, p.regular)
        parts.append(KeepTogether([title, picture, Spacer(1, 6)]))
    return parts


_MEANS = {"plain": "Mean", "direction": "Mean direction", "sum": "Sum"}
"""What the values of a day become."""


def _by_day(p: PageBuilder, channel: ReportChannel) -> list[Flowable]:
    name = quantity(channel.key)
    kinetic = name.is_temperature
    head = ["Day", "Lowest", "at", "Highest", "at", _MEANS[name.averages]]
    head += ["Mean kinetic temperature"] if kinetic else []
    head += ["Above for", "Below for", "Coverage", ""]
    rows = [head]
    judged = {verdict.day: verdict for verdict in channel.verdicts}
    rows += [
        _day_row(
            p,
            row.day.isoformat(),
            row.numbers,
            channel,
            _status(p, row.numbers, judged.get(row.day), has_limit=bool(channel.rules)),
        )
        for row in channel.days
    ]
    strong = [
        i
        for i, row in enumerate(channel.days, 1)
        if _is_bad(row.numbers) or _is_outside(judged.get(row.day))
    ]
    rows.append(_day_row(p, "Whole", channel.statistics, channel, _status_of_all(channel)))
    title = p.text(f"{name.name}, {channel.unit}: by day", p.head)
    uncertainty = uncertainty_text(channel)
    return [
        title,
        p.figures(rows, [*strong, len(rows) - 1]),
        *([p.text(uncertainty, p.muted)] if uncertainty else []),
    ]


def uncertainty_text(channel: ReportChannel) -> str:
    """Say how sure the mean of a stretch is, with its shares; "" where nothing is said of it."""
    name, uncertainty = quantity(channel.key), channel.uncertainty
    if uncertainty is None or not channel.statistics.n:
        return ""
    what = f"{_MEANS[name.averages]} of the whole period"
    if not uncertainty.has_value:
        return f"{what}: its uncertainty is not known, as none of its corrections states one."
    places = error_decimals(uncertainty.expanded, name.decimals + 1)
    shares = ", ".join(
        f"{share.kind}{f' of {share.of}' if share.of else ''} {share.expanded:.{places}f}"
        for share in uncertainty.shares
        if round(share.expanded, places) > 0
    )
    least = "at least " if uncertainty.is_least else ""
    value = (
        f"{channel.statistics.mean:.{name.decimals}f} {least}± {uncertainty.expanded:.{places}f}"
    )
    return f"{what}: {value} {channel.unit} (k = 2: {shares})."


def _day_row(
    p: PageBuilder, label: str, n: Statistics, channel: ReportChannel, status: str
) -> list[str]:
    places = quantity(channel.key).decimals
    is_day = label != "Whole"

    def at(at_ms: int) -> str:
        local = from_ms(at_ms, p.report.zone)
        return "" if not at_ms else f"{local:%H:%M}" if is_day else f"{local:%m-%d %H:%M}"

    cells = [
        label,
        _figure(n.lowest, places),
        at(n.lowest_ms),
        _figure(n.highest, places),
        at(n.highest_ms),
        _figure(n.mean, places),
    ]
    if quantity(channel.key).is_temperature:
        cells.append(_figure(n.kinetic_mean_c, places))
    cells.append(whole_duration_text(n.above_ms) if n.above_ms else "")
    cells.append(whole_duration_text(n.below_ms) if n.below_ms else "")
    return [*cells, f"{n.coverage * 100:.0f} %", status]


def _figure(value: float, places: int) -> str:
    return "" if value != value else f"{value:,.{places}f}"


def _is_bad(n: Statistics) -> bool:
    return bool(n.above_ms or n.below_ms or not n.is_sufficient)


def _waits(p: PageBuilder, span: Span) -> bool:
    """Whether the readings of a stretch wait on a logger."""
    middle_ms = sum(span) // 2
    return any(gap.is_pending and gap.start_ms <= middle_ms < gap.end_ms for gap in p.report.gaps)


def _is_outside(judged: DayVerdict | None) -> bool:
    return judged is not None and judged.verdict == "outside"


_SHORT = {
    "a limit was in force for a part of the day only": "limit for a part of the day",
    "under 75 % of the time covered": "under 75 % covered",
    "no limit was in force": "no limit then",
}


def _status(p: PageBuilder, n: Statistics, judged: DayVerdict | None, *, has_limit: bool) -> str:
    """Say with a sign and a word what a day was; of one that is not judged why."""
    texts = []
    if n.above_ms:
        texts.append("▲ above")
    if n.below_ms:
        texts.append("▼ below")
    if _is_outside(judged) and not texts:
        texts.append("outside by a mean")
    if texts:
        return ", ".join([*texts, *([] if n.is_sufficient else ["under 75 % covered"])])
    if not n.n:
        return "not offloaded yet" if _waits(p, n.span) else "no readings"
    if not has_limit:
        return "no limit"
    if judged is None or judged.verdict == "inside":
        return "inside" if judged is not None else ""
    return f"not judged: {_SHORT.get(judged.reason, judged.reason)}"


def _status_of_all(channel: ReportChannel) -> str:
    """Say how many days of a stretch were what."""
    if not channel.rules:
        return "no limit"
    counts = Counter(one.verdict for one in channel.verdicts)
    return ", ".join(
        f"{counts[verdict]} {verdict}"
        for verdict in ("outside", "inside", "not judged")
        if counts[verdict]
    )


def _canvas(p: PageBuilder) -> Any:
    """Return the canvas that writes foot lines once the number of pages is known."""
    left = " ".join(f"{p.report.site} · {p.report.point}".split())
    left = left if len(left) < 90 else left[:88] + "…"
    font = p.regular

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

    return NumberedCanvas
