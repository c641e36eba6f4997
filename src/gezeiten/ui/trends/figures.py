"""The figures of a stretch: a column a line, as many side by side as fit without a word cut."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TypeAlias

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QGridLayout, QScrollArea, QWidget

from gezeiten.domain.series.statistics import Numbers
from gezeiten.domain.series.timeline import duration_text
from gezeiten.ui.parts.chart_lanes import Lane, Trace
from gezeiten.ui.parts.widgets import clear, column, label, rule
from gezeiten.ui.shell.i18n import counted, number, tr

MOST_COLUMNS, _MOST_BESIDE = 12, 3
"""So many times the figures of as many lines as fit side by side are shown below each other."""
FigureColumn: TypeAlias = tuple[Lane, Trace, Numbers]


class FiguresTable(QScrollArea):
    """Figures of lines; scrolls where they want more height."""

    def __init__(self) -> None:
        super().__init__()
        self._sums = self._several = False
        self.table = QGridLayout()
        self.table.setHorizontalSpacing(8)
        self.table.setVerticalSpacing(6)
        figures = QWidget()
        figures.setLayout(column(self.table, 1))
        self.setWidget(figures)
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setStyleSheet("QScrollArea, QScrollArea > QWidget > QWidget "
                           "{ background: transparent; }")  # fmt: skip
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)  # arrow keys scroll
        self.setAccessibleName(tr("Figures of the stretch"))
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)

    def clear(self) -> None:
        """Show no figures."""
        clear(self.table)

    def show_columns(self, columns: list[FigureColumn], left_out: int, *, several: bool) -> None:
        """Show the figures of lines. left_out: how many more lines there are; several: lines are of
        several points, which are named."""
        self.clear()
        self._several = several
        self._sums = any(trace.averages == "sum" for _, trace, _ in columns)
        rows = self._figure_rows()
        most = self._columns_that_fit(columns)
        across = min(most, len(columns))
        for j in range(1, _MOST_BESIDE + 1):  # a column that is gone takes no room
            self.table.setColumnStretch(j, int(j <= across))
        for i in range(0, len(columns), most):
            block, top = columns[i : i + most], i // most * _height(rows)
            self._show_block(block, across, top)
        if left_out:
            words = counted(left_out, "%n more line: choose fewer points to see its figures.",
                            "%n more lines: choose fewer points to see their figures.")  # fmt: skip
            below = -(-len(columns) // most) * _height(rows)
            self.table.addWidget(label(words, "muted", wrap=True), below, 0, 1, across + 1)

    def _figure_rows(self) -> list[tuple[str, Callable[[Numbers, int], str]]]:
        return _rows(sums=self._sums)

    def _columns_that_fit(self, columns: list[FigureColumn]) -> int:
        """How many columns of figures stand side by side without one word being cut."""
        metrics = self.fontMetrics()
        texts = [read(figures, lane.decimals)
                 for lane, _, figures in columns for _, read in self._figure_rows()]  # fmt: skip
        texts += [word for one in columns for word in self._head_of(one).split()]
        widest = max((metrics.horizontalAdvance(text) for text in texts), default=1)
        names = max(metrics.horizontalAdvance(name) for name, _ in self._figure_rows())
        room = self.viewport().width() - names
        return max(1, min(_MOST_BESIDE, room // (widest + self.table.horizontalSpacing())))

    def _head_of(self, one: FigureColumn) -> str:
        lane, trace, _ = one
        title = f"{trace.name}\n{lane.title}" if self._several else lane.title
        return f"{title}\n{lane.unit}"

    def _show_block(self, columns: list[FigureColumn], across: int, top: int) -> None:
        """Add a head and a row for each figure, from row `top` on."""
        for j, one in enumerate(columns, 1):
            head = label(self._head_of(one), "muted", wrap=True)
            self.table.addWidget(head, top, j)
        for i, (name, read) in enumerate(self._figure_rows(), 1):
            self.table.addWidget(label(name, "muted"), top + 2 * i, 0)
            for j, (lane, _, figures) in enumerate(columns, 1):
                self.table.addWidget(label(read(figures, lane.decimals)), top + 2 * i, j)
            self.table.addWidget(rule(), top + 2 * i + 1, 0, 1, across + 1)


def _height(rows: Sequence[object]) -> int:
    """How many rows of the table a block takes: its head, and each figure with its rule."""
    return 2 * len(rows) + 2


def _rows(*, sums: bool) -> list[tuple[str, Callable[[Numbers, int], str]]]:
    """Names of the figures and how to read each as text. sums: some of them are summed."""

    def figure(field: str) -> Callable[[Numbers, int], str]:
        def read(n: Numbers, places: int) -> str:
            value = getattr(n, field)
            return "—" if value != value else number(value, places)

        return read

    def above(n: Numbers, _places: int) -> str:
        return duration_text(n.above_ms) if n.above_ms else "—"

    def below(n: Numbers, _places: int) -> str:
        return duration_text(n.below_ms) if n.below_ms else "—"

    def readings(n: Numbers, _places: int) -> str:
        if not n.estimated:
            return number(n.n)
        return f"{number(n.n)} ({counted(n.estimated, '%n est.', '%n est.')})"

    return [
        (tr("Readings"), readings),
        (tr("Lowest"), figure("lowest")),
        (tr("Highest"), figure("highest")),
        (tr("Mean, or sum") if sums else tr("Mean"), figure("mean")),
        (tr("Median"), figure("median")),
        (tr("Spread (σ)"), figure("sd")),
        (tr("Time above"), above),
        (tr("Time below"), below),
        (tr("Held"), lambda n, _p: f"{number(100 * n.coverage)} %"),
    ]
