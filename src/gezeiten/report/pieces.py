"""What all parts of a report are made of: styles, times, tables whose every cell is escaped."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any
from xml.sax.saxutils import escape

from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfbase.pdfmetrics import stringWidth
from reportlab.platypus import Paragraph, Table

from gezeiten.domain.timeline import from_ms
from gezeiten.report.content import PointReport
from gezeiten.report.ink import INK, MUTED, RULE, fonts

WIDTH = A4[0] - 36 * mm


class Pieces:
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
            "subhead", base, fontName=self.bold, fontSize=8.5, leading=12, spaceBefore=8,
            spaceAfter=3,
        )  # fmt: skip

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
            cells.append([
                self.text(cell, self.small if j in small and i else style)
                for j, cell in enumerate(row)
            ])  # fmt: skip
        if not head:
            for row in cells:
                row[0] = self.text(row[0].getPlainText(), self.muted)
        made: list[tuple[Any, ...]] = [
            ("LINEBELOW", (0, 0), (-1, -1), 0.3, RULE), *_ROOM,
        ]  # fmt: skip
        widths = widths or [WIDTH / len(rows[0])] * len(rows[0])
        return Table(cells, widths, repeatRows=1 if head else 0, style=made, splitInRow=1)

    def widths_of(self, rows: Sequence[Sequence[str]]) -> list[float]:
        """Widths of columns by what stands in them below the head, over the whole page: each cell
        stays on one line where all have room."""
        font, size = self.strong.fontName, self.strong.fontSize
        wide = [max(float(stringWidth(cell, font, size)) + 5 for cell in column)
                for column in zip(*rows[1:], strict=True)]  # fmt: skip
        heads = [max(stringWidth(word, font, size) for word in head.split() or [""]) + 5
                 for head in rows[0]]  # fmt: skip
        wide = [max(pair) for pair in zip(wide, heads, strict=True)]
        rest = (WIDTH - sum(wide)) / len(wide)
        return [width + rest for width in wide] if rest > 0 else [
            width * WIDTH / sum(wide) for width in wide
        ]  # fmt: skip

    def figures(
        self, rows: Sequence[Sequence[str]], widths: list[float], strong: Sequence[int] = ()
    ) -> Table:
        """A table of short cells under a head, each on one line: many rows are laid out in a tenth
        of the time. A row of which a cell is too long flows as in other tables."""
        made: list[tuple[Any, ...]] = [
            ("LINEBELOW", (0, 0), (-1, -1), 0.3, RULE), *_ROOM, *_as(self.base, 0, -1),
            *_as(self.muted, 0, 0),
        ]  # fmt: skip
        cells: list[Sequence[Any]] = []
        heights: list[float | None] = []
        for i, row in enumerate(rows):
            style = self.muted if i == 0 else self.strong if i in strong else self.base
            if i in strong:
                made += _as(self.strong, i, i)
            long = [
                stringWidth(cell, style.fontName, style.fontSize) > width - 4
                for cell, width in zip(row, widths, strict=True)
            ]
            cells.append([self.text(cell, style) if is_long else cell
                          for cell, is_long in zip(row, long, strict=True)])  # fmt: skip
            heights.append(None if any(long) else style.leading + 3)
        return Table(cells, widths, heights, repeatRows=1, style=made, splitInRow=1)


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
