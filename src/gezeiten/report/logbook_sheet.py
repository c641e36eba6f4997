"""Entries of the logbook on paper."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from xml.sax.saxutils import escape

from reportlab.platypus import Flowable, Paragraph

from gezeiten.report.sheets import Styles, lined_table, write_sheet_parts


@dataclass(frozen=True, slots=True)
class EntryLine:
    """One entry, in words; hash: its first digits."""

    number: str
    instant: str
    person: str
    entry_word: str
    subject: str
    sentence: str
    hash: str


@dataclass(frozen=True, slots=True)
class LogbookSheet:
    """Entries, oldest first. head_hash: the newest entry of the whole logbook when this was
    written."""

    title: str
    zone: str
    person: str
    head_hash: str
    lines: tuple[EntryLine, ...]


def write_logbook(sheet: LogbookSheet, path: Path) -> int:
    """Write entries; returns the number of pages.

    Raises:
        SurroundingsError: what was read back is not what was written.
        OSError: the disk.
    """
    styles = Styles()
    heads = ("No.", f"When ({sheet.zone})", "Who", "Act", "Subject and entry", "Hash")
    cells = [
        (
            line.number,
            line.instant,
            line.person,
            line.entry_word,
            f"{line.subject}: {line.sentence}",
            line.hash,
        )
        for line in sheet.lines
    ]
    parts: list[Flowable] = [
        Paragraph(escape(sheet.title), styles.big),
        Paragraph(escape(f"Exported by {sheet.person}"), styles.muted),
        Paragraph(escape(f"Logbook hash {sheet.head_hash}"), styles.muted),
        lined_table(heads, cells, (0.06, 0.13, 0.07, 0.11, 0.44, 0.19), styles, room=3),
    ]
    wanted = [cells[0][5], cells[-1][5]] if cells else []
    return write_sheet_parts(parts, path, sheet.title, wanted)
