"""The day at the loggers: what came, what was launched, what is left; to look at and to print."""

from __future__ import annotations

from PySide6.QtWidgets import QDialog, QWidget

from gezeiten.desk.field.day_list import DayLine, day_list, write_day
from gezeiten.ui.format.i18n import clock_time, counted, tr, zones_text
from gezeiten.ui.parts.tables import fill, plain_table
from gezeiten.ui.parts.widgets import button, column, label, row
from gezeiten.ui.shell.app_context import AppContext
from gezeiten.ui.work.work_queue import Task


class DayDialog(QDialog):
    """at_hand: readings to offload of the loggers at hand, by serial."""

    def __init__(self, parent: QWidget, context: AppContext, at_hand: dict[str, int]) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Today's work"))
        self._context, self._lines = context, list[DayLine]()
        self.words = label("", "head")
        heads = [tr("Point"), tr("Logger"), tr("Offloaded"), tr("Launched"), tr("Remaining")]
        self.table = plain_table(tr("Today's work at the loggers"), heads)
        self.times_note = label("", "muted")
        self.print_button = button(tr("Export PDF"), self.write, "primary")
        self.setLayout(
            column(
                self.words,
                self.table,
                row(self.times_note, 1, button(tr("Close"), self.accept), self.print_button),
                margins=16,
            )
        )
        self.resize(820, 560)
        desk = context.desk
        context.run(lambda _task: day_list(desk, at_hand), self._show, latest="day")

    def _show(self, lines: list[DayLine]) -> None:
        self._lines = lines
        rows = [
            [
                f"{one.site} · {one.point}".rstrip(" ·"),
                one.serial,
                self._origin_text(one),
                self._launched(one),
                tr(one.left),
            ]
            for one in lines
        ]
        fill(self.table, rows, list(lines))
        launched = sum(one.launched_ms is not None for one in lines)
        left = sum(bool(one.left) for one in lines)
        text = counted(launched, "%n logger launched", "%n loggers launched")
        text += " · " + counted(left, "%n with work remaining", "%n with work remaining")
        self.words.setText(text if lines else tr("No work at a logger today."))
        self.times_note.setText(zones_text(line.zone for line in lines if line.is_touched))
        self.print_button.setEnabled(bool(lines))

    def _origin_text(self, day_line: DayLine) -> str:
        if day_line.offloaded_ms is None:
            return ""
        words = counted(day_line.readings, "%n reading", "%n readings")
        return f"{words} · {clock_time(day_line.offloaded_ms, day_line.zone)}"

    def _launched(self, day_line: DayLine) -> str:
        if day_line.launched_ms is None:
            return ""
        words = tr("mission %1").replace("%1", str(day_line.mission))
        return f"{words} · {clock_time(day_line.launched_ms, day_line.zone)}"

    def write(self) -> None:
        """Write the list as a PDF."""
        desk, lines = self._context.desk, self._lines

        def work(_task: Task) -> str:
            return str(write_day(desk, lines))

        self._context.run(
            work, lambda path: self._context.show_message(tr("%1 saved.").replace("%1", path))
        )
