"""Settings: built from their declaration, searchable, taken at once, back to their defaults."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QFileDialog,
    QFrame,
    QLineEdit,
    QScrollArea,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from gezeiten.desk.base.settings import SettingInfo, Settings, checked, infos
from gezeiten.errors import GezeitenError
from gezeiten.link.lines.address import addresses
from gezeiten.ui.format.i18n import tr
from gezeiten.ui.parts.widgets import button, clear, column, label, row
from gezeiten.ui.shell.app_context import AppContext


class SettingLine(QWidget):
    """One setting: title and help at the left, its field and the way back at the right."""

    def __init__(
        self,
        info: SettingInfo,
        value: object,
        take: Callable[[str, object], str],
        people: list[str],
    ) -> None:
        super().__init__()
        self.about, self._apply, self._people = info, take, people
        self.problem = label("", "ember", wrap=True)
        self.problem.hide()
        self.field = self._field(info)
        self.field.setAccessibleName(tr(info.title))
        self.field.setAccessibleDescription(tr(info.help))
        self.back = button("↺", self._reset, "link")
        policy = self.back.sizePolicy()
        policy.setRetainSizeWhenHidden(True)
        self.back.setSizePolicy(policy)
        self.back.setToolTip(tr("Reset to default"))
        self.back.setAccessibleName(tr("%1: reset to default").replace("%1", tr(info.title)))
        words = column(
            label(tr(info.title), "head"),
            label(tr(info.help), "muted", wrap=True),
            self.problem,
            spacing=1,
        )
        line = row(words, self.field, self.back, spacing=10)
        line.setStretch(0, 1)
        self.setLayout(line)
        self.show_value(value)

    def _field(self, info: SettingInfo) -> QWidget:
        if info.kind == "switch":
            switch = QCheckBox()
            switch.toggled.connect(self._changed)
            return switch
        if info.kind == "number":
            field = QSpinBox()
            field.setRange(info.low, info.high)
            field.setSingleStep(5)
            field.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
            field.setMinimumWidth(80)
            field.setKeyboardTracking(False)
            field.valueChanged.connect(self._changed)
            return field
        if info.kind == "person":
            return self._person_field()
        if info.kind == "choice":
            box = QComboBox()
            for choice in info.choices:
                box.addItem(tr(choice) if choice else tr("system default"), choice)
            box.currentIndexChanged.connect(lambda _: self._changed(box.currentData()))
            return box
        text = QLineEdit()
        text.setMinimumWidth(280)
        text.setMaxLength(2000)
        text.editingFinished.connect(lambda: self._changed(text.text().strip()))
        if info.kind == "folder":
            action = text.addAction(
                self.style().standardIcon(self.style().StandardPixmap.SP_DirIcon),
                QLineEdit.ActionPosition.TrailingPosition,
            )
            action.setToolTip(tr("Choose a folder"))
            action.triggered.connect(self._pick_folder)
        return text

    def _person_field(self) -> QComboBox:
        """A name: typed, or chosen among the people of the team."""
        box = QComboBox()
        box.setEditable(True)
        box.setMinimumWidth(280)
        box.addItems(self._people)
        typed = box.lineEdit()
        assert typed is not None  # the choice is editable
        typed.setMaxLength(60)
        typed.editingFinished.connect(lambda: self._changed(box.currentText().strip()))
        box.activated.connect(lambda _: self._changed(box.currentText().strip()))
        return box

    def _pick_folder(self) -> None:
        field = self.field
        assert isinstance(field, QLineEdit)
        selected = QFileDialog.getExistingDirectory(self, tr(self.about.title), field.text())
        if selected:
            field.setText(selected)
            self._changed(selected)

    def show_value(self, value: Any) -> None:
        """Show a value without taking it again."""
        self.field.blockSignals(True)
        if isinstance(self.field, QCheckBox):
            self.field.setChecked(bool(value))
        elif isinstance(self.field, QSpinBox):
            self.field.setValue(int(value))
        elif isinstance(self.field, QComboBox) and self.field.isEditable():
            self.field.setCurrentText(str(value))
        elif isinstance(self.field, QComboBox):
            self.field.setCurrentIndex(max(self.field.findData(value), 0))
        elif isinstance(self.field, QLineEdit):
            self.field.setText(str(value))
        self.field.blockSignals(False)
        self.back.setVisible(value != self.about.default)

    def _changed(self, value: object) -> None:
        sentence = self._apply(self.about.key, value)
        self.problem.setText(sentence)
        self.problem.setVisible(bool(sentence))
        if not sentence:
            self.back.setVisible(value != self.about.default)

    def _reset(self) -> None:
        self.show_value(self.about.default)
        self._changed(self.about.default)

    def matches(self, texts: list[str]) -> bool:
        """Whether title, help and section hold all words of a search."""
        about = self.about
        text = f"{tr(about.title)} {tr(about.help)} {tr(about.section)}".casefold()
        return all(word in text for word in texts)


class SettingsDialog(QDialog):
    """changed: the settings as they are now; they are kept already."""

    changed = Signal()

    def __init__(self, parent: QWidget, context: AppContext, search: str = "") -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Settings"))
        self._context = context
        self.search = QLineEdit(search)
        self.search.setPlaceholderText(tr("Search settings"))
        self.search.setAccessibleName(tr("Search settings"))
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(lambda _: self._filter())
        self._list = QVBoxLayout()
        self._list.setSpacing(8)
        inside = QWidget()
        inside.setLayout(self._list)
        scroll = QScrollArea()
        scroll.setWidget(inside)
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.none = label(tr("No setting matches."), "muted")
        defaults = button(tr("Reset all"), self.reset_all)
        close = button(tr("Close"), self.accept)
        self.setLayout(column(self.search, self.none, scroll, row(defaults, 1, close), margins=16))
        self.lines: list[SettingLine] = []
        self._heads: dict[str, QWidget] = {}
        self.resize(760, 620)
        self._fill()
        self._filter()

    def _fill(self) -> None:
        clear(self._list)
        self.lines, self._heads = [], {}
        listed = self._context.desk.settings.people.split(",")
        people = [name.strip() for name in listed if name.strip()]
        for about in infos():
            if about.section not in self._heads:
                head = label(tr(about.section), "big")
                self._heads[about.section] = head
                self._list.addWidget(head)
            value = getattr(self._context.desk.settings, about.key)
            line = SettingLine(about, value, self._apply, people)
            self.lines.append(line)
            self._list.addWidget(line)
        self._list.addStretch(1)

    def _filter(self) -> None:
        words = self.search.text().casefold().split()
        shown = {line.about.key for line in self.lines if line.matches(words)}
        for line in self.lines:
            line.setVisible(line.about.key in shown)
        for section, head in self._heads.items():
            head.setVisible(
                any(o.about.section == section and o.about.key in shown for o in self.lines)
            )
        self.none.setVisible(not shown)

    def line_of(self, key: str) -> SettingLine:
        """Return the line of a setting."""
        return next(line for line in self.lines if line.about.key == key)

    def _apply(self, key: str, value: object) -> str:
        """Take one value at once; returns what is wrong with it, "" when it was taken."""
        desk = self._context.desk
        try:
            if key == "addresses":
                _check_addresses(str(value))
            self._context.change_settings(replace(desk.settings, **{key: checked(key, value)}))
        except GezeitenError as exc:
            return str(exc)
        self.changed.emit()
        return ""

    def reset_all(self) -> None:
        """Every setting back to its default."""
        self._context.change_settings(Settings())
        for line in self.lines:
            line.show_value(line.about.default)
        self.changed.emit()


def _check_addresses(text: str) -> None:
    """Raise our own sentence for addresses that cannot be read."""
    from gezeiten.errors import InputError

    try:
        addresses(text)
    except ValueError as exc:
        raise InputError(
            tr("These addresses cannot be read; type them like 192.168.4.10:502, logger.lan:502.")
        ) from exc
