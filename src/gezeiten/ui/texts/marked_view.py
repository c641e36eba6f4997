"""The first lines of a text as a sheet, what was understood marked in it by colours and words."""

from __future__ import annotations

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt, Signal
from PySide6.QtGui import QColor, QFont, QKeyEvent
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableView

from gezeiten.domain.quantities.quantities import quantity
from gezeiten.ui.format.i18n import counted, tr
from gezeiten.ui.parts.plain import plain_tip
from gezeiten.ui.shell.theme import Theme
from gezeiten.ui.texts.model import (
    BEFORE,
    BLANK,
    FLAGS,
    HEAD,
    LEFT_OUT,
    NAMES,
    READING,
    SAYS,
    TIME,
    UNTIED,
    VALUE,
    ShownLine,
    TextModel,
)

_Index = QModelIndex | QPersistentModelIndex
_ROOT = QModelIndex()
_WIDEST_PX = 190
_NARROWEST_PX = 64
_SIGNS = {HEAD: "#", BEFORE: "#", LEFT_OUT: "×", SAYS: "»", READING: "", BLANK: ""}
"""What stands beside a line's number, so that no colour has to be told apart."""


def role_text(model: TextModel, column: int) -> str:
    """Return what a column is, in words."""
    role = model.role(column)
    if role == TIME:
        return tr("Time")
    if role in (VALUE, UNTIED):
        mappings = model.of_column(column)
        names = list(dict.fromkeys(mapping.quantity for mapping in mappings if mapping.quantity))
        if not names:
            return tr("skipped")
        words = tr(quantity(names[0]).name)
        if len(names) > 1:
            words += " " + counted(len(names) - 1, "and %n more", "and %n more")
        return words
    return {FLAGS: tr("flags"), NAMES: tr("distinguishes lines")}.get(role, "–")


class _Sheet(QAbstractTableModel):
    """Lines by columns."""

    def __init__(self, model: TextModel) -> None:
        super().__init__()
        self._model = model
        self.lines: list[ShownLine] = []
        self.roles: list[str] = []
        self.theme: Theme | None = None

    def show_lines(self, lines: list[ShownLine], columns: int) -> None:
        self.beginResetModel()
        self.lines = lines
        self.roles = [self._model.role(column) for column in range(columns)]
        self.endResetModel()

    def rowCount(self, parent: _Index = _ROOT) -> int:
        return 0 if parent.isValid() else len(self.lines)

    def columnCount(self, parent: _Index = _ROOT) -> int:
        return 0 if parent.isValid() else len(self.roles)

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        line = self.lines[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return line.cells[index.column()] if index.column() < len(line.cells) else ""
        if role == Qt.ItemDataRole.ToolTipRole:
            return plain_tip(line.reason) or None
        if self.theme is None:
            return None
        if role == Qt.ItemDataRole.ForegroundRole:
            return self._ink(line, index.column())
        if role == Qt.ItemDataRole.BackgroundRole and line.kind == READING:
            return self._ground(index.column())
        if role == Qt.ItemDataRole.FontRole:
            return self._font(line, index.column())
        return None

    def _ink(self, line: ShownLine, column: int) -> QColor:
        assert self.theme is not None  # asked for colours
        if line.kind == LEFT_OUT or column in line.spoilt:
            return self.theme.color("ember")
        if line.kind in (HEAD, BEFORE, SAYS) or self.roles[column] not in (TIME, VALUE):
            return self.theme.color("muted")
        return self.theme.color("brass" if self.roles[column] == TIME else "ink")

    def _ground(self, column: int) -> QColor | None:
        assert self.theme is not None  # asked for colours
        if self.roles[column] == TIME:
            return self.theme.color("brass", 28)
        return self.theme.color("tide_wash") if self.roles[column] == VALUE else None

    def _font(self, line: ShownLine, column: int) -> QFont | None:
        font = QFont()
        font.setItalic(line.kind in (HEAD, BEFORE, SAYS))
        font.setBold(line.kind == HEAD)
        font.setStrikeOut(line.kind == LEFT_OUT or column in line.spoilt)
        return font

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> object:
        if role == Qt.ItemDataRole.ToolTipRole and orientation == Qt.Orientation.Horizontal:
            return tr("Click to set the meaning of this column")
        if role != Qt.ItemDataRole.DisplayRole:
            return None
        if orientation == Qt.Orientation.Horizontal:
            return f"{section + 1}  {role_text(self._model, section)}"
        line = self.lines[section]
        sign = _SIGNS[line.kind]
        return f"{sign} {line.number}".strip()


class MarkedView(QTableView):
    """asked: somebody wants to say what a column is, by its number."""

    asked = Signal(int)

    def __init__(self, model: TextModel) -> None:
        super().__init__()
        self._sheet = _Sheet(model)
        self.setModel(self._sheet)
        self.setAccessibleName(tr("The file with the interpretation marked"))
        self.setShowGrid(True)
        self.setWordWrap(False)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        head = self.horizontalHeader()
        head.setSectionsClickable(True)
        head.setStretchLastSection(True)
        head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        head.sectionClicked.connect(self.asked)
        side = self.verticalHeader()
        side.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        side.setDefaultAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)

    def show_lines(self, lines: list[ShownLine], columns: int, theme: Theme) -> None:
        """Show lines; the place where somebody looks stays."""
        at = self.verticalScrollBar().value()
        self._sheet.theme = theme
        self.clearSpans()
        self._sheet.show_lines(lines, columns)
        for i, line in enumerate(lines):
            if columns > 1 and len(line.cells) <= 1:
                self.setSpan(i, 0, 1, columns)
        height = self.fontMetrics().height() + 6
        self.verticalHeader().setDefaultSectionSize(height)
        self.resizeColumnsToContents()
        for column in range(columns):
            width = self.columnWidth(column)
            self.setColumnWidth(column, max(_NARROWEST_PX, min(width, _WIDEST_PX)))
        self.verticalScrollBar().setValue(at)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Enter asks what the column is."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.currentIndex().isValid():
            self.asked.emit(self.currentIndex().column())
            return
        super().keyPressEvent(event)
