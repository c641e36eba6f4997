"""What is painted over a lane's whole view, in its pixels, and anew whenever the view changes."""

from __future__ import annotations

import pyqtgraph as pg
from PySide6.QtCore import QRectF
from PySide6.QtGui import QFont
from PySide6.QtWidgets import QGraphicsItem

from gezeiten.ui.shell.theme import Theme


class InPixels(QGraphicsItem):
    """Fills the view of a lane; those made from it paint."""

    def __init__(self, box: pg.ViewBox, theme: Theme, font: QFont, z: float) -> None:
        super().__init__(box)
        self._box, self._theme, self._font = box, theme, font
        self.setZValue(z)
        box.sigRangeChanged.connect(self._rescale)
        box.sigResized.connect(self._rescale)

    def _rescale(self, *_args: object) -> None:
        self.prepareGeometryChange()
        self.update()

    def boundingRect(self) -> QRectF:
        return QRectF(self._box.boundingRect())
