"""Labels for loggers just launched, and the sheet of a day's round: small PDFs for the field."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from xml.sax.saxutils import escape

from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.platypus import (
    Flowable,
    KeepTogether,
    Paragraph,
    SimpleDocTemplate,
    Spacer,
    Table,
)

from gezeiten.errors import SurroundingsError
from gezeiten.report.ink import INK, MUTED, RULE, fonts
from gezeiten.report.pages import pages_text

LABEL_MM = (90.0, 48.0)
_LABELS_ACROSS = 2
_EDGE = 12 * mm


@dataclass(frozen=True, slots=True)
class Label:
    """What stands on the label of a launched logger; lines: name and value, top to bottom."""

    serial: str
    point: str
    lines: tuple[tuple[str, str], ...]


@dataclass(frozen=True, slots=True)
class RoundLine:
    """One point of a round sheet."""

    point: str
    logger: str
    reason: str
    todo: str


@dataclass(frozen=True, slots=True)
class RoundSheet:
    """A day's round for the clipboard; sites in their order, each with its points."""

    day: str
    planned_by: str
    route: str
    bring: tuple[str, ...]
    sites: tuple[tuple[str, tuple[RoundLine, ...]], ...]


@dataclass(frozen=True, slots=True)
class DayRow:
    """One logger of the list of a day."""

    point: str
    logger: str
    offloaded: str
    launched: str
    left: str


@dataclass(frozen=True, slots=True)
class DaySheet:
    """What was done at the loggers on a day; sites, each with its loggers."""

    day: str
    person: str
    sites: tuple[tuple[str, tuple[DayRow, ...]], ...]


class Styles:
    """How words look on a sheet."""

    def __init__(self) -> None:
        regular, bold = fonts()
        self.text = ParagraphStyle(
            "text", fontName=regular, fontSize=8, leading=10.5, textColor=INK
        )
        self.muted = ParagraphStyle("muted", self.text, textColor=MUTED)
        self.big = ParagraphStyle("big", self.text, fontName=bold, fontSize=14, leading=17)
        self.head = ParagraphStyle(
            "head", self.text, fontName=bold, fontSize=10.5, leading=14, spaceBefore=9, spaceAfter=3
        )


def write_labels(labels: list[Label], path: Path) -> int:
    """Write labels, two beside each other on A4; returns the number of pages.

    Raises:
        SurroundingsError: what was read back is not what was written.
        OSError: the disk.
    """
    styles = Styles()
    rows = [
        [_label(label, styles) for label in labels[i : i + _LABELS_ACROSS]]
        for i in range(0, len(labels), _LABELS_ACROSS)
    ]
    for row in rows:
        row.extend([[]] * (_LABELS_ACROSS - len(row)))
    width, height = (side * mm for side in LABEL_MM)
    table = Table(
        rows,
        [width] * _LABELS_ACROSS,
        [height] * len(rows),
        style=[
            ("GRID", (0, 0), (-1, -1), 0.4, RULE),
            ("VALIGN", (0, 0), (-1, -1), "TOP"),
            ("LEFTPADDING", (0, 0), (-1, -1), 8),
            ("TOPPADDING", (0, 0), (-1, -1), 6),
        ],
    )
    return write_sheet_parts([table], path, "Labels", [label.serial for label in labels])


def _label(label: Label, styles: Styles) -> list[Flowable]:
    facts = [
        [Paragraph(escape(name), styles.muted), Paragraph(escape(value), styles.text)]
        for name, value in label.lines
    ]
    inside = LABEL_MM[0] * mm - 16
    table = Table(
        facts,
        [24 * mm, inside - 24 * mm],
        style=[
            ("LEFTPADDING", (0, 0), (-1, -1), 0),
            ("TOPPADDING", (0, 0), (-1, -1), 0.5),
            ("BOTTOMPADDING", (0, 0), (-1, -1), 0.5),
            ("VALIGN", (0, 0), (-1, -1), "TOP"),
        ],
        hAlign="LEFT",
    )
    return [
        Paragraph(escape(label.serial), styles.big),
        Paragraph(escape(label.point), styles.text),
        Spacer(1, 3),
        table,
    ]


