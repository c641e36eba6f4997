"""Trends as one place: its charts, numbers and choice of points share one period.

Points of any site on one time axis, a lane a quantity; numbers for a marked stretch.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QButtonGroup,
    QHeaderView,
    QLayout,
    QPushButton,
    QSizePolicy,
    QTreeWidget,
    QTreeWidgetItem,
)

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.office.logbook import AboutFilter, about_point
from gezeiten.desk.sites.places import PointPlace, SitePlace, sites
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.timeline import Span, duration_text
from gezeiten.ui.charts.chart_lanes import Lane
from gezeiten.ui.charts.lane_chart import LaneChart
from gezeiten.ui.charts.lanes import connect_readings, faults_of, lanes_of, span_of
from gezeiten.ui.charts.ticks import TickDelegate
from gezeiten.ui.format.i18n import day_and_time, tr
from gezeiten.ui.mend.provenance_dialog import ProvenanceDialog, connect_provenance
from gezeiten.ui.parts.plain import plain_tip
from gezeiten.ui.parts.widgets import (
    Card,
    button,
    label,
    row,
    tree_items,
)
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.app_context import AppContext, Place, ReadingsRequest
from gezeiten.ui.shell.commands import Command
from gezeiten.ui.shell.theme import Theme
from gezeiten.ui.trends.figures import (
    MOST_COLUMNS,
    FigureColumn,
    FiguresTable,
    figure_column,
)
from gezeiten.ui.trends.model import LENGTHS, TrendsView, first_view, title

_POINT = Qt.ItemDataRole.UserRole


class TrendsPlace(Place):
    """Chooses points at the left, shows their lanes, and the figures of a marked stretch."""

    kind_of_empty = "trends"

    def __init__(self, context: AppContext) -> None:
        super().__init__(context)
        self.model = TrendsView()
        self.lanes: list[Lane] = []
        self._target: places.TrendsRequest | None = None
        self._return_to: tuple[int, object, str] | None = None
        self.tree = QTreeWidget()
        self.tree.setProperty("ticks", True)
        self.tree.setItemDelegateForColumn(0, TickDelegate(self.tree))
        self.tree.setHeaderHidden(True)
        self.tree.setRootIsDecorated(False)
        self.tree.setIndentation(2)
        self.tree.setColumnCount(2)
        self.tree.header().setStretchLastSection(False)
        self.tree.header().setSectionResizeMode(0, QHeaderView.ResizeMode.ResizeToContents)
        self.tree.header().setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        self.tree.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.tree.setAccessibleName(tr("Points"))
        self.tree.itemChanged.connect(lambda *_: self._load())
        left = Card(tr("Points"))
        left.body.addWidget(self.tree, 1)
        left.set_widths(260, 180)
        self.chart = LaneChart(context.theme, tr("Trends"))
        connect_readings(context, self.chart, "trends pictures")
        self.chart.view_changed.connect(self._view_changed)
        self.chart.marked.connect(self._show_numbers)
        connect_provenance(self.chart, self, context, self.points)
        self.title = label("", "head")
        self.picture = Card()
        self.picture.body.addLayout(self._build_header())
        self.picture.body.addWidget(self.chart.scroll(), 1)
        self.empty = label(tr("Select a point on the left to see its record."), "muted")
        self.picture.body.addWidget(self.empty)
        self.marked = Card(tr("Marked period"))
        self.period_box = label("", "muted", wrap=True)
        self.marked.body.addWidget(self.period_box)
        self.figures = FiguresTable()
        self.marked.body.addWidget(self.figures, 1)
        self.hand_over = button(tr("Create document"), self._hand_over)
        self.as_table = button(tr("Readings as a table"), self.show_rows)
        self.as_table.setToolTip("Alt+R")
        self.marked.body.addWidget(self.as_table)
        self.marked.body.addWidget(self.hand_over)
        self.marked.set_widths(290, 230)
        line = row(left, self.picture, self.marked, margins=14)
        line.setStretch(1, 1)
        self.setLayout(line)
        self.setFocusProxy(self.chart)

    def _build_header(self) -> QLayout:
        self.back = button("◀", self.chart.show_previous, "link")
        self.forth = button("▶", self.chart.forth, "link")
        self.back.setAccessibleName(tr("Earlier view"))
        self.forth.setAccessibleName(tr("Later view"))
        self.lengths = QButtonGroup(self)
        buttons: list[QPushButton] = []
        for days, text in LENGTHS:
            made = button(tr(text), partial(self.show_days, days), "link")
            made.setCheckable(True)
            self.lengths.addButton(made, days)
            buttons.append(made)
        self.way_back = button("", self.return_to_origin, "link")
        self.way_back.hide()
        self.mark_button = button(tr("Mark view"), lambda: self.chart.set_mark(self.chart.view()))
        # a long name gives way to the buttons; the tree and its tip say it whole
        self.title.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        head = row(
            self.way_back,
            self.title,
            self.back,
            self.forth,
            label(tr("views"), "muted"),
            *buttons,
            self.mark_button,
            spacing=4,
        )
        head.setStretch(1, 1)
        return head

    def commands(self) -> list[Command]:
        here = places.TRENDS
        lengths = [
            Command(
                f"trends.{text}",
                tr("Show %1").replace("%1", tr(text)),
                f"Alt+{i + 1}",
                partial(self.show_days, days),
                here,
            )
            for i, (days, text) in enumerate(LENGTHS)
        ]
        return [
            *lengths,
            Command("view.back", tr("Earlier view"), "Alt+Left", self.chart.show_previous, here),
            Command("view.forth", tr("Later view"), "Alt+Right", self.chart.forth, here),
            Command(
                "mark",
                tr("Mark the visible period"),
                "Ctrl+M",
                lambda: self.chart.set_mark(self.chart.view()),
                here,
            ),
            Command(
                "mark.type",
                tr("Mark a period by start and end"),
                "Ctrl+I",
                self.mark_period,
                here,
            ),
            Command("mark.zoom", tr("Zoom to the mark"), "Ctrl+J", self.zoom_to_mark, here),
            Command("view.day", tr("Go to a day"), "Ctrl+G", self.pick_day, here),
            Command(
                "unmark",
                tr("Clear the mark"),
                "Ctrl+Shift+M",
                lambda: self.chart.set_mark(None),
                here,
            ),
            Command("origin", tr("Go back"), "Alt+B", self.return_to_origin, here),
            Command(
                "trends.limits",
                tr("Limits of the first point shown"),
                "Ctrl+L",
                self.show_limits,
                here,
            ),
            Command(
                "trends.calculated",
                tr("Calculated series of the first point shown"),
                "Ctrl+D",
                self.show_calculated,
                here,
            ),
            Command("trends.units", tr("Display units"), "Ctrl+U", self.show_units, here),
            Command(
                "trends.chain",
                tr("Corrections of the first point shown"),
                "Alt+C",
                self.show_chain,
                here,
            ),
            Command(
                "trends.story",
                tr("Provenance of the reading at the cursor"),
                "Alt+S",
                lambda: self.show_provenance(self.chart.cursor_ms),
                here,
            ),
            Command(
                "trends.coverage",
                tr("Coverage of the first point shown, as a calendar"),
                "Alt+K",
                self.show_coverage,
                here,
            ),
            Command(
                "trends.days",
                tr("Daily statistics: degree days, index"),
                "Alt+D",
                self.show_day_by_day,
                here,
            ),
            Command(
                "trends.remark",
                tr("Remarks on the first point shown"),
                "Ctrl+B",
                self.show_remarks,
                here,
            ),
            Command("trends.rows", tr("Readings as a table"), "Alt+R", self.show_rows, here),
            Command("points", tr("Select points"), "Ctrl+P", self.tree.setFocus, here),
        ]

    def hint(self) -> str:
        return tr("wheel or + − zoom · drag or ← → move · Shift+drag mark · Backspace earlier view")

    # -- points --------------------------------------------------------------------------------
    def logbook_filter(self) -> Callable[[Workspace], AboutFilter] | None:
        shown, mark = self.points(), self.chart.mark
        if not shown:
            return None
        return lambda desk: about_point(desk, shown[0].id, mark)

    def refresh(self) -> None:
        self.context.run(lambda _task: sites(self.context.desk), self._show_sites)

    def _show_sites(self, listed: list[SitePlace]) -> None:
        selected = {point.id for point in self.points()}
        self.tree.blockSignals(True)
        self.tree.clear()
        for site in listed:
            head = QTreeWidgetItem([site.name])
            font = head.font(0)
            font.setBold(True)
            head.setFont(0, font)
            head.setFlags(Qt.ItemFlag.ItemIsEnabled)
            head.setFirstColumnSpanned(True)
            self.tree.addTopLevelItem(head)
            head.setFirstColumnSpanned(True)
            for point in site.points:
                self._add_point(head, point, point.id in selected)
            head.setExpanded(True)
        self.tree.blockSignals(False)
        if self._target is not None:
            self.show_target(self._target)
        elif selected:
            self.model.remembered = self.chart.view() if self.lanes else None
            self._load()
        else:
            self._show_first_point()

    def _add_point(self, head: QTreeWidgetItem, point: PointPlace, ticked: bool) -> None:
        symbols = " ".join(dict.fromkeys(_sign(place.channel) for place in point.channels))
        item = QTreeWidgetItem([point.name, symbols])
        item.setToolTip(0, plain_tip(point.full_name))
        item.setToolTip(1, symbols)
        item.setForeground(1, self.context.theme.color("muted"))
        item.setData(0, _POINT, point)
        item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
        item.setCheckState(0, Qt.CheckState.Checked if ticked else Qt.CheckState.Unchecked)
        head.addChild(item)

    def _items(self) -> list[QTreeWidgetItem]:
        return [item for item in tree_items(self.tree) if item.parent() is not None]

    def points(self) -> list[PointPlace]:
        """Return the points that are ticked."""
        return [
            item.data(0, _POINT)
            for item in self._items()
            if item.checkState(0) == Qt.CheckState.Checked
        ]

    def _show_first_point(self) -> None:
        for item in self._items():
            if item.data(0, _POINT).channels:
                item.setCheckState(0, Qt.CheckState.Checked)
                return
        self._show_lanes([])

    def show_target(self, target: Any) -> None:
        """Tick only the point of an id, or that of a `Look`, whose stretch is marked in its
        surroundings. It stands until it is shown, whatever loads meanwhile."""
        look = target if isinstance(target, places.TrendsRequest) else places.TrendsRequest(target)
        self._target = look
        items = self._items()
        if not items:
            return
        self.tree.blockSignals(True)
        for item in items:
            ticked = item.data(0, _POINT).id == look.point_id
            item.setCheckState(0, Qt.CheckState.Checked if ticked else Qt.CheckState.Unchecked)
        self.tree.blockSignals(False)
        self.chart.mark = look.span
        self.model.set_target(look.span)
        self.way_back.setVisible(look.return_to is not None)
        if look.return_to is not None:
            self.way_back.setText(tr("← Back (Alt+B)"))
            self.way_back.setToolTip(plain_tip(look.return_to[2]))
        self._return_to = look.return_to
        self._load()

    def mark_period(self) -> None:
        """Ask for the two instants of a stretch to mark."""
        from gezeiten.ui.trends.period_dialog import PeriodDialog

        if self.lanes:
            dialog = PeriodDialog(self, self.chart.mark or self.chart.view(), self._zone())
            dialog.taken.connect(self._mark)
            dialog.open()

    def _mark(self, span: Span, zoom: bool) -> None:
        self.chart.set_mark(span)
        if zoom:
            self.zoom_to_mark()

    def zoom_to_mark(self) -> None:
        """Show exactly the marked stretch."""
        if self.chart.mark is not None:
            self.chart.set_view(self.chart.mark)
        else:
            self.context.show_message(tr("Nothing is marked; Ctrl+M marks the visible period."))

    def pick_day(self) -> None:
        """Ask for a day and show it."""
        from gezeiten.ui.trends.period_dialog import GoToDay

        if self.lanes:
            dialog = GoToDay(self, self.chart.view()[1] - 1, self._zone())
            dialog.taken.connect(self.chart.set_view)
            dialog.open()

    def _zone(self) -> str:
        selected = self.points()
        return selected[0].zone if selected else "UTC"

    def return_to_origin(self) -> None:
        """Back to where one came from, at the same thing."""
        if self._return_to is not None:
            place, target, _ = self._return_to
            self.context.go.emit(place, target)

    # -- lanes ---------------------------------------------------------------------------------
    def _load(self) -> None:
        selected, desk = self.points(), self.context.desk
        stays = self.lanes and self._target is None and selected
        self.model.set_loading(self.chart.view() if stays else None)
        remembered = self.model.remembered
        self.context.run(
            lambda _task: lanes_of(desk, selected, partial(first_view, remembered)),
            self._show_lanes,
            failed=lambda _: self.model.failed(),
            latest="lanes",
        )

    def _show_lanes(self, lanes: list[Lane]) -> None:
        self.lanes = lanes
        selected = self.points()
        view = self.model.loaded(span_of(lanes))
        self.empty.setVisible(not lanes)
        self.chart.scroll().setVisible(bool(lanes))
        self.hand_over.setEnabled(len(selected) == 1 and bool(lanes))
        self.as_table.setEnabled(bool(lanes))
        if not lanes or view is None:
            words = (
                tr("No record yet at these points.")
                if selected
                else tr("Select a point on the left to see its record.")
            )
            self.empty.setText(words)
            self.title.setText("")
            return
        self.title.setText(title([(point.full_name, point.name) for point in selected]))
        self.title.setToolTip(plain_tip(self.title.text()))
        self._target = None
        if not self.model.contains(self.chart.mark):
            self.chart.mark = None
            self.context.show_message(
                tr("The mark was cleared: these points have no record there.")
            )
        self.chart.show_lanes(lanes, view, self._zone(), whole=self.model.extent)
        for fault in faults_of(lanes):
            self.context.said.emit(fault, True)
        self._show_numbers(self.chart.mark)
        wanted = self.model.waiting_days()
        if wanted is not None:
            self.show_days(wanted)

    def show_days(self, days: int) -> None:
        """Show the last days of the record, 0 for all of it; while it loads, once it has."""
        span = self.model.last_days(days)
        if span is not None:
            self.chart.set_view(span)

    def _view_changed(self, span: Span) -> None:
        if self.model.extent is None:
            return
        has = self.model.lengths_of(span)
        self.lengths.setExclusive(False)
        for days, _ in LENGTHS:
            self.lengths.button(days).setChecked(days in has)
        if self.chart.mark is None:
            self._show_numbers(None)

    # -- numbers -------------------------------------------------------------------------------
    def _show_numbers(self, mark: Span | None) -> None:
        if not self.lanes:
            self.figures.clear()
            self.period_box.setText("")
            return
        span = mark or self.chart.view()
        zone = self._zone()
        self.marked.title.setText(tr("Marked period") if mark else tr("Visible period"))
        begin, end = day_and_time(span[0], zone), day_and_time(span[1], zone)
        length = duration_text(span[1] - span[0])
        self.period_box.setText(f"{begin} – {end} · {length} · {zone}")
        pairs = [(lane, trace) for lane in self.lanes for trace in lane.traces]
        shown = pairs[:MOST_COLUMNS]

        desk = self.context.desk

        def work(_task: object) -> list[FigureColumn]:
            return [figure_column(desk, lane, trace, span, zone) for lane, trace in shown]

        self.context.run(
            work,
            lambda columns: self._show_columns(columns, len(pairs) - len(shown)),
            latest="numbers",
        )

    def _show_columns(self, columns: list[FigureColumn], left_out: int) -> None:
        if columns and not any(column.numbers.n for column in columns):
            self.period_box.setText(f"{self.period_box.text()} · {tr('no reading in it')}")
        self.figures.show_columns(columns, left_out, several=len(self.points()) > 1)

    def show_limits(self) -> None:
        """Show the limits of the first point shown."""
        from gezeiten.ui.points.limits_dialog import LimitsDialog

        if self.points():
            LimitsDialog(self, self.context, self.points()[0]).open()

    def show_calculated(self) -> None:
        """Show what is calculated at the first point shown, and add to it."""
        from gezeiten.ui.points.calculated_dialog import CalculatedDialog

        if self.points():
            CalculatedDialog(self, self.context, self.points()[0]).open()

    def show_chain(self) -> None:
        """Show how the series of the first point shown come about, and correct them."""
        from gezeiten.ui.mend.chain_dialog import ChainDialog

        if self.points() and self.lanes:
            view = self.chart.mark or self.chart.view()
            ChainDialog(self, self.context, self.points()[0], view=view).open()

    def point_in_hand(self) -> int | None:
        shown = self.points()
        return shown[0].id if shown else None

    def show_coverage(self) -> None:
        """Show how much of each day of the first point shown is held."""
        from gezeiten.ui.points.coverage_dialog import CoverageDialog

        if self.points():
            CoverageDialog(self, self.context, self.points()[0]).open()

    def show_day_by_day(self) -> None:
        """Show the stretch, marked or in view, of the first point shown day by day."""
        from gezeiten.ui.points.days_dialog import DaysDialog

        if self.points() and self.lanes:
            span = self.chart.mark or self.chart.view()
            DaysDialog(self, self.context, self.points()[0], span).open()

    def show_remarks(self) -> None:
        """Show the remarks on the first point shown; a new one is about the marked stretch, else
        about the instant at the cursor."""
        from gezeiten.ui.points.remarks_dialog import RemarksDialog

        if self.points():
            at_ms = self.chart.cursor_ms
            span = self.chart.mark or (None if at_ms is None else (at_ms, at_ms))
            RemarksDialog(self, self.context, self.points()[0], span).open()

    def show_provenance(self, at_ms: int | None) -> None:
        """Show the provenance of the reading of the first point shown that is nearest to an
        instant; without one, the last in view."""
        if self.points() and self.lanes:
            at_ms = self.chart.view()[1] if at_ms is None else at_ms
            ProvenanceDialog(self, self.context, self.points()[0], at_ms).open()

    def show_units(self) -> None:
        """Show in which units the points shown are on the screen."""
        from gezeiten.ui.points.units_dialog import UnitsDialog

        if self.points():
            UnitsDialog(self, self.context, self.points()).open()

    def show_rows(self) -> None:
        """Show the readings of the stretch, marked or in view, as a table."""
        series = tuple(
            (point, place.channel) for point in self.points() for place in point.channels
        )
        if series and self.lanes:
            span = self.chart.mark or self.chart.view()
            self.context.rows_wanted.emit(ReadingsRequest(series, span))

    def _hand_over(self) -> None:
        selected = self.points()
        if len(selected) == 1:
            span = self.chart.mark or self.chart.view()
            self.context.go.emit(places.HANDOVER, (selected[0].id, span))

    def set_theme(self, theme: Theme) -> None:
        self.chart.set_theme(theme)
        for item in self._items():
            item.setForeground(1, theme.color("muted"))


def _sign(channel: str) -> str:
    """Return the few letters of a quantity; the classes of particles are "PN", particle number."""
    symbol = quantity(channel).symbol
    return symbol.split()[0] if symbol[:1].isalpha() else "PN"
