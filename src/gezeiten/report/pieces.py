"""Parts of all reports: styles, times, tables in which every cell is escaped."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any
from xml.sax.saxutils import escape

from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfbase.pdfmetrics import stringWidth
from reportlab.platypus import Paragraph, Table

from gezeiten.domain.series.timeline import from_ms
from gezeiten.report.content import PointReport
from gezeiten.report.ink import INK, MUTED, RULE, fonts

WIDTH = A4[0] - 36 * mm


class PageBuilder:
    """Styles and small makers for one report."""

    def __init__(self, report: PointReport) -> None:
        self.report = report
        self.regular, self.bold = fonts()
        base = ParagraphStyle("base", fontName=self.regular, fontSize=8, leading=11, textColor=INK)
        self.base = base
        self.muted = ParagraphStyle("muted", base, textColor=MUTED)
        self.strong = ParagraphStyle("strong", base, fontName=self.bold)
        self.small = ParagraphStyle("small", base, fontSize=6.3)
        self.title = ParagraphStyle("title", base, fontName=self.bold, fontSize=17, leading=22)
        self.first = ParagraphStyle(
            "first", base, fontName=self.bold, fontSize=11, leading=15, spaceBefore=6, spaceAfter=8
        )
        self.head = ParagraphStyle(
            "head", base, fontName=self.bold, fontSize=11, leading=15, spaceBefore=12, spaceAfter=4
        )
        self.subhead = ParagraphStyle(
            "subhead",
            base,
            fontName=self.bold,
            fontSize=8.5,
            leading=12,
            spaceBefore=8,
            spaceAfter=3,
        )

    def text(self, words: str, style: ParagraphStyle | None = None) -> Paragraph:
        """A paragraph of anybody's words: escaped, line breaks kept, flowing over pages."""
        printable = "".join(c for c in words if c == "\n" or c.isprintable())
        return Paragraph(escape(printable).replace("\n", "<br/>"), style or self.base)

    def time(self, utc_ms: int) -> str:
        """An instant as the site's clocks show it."""
        return f"{from_ms(utc_ms, self.report.zone):%Y-%m-%d %H:%M}"

    def table(
        self,
        rows: Sequence[Sequence[str]],
        widths: list[float] | None = None,
        *,
        head: bool = True,
        strong: Sequence[int] = (),
        small: Sequence[int] = (),
    ) -> Table:
        """A table; rows whose number is in `strong` are bold, columns in `small` are set small.
        Long cells flow over pages."""
        cells: list[list[Any]] = []
        for i, row in enumerate(rows):
            style = self.strong if i in strong else self.base
            if head and i == 0:
                style = self.muted
            cells.append(
                [
                    self.text(cell, self.small if j in small and i else style)
                    for j, cell in enumerate(row)
                ]
            )
        if not head:
            for row in cells:
                row[0] = self.text(row[0].getPlainText(), self.muted)
        made: list[tuple[Any, ...]] = [
            ("LINEBELOW", (0, 0), (-1, -1), 0.3, RULE),
            *_ROOM,
        ]
        widths = widths or [WIDTH / len(rows[0])] * len(rows[0])
        return Table(cells, widths, repeatRows=1 if head else 0, style=made, splitInRow=1)

    def figures(self, rows: Sequence[Sequence[str]], strong: Sequence[int] = ()) -> Table:
        """A table of short cells under a head over the whole page, each on one line; columns are as
        wide as what stands in them, and letters a little smaller where they need more room. Many
        rows are laid out in a tenth of the time of other tables."""
        natural = self._natural_widths(rows)
        scale = max(min(WIDTH / sum(natural), 1.0), _SMALLEST)
        rest = (WIDTH - scale * sum(natural)) / len(natural)
        widths = [scale * width + rest for width in natural]
        base, muted, bold = (
            ParagraphStyle(f"{style.name} figures", style, fontSize=style.fontSize * scale)
            for style in (self.base, self.muted, self.strong)
        )
        made: list[tuple[Any, ...]] = [
            ("LINEBELOW", (0, 0), (-1, -1), 0.3, RULE),
            *_ROOM,
            *_as(base, 0, -1),
            *(line for i in strong for line in _as(bold, i, i)),
        ]
        head = [self.text(cell, muted) for cell in rows[0]]
        heights = [None, *[base.leading + 3] * (len(rows) - 1)]
        return Table([head, *rows[1:]], widths, heights, repeatRows=1, style=made)

    def _natural_widths(self, rows: Sequence[Sequence[str]]) -> list[float]:
        """How wide each column is by what stands in it, and by the words of its head."""
        font, size = self.strong.fontName, self.strong.fontSize

        def wide(words: str) -> float:
            return float(stringWidth(words, font, size)) + _PADDING

        heads = [max(map(wide, head.split() or [""])) for head in rows[0]]
        columns = zip(*rows[1:], strict=True)
        pairs = zip(heads, columns, strict=True)
        return [max([least, *map(wide, column)]) for least, column in pairs]


_PADDING, _SMALLEST = 5.0, 0.7
_ROOM: tuple[tuple[Any, ...], ...] = (
    ("VALIGN", (0, 0), (-1, -1), "TOP"),
    ("LEFTPADDING", (0, 0), (-1, -1), 2),
    ("RIGHTPADDING", (0, 0), (-1, -1), 2),
    ("TOPPADDING", (0, 0), (-1, -1), 1.5),
    ("BOTTOMPADDING", (0, 0), (-1, -1), 1.5),
)


def _as(style: ParagraphStyle, first: int, last: int) -> list[tuple[Any, ...]]:
    """Rows of plain text that look like paragraphs of a style."""
    area = (0, first), (-1, last)
    return [
        ("FONT", *area, style.fontName, style.fontSize, style.leading),
        ("TEXTCOLOR", *area, style.textColor),
    ]