def write_round_sheet(sheet: RoundSheet, path: Path) -> int:
    """Write the sheet of a round; returns the number of pages.

    Raises:
        SurroundingsError: what was read back is not what was written.
        OSError: the disk.
    """
    styles = Styles()
    parts: list[Flowable] = [
        Paragraph(escape(f"Round of {sheet.day}"), styles.big),
        Paragraph(escape(f"{sheet.route} · prepared by {sheet.planned_by}"), styles.muted),
        Paragraph("To bring", styles.head),
    ]
    parts += [Paragraph("☐ " + escape(item), styles.text) for item in sheet.bring]
    for number, (site, lines) in enumerate(sheet.sites, 1):
        head = Paragraph(escape(f"{number}. {site}"), styles.head)
        parts.append(KeepTogether([head, _round_table(lines, styles)]))
    return write_sheet_parts(
        parts, path, f"Round of {sheet.day}", [site for site, _ in sheet.sites]
    )


def write_day_sheet(sheet: DaySheet, path: Path) -> int:
    """Write the list of a day; returns the number of pages.

    Raises:
        SurroundingsError: what was read back is not what was written.
        OSError: the disk.
    """
    styles = Styles()
    title = f"Work at the loggers on {sheet.day}"
    parts: list[Flowable] = [
        Paragraph(escape(title), styles.big),
        Paragraph(escape(sheet.person), styles.muted),
    ]
    heads = ("Point", "Logger", "Came", "Launched", "Left")
    for site, lines in sheet.sites:
        cells = [
            (line.point, line.logger, line.offloaded, line.launched, line.left) for line in lines
        ]
        table = lined_table(heads, cells, (0.22, 0.12, 0.24, 0.2, 0.22), styles)
        parts += [Paragraph(escape(site), styles.head), table]
    return write_sheet_parts(parts, path, title, [site for site, _ in sheet.sites])


def _round_table(lines: tuple[RoundLine, ...], styles: Styles) -> Table:
    heads = ("Point", "Logger", "Reason", "To do", "Done at", "Remarks")
    cells = [(line.point, line.logger, line.reason, line.todo, "", "") for line in lines]
    return lined_table(heads, cells, (0.17, 0.16, 0.19, 0.19, 0.11, 0.18), styles)


def lined_table(
    heads: tuple[str, ...],
    cells: Sequence[tuple[str, ...]],
    shares: tuple[float, ...],
    styles: Styles,
    room: int = 14,
) -> Table:
    """Return a table with room to write in below each line; shares: of the page's width, by
    column."""
    head = [Paragraph(words, styles.muted) for words in heads]
    rows = [[Paragraph(escape(cell), styles.text) for cell in line] for line in cells]
    width = A4[0] - 2 * _EDGE
    return Table(
        [head, *rows],
        [width * share for share in shares],
        repeatRows=1,
        style=[
            ("LINEBELOW", (0, 0), (-1, -1), 0.4, RULE),
            ("LINEAFTER", (0, 1), (-2, -1), 0.2, RULE),
            ("VALIGN", (0, 0), (-1, -1), "TOP"),
            ("LEFTPADDING", (0, 0), (-1, -1), 2),
            ("BOTTOMPADDING", (0, 1), (-1, -1), room),
        ],
    )


def write_sheet_parts(parts: list[Flowable], path: Path, title: str, wanted: list[str]) -> int:
    """Write a sheet, read it back; returns the number of pages. wanted: words that must be there.

    Raises:
        SurroundingsError: what was read back is not what was written.
        OSError: the disk.
    """
    document = SimpleDocTemplate(
        str(path),
        pagesize=A4,
        title=title,
        creator="Gezeiten",
        leftMargin=_EDGE,
        rightMargin=_EDGE,
        topMargin=_EDGE,
        bottomMargin=_EDGE,
    )
    document.build(parts)
    texts = pages_text(path)
    text = "\n".join(texts)
    if not all(words in text for words in wanted):
        raise SurroundingsError(f"{path} was not written completely; export it again.")
    return len(texts)
