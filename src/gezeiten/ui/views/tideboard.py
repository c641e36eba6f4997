"""The Tideboard: the board itself, its legend, and the visits that follow from it."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QLabel, QScrollArea, QVBoxLayout, QWidget

from gezeiten.desk.board import Board, BoardRow, Visit, board
from gezeiten.desk.excursion_book import BookedExcursion
from gezeiten.desk.mending import BookedGap
from gezeiten.ui import house as places
from gezeiten.ui.house import House, Place
from gezeiten.ui.i18n import counted, day, tr
from gezeiten.ui.parts import Card, clear, label, set_role
from gezeiten.ui.theme import Theme
from gezeiten.ui.views.board_canvas import BoardCanvas, legend_items, row_in_words

VISITS_SHOWN = 4
NEEDS_SHOWN = 3


class TideboardPlace(Place):
    """Home: what do I have, what do I lack, what is at risk, when must I go."""

    def __init__(self, house: House) -> None:
        super().__init__(house)
        self.canvas = BoardCanvas()
        self.canvas.opened.connect(self._open)
        self.canvas.selected.connect(lambda row: self.house.say(row_in_words(row)))
        scroll = QScrollArea()
        scroll.setWidget(self.canvas)
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        scroll.setFocusProxy(self.canvas)
        self.setFocusProxy(self.canvas)
        self._scroll = scroll
        self.canvas.selected.connect(lambda _: self._follow())
        self.empty = label(
            tr("No point yet. Offload or launch a logger on the Field desk (Ctrl+2)."),
            "muted",
        )
        self.empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.visits = QHBoxLayout()
        self.visits.setSpacing(10)
        self.legend = QLabel()
        self.legend.setTextFormat(Qt.TextFormat.RichText)
        below = QWidget()
        below.setLayout(self.visits)
        self.visits.setContentsMargins(16, 10, 16, 6)
        foot = QHBoxLayout()
        foot.setContentsMargins(16, 2, 16, 6)
        foot.addWidget(self.legend)
        foot.addStretch(1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addWidget(scroll, 1)
        whole.addWidget(self.empty, 1)
        whole.addWidget(below)
        whole.addLayout(foot)
        self.empty.hide()
        self._show_legend()

    def hint(self) -> str:
        return tr("↑ ↓ choose · Enter opens · Ctrl+K finds a command")

    def refresh(self) -> None:
        self.house.run(lambda _task: board(self.house.desk), self.show_board)

    def show_board(self, shown: Board) -> None:
        """Show a board and the visits that follow from it."""
        has_points = any(rows for _, rows in shown.sites)
        self._scroll.setVisible(has_points)
        self.empty.setVisible(not has_points)
        self.canvas.show_board(shown)
        clear(self.visits)
        for visit in shown.visits[:VISITS_SHOWN]:
            self.visits.addWidget(self._visit_card(visit), 1)
        window = self.window()
        if hasattr(window, "strip"):
            count = len(shown.visits)
            urgent = any(visit.is_urgent for visit in shown.visits)
            words = counted(count, "%n visit due", "%n visits due")
            window.strip.tabs[places.TIDEBOARD].set_line(words, urgent)

    def _visit_card(self, visit: Visit) -> Card:
        loggers = counted(visit.loggers, "%n logger", "%n loggers")
        card = Card(day(visit.due_ms, visit.site.zone), loggers)
        if visit.is_urgent:
            set_role(card.title, "ember")
        card.body.addWidget(label(visit.site.name, "head"))
        for words in visit.needs[:NEEDS_SHOWN]:
            card.body.addWidget(label(words, "muted", wrap=True))
        rest = len(visit.needs) - NEEDS_SHOWN
        if rest > 0:
            card.body.addWidget(label(counted(rest, "and %n more", "and %n more"), "muted"))
        if not visit.needs:
            card.body.addWidget(label(tr("Offload and look."), "muted"))
        card.body.addStretch(1)
        return card

    def _show_legend(self) -> None:
        parts = [
            f"<span style='color:{color.name()}'>{sign}</span>"
            f"<span style='color:{self.house.theme.muted}'> {words}</span>"
            for sign, words, color in legend_items(self.house.theme)
        ]
        self.legend.setText("&nbsp;&nbsp; ".join(parts))

    def set_theme(self, theme: Theme) -> None:
        self.canvas.theme = theme
        self.canvas.setMinimumHeight(self.canvas.sizeHint().height())
        self.canvas.update()
        self._show_legend()

    def _follow(self) -> None:
        """Keep the selected row in sight."""
        top = self.canvas._top(self.canvas.current)
        self._scroll.ensureVisible(0, round(top), 0, 60)

    def _open(self, what: tuple[BoardRow, object]) -> None:
        row, thing = what
        if isinstance(thing, BookedGap):
            self.house.go.emit(places.MEND, thing.key)
        elif isinstance(thing, BookedExcursion):
            self.house.go.emit(places.EXCURSIONS, thing.id)
        elif thing == "logger":
            self.house.go.emit(places.FIELD_DESK, row.serial)
        else:
            self.house.go.emit(places.TRENDS, row.point.id)
