"""Tick boxes inside lists, trees and tables: as large a target as any other, whatever the text."""

from __future__ import annotations

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QSize, Qt
from PySide6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem

_DRAWN_PX = 15
_BESIDE_PX = 10


class TickDelegate(QStyledItemDelegate):
    """Makes room for the whole box: Qt counts only what is drawn of it, not its margins."""

    def sizeHint(
        self, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> QSize:
        size = super().sizeHint(option, index)
        if index.data(Qt.ItemDataRole.CheckStateRole) is None:
            return size
        option.features |= QStyleOptionViewItem.ViewItemFeature.HasCheckIndicator
        part = QStyle.SubElement.SE_ItemViewItemCheckIndicator
        box = option.widget.style().subElementRect(part, option, option.widget)
        return QSize(size.width() + box.width() - _DRAWN_PX + _BESIDE_PX, size.height())
