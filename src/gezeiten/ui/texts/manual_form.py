"""How a text is written, for those who know it: signs, columns, codes of times."""

from __future__ import annotations

import itertools

from PySide6.QtCore import Signal
from PySide6.QtGui import QIntValidator
from PySide6.QtWidgets import QComboBox, QGridLayout, QLineEdit, QPushButton, QWidget

from gezeiten.exchange.text.form import FIXED, MIXED, SPACES, USUAL_MISSING, TextForm
from gezeiten.ui.format.i18n import tr
from gezeiten.ui.parts.widgets import button, column, label
from gezeiten.ui.plan.section import narrow


class ManualForm(QWidget):
    """said: (field, text), as `TextModel.say` takes it. known: what is known better of the text
    itself, a dict for `TextModel.know`. wrong: a sentence."""

    said = Signal(str, str)
    known = Signal(object)
    wrong = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.toggle: QPushButton = button(tr("Set manually …"), self._fold, "link")
        self.toggle.setCheckable(True)
        self.delimiter = QComboBox()
        for sign, words in (
            (",", tr("comma")),
            (";", tr("semicolon")),
            ("\t", tr("tab")),
            ("|", tr("vertical bar")),
            (SPACES, tr("spaces")),
            (MIXED, tr("mixed")),
            (FIXED, tr("fixed width")),
        ):
            self.delimiter.addItem(words, sign)
        self.decimal = QComboBox()
        for sign, words in ((".", tr("point")), (",", tr("comma"))):
            self.decimal.addItem(words, sign)
        for box in (self.delimiter, self.decimal):
            narrow(box)
        self.starts, self.time_columns = QLineEdit(), QLineEdit()
        self.starts.setToolTip(tr("Start positions of fixed-width columns, like 1, 12, 20"))
        self.time_columns.setToolTip(tr("One column, or the date and time columns, like 1, 2"))
        self.first_line, self.pattern = QLineEdit(), QLineEdit()
        self.first_line.setValidator(QIntValidator(1, 1_000_000))
        self.pattern.setToolTip(tr("%Y year, %m month, %d day, %j day of the year, %H %M %S time"))
        self.no_value = QLineEdit()
        self.no_value.setToolTip(tr("A number that stands for a missing value, like -77"))
        self.fields = QWidget()
        self._build_layout()
        self.setLayout(column(self.toggle, self.fields, spacing=4))
        self.fields.hide()
        self._connect()
        self._form: TextForm | None = None

    def _build_layout(self) -> None:
        grid = QGridLayout(self.fields)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(10)
        lines = (
            (tr("Column separator"), self.delimiter),
            (tr("Columns start at"), self.starts),
            (tr("Time columns"), self.time_columns),
            (tr("Time format"), self.pattern),
            (tr("Decimal separator"), self.decimal),
            (tr("First line of readings"), self.first_line),
            (tr("Missing value"), self.no_value),
        )
        for i, (words, field) in enumerate(lines):
            shown = label(words, "muted", whole=True)
            shown.setBuddy(field)
            field.setAccessibleName(words)
            if field is self.starts:
                self._starts_words = shown
            grid.addWidget(shown, i, 0)
            grid.addWidget(field, i, 1)
        grid.setColumnStretch(1, 1)

    def _connect(self) -> None:
        self.pattern.textEdited.connect(lambda text: self.said.emit("pattern", text))
        self.first_line.textEdited.connect(lambda text: self.said.emit("first_line", text))
        self.decimal.activated.connect(
            lambda _: self.said.emit("decimal", self.decimal.currentData())
        )
        self.delimiter.activated.connect(
            lambda _: self.known.emit({"delimiter": self.delimiter.currentData()})
        )
        self.no_value.editingFinished.connect(self._no_value_typed)
        self.starts.editingFinished.connect(self._columns_typed)
        self.time_columns.editingFinished.connect(self._columns_typed)

    def _fold(self) -> None:
        self.fields.setVisible(self.toggle.isChecked())

    def open(self) -> None:
        """Show the fields."""
        self.toggle.setChecked(True)
        self.fields.show()

    def show_form(self, form: TextForm) -> None:
        """Show how a text is read; a field in which somebody types stays."""
        self._form = form
        self.delimiter.setCurrentIndex(self.delimiter.findData(form.delimiter))
        self.decimal.setCurrentIndex(self.decimal.findData(form.decimal))
        for field, text in (
            (self.pattern, form.time.pattern),
            (self.first_line, str(form.first_line)),
            (self.time_columns, _listed(form.time.columns)),
            (self.starts, _listed(starts(form))),
            (self.no_value, " ".join(mark for mark in form.missing if mark not in USUAL_MISSING)),
        ):
            if not field.hasFocus():
                field.setText(text)
        for part in (self.starts, self._starts_words):
            part.setVisible(form.delimiter == FIXED)

    def _no_value_typed(self) -> None:
        """Emit the marks that were typed beside those that are known."""
        known = self._form.missing if self._form is not None else ()
        for mark in self.no_value.text().split():
            if mark not in known:
                self.said.emit("missing", mark)

    def _columns_typed(self) -> None:
        if self._form is None:
            return
        is_fixed = self.delimiter.currentData() == FIXED
        try:
            wanted = numbers(self.starts.text()) if is_fixed else ()
            time = numbers(self.time_columns.text())
        except ValueError:
            self.wrong.emit(tr("Columns are numbers separated by commas, like 1, 2."))
            return
        of_text = tuple(c for c in self._form.time.columns if c < self._form.columns)
        change: dict[str, object] = {}
        if wanted != starts(self._form):
            change["starts"] = wanted
        if time and time not in (of_text, self._form.time.columns):
            change["time_columns"] = time
        if change:
            self.known.emit(change)


def numbers(text: str) -> tuple[int, ...]:
    """Return numbers from 0 of those from 1 that people write.

    Raises:
        ValueError: they are none.
    """
    found = tuple(int(part) - 1 for part in text.replace(" ", "").split(",") if part)
    if any(one < 0 for one in found):
        raise ValueError("columns count from 1")
    return found


def starts(form: TextForm) -> tuple[int, ...]:
    """Return where columns of fixed width begin, () for others."""
    return tuple(itertools.accumulate((0, *form.widths[:-1]))) if form.widths else ()


def _listed(columns: tuple[int, ...]) -> str:
    return ", ".join(str(one + 1) for one in columns)
