"""The strip across the top: the places in the order of the work, with counts of what is open."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QFocusEvent,
    QFont,
    QFontMetrics,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QResizeEvent,
)
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QWidget

from gezeiten.ui.format.i18n import tr
from gezeiten.ui.parts.plain import plain_tip
from gezeiten.ui.parts.widgets import button, label
from gezeiten.ui.shell.theme import Theme


class PlaceTab(QWidget):
    """One place in the strip: name, a line about what is open there, a wave under the present."""

    chosen = Signal()

    def __init__(self, name: str, key: str, theme: Theme) -> None:
        super().__init__()
        self._name, self._theme = name, theme
        self._line, self._urgent, self._current = "", False, False
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self._key = key
        self.setToolTip(f"{name} ({key})")
        self.setAccessibleName(name)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Expanding)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def set_theme(self, theme: Theme) -> None:
        self._theme = theme
        self.update()

    def set_line(self, text: str, urgent: bool) -> None:
        """Show what is open here; urgent lines are bold and in ember."""
        self._line, self._urgent = text, urgent
        self.setAccessibleDescription(text)
        self.setToolTip(plain_tip("\n".join(filter(None, (f"{self._name} ({self._key})", text)))))
        self.updateGeometry()
        self.update()

    def set_current(self, current: bool) -> None:
        self._current = current
        self.update()

    def sizeHint(self) -> QSize:
        metrics = self.fontMetrics()
        wide = max(
            metrics.horizontalAdvance(self._name + "mm"), metrics.horizontalAdvance(self._line)
        )
        return QSize(max(92, wide + 8), 58)

    def minimumSizeHint(self) -> QSize:
        """The name is always whole; what is open gives way, the tip says it."""
        bold = QFont(self.font())
        bold.setBold(True)
        return QSize(QFontMetrics(bold).horizontalAdvance(self._name) + 10, 58)

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        t = self._theme
        font = painter.font()
        font.setBold(True)
        painter.setFont(font)
        painter.setPen(t.color("tide" if self._current else "ink"))
        middle = self.height() // 2
        painter.drawText(4, middle - 5, self._name)
        font.setBold(self._urgent)
        font.setPixelSize(round(font.pixelSize() * 0.88))
        painter.setFont(font)
        painter.setPen(t.color("ember" if self._urgent else "muted"))
        room, elide = self.width() - 8, Qt.TextElideMode.ElideRight
        painter.drawText(4, middle + 13, painter.fontMetrics().elidedText(self._line, elide, room))
        if self._current:
            self._paint_wave(painter)
        if self.hasFocus():
            painter.setPen(QPen(t.color("tide"), 2))
            painter.drawRoundedRect(QRectF(1, 4, self.width() - 2, self.height() - 10), 6, 6)

    def _paint_wave(self, painter: QPainter) -> None:
        path = QPainterPath()
        base = self.height() - 2.0
        path.moveTo(0, base)
        for i in range(3):
            x = i * self.width() / 3
            path.quadTo(x + self.width() / 12, base - 5, x + self.width() / 6, base - 2.5)
            path.quadTo(x + self.width() / 4, base, x + self.width() / 3, base - 2)
        path.lineTo(self.width(), self.height())
        path.lineTo(0, self.height())
        painter.fillPath(path, self._theme.color("tide"))

    def mousePressEvent(self, _event: QMouseEvent) -> None:
        self.chosen.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.chosen.emit()
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent) -> None:
        self.update()
        super().focusInEvent(event)


class _Mark(QWidget):
    """Our mark: two waves, the lower one brass."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.setFixedSize(28, 24)

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        path = QPainterPath()
        path.moveTo(2, 12)
        path.cubicTo(7, 0, 11, 0, 14, 9)
        path.cubicTo(17, 17, 21, 17, 26, 7)
        painter.setPen(QPen(self.theme.color("tide"), 2.4))
        painter.drawPath(path)
        painter.setPen(QPen(self.theme.color("brass"), 2))
        painter.drawLine(3, 21, 25, 21)


class Strip(QWidget):
    """All places, the theme and the person."""

    place_chosen = Signal(int)
    person_wanted = Signal()

    def __init__(
        self, names: list[str], theme: Theme, next_theme: Callable[[], object], person: str
    ) -> None:
        super().__init__()
        self.setObjectName("paper")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self._theme = theme
        self.tabs = [PlaceTab(name, f"Ctrl+{i + 1}", theme) for i, name in enumerate(names)]
        self._mark = _Mark(theme)
        self.theme_button: QPushButton = button(tr("Light"), next_theme, "link")
        self.theme_button.setToolTip(tr("Next theme (F10)"))
        self.person: QPushButton = button(person, self.person_wanted.emit, "link")
        self.person.setToolTip(tr("Switch user (Ctrl+Shift+W)"))
        layout = QHBoxLayout(self)
        layout.setContentsMargins(16, 0, 16, 0)
        layout.setSpacing(8)
        layout.addWidget(self._mark)
        self._brand = label("Gezeiten", "big")
        layout.addWidget(self._brand)
        layout.addStretch(1)
        for i, tab in enumerate(self.tabs):
            layout.addWidget(tab)
            tab.chosen.connect(lambda i=i: self.place_chosen.emit(i))
        layout.addStretch(1)
        self.looking = label(tr("Read-only"), "ember", whole=True)
        self.looking.setToolTip(tr("Nothing in the archive's folder is changed"))
        self.looking.hide()
        layout.addWidget(self.looking)
        layout.addWidget(self.theme_button)
        layout.addWidget(self.person)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        wants = sum(tab.sizeHint().width() for tab in self.tabs) + 16 * len(self.tabs)
        self._brand.setVisible(event.size().width() > wants + 260)

    def sizeHint(self) -> QSize:
        return QSize(972, max(58, self.fontMetrics().height() * 3 + 10))

    def minimumSizeHint(self) -> QSize:
        return QSize(super().minimumSizeHint().width(), self.sizeHint().height())

    def show_read_only(self, without: int) -> None:
        """Show that the archive is read-only; the place `without` has nothing to show."""
        self.looking.show()
        self.person.hide()
        self.tabs[without].hide()

    def set_theme(self, theme: Theme) -> None:
        self._theme = self._mark.theme = theme
        for tab in self.tabs:
            tab.set_theme(theme)
        names = {"light": tr("Light"), "dark": tr("Dark"), "sun": tr("Sun")}
        self.theme_button.setText("☼ " + names[theme.name])
        self._mark.update()

    def set_current(self, place: int) -> None:
        for i, tab in enumerate(self.tabs):
            tab.set_current(i == place)
