"""The bar of the five stages at a logger: name, state sign, a word; click or Alt+number."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFont, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from gezeiten.ui.format.i18n import tr
from gezeiten.ui.parts.plain import plain_tip
from gezeiten.ui.shell.theme import LIGHT, Theme

_SIGNS = {"passed": "✓", "look": "!", "blocking": "✕", "note": ""}
_EDGE = 7
_COLORS = {"passed": "kelp", "look": "brass", "blocking": "ember", "note": "line"}


class StageBar(QWidget):
    """Emits the number of the chosen stage."""

    chosen = Signal(int)

    def __init__(self, names: list[str]) -> None:
        super().__init__()
        self.names = names
        self.theme: Theme = LIGHT
        self.current = 0
        self._states = [("note", "")] * len(names)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Stages"))

    def sizeHint(self) -> QSize:
        return QSize(500, self.fontMetrics().height() * 2 + 20)

    def minimumSizeHint(self) -> QSize:
        return QSize(260, self.sizeHint().height())

    def set_theme(self, theme: Theme) -> None:
        self.theme = theme
        self.update()

    def set_state(self, stage: int, state: str, words: str) -> None:
        """Show a stage as passed, look, blocking or note, with a word."""
        self._states[stage] = (state, words)
        texts = [f"{n}: {w}" for n, (_, w) in zip(self.names, self._states, strict=True)]
        self.setAccessibleDescription("; ".join(texts))
        self.setToolTip(plain_tip("\n".join(texts)))
        self.update()

    def select(self, stage: int) -> None:
        """Choose a stage."""
        self.current = stage
        self.chosen.emit(stage)
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        t = self.theme
        whole = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
        painter.setPen(QPen(t.color("line"), 1))
        painter.setBrush(t.color("paper"))
        painter.drawRoundedRect(whole, 8, 8)
        width = whole.width() / len(self.names)
        line = self.fontMetrics().height()
        for i, (name, (state, words)) in enumerate(zip(self.names, self._states, strict=True)):
            area = QRectF(whole.left() + i * width, 1, width, whole.height() - 1)
            if i == self.current:
                painter.fillRect(area.adjusted(1, 0, -1, -4), t.color("tide_wash"))
            color = "tide" if i == self.current else _COLORS[state]
            painter.fillRect(
                QRectF(area.left() + 1, area.bottom() - 4, width - 2, 4), t.color(color)
            )
            bold = QFont(self.font())
            bold.setBold(True)
            painter.setFont(bold)
            painter.setPen(t.color("ink"))
            room = width - _EDGE - 4 - (18 if state != "note" else 0)
            title, bold_metrics = f"{i + 1} {name}", painter.fontMetrics()
            if bold_metrics.horizontalAdvance(title) > room:
                title = bold_metrics.elidedText(name, Qt.TextElideMode.ElideRight, int(room))
            painter.drawText(QRectF(area.left() + _EDGE, 5, width, line + 2), title)
            advance = bold_metrics.horizontalAdvance(title + " ")
            if state != "note":
                painter.setPen(t.color(_COLORS[state]))
                sign = QRectF(area.left() + _EDGE + advance, 5, 24, line + 2)
                painter.drawText(sign, _SIGNS[state])
            small = QFont(self.font())
            small.setPixelSize(round(small.pixelSize() * 0.88))
            painter.setFont(small)
            painter.setPen(t.color("muted"))
            room = width - _EDGE - 4
            shown = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(room))
            painter.drawText(QRectF(area.left() + _EDGE, line + 8, room, line + 2), shown)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(t.color("tide"), 2))
            painter.drawRoundedRect(whole.adjusted(1, 1, -1, -1), 8, 8)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.select(min(int(event.position().x() / self.width() * len(self.names)), 4))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1}.get(Qt.Key(event.key()))
        if step:
            self.select(min(max(self.current + step, 0), len(self.names) - 1))
        else:
            super().keyPressEvent(event)
