"""What a place shows as long as nothing is in the archive: a picture of itself and one way on."""

from __future__ import annotations

import math
from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from gezeiten.ui.format.i18n import tr
from gezeiten.ui.parts.widgets import button, column, label, row
from gezeiten.ui.shell.theme import LIGHT, Theme

_SIZE = QSize(420, 190)
Sketch = Callable[[QPainter, QRectF, Theme], None]


class SketchView(QWidget):
    """A faint drawing of what will stand here."""

    def __init__(self, sketch: Sketch, name: str) -> None:
        super().__init__()
        self.theme: Theme = LIGHT
        self._sketch = sketch
        self.setFixedSize(_SIZE)
        self.setAccessibleName(name)

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        area = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        painter.setPen(QPen(self.theme.color("line"), 1.5))
        painter.setBrush(self.theme.color("paper"))
        painter.drawRoundedRect(area, 8, 8)
        self._sketch(painter, area.adjusted(18, 18, -18, -18), self.theme)


class EmptyPlace(QWidget):
    """Lies over a place. asked: the way on was taken."""

    asked = Signal()

    def __init__(self, place: QWidget, sketch: Sketch, title: str, words: str, method: str) -> None:
        super().__init__(place)
        self.setObjectName("ground")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.sketch = SketchView(sketch, title)
        self.way = button(method, self.asked.emit, "primary")
        said = label(words, wrap=True)
        said.setAlignment(Qt.AlignmentFlag.AlignCenter)
        said.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Minimum)
        said.setFixedWidth(_SIZE.width())
        head = label(title, "big")
        head.setAlignment(Qt.AlignmentFlag.AlignCenter)
        centred = [row(1, part, 1) for part in (self.sketch, head, said, self.way)]
        self.setLayout(column(1, *centred, 2, spacing=14))
        self.setFocusProxy(self.way)
        self.fit()

    def fit(self) -> None:
        """Cover the whole place."""
        over = self.parentWidget()
        if over is not None:
            self.setGeometry(over.rect())

    def set_theme(self, theme: Theme) -> None:
        self.sketch.theme = theme
        self.sketch.update()


# -- sketches: one a place ------------------------------------------------------------------------
def _curve(area: QRectF, height: float, waves: float, shift: float = 0.0) -> QPolygonF:
    points = []
    for i in range(81):
        share = i / 80
        y = math.sin(2 * math.pi * waves * share + shift) * height / 2
        points.append(QPointF(area.left() + share * area.width(), area.center().y() - y))
    return QPolygonF(points)


def _soft(theme: Theme, width: float = 2.0) -> QPen:
    return QPen(theme.color("tide_pale"), width)


def record_sketch(painter: QPainter, area: QRectF, theme: Theme) -> None:
    """Two curves on one time axis."""
    painter.setPen(_soft(theme))
    painter.drawPolyline(_curve(area, area.height() * 0.6, 3.0))
    painter.drawPolyline(_curve(area, area.height() * 0.35, 3.0, 1.1))
    painter.setPen(QPen(theme.color("line"), 1))
    painter.drawLine(area.bottomLeft(), area.bottomRight())


def gap_sketch(painter: QPainter, area: QRectF, theme: Theme) -> None:
    """A curve with a hatched gap."""
    hole = QRectF(area.left() + area.width() * 0.45, area.top(), area.width() * 0.2, area.height())
    painter.setPen(_soft(theme))
    painter.drawPolyline(_curve(area, area.height() * 0.6, 2.5))
    painter.fillRect(hole, theme.color("paper"))
    painter.setPen(QPen(theme.color("muted"), 1))
    painter.setBrush(Qt.BrushStyle.BDiagPattern)
    painter.drawRect(hole)


def excursion_sketch(painter: QPainter, area: QRectF, theme: Theme) -> None:
    """A curve that rises above its limit, with the triangle that marks it."""
    painter.setPen(_soft(theme))
    painter.drawPolyline(_curve(area, area.height() * 0.6, 1.5, -1.2))
    painter.setPen(QPen(theme.color("ember"), 1.5, Qt.PenStyle.DashLine))
    limit = area.top() + area.height() * 0.36
    painter.drawLine(QPointF(area.left(), limit), QPointF(area.right(), limit))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.color("ember"))
    at = QPointF(area.left() + area.width() * 0.294, area.top() + area.height() * 0.12)
    painter.drawPolygon(QPolygonF([at + QPointF(0, -11), at + QPointF(-7, 0), at + QPointF(7, 0)]))


def document_sketch(painter: QPainter, area: QRectF, theme: Theme) -> None:
    """Two pages side by side."""
    for left in (0.22, 0.54):
        page = QRectF(
            area.left() + area.width() * left, area.top(), area.width() * 0.25, area.height()
        )
        painter.setPen(QPen(theme.color("line"), 1.5))
        painter.setBrush(theme.color("ground"))
        painter.drawRect(page)
        painter.setPen(_soft(theme, 3.0))
        for i in range(5):
            y = page.top() + 18 + i * 20
            width = page.width() * (0.75 if i % 2 else 0.55)
            painter.drawLine(QPointF(page.left() + 10, y), QPointF(page.left() + width, y))


def logbook_sketch(painter: QPainter, area: QRectF, theme: Theme) -> None:
    """Entries, each chained to the one before."""
    for i in range(5):
        y = area.top() + 14 + i * (area.height() - 28) / 4
        painter.setPen(_soft(theme, 3.0))
        painter.drawLine(QPointF(area.left() + 40, y), QPointF(area.right() - 30 * (i % 3), y))
        painter.setPen(QPen(theme.color("tide"), 1.5))
        painter.setBrush(theme.color("paper"))
        painter.drawEllipse(QPointF(area.left() + 14, y), 6, 6)
        if i:
            step = (area.height() - 28) / 4
            painter.drawLine(
                QPointF(area.left() + 14, y - step + 6), QPointF(area.left() + 14, y - 6)
            )


def empty_state(kind: str) -> tuple[Sketch, str, str]:
    """Return sketch, title and words of an empty place; kind: "mend", "trends", ..."""
    return {
        "mend": (
            gap_sketch,
            tr("No gaps yet"),
            tr("Periods without readings are listed here by site, with the ways to fill them."),
        ),
        "trends": (
            record_sketch,
            tr("No record yet"),
            tr("The points you select are drawn here on one time axis, with their limits."),
        ),
        "excursions": (
            excursion_sketch,
            tr("No readings yet"),
            tr("Excursions outside the limits are listed here, to be assessed."),
        ),
        "handover": (
            document_sketch,
            tr("No documents yet"),
            tr("The pages of a report are shown here before it is exported."),
        ),
        "logbook": (
            logbook_sketch,
            tr("No entries yet"),
            tr("Everything that is done is recorded here with time and user, chained by its hash."),
        ),
    }[kind]
