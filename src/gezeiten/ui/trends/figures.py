"""The figures of a stretch: a column a line, as many side by side as fit without a word cut."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QGridLayout, QScrollArea, QWidget

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.record.uncertainty import mean_uncertainty
from gezeiten.desk.sites.places import points
from gezeiten.domain.base.wording import error_decimals
from gezeiten.domain.series.statistics.figures import Statistics
from gezeiten.domain.series.timeline import Span, whole_duration_text
from gezeiten.errors import ArchiveDamagedError
from gezeiten.ui.charts.chart_lanes import Lane, Trace
from gezeiten.ui.charts.lanes import figures_of
from gezeiten.ui.format.i18n import counted, number, tr
from gezeiten.ui.parts.widgets import clear, column, label, rule

MOST_COLUMNS, _MOST_BESIDE = 12, 3
"""So many times the figures of as many lines as fit side by side are shown below each other."""


@dataclass(frozen=True, slots=True)
class FigureColumn:
    """The figures of a line. u: ± U (k = 2) of its mean in the unit shown, NaN where that is not
    known; is_least: it is at least so much."""

    lane: Lane
    trace: Trace
    numbers: Statistics
    u: float = float("nan")
    is_least: bool = False


def figure_column(desk: Workspace, lane: Lane, trace: Trace, span: Span, zone: str) -> FigureColumn:
    """Return the figures of a stretch of a line, and how sure its mean is; off the main thread."""
    statistics = figures_of(desk, trace, span, zone)
    place = next((point for point in points(desk) if point.id == trace.view.point_id), None)
    if place is None or not statistics.n:
        return FigureColumn(lane, trace, statistics)
    try:
        uncertainty = mean_uncertainty(desk, place, trace.view.key, span)
    except ArchiveDamagedError:
        uncertainty = None  # the rest is shown; what is damaged is told elsewhere
    if uncertainty is None or not uncertainty.has_value:
        return FigureColumn(lane, trace, statistics)
    return FigureColumn(
        lane, trace, statistics, abs(trace.factor) * uncertainty.expanded, uncertainty.is_least
    )


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
        self.setStyleSheet(
            "QScrollArea, QScrollArea > QWidget > QWidget { background: transparent; }"
        )
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)  # arrow keys scroll
        self.setAccessibleName(tr("Statistics"))
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)

    def clear(self) -> None:
        """Show no figures."""
        clear(self.table)

    def show_columns(self, columns: list[FigureColumn], left_out: int, *, several: bool) -> None:
        """Show the figures of lines. left_out: how many more lines there are; several: lines are of
        several points, which are named."""
        self.clear()
        self._several = several
        self._sums = any(one.trace.averages == "sum" for one in columns)
        rows = self._figure_rows()
        most = self._columns_that_fit(columns)
        across = min(most, len(columns))
        for j in range(1, _MOST_BESIDE + 1):  # a column that is gone takes no room
            self.table.setColumnStretch(j, int(j <= across))
        for i in range(0, len(columns), most):
            block, top = columns[i : i + most], i // most * _height(rows)
            self._show_block(block, across, top)
        if left_out:
            words = counted(
                left_out,
                "%n more series: select fewer points to see its statistics.",
                "%n more series: select fewer points to see their statistics.",
            )
            below = -(-len(columns) // most) * _height(rows)
            self.table.addWidget(label(words, "muted", wrap=True), below, 0, 1, across + 1)

    def _figure_rows(self) -> list[tuple[str, Callable[[FigureColumn], str]]]:
        return _rows(sums=self._sums)

    def _columns_that_fit(self, columns: list[FigureColumn]) -> int:
        """How many columns of figures stand side by side without one word being cut."""
        metrics = self.fontMetrics()
        texts = [read(one) for one in columns for _, read in self._figure_rows()]
        texts += [word for one in columns for word in self._column_title(one).split()]
        widest = max((metrics.horizontalAdvance(text) for text in texts), default=1)
        names = max(metrics.horizontalAdvance(name) for name, _ in self._figure_rows())
        room = self.viewport().width() - names
        return max(1, min(_MOST_BESIDE, room // (widest + self.table.horizontalSpacing())))

    def _column_title(self, one: FigureColumn) -> str:
        title = f"{one.trace.name}\n{one.lane.title}" if self._several else one.lane.title
        return f"{title}\n{one.lane.unit}"

    def _show_block(self, columns: list[FigureColumn], across: int, top: int) -> None:
        """Add a head and a row for each figure, from row `top` on."""
        for j, one in enumerate(columns, 1):
            head = label(self._column_title(one), "muted", wrap=True)
            self.table.addWidget(head, top, j)
        for i, (name, read) in enumerate(self._figure_rows(), 1):
            self.table.addWidget(label(name, "muted"), top + 2 * i, 0)
            for j, one in enumerate(columns, 1):
                self.table.addWidget(label(read(one)), top + 2 * i, j)
            self.table.addWidget(rule(), top + 2 * i + 1, 0, 1, across + 1)


def _height(rows: Sequence[object]) -> int:
    """How many rows of the table a block takes: its head, and each figure with its rule."""
    return 2 * len(rows) + 2


def _rows(*, sums: bool) -> list[tuple[str, Callable[[FigureColumn], str]]]:
    """Names of the figures and how to read each as text. sums: some of them are summed."""

    def figure(field: str) -> Callable[[FigureColumn], str]:
        def read(one: FigureColumn) -> str:
            value = getattr(one.numbers, field)
            return "—" if value != value else number(value, one.lane.decimals)

        return read

    def above(one: FigureColumn) -> str:
        return whole_duration_text(one.numbers.above_ms) if one.numbers.above_ms else "—"

    def below(one: FigureColumn) -> str:
        return whole_duration_text(one.numbers.below_ms) if one.numbers.below_ms else "—"

    def readings(one: FigureColumn) -> str:
        n = one.numbers
        if not n.estimated:
            return number(n.n)
        return f"{number(n.n)} ({counted(n.estimated, '%n est.', '%n est.')})"

    def uncertainty_text(one: FigureColumn) -> str:
        if one.u != one.u:
            return tr("not known") if one.numbers.n else "—"
        words = f"± {number(one.u, error_decimals(one.u, one.lane.decimals + 1))}"
        return f"≥ {words}" if one.is_least else words

    return [
        (tr("Readings"), readings),
        (tr("Lowest"), figure("lowest")),
        (tr("Highest"), figure("highest")),
        (tr("Mean, or sum") if sums else tr("Mean"), figure("mean")),
        (tr("± U of the mean"), uncertainty_text),
        (tr("Median"), figure("median")),
        (tr("Spread (σ)"), figure("sd")),
        (tr("Time above"), above),
        (tr("Time below"), below),
        (tr("Coverage"), lambda one: f"{number(100 * one.numbers.coverage)} %"),
    ]
