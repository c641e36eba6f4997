"""A page as high as what it holds, that scrolls where there is less room."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, QSize, Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QFrame, QLayout, QScrollArea, QSizePolicy, QWidget

_LEAST_PX = 90
_SMALL_PX, _FAIR_SHARE = 700, 0.75
"""In the smallest window it gives way most; of what a window is higher it may have so much."""


class YieldingLayout(QScrollArea):
    """Shows a layout whole where it can, else a part of it with a bar beside."""

    def __init__(self, laid: QLayout) -> None:
        super().__init__()
        self._page, self._laid = QWidget(), laid
        laid.setContentsMargins(0, 0, 0, 0)
        self._page.setLayout(laid)
        self.setWidget(self._page)
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)
        self._page.installEventFilter(self)

    def sizeHint(self) -> QSize:
        """As high as the page is at this width."""
        wide = max(self.viewport().width(), 1)
        laid, usual = self._laid, self._laid.sizeHint()
        high = laid.heightForWidth(wide) if laid.hasHeightForWidth() else usual.height()
        return QSize(usual.width(), high)

    def minimumSizeHint(self) -> QSize:
        """As wide as the page has to be, and whole as long as that is a fair share of the
        window."""
        more = self.window().height() - _SMALL_PX
        fair = _LEAST_PX + max(round(more * _FAIR_SHARE), 0)
        return QSize(self._page.minimumSizeHint().width(), min(self.sizeHint().height(), fair))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.updateGeometry()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.LayoutRequest:
            self.updateGeometry()
        return super().eventFilter(watched, event)
