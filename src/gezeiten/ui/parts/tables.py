"""Small tables for reading: whole rows of text, each with its thing."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem

from gezeiten.ui.parts.plain import plain_tip

_ENTRY = Qt.ItemDataRole.UserRole


def plain_table(name: str, heads: list[str]) -> QTableWidget:
    """Return a table for reading: no grid, whole rows, the last column takes the room."""
    table = QTableWidget(0, len(heads))
    table.setAccessibleName(name)
    table.setHorizontalHeaderLabels(heads)
    table.verticalHeader().hide()
    table.setShowGrid(False)
    table.setWordWrap(True)
    table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
    table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
    head = table.horizontalHeader()
    head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
    head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
    head.setSectionResizeMode(len(heads) - 1, QHeaderView.ResizeMode.Stretch)
    return table


def fill(table: QTableWidget, rows: list[list[str]], things: list[object]) -> None:
    """Show rows of text; each carries its thing."""
    table.setRowCount(len(rows))
    for i, (texts, thing) in enumerate(zip(rows, things, strict=True)):
        for j, text in enumerate(texts):
            item = QTableWidgetItem(text)
            item.setToolTip(plain_tip(text))
            item.setData(_ENTRY, thing)
            table.setItem(i, j, item)
    table.resizeRowsToContents()


def selected_item(table: QTableWidget) -> object:
    """Return the thing of the chosen row, None without one."""
    item = table.item(table.currentRow(), 0)
    return item.data(_ENTRY) if item else None
