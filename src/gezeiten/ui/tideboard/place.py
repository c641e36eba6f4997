"""The Tideboard as one place: the board, its legend, and the visits that follow from it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING

from PySide6.QtCore import QDateTime, QEvent, QObject, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QApplication,
    QDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from gezeiten.desk.field.startup_cache import cached_board, fresh_board
from gezeiten.domain.board.board import Board, Visit
from gezeiten.domain.board.facts import BoardExcursion, BoardGap
from gezeiten.domain.board.rows import BoardRow
from gezeiten.domain.series.timeline import DAY_MS
from gezeiten.ui.format.i18n import counted, day, home_zone, number, tr
from gezeiten.ui.parts.date_time_field import DateTimeField
from gezeiten.ui.parts.field_error import FieldError
from gezeiten.ui.parts.first_steps import FirstSteps
from gezeiten.ui.parts.widgets import Card, button, clear, column, label, row, set_role
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.app_context import AppContext, ClockWanted, Place
from gezeiten.ui.shell.commands import Command
from gezeiten.ui.shell.theme import Theme
from gezeiten.ui.tideboard.canvas import BoardCanvas
from gezeiten.ui.tideboard.texts import legend_items, row_text

if TYPE_CHECKING:
    from gezeiten.desk.base.workspace import Workspace
    from gezeiten.desk.office.logbook import AboutFilter

VISITS_SHOWN = 4
_PRESSED = QEvent.Type.KeyPress
NEEDS_SHOWN = 3


class VisitDialog(QDialog):
    """Asks for a day, or that the site is followed online; emits site id and instant or None."""

    chosen = Signal(int, object)

    def __init__(self, parent: QWidget, row: BoardRow) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Next visit"))
        self._row = row
        self.day = DateTimeField(tr("Next visit"))
        self.day.show_instant(QDateTime.currentMSecsSinceEpoch() + 14 * DAY_MS, row.point.zone)
        self.problem = label("", "ember", wrap=True)
        self.problem.hide()
        title = label(tr("Next visit to %1").replace("%1", row.point.site), "head")
        take = button(tr("Set date"), self._accept, "primary")
        none = button(tr("No visits: online"), self._no_visit)
        self.setLayout(column(title, self.day, self.problem, take, none, margins=16))

    def _accept(self) -> None:
        try:
            at_ms = self.day.instant_ms(self._row.point.zone)
        except FieldError as exc:
            self.problem.setText(str(exc))
            self.problem.show()
            return
        self.chosen.emit(self._row.point.site_id, at_ms)
        self.accept()

    def _no_visit(self) -> None:
        self.chosen.emit(self._row.point.site_id, None)
        self.accept()


class TideboardPlace(Place):
    """Home: what do I have, what do I lack, what is at risk, when must I go."""

    def __init__(self, context: AppContext) -> None:
        super().__init__(context)
        self.canvas = BoardCanvas()
        self._has_practice = False
        self._zones_differ: set[str] = set()
        self._wanted_site = ""
        self.canvas.opened.connect(self._open)
        self.canvas.selected.connect(lambda row: self.context.show_message(row_text(row)))
        scroll = QScrollArea()
        scroll.setWidget(self.canvas)
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        scroll.setFocusProxy(self.canvas)
        self.setFocusProxy(self.canvas)
        self._scroll = scroll
        self.canvas.selected.connect(lambda _: self._follow())
        self.empty = FirstSteps(can_practise=context.practice is not None)
        self.empty.named.connect(self._named)
        self.empty.look.connect(lambda typed: self._on_request(f"look {typed}"))
        self.empty.asked.connect(self._on_request)
        self.visits = QHBoxLayout()
        self.visits.setSpacing(10)
        self.legend = QLabel()
        self.legend.setTextFormat(Qt.TextFormat.RichText)
        self.legend.setWordWrap(True)  # large text takes a second line, not a wider window
        below = QWidget()
        below.setLayout(self.visits)
        self.visits.setContentsMargins(16, 8, 16, 4)
        foot = QHBoxLayout()
        foot.setContentsMargins(16, 2, 16, 6)
        foot.addWidget(self.legend, 100)
        foot.addStretch(1)
        if not context.is_read_only:
            foot.addWidget(button(tr("Sites and points"), self.edit_point, "link"))
            foot.addWidget(button(tr("Prepare visit"), self.prepare_visit, "link"))
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        self.head = self._build_header()
        whole.addWidget(self.head)
        whole.addWidget(scroll, 1)
        whole.addWidget(self.empty, 1)
        whole.addWidget(below)
        whole.addLayout(foot)
        self.empty.hide()
        self._show_legend()

    def _build_header(self) -> QWidget:
        """What is shown of the board: found by typing, in which order, over which stretch."""
        self.search = QLineEdit()
        self.search.setPlaceholderText(tr("search site, point, serial, need ( / )"))
        self.search.setAccessibleName(tr("Search the board"))
        self.search.setClearButtonEnabled(True)
        self.search.setMinimumWidth(300)
        self.search.setMaximumWidth(360)
        self.search.textChanged.connect(self._typed)
        self.search.returnPressed.connect(self.canvas.setFocus)
        self.search.installEventFilter(self)
        self.found = label("", "muted")
        self.order = button(tr("Most urgent first"), self.toggle_order, "link")
        self.order.setCheckable(True)
        self.order.setToolTip("N")
        self.fold = button(tr("Collapse sites"), self.fold_all, "link")
        self.fold.setToolTip("Shift+F")
        span = [
            button("◀", lambda: self.canvas.shift(-0.5), "link"),
            button("−", lambda: self.canvas.zoom(2.0), "link"),
            button("+", lambda: self.canvas.zoom(0.5), "link"),
            button("▶", lambda: self.canvas.shift(0.5), "link"),
            button(tr("now"), self.canvas.show_default_period, "link"),
        ]
        names = (
            tr("Earlier"),
            tr("Longer period"),
            tr("Shorter period"),
            tr("Later"),
            tr("Default period around now"),
        )
        for made, name in zip(span, names, strict=True):
            made.setAccessibleName(name)
            made.setToolTip(name)
        line = QWidget()
        laid = row(self.search, self.found, 1, self.order, self.fold, *span, spacing=4)
        laid.setContentsMargins(16, 6, 16, 2)
        line.setLayout(laid)
        return line

    def hint(self) -> str:
        return tr(
            "↑ ↓ select · Enter open · / search · N most urgent first · F collapse · "
            "← → + − time · P prepare visit · V next visit · E point"
        )

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Down leads from the field to the rows, Esc clears it first."""
        if watched is self.search and isinstance(event, QKeyEvent) and event.type() == _PRESSED:
            if event.key() == Qt.Key.Key_Down:
                self.canvas.setFocus()
                return True
            if event.key() == Qt.Key.Key_Escape:
                self.search.clear()
                self.canvas.setFocus()
                return True
        return super().eventFilter(watched, event)

    def focus_search(self) -> None:
        """Type what is looked for."""
        self.search.setFocus()
        self.search.selectAll()

    def _typed(self, typed: str) -> None:
        self.canvas.model.type(typed)
        self._arranged()

    def toggle_order(self) -> None:
        """Put first what needs somebody, or sites in their order."""
        self.canvas.model.set_order("sites" if self.canvas.model.by_needs else "needs")
        self._arranged()

    def fold_all(self) -> None:
        """Fold all sites to a line each, or unfold them."""
        self.canvas.model.set_order("sites")
        self.canvas.model.fold_all()
        self._arranged()

    def fold_site(self) -> None:
        """Fold the site of the chosen row to one line, or unfold it."""
        model = self.canvas.model
        if model.row is not None and not model.by_needs:
            model.fold(model.row.point.site_id)
            self._arranged()

    def _arranged(self) -> None:
        model = self.canvas.model
        self.order.setChecked(model.by_needs)
        self.fold.setChecked(bool(model.folded))
        whole = sum(len(rows) for _, rows in model.board.sites) if model.board else 0
        words = tr("%1 of %2").replace("%1", number(model.point_count)).replace("%2", number(whole))
        self.found.setText(words if model.typed else "")
        self.canvas.arranged()
        if model.row is not None:
            self._follow()

    def commands(self) -> list[Command]:
        return [
            Command("board.find", tr("Search the board"), "/", self.focus_search, places.TIDEBOARD),
            Command(
                "board.order",
                tr("Most urgent first, or by site"),
                "N",
                self.toggle_order,
                places.TIDEBOARD,
            ),
            Command(
                "board.fold",
                tr("Collapse the selected site"),
                "F",
                self.fold_site,
                places.TIDEBOARD,
            ),
            Command(
                "board.fold.all",
                tr("Collapse all sites"),
                "Shift+F",
                self.fold_all,
                places.TIDEBOARD,
            ),
            Command(
                "board.now",
                tr("Default period around now"),
                "Home",
                self.canvas.show_default_period,
                places.TIDEBOARD,
            ),
            Command(
                "round",
                tr("Prepare visit: the round of a day"),
                "P",
                self.prepare_visit,
                places.TIDEBOARD,
            ),
            Command(
                "point.edit", tr("Edit the selected point"), "E", self.edit_point, places.TIDEBOARD
            ),
            Command(
                "visit.set",
                tr("Set the next visit of the site"),
                "V",
                self.set_visit,
                places.TIDEBOARD,
            ),
        ]

    def logbook_filter(self) -> Callable[[Workspace], AboutFilter] | None:
        selected = self.canvas.row
        if selected is None:
            return None

        def about(desk: Workspace) -> AboutFilter:
            from gezeiten.desk.office.logbook import about_point  # when it is asked for

            return about_point(desk, selected.point.id)

        return about

    def point_in_hand(self) -> int | None:
        selected = self.canvas.row
        return selected.point.id if selected is not None else None

    def prepare_visit(self) -> None:
        """Choose the sites of a day, or see the round under way."""
        from gezeiten.ui.tideboard.round_dialog import RoundDialog

        RoundDialog(self, self.context).open()

    def edit_point(self) -> None:
        """Open the chosen point among sites and points."""
        from gezeiten.ui.points.places_dialog import PlacesDialog

        selected = self.canvas.row
        PlacesDialog(self, self.context, selected.point.id if selected else None).open()

    def set_visit(self) -> None:
        """Ask for the day on which the chosen row's site is visited next."""
        selected = self.canvas.row
        if selected is None:
            return
        dialog = VisitDialog(self, selected)
        dialog.chosen.connect(self._visit_selected)
        dialog.open()

    def _visit_selected(self, site_id: int, visit_ms: int | None) -> None:
        desk = self.context.desk

        def work(_task: object) -> None:
            from gezeiten.desk.sites.places import set_next_visit  # when it is wanted

            set_next_visit(desk, site_id, visit_ms)

        self.context.run(work, lambda _: self.context.archive_changed.emit())

    def refresh(self) -> None:
        desk = self.context.desk

        def work(_task: object) -> Board:
            return fresh_board(desk)

        self.context.run(work, self.show_board, latest="board")

    def show_cached(self) -> bool:
        """Show the board before the archive is opened; False where it is not known so early."""
        sight = cached_board(self.context.desk)
        if sight is not None:
            self.show_board(sight)
        return sight is not None

    def _start_first_steps(self) -> None:
        if not self.empty.name.text():
            self.empty.name.setText(self.context.desk.person)
            self.empty.name.selectAll()
        there = QApplication.focusWidget()
        if there is None or not self.empty.isAncestorOf(there):
            self.setFocus()

    # -- the first start ---------------------------------------------------------------------------
    def _named(self, person: str) -> None:
        desk = self.context.desk
        if person and person != desk.person:
            self.context.change_settings(replace(desk.settings, person=person))
            self.context.wants.emit("person")

    def _on_request(self, what: str) -> None:
        """A way on that begins at the loggers: go there and take it."""
        if what != "demonstration":
            self.context.go.emit(places.FIELD_DESK, None)
        self.context.begin.emit(what)

    def show_target(self, target: object) -> None:
        """Choose the first point of a site by the site's name."""
        self._wanted_site = str(target)
        self._select_site()

    def _select_site(self) -> None:
        if self._wanted_site and self.canvas.select_site(self._wanted_site):
            self._wanted_site = ""

    def show_board(self, board: Board) -> None:
        """Show a board and the visits that follow from it."""
        has_points = any(rows for _, rows in board.sites)
        self._scroll.setVisible(has_points)
        self.empty.setVisible(not has_points)
        self.legend.setVisible(has_points)  # of nothing there is nothing to explain
        self.setFocusProxy(self.canvas if has_points else self.empty)
        if not has_points:
            self._start_first_steps()
        self.head.setVisible(has_points)
        self.canvas.show_board(board)
        self._arranged()
        self._select_site()
        self._zones_differ = {site.zone for site, _ in board.sites} - {home_zone()}
        self._has_practice = any(row.point.practice for _, rows in board.sites for row in rows)
        self._show_legend()
        clear(self.visits)
        for visit in board.visits[:VISITS_SHOWN]:
            self.visits.addWidget(self._visit_card(visit), 1)
        more = len(board.visits) - VISITS_SHOWN
        if more > 0:
            words = counted(more, "%n more visit", "%n more visits")
            more_words = (
                label(words, "muted")
                if self.context.is_read_only
                else button(words, self.prepare_visit, "link")
            )
            self.visits.addWidget(more_words)
        window = self.window()
        if hasattr(window, "strip"):
            count = len(board.visits)
            urgent = any(visit.is_urgent for visit in board.visits)
            words = counted(count, "%n visit due", "%n visits due") if has_points else ""
            window.strip.tabs[places.TIDEBOARD].set_line(words, urgent)

    def _visit_card(self, visit: Visit) -> Card:
        loggers = counted(visit.loggers, "%n logger", "%n loggers")
        card = Card(day(visit.due_ms, visit.site.zone), loggers)
        card.body.setContentsMargins(14, 7, 14, 7)
        card.body.setSpacing(2)
        if visit.is_urgent:
            set_role(card.title, "ember")
        card.body.addWidget(label(visit.site.name, "head"))
        for words in visit.needs[:NEEDS_SHOWN]:
            card.body.addWidget(label(words, "muted", wrap=True))
        rest = len(visit.needs) - NEEDS_SHOWN
        if rest > 0:
            card.body.addWidget(label(counted(rest, "and %n more", "and %n more"), "muted"))
        if not visit.needs:
            card.body.addWidget(label(tr("Offload and review."), "muted"))
        card.body.addStretch(1)
        return card

    def _show_legend(self) -> None:
        parts = [
            f"<span style='color:{color.name()}'>{sign}</span>"
            f"<span style='color:{self.context.theme.muted}'> {words}</span>"
            for sign, words, color in legend_items(self.context.theme)
        ]
        if self._has_practice:
            words = tr("serial: practice logger")
            parts.append(f"<i style='color:{self.context.theme.muted}'>{words}</i>")
        if self._zones_differ:
            words = tr("times as at each site")
            parts.append(f"<span style='color:{self.context.theme.muted}'>{words}</span>")
        self.legend.setText("&nbsp;&nbsp; ".join(parts))

    def set_theme(self, theme: Theme) -> None:
        self.canvas.theme = theme
        self.canvas.setMinimumHeight(self.canvas.sizeHint().height())
        self.canvas.update()
        self._show_legend()

    def _follow(self) -> None:
        """Keep the selected row in sight."""
        top = self.canvas._top(self.canvas.model.current)
        self._scroll.ensureVisible(0, round(top), 0, 60)

    def _open(self, what: tuple[BoardRow, object]) -> None:
        row, item = what
        if isinstance(item, BoardGap):
            self.context.go.emit(places.MEND, item.key)
        elif isinstance(item, BoardExcursion):
            self.context.go.emit(places.EXCURSIONS, item.id)
        elif item == "wrong clock":
            one = row.wrong_clocks[0]
            self.context.go.emit(places.MEND, ClockWanted(row.point.id, one.series))
        elif item == "logger":
            if self.context.is_read_only:
                self.context.logger_wanted.emit(row.serial)
            else:
                self.context.go.emit(places.FIELD_DESK, row.serial)
        else:
            self.context.go.emit(places.TRENDS, row.point.id)
