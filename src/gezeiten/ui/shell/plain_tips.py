"""Tips as plain text: a name with signs of markup in it is shown as it is, never obeyed."""

from __future__ import annotations

from html import escape

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QHelpEvent
from PySide6.QtWidgets import QAbstractItemView, QToolTip, QWidget


class PlainTips(QObject):
    """Shows the tips of all widgets and items of an application; Qt itself takes for markup
    whatever looks like it."""

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() != QEvent.Type.ToolTip or not isinstance(event, QHelpEvent):
            return False
        text = _tip_of(watched, event)
        if "<" not in text and "&" not in text:
            return False
        assert isinstance(watched, QWidget)  # it has a tip
        QToolTip.showText(event.globalPos(), plain_tip(text), watched)
        return True


def plain_tip(text: str) -> str:
    """Return a text that Qt shows as it is, although it looks like markup."""
    return f"<p style='white-space:pre-wrap'>{escape(text)}</p>"


def _tip_of(watched: QObject, event: QHelpEvent) -> str:
    """Return the tip at an event: that of an item under the pointer, else of the widget."""
    view = watched.parent() if isinstance(watched, QWidget) else None
    if isinstance(view, QAbstractItemView) and view.viewport() is watched:
        index = view.indexAt(event.pos())
        tip = index.data(Qt.ItemDataRole.ToolTipRole) if index.isValid() else ""
        if tip:
            return str(tip)
    return watched.toolTip() if isinstance(watched, QWidget) else ""
