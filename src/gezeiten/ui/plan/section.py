"""What all sections of the plan editor share: fields that can be wrong, one sentence for each."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import TypeVar

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QWheelEvent
from PySide6.QtWidgets import QComboBox, QLabel, QLineEdit, QVBoxLayout, QWidget

from gezeiten.desk.logger.contact import LoggerCard
from gezeiten.domain.plan.plan import Plan
from gezeiten.domain.plan.plan_check import PlanFault
from gezeiten.errors import GezeitenError
from gezeiten.ui.parts.field_error import FieldError, mark
from gezeiten.ui.parts.widgets import column, label, row, set_role


@dataclass(frozen=True, slots=True)
class EditContext:
    """For what a plan is edited: the logger, the site's zone, the present instant."""

    card: LoggerCard
    zone: str
    now_ms: int


T = TypeVar("T")


class Section(QWidget):
    """A part of the editor. `fields`: the fields of `PlanFault` whose sentences it shows."""

    changed = Signal()
    fields: tuple[str, ...] = ()

    def __init__(self) -> None:
        super().__init__()
        self.body = QVBoxLayout(self)
        self.body.setContentsMargins(0, 0, 0, 0)
        self.body.setSpacing(4)
        self.problem = label("", "ember", wrap=True)
        self.problem.hide()
        self._wrong: list[QWidget] = []

    def show_plan(self, plan: Plan, context: EditContext) -> None:
        """Show a plan's part of this section."""

    def applied(self, plan: Plan, context: EditContext) -> Plan:
        """Return the plan with what the fields say.

        Raises:
            FieldError: a field makes no sense.
        """
        return plan

    def show_faults(self, faults: Iterable[PlanFault], error: FieldError | None) -> None:
        """Show the first sentence that belongs here, and mark the field that is wrong."""
        for widget in self._wrong:
            mark(widget, wrong=False)
        self._wrong = []
        mine = error is not None and self.isAncestorOf(error.widget)
        if error is not None and mine:
            mark(error.widget, wrong=True)
            self._wrong = [error.widget]
            self._show_message(str(error), blocking=True)
            return
        first = next((fault for fault in faults if fault.field in self.fields), None)
        self._show_message(
            first.sentence if first else "", blocking=first is None or first.blocking
        )

    def _show_message(self, sentence: str, *, blocking: bool) -> None:
        set_role(self.problem, "ember" if blocking else "brass")
        self.problem.setText(sentence)
        self.problem.setVisible(bool(sentence))

    def _changed(self, *_args: object) -> None:
        self.changed.emit()


class QuietCombo(QComboBox):
    """A choice that leaves the wheel to the page."""

    def __init__(self, name: str, words: Iterable[tuple[object, str]] = ()) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        for key, text in words:
            self.addItem(text, key)

    def wheelEvent(self, event: QWheelEvent) -> None:
        event.ignore()

    def select(self, key: object) -> None:
        """Choose the entry of a key, the first one where there is none."""
        self.setCurrentIndex(max(self.findData(key), 0))


def narrow(box: QComboBox) -> None:
    """Let a choice be narrower than its longest entry."""
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    box.setMinimumContentsLength(6)


def line(name: str, changed: Callable[..., None], *, width: int = 0, hint: str = "") -> QLineEdit:
    """Return a text field with a name for those who cannot see it."""
    field = QLineEdit()
    field.setAccessibleName(name)
    field.setPlaceholderText(hint)
    field.setMaxLength(500)
    if width:
        field.setMaximumWidth(width)
    field.textEdited.connect(changed)
    return field


def captioned(caption: str | QLabel, *fields: QWidget) -> QVBoxLayout:
    """Return fields side by side under a small caption that is bound to the first one."""
    above = label(caption, "muted") if isinstance(caption, str) else caption
    above.setBuddy(fields[0])
    made = column(above, row(*fields, spacing=6), spacing=2)
    made.setAlignment(Qt.AlignmentFlag.AlignTop)  # captions stay level beside a taller field
    return made


def parsed(field: QLineEdit, parse: Callable[[str], T]) -> T:
    """Return what a field's text means.

    Raises:
        FieldError: nothing.
    """
    try:
        return parse(field.text())
    except GezeitenError as exc:
        raise FieldError(field, str(exc)) from exc
