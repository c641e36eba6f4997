"""Readings as one table: the widget and its model, which know of the same window of rows.

Any series over any stretch, sorted, chosen, copied as they stand.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import (
    QAbstractTableModel,
    QItemSelectionModel,
    QModelIndex,
    QPersistentModelIndex,
    Qt,
)
from PySide6.QtGui import QGuiApplication, QKeySequence, QShortcut
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QDialog,
    QFrame,
    QHeaderView,
    QStackedWidget,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from gezeiten.desk.record.views.table import Only, ReadingsTable, TableColumn, readings_table
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.quantities.units import ShownUnit
from gezeiten.domain.series.quality import Quality
from gezeiten.domain.series.statistics.figures import Statistics
from gezeiten.domain.series.timeline import iso_utc, midnight_ms, whole_duration_text
from gezeiten.exchange.csv_out import plain
from gezeiten.ui.format.i18n import counted, date, instant, number, number_to_copy, tr
from gezeiten.ui.format.units import units_of
from gezeiten.ui.parts.rule_signs import RULE_SIGNS, side_text
from gezeiten.ui.parts.tables import fill, plain_table, selected_item
from gezeiten.ui.parts.widgets import button, column, label, row
from gezeiten.ui.shell.app_context import AppContext, ReadingsRequest
from gezeiten.ui.shell.theme import Theme
from gezeiten.ui.trends.period_dialog import GoToInstant

MOST_COPIED = 200_000
"""Rows: more would hold the window and whoever they are pasted into."""
_TIMES = 2
_ONLY: tuple[Only, ...] = ("all", "outside", "mended")
_Index = QModelIndex | QPersistentModelIndex
_NO_PARENT = QModelIndex()


class ReadingsModel(QAbstractTableModel):
    """The rows shown of a table; words are made for those in sight alone."""

    def __init__(self, table: ReadingsTable, context: AppContext) -> None:
        super().__init__()
        self.table = table
        self._theme: Theme = context.theme
        units = units_of(context.desk.settings)
        self._units: list[ShownUnit] = [
            units.of_series(one.point, one.key) for one in table.columns
        ]

    def rowCount(self, parent: _Index = _NO_PARENT) -> int:
        return 0 if parent.isValid() else len(self.table)

    def columnCount(self, parent: _Index = _NO_PARENT) -> int:
        return 0 if parent.isValid() else _TIMES + 2 * len(self.table.columns)

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        if orientation != Qt.Orientation.Horizontal:
            return None
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return self._side(section)
        if role != Qt.ItemDataRole.DisplayRole:
            return None
        head, (which, falls) = self.titles()[section], self.table.order
        is_sorted = section == (0 if which < 0 else _TIMES + 2 * which)
        return f"{head} {'▾' if falls else '▴'}" if is_sorted else head

    def _side(self, place: int) -> Qt.AlignmentFlag:
        is_value = place >= _TIMES and place % 2 == 0
        side = Qt.AlignmentFlag.AlignRight if is_value else Qt.AlignmentFlag.AlignLeft
        return side | Qt.AlignmentFlag.AlignVCenter

    def titles(self) -> list[str]:
        """Return what stands above the columns."""
        listed = [tr("Time at the site (%1)").replace("%1", self.table.zone), tr("UTC")]
        several = len({one.point.id for one in self.table.columns}) > 1
        for one, unit in zip(self.table.columns, self._units, strict=True):
            name = quantity(one.key).name
            title = f"{one.point.name} · {name}" if several else name
            listed += [f"{title}, {unit.name}", tr("Quality")]
        return listed

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        place = index.column()
        if role == Qt.ItemDataRole.DisplayRole:
            return self.cell_text(index.row(), place)
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return self._side(place)
        if role == Qt.ItemDataRole.ForegroundRole and place >= _TIMES:
            cell = self.table.cell(index.row(), (place - _TIMES) // 2)
            if cell is not None and cell.mark and place % 2 == 0:
                return self._theme.color(RULE_SIGNS[cell.mark][1])
            if cell is not None and cell.quality == Quality.ESTIMATE and place % 2:
                return self._theme.color("brass")
        return None

    def cell_text(self, at: int, place: int) -> str:
        """Return what a cell says."""
        if place < _TIMES:
            at_ms = self.table.time_ms(at)
            if place == 1:
                return iso_utc(at_ms)
            return instant(at_ms, self.table.zone, weekday=True, seconds=True)
        which = (place - _TIMES) // 2
        cell = self.table.cell(at, which)
        if cell is None:
            return "–" if place % 2 == 0 else ""
        if place % 2:
            return tr(Quality(cell.quality).file_code)
        sign = f"{RULE_SIGNS[cell.mark][0]} " if cell.mark else ""
        return sign + self._value(which, cell.value)

    def _value(self, which: int, value: float) -> str:
        return shown_value(self.table.columns[which], self._units[which], value)

    def text(self, rows: list[int]) -> str:
        """Return rows for a spreadsheet, columns between tabs: values as numbers, whether one is
        outside a limit beside it."""
        heads = self.titles()
        line = heads[:_TIMES]
        for place in range(_TIMES, len(heads), 2):
            line += [plain(heads[place]), tr("Limit"), heads[place + 1]]
        lines = ["\t".join(line)]
        for at in rows:
            line = [self.cell_text(at, place) for place in range(_TIMES)]
            for which in range(len(self.table.columns)):
                line += self._cells_to_copy(at, which)
            lines.append("\t".join(line))
        return "\n".join(lines)

    def _cells_to_copy(self, at: int, which: int) -> tuple[str, str, str]:
        cell = self.table.cell(at, which)
        if cell is None:
            return "", "", ""
        one, unit = self.table.columns[which], self._units[which]
        value = number_to_copy(unit.shown(cell.value), _decimals(one, unit))
        return value, side_text(cell.mark) if cell.mark else "", tr(Quality(cell.quality).file_code)


def shown_value(one: TableColumn, unit: ShownUnit, value: float) -> str:
    """Return a value in the unit shown."""
    return number(unit.shown(value), _decimals(one, unit))


def _decimals(one: TableColumn, unit: ShownUnit) -> int:
    return max(quantity(one.key).decimals + unit.extra_decimals, 0)


class ReadingsWindow(QDialog):
    """Shows the readings that a place asks for; it may stay open beside the window."""

    def __init__(self, parent: QWidget, context: AppContext, rows: ReadingsRequest) -> None:
        super().__init__(parent)
        self.setWindowFlag(Qt.WindowType.WindowMaximizeButtonHint, on=True)
        self._context, self._rows = context, rows
        self.model: ReadingsModel | None = None
        names = list(dict.fromkeys(point.full_name for point, _ in rows.series))
        self.setWindowTitle(tr("Readings") + " · " + ", ".join(names))
        self.view = QTableView()
        self.view.setAccessibleName(tr("Readings"))
        self.view.setShowGrid(False)
        self.view.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.view.verticalHeader().hide()
        self.view.verticalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.view.setFrameShape(QFrame.Shape.NoFrame)
        self.view.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        head = self.view.horizontalHeader()
        head.setStretchLastSection(True)
        head.setSectionsClickable(True)
        head.sectionClicked.connect(self._header_clicked)
        self.by_day = plain_table(
            tr("Readings by day"),
            [
                tr("Day"),
                tr("Readings"),
                tr("Lowest"),
                tr("Mean, or sum"),
                tr("Highest"),
                tr("Above"),
                tr("Below"),
                tr("Coverage"),
            ],
        )
        self.by_day.itemActivated.connect(lambda _: self._open_day())
        self.pages = QStackedWidget()
        self.pages.addWidget(self.view)
        self.pages.addWidget(self.by_day)
        self.title = label(tr("Reading …"), "head")
        self.count = label("", "muted")
        self.only = QComboBox()
        self.only.setAccessibleName(tr("Rows shown"))
        self.only.addItems(
            [tr("all rows"), tr("only outside limits"), tr("only filled or corrected")]
        )
        self.only.currentIndexChanged.connect(self._filter_changed)
        self.series = QComboBox()
        self.series.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.series.setMaximumWidth(360)
        self.series.setAccessibleName(tr("Series for lowest, highest and days"))
        self.series.currentIndexChanged.connect(lambda _: self._fill_days())
        self.setLayout(self._build_layout())
        self._add_keys()
        self.resize(1080, 680)
        desk = context.desk
        context.run(lambda _task: readings_table(desk, rows.series, rows.span), self._show)

    def _build_layout(self) -> QVBoxLayout:
        self.days_button = button(tr("By day"), self.toggle_days)
        self.days_button.setCheckable(True)
        actions = row(
            self.only,
            self.series,
            button(tr("Lowest"), lambda: self.to_extreme(highest=False)),
            button(tr("Highest"), lambda: self.to_extreme(highest=True)),
            self.days_button,
            button(tr("Go to …"), self.pick_instant),
            1,
            button(tr("Copy"), self.copy),
            spacing=6,
        )
        hint = label(
            tr(
                "Ctrl+G go to · Ctrl+D by day · Ctrl+L lowest · Ctrl+H highest · Ctrl+S "
                "sort by column · Ctrl+B remark · Alt+S provenance · Ctrl+C copy"
            ),
            "muted",
            wrap=True,
        )
        foot = row(hint, button(tr("Close"), self.accept))
        foot.setStretch(0, 1)
        return column(
            row(self.title, 1, self.count), actions, self.pages, foot, spacing=8, margins=14
        )

    def _add_keys(self) -> None:
        actions: list[tuple[str, Callable[[], object]]] = [
            ("Ctrl+G", self.pick_instant),
            ("Ctrl+D", self.toggle_days),
            ("Ctrl+L", lambda: self.to_extreme(highest=False)),
            ("Ctrl+H", lambda: self.to_extreme(highest=True)),
            ("Ctrl+C", self.copy),
            ("Ctrl+B", self.write_remark),
            ("Alt+S", self.show_provenance),
            ("Ctrl+S", lambda: self._header_clicked(max(self.view.currentIndex().column(), 0))),
        ]
        for keys, action in actions:
            QShortcut(QKeySequence(keys), self, action)

    # -- showing -------------------------------------------------------------------------------
    def _show(self, table: ReadingsTable) -> None:
        self.model = ReadingsModel(table, self._context)
        self.view.setModel(self.model)
        begin, end = (instant(at, table.zone) for at in table.span)
        self.title.setText(f"{begin} – {end}")
        for one in table.columns:
            self.series.addItem(f"{one.point.name} · {quantity(one.key).name}")
        self._fit_columns()
        self._counted()
        self._fill_days()
        if self._rows.at_ms is not None:
            self._go_to(self._rows.at_ms)
        elif len(table):
            self.view.setCurrentIndex(self.model.index(0, 0))
        self.view.setFocus()

    def _fit_columns(self) -> None:
        """Widths from the heads and the first rows, whatever comes below."""
        assert self.model is not None
        metrics, rows = self.view.fontMetrics(), range(min(len(self.model.table), 30))
        for place, head in enumerate(self.model.titles()):
            texts = [head, *(self.model.cell_text(at, place) for at in rows)]
            wide = max(metrics.horizontalAdvance(text) for text in texts)
            self.view.setColumnWidth(place, wide + 34)
        self.view.verticalHeader().setDefaultSectionSize(metrics.height() + 10)

    def _counted(self) -> None:
        assert self.model is not None
        table = self.model.table
        shown, whole = len(table), len(table.times_utc_ms)
        words = counted(whole, "%n row", "%n rows")
        if shown != whole:
            words = tr("%1 of %2").replace("%1", number(shown)).replace("%2", words)
        self.count.setText(words)

    def _fill_days(self) -> None:
        model, which = self.model, self.series.currentIndex()
        if model is None or which < 0 or self.pages.currentIndex() == 0:
            return
        one, unit = model.table.columns[which], model._units[which]

        def show(days: list[Any]) -> None:
            fill(
                self.by_day,
                [_day_row(one, unit, midnight_ms(d, model.table.zone), n) for d, n in days],
                [d for d, _ in days],
            )
            if days:
                self.by_day.setCurrentCell(0, 0)

        self._context.run(lambda _task: model.table.days(which), show, latest="days of readings")

    # -- acts ------------------------------------------------------------------------------------
    def _arranged(self, how: Callable[[ReadingsTable], None]) -> None:
        """Choose or sort rows off the main thread; the row chosen stays in sight."""
        model = self.model
        if model is None:
            return
        at = self.view.currentIndex().row()
        at_ms = model.table.time_ms(at) if 0 <= at < len(model.table) else None

        def done(_: object) -> None:
            model.beginResetModel()
            model.table = arranged
            model.endResetModel()
            self._counted()
            if at_ms is not None:
                self._go_to(at_ms)

        table = model.table
        arranged = ReadingsTable(
            table.span,
            table.zone,
            table.columns,
            table.times_utc_ms,
            table.at,
            table.only,
            table.order,
        )
        self._context.run(lambda _task: how(arranged), done, latest="rows of readings")

    def _filter_changed(self, which: int) -> None:
        self._arranged(lambda table: table.show_only(_ONLY[which]))

    def _header_clicked(self, section: int) -> None:
        """Sort by the series of a column, or by time; once more the other way round."""
        if self.model is None:
            return
        wanted = -1 if section < _TIMES else (section - _TIMES) // 2
        before, descending = self.model.table.order
        falls = not descending if before == wanted else wanted >= 0
        self._arranged(lambda table: table.sort_by(wanted, descending=falls))

    def to_extreme(self, *, highest: bool) -> None:
        """Go to the lowest or highest value of the chosen series."""
        if self.model is None or self.series.currentIndex() < 0:
            return
        at = self.model.table.extreme(self.series.currentIndex(), highest=highest)
        if at is None:
            self._context.show_message(tr("No row shown has a value of this series."))
            return
        self._show_row(at, _TIMES + 2 * self.series.currentIndex())

    def _current_column(self) -> TableColumn | None:
        """The series of the cell in hand, the first one at the times; None without rows."""
        here = self.view.currentIndex()
        if self.model is None or not here.isValid():
            return None
        return self.model.table.columns[max(here.column() - _TIMES, 0) // 2]

    def write_remark(self) -> None:
        """Write a remark on the rows chosen, from the earliest to the latest."""
        from gezeiten.ui.points.remarks_dialog import RemarksDialog

        column, model = self._current_column(), self.model
        if column is None or model is None:
            return
        ranges = self.view.selectionModel().selection()
        parts = [ranges.at(i) for i in range(ranges.count())]
        selected = [at for part in parts for at in (part.top(), part.bottom())]
        times = [model.table.time_ms(at) for at in selected or [self.view.currentIndex().row()]]
        RemarksDialog(self, self._context, column.point, (min(times), max(times))).open()

    def show_provenance(self) -> None:
        """Show the provenance of the selected reading."""
        from gezeiten.ui.mend.provenance_dialog import ProvenanceDialog

        column = self._current_column()
        if column is not None and self.model is not None:
            at_ms = self.model.table.time_ms(self.view.currentIndex().row())
            ProvenanceDialog(self, self._context, column.point, at_ms, column.key).open()

    def pick_instant(self) -> None:
        """Ask for an instant and go to the row nearest to it."""
        if self.model is None or not len(self.model.table):
            return
        at = max(self.view.currentIndex().row(), 0)
        dialog = GoToInstant(self, self.model.table.time_ms(at), self.model.table.zone)
        dialog.taken.connect(self._go_to)
        dialog.open()

    def _go_to(self, at_ms: int) -> None:
        assert self.model is not None
        at = self.model.table.row_of(at_ms)
        if at is not None:
            self._show_row(at, 0)

    def _show_row(self, at: int, place: int) -> None:
        assert self.model is not None
        self.pages.setCurrentIndex(0)
        self.days_button.setChecked(False)
        index = self.model.index(at, place)
        only = QItemSelectionModel.SelectionFlag.ClearAndSelect
        only |= QItemSelectionModel.SelectionFlag.Rows
        self.view.selectionModel().setCurrentIndex(index, only)  # whatever key is held down
        self.view.scrollTo(index, QAbstractItemView.ScrollHint.PositionAtCenter)
        self.view.setFocus()

    def toggle_days(self) -> None:
        """Show the chosen series by day, or its readings again."""
        by_day = self.pages.currentIndex() == 0
        self.pages.setCurrentIndex(int(by_day))
        self.days_button.setChecked(by_day)
        if by_day:
            self._fill_days()
            self.by_day.setFocus()
        else:
            self.view.setFocus()

    def _open_day(self) -> None:
        selected = selected_item(self.by_day)
        if selected is not None and self.model is not None:
            self._go_to(midnight_ms(selected, self.model.table.zone))  # type: ignore[arg-type]

    def copy(self) -> None:
        """Copy the rows chosen, or where only one is, all that are shown."""
        model = self.model
        if model is None:
            return
        selected = sorted(index.row() for index in self.view.selectionModel().selectedRows())
        rows = selected if len(selected) > 1 else list(range(len(model.table)))
        if len(rows) > MOST_COPIED:
            self._context.show_message(
                tr(
                    "%1 rows are too many to copy; select fewer, or export a CSV in Handover."
                ).replace("%1", number(len(rows)))
            )
            return

        def done(text: str) -> None:
            QGuiApplication.clipboard().setText(text)
            self._context.show_message(counted(len(rows), "%n row copied.", "%n rows copied."))

        self._context.run(lambda _task: model.text(rows), done)


def _day_row(one: TableColumn, unit: ShownUnit, day_ms: int, figures: Statistics) -> list[str]:
    def value(it: float) -> str:
        return shown_value(one, unit, it)

    outside = [whole_duration_text(ms) if ms else "" for ms in (figures.above_ms, figures.below_ms)]
    return [
        date(day_ms, one.point.zone, "ddd d MMM yyyy"),
        number(figures.n),
        value(figures.lowest),
        value(figures.mean),
        value(figures.highest),
        *outside,
        f"{number(figures.coverage * 100)} %",
    ]
