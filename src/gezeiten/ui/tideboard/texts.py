"""The Tideboard in words: what a ribbon tells, for those who hear it, and what its signs mean."""

from __future__ import annotations

from PySide6.QtGui import QColor

from gezeiten.domain.board.rows import BoardRow
from gezeiten.ui.format.i18n import counted, date, day_and_time, tr
from gezeiten.ui.shell.theme import Theme


def row_text(row: BoardRow) -> str:
    """Return a row as one sentence."""
    open_gaps = sum(1 for gap in row.gaps if gap.state == "open")
    to_assess = sum(1 for event in row.excursions if not event.is_settled)
    parts = [f"{row.point.name} {row.serial}".strip()]
    if row.point.practice:
        parts.append(tr("practice logger, readings made up"))
    if open_gaps:
        parts.append(counted(open_gaps, "%n gap", "%n gaps"))
    if to_assess:
        parts.append(counted(to_assess, "%n excursion to assess", "%n excursions to assess"))
    if row.fault:
        return f"{row.point.name} · {tr('cannot be read')}: {row.fault}"
    if row.on_logger:
        since = day_and_time(row.on_logger[0], row.point.zone)
        parts.append(tr("to offload since %1").replace("%1", since))
    if row.ends_ms is not None:
        ends = date(row.ends_ms, row.point.zone)
        parts.append(f"{tr(row.end_reason)} {ends}")
    if not row.is_recording:
        parts.append(tr("not recording"))
    return " · ".join(parts)


def legend_items(theme: Theme) -> list[tuple[str, str, QColor]]:
    """Return sign, words and colour of each entry of the legend."""
    return [
        ("■", tr("measured"), theme.color("tide")),
        ("▨", tr("estimated"), theme.color("tide")),
        ("▧", tr("gap"), theme.color("muted")),
        ("┄", tr("to offload"), theme.color("tide")),
        ("▲", tr("above limit"), theme.color("ember")),
        ("▼", tr("below limit"), theme.color("plum")),
        ("○", tr("offload"), theme.color("tide")),
        ("⚑", tr("memory or battery ends"), theme.color("brass")),
    ]
