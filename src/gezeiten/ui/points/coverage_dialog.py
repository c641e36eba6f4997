"""Coverage of a series as a calendar: a row a month, a cell a day; in percent, and handed over."""

from __future__ import annotations

from datetime import date
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QBrush
from PySide6.QtWidgets import (
    QAbstractItemView,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from gezeiten.desk.record.views.coverage import Days, coverage_of, write_coverage
from gezeiten.desk.sites.places import PointPlace
from gezeiten.domain.series.statistics.calendar import CoveredTime, months, total, years
from gezeiten.ui.format.i18n import number, tr
from gezeiten.ui.parts.widgets import button, column, label, row
from gezeiten.ui.points.figures_dialog import FiguresDialog
from gezeiten.ui.shell.app_context import AppContext

_DAYS = 31
_NEARLY = 0.995
"""From here on a day counts as held: a percent more would not be seen."""


class CoverageDialog(FiguresDialog):
    """Shows how much of each day of a series of a point is held, the newest month first."""

    def __init__(
        self, parent: QWidget, context: AppContext, point: PointPlace, series: str = ""
    ) -> None:
        super().__init__(parent, context, point, series, "coverage")
        self.file_wanted.connect(self.export_to)
        self.setWindowTitle(tr("Coverage") + f" · {point.full_name}")
        self._days = list[tuple[date, CoveredTime]]()
        heads = [
            tr("Month"),
            tr("Coverage"),
            tr("Estimated"),
            *(str(day + 1) for day in range(_DAYS)),
        ]
        self.table = QTableWidget(0, len(heads))
        self.table.setAccessibleName(tr("Coverage"))
        self.table.setHorizontalHeaderLabels(heads)
        self.table.verticalHeader().hide()
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setShowGrid(False)
        self.table.horizontalHeader().setMinimumSectionSize(16)
        legend = label(
            tr(
                "empty: complete · number: coverage in percent · e: partly estimated · "
                "–: no readings"
            ),
            "muted",
        )
        laid = column(
            row(self.series, legend, 1, self.export, spacing=10),
            self.table,
            self.words,
            row(1, button(tr("Close"), self.accept)),
            spacing=8,
            margins=16,
        )
        laid.setStretchFactor(self.table, 1)
        self.setLayout(laid)
        self.resize(1010, 560)
        self.series.currentIndexChanged.connect(lambda _: self._load())
        self._load()

    def _load(self) -> None:
        desk, point, key = self._context.desk, self._point, self.key
        self.export.setEnabled(False)
        if not key:
            self._complain(tr("There is no reading at this point yet; offload its logger first."))
            return
        self._show_message(tr("Counting …"))
        self._context.run(
            lambda task: coverage_of(desk, point, key, task.cancelled),
            self._show,
            failed=self._complain,
            latest="coverage",
        )

    def _show(self, days: Days) -> None:
        self._days = days
        by_month: dict[date, dict[int, CoveredTime]] = {}
        for day, one in days:
            by_month.setdefault(day.replace(day=1), {})[day.day] = one
        listed = sorted(months(days), reverse=True)
        self.table.setRowCount(len(listed))
        for i, (month, one) in enumerate(listed):
            cells = (f"{month:%Y-%m}", _percent(one.share), _percent(one.estimated_share, zero=""))
            for j, text in enumerate(cells):
                self.table.setItem(i, j, QTableWidgetItem(text))
            for number_ in range(1, _DAYS + 1):
                self.table.setItem(i, number_ + 2, self._cell(by_month[month].get(number_)))
        self.table.resizeColumnsToContents()
        for j in range(3, _DAYS + 3):
            self.table.setColumnWidth(j, self.fontMetrics().horizontalAdvance("8") * 3 + 1)
        texts = [f"{year:%Y}: {_percent(one.share)}" for year, one in years(days)]
        covered_time = total(one for _, one in days)
        words = tr("Coverage in all %1, of which %2 estimated. By year: %3")
        words = words.replace("%1", _percent(covered_time.share))
        words = words.replace("%2", _percent(covered_time.estimated_share, zero=tr("nothing")))
        self._show_message(words.replace("%3", " · ".join(texts)))
        self.export.setEnabled(True)

    def _cell(self, covered_time: CoveredTime | None) -> QTableWidgetItem:
        item = QTableWidgetItem(day_text(covered_time))
        item.setTextAlignment(Qt.AlignmentFlag.AlignCenter)
        if covered_time is None:
            return item
        theme = self._context.theme
        ink = "brass" if covered_time.estimated_ms else "tide"
        strength = round(20 + 90 * covered_time.share) if covered_time.covered_ms else 0
        item.setBackground(
            QBrush(
                theme.color(
                    ink if covered_time.covered_ms else "ember",
                    strength if covered_time.covered_ms else 60,
                )
            )
        )
        item.setToolTip(
            tr("%1 covered, %2 estimated")
            .replace("%1", _percent(covered_time.share))
            .replace("%2", _percent(covered_time.estimated_share))
        )
        return item

    def export_to(self, target: Path) -> None:
        """Write what is shown as CSV."""
        days = self._days
        self._write(target, lambda: write_coverage(days, target))


def day_text(covered_time: CoveredTime | None) -> str:
    """What stands in the cell of a day."""
    if covered_time is None or not covered_time.length_ms:
        return ""
    if not covered_time.covered_ms:
        return "–"
    percent = "" if covered_time.share >= _NEARLY else number(100 * covered_time.share)
    return f"{percent}e" if covered_time.estimated_ms else percent


def _percent(share: float, zero: str | None = None) -> str:
    if share == 0 and zero is not None:
        return zero
    decimals = 0 if share in (0, 1) else 1
    return f"{number(100 * share, decimals)} %"
