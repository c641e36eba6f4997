"""What gives way when room is scarce: rows that break, text that ends in an ellipsis with a tip."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QPoint, QRect, QSize, Qt
from PySide6.QtGui import QFontMetrics, QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QLabel, QLayout, QLayoutItem, QPushButton, QSizePolicy, QWidget

from gezeiten.ui.parts.plain import literal, plain_tip

_LEAST_PX = 24
_SPARE_PX = 14
"""A style may draw text wider than it is measured; rather an ellipsis too early than a cut."""


def broken(text: str, metrics: QFontMetrics, room: int) -> str:
    """Return a text with line breaks between words so that every line fits; a word is never cut."""
    lines = []
    for whole in text.split("\n"):
        line = ""
        for word in whole.split(" "):
            longer = f"{line} {word}" if line else word
            if line and metrics.horizontalAdvance(longer) > room:
                lines.append(line)
                longer = word
            line = longer
        lines.append(line)
    return "\n".join(lines)


if TYPE_CHECKING:
    _Side = QWidget
else:
    _Side = object  # two widgets cannot be the bases of one


class YieldingWidget(_Side):
    """For a widget at the side: as wide as wanted where there is room, narrower where not."""

    _wide = 0

    def set_widths(self, wide: int, least: int) -> None:
        """Be `wide` where there is room, `least` at least."""
        self._wide = wide
        self.setMinimumWidth(least)
        self.setMaximumWidth(wide)

    def sizeHint(self) -> QSize:
        size = super().sizeHint()
        return QSize(self._wide or size.width(), size.height())

    def minimumSizeHint(self) -> QSize:
        size = super().minimumSizeHint()
        return QSize(self.minimumWidth() if self._wide else size.width(), size.height())


class FlowLayout(QLayout):
    """Widgets side by side; those that do not fit go on in the next line.

    is_centred: lower ones stand in the middle of their line, not at its top.
    """

    def __init__(self, *widgets: QWidget, spacing: int = 6, is_centred: bool = False) -> None:
        super().__init__()
        self._is_centred = is_centred
        self._items: list[QLayoutItem] = []
        self.setContentsMargins(0, 0, 0, 0)
        self.setSpacing(spacing)
        for widget in widgets:
            self.addWidget(widget)

    def addItem(self, item: QLayoutItem) -> None:
        self._items.append(item)

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return self._arrange(QRect(0, 0, width, 0), move=False)

    def setGeometry(self, area: QRect) -> None:
        super().setGeometry(area)
        self._arrange(area, move=True)

    def sizeHint(self) -> QSize:
        shown = [item.sizeHint() for item in self._items if not item.isEmpty()]
        gaps = self.spacing() * max(len(shown) - 1, 0)
        width = sum(size.width() for size in shown) + gaps
        return QSize(width, max((size.height() for size in shown), default=0))

    def minimumSize(self) -> QSize:
        shown = [item.minimumSize() for item in self._items if not item.isEmpty()]
        return QSize(
            max((size.width() for size in shown), default=0),
            max((size.height() for size in shown), default=0),
        )

    def _arrange(self, area: QRect, *, move: bool) -> int:
        y = area.top()
        for line in self._lines(area.width()):
            x, height = area.left(), max(size.height() for _, size in line)
            for item, size in line:
                if move:
                    width = min(size.width(), area.width())
                    spare = height - size.height() if self._is_centred else 0
                    at = QPoint(x, y + spare // 2)
                    item.setGeometry(QRect(at, QSize(width, size.height())))
                x += size.width() + self.spacing()
            y += height + self.spacing()
        return max(y - self.spacing() - area.top(), 0)

    def _lines(self, width: int) -> list[list[tuple[QLayoutItem, QSize]]]:
        """Return what stands in each line, with its size."""
        lines: list[list[tuple[QLayoutItem, QSize]]] = []
        used = 0
        for item in (one for one in self._items if not one.isEmpty()):
            size = item.sizeHint()
            if not lines or used + size.width() > width:
                lines.append([])
                used = 0
            lines[-1].append((item, size))
            used += size.width() + self.spacing()
        return lines


class ElidingLabel(QLabel):
    """One line of text that ends in an ellipsis where it is cut, and then shows itself as a tip.

    Every line of a text with line breaks is cut by itself.
    """

    def __init__(self, text: str) -> None:
        super().__init__(text)
        self._own_tip = ""
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Preferred)

    def setToolTip(self, text: str) -> None:
        self._own_tip = text
        super().setToolTip(text)

    def setText(self, text: str) -> None:
        super().setText(text)
        self._elide()

    def minimumSizeHint(self) -> QSize:
        size = super().minimumSizeHint()
        return QSize(min(size.width(), _LEAST_PX), size.height())

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._elide()

    @property
    def is_cut(self) -> bool:
        """Whether some line has less room than it needs."""
        metrics, room = self.fontMetrics(), self.contentsRect().width()
        return any(metrics.horizontalAdvance(line) > room for line in self.text().split("\n"))

    def _elide(self) -> None:
        super().setToolTip(self._own_tip or (plain_tip(self.text()) if self.is_cut else ""))

    def paintEvent(self, event: QPaintEvent) -> None:
        if not self.is_cut:
            super().paintEvent(event)
            return
        painter, area = QPainter(self), self.contentsRect()
        painter.setPen(self.palette().windowText().color())
        shown = "\n".join(
            self.fontMetrics().elidedText(line, Qt.TextElideMode.ElideRight, area.width())
            for line in self.text().split("\n")
        )
        painter.drawText(area, self.alignment(), shown)


class ElidingButton(QPushButton):
    """A button that gives way: its text ends in an ellipsis, and then shows itself as a tip."""

    def __init__(self, text: str) -> None:
        super().__init__(literal(text))
        self._full_text = text
        self.setMinimumWidth(_LEAST_PX)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)

    def setText(self, text: str) -> None:
        self._full_text = text
        self.setAccessibleName(text)
        self._fit()

    def sizeHint(self) -> QSize:
        shown = self.text()
        if shown == literal(self._full_text):
            return super().sizeHint()
        size, metrics = super().sizeHint(), self.fontMetrics()
        more = metrics.horizontalAdvance(literal(self._full_text)) - metrics.horizontalAdvance(
            shown
        )
        return QSize(size.width() + more, size.height())

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit()

    def changeEvent(self, event: QEvent) -> None:
        super().changeEvent(event)
        if event.type() in (QEvent.Type.FontChange, QEvent.Type.StyleChange):
            self._fit()

    def _fit(self) -> None:
        frame = super().sizeHint().width() - self.fontMetrics().horizontalAdvance(self.text())
        room = max(self.width() - frame - _SPARE_PX, 0)
        shown = self.fontMetrics().elidedText(self._full_text, Qt.TextElideMode.ElideRight, room)
        if not self.isVisible() and room == 0:
            shown = self._full_text
        if literal(shown) != self.text():
            super().setText(literal(shown))
        self.setToolTip(plain_tip(self._full_text) if shown != self._full_text else "")
