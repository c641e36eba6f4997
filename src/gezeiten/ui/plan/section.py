"""What all sections of the plan editor share: fields that can be wrong, one sentence for each."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import TypeVar, cast

from PySide6.QtCore import QDateTime, Qt, QTimeZone, Signal
from PySide6.QtGui import QWheelEvent
from PySide6.QtWidgets import QComboBox, QDateTimeEdit, QLabel, QLineEdit, QVBoxLayout, QWidget

from gezeiten.desk.logger.contact import LoggerCard
from gezeiten.domain.plan.plan import Plan
from gezeiten.domain.plan.plan_check import PlanFault
from gezeiten.domain.series.timeline import local_instant_ms
from gezeiten.errors import GezeitenError, InputError
from gezeiten.ui.parts.widgets import column, label, row, set_role
from gezeiten.ui.shell.i18n import tr


@dataclass(frozen=True, slots=True)
class EditContext:
    """For what a plan is edited: the logger, the site's zone, the present instant."""

    card: LoggerCard
    zone: str
    now_ms: int


T = TypeVar("T")


class FieldError(InputError):
    """A field holds what makes no sense; `widget` is marked."""

    def __init__(self, widget: QWidget, sentence: str) -> None:
        super().__init__(sentence)
        self.widget = widget


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
            self._say(str(error), blocking=True)
            return
        first = next((fault for fault in faults if fault.field in self.fields), None)
        self._say(first.sentence if first else "", blocking=first is None or first.blocking)

    def _say(self, sentence: str, *, blocking: bool) -> None:
        set_role(self.problem, "ember" if blocking else "brass")
        self.problem.setText(sentence)
        self.problem.setVisible(bool(sentence))

    def _changed(self, *_args: object) -> None:
        self.changed.emit()


def mark(widget: QWidget, *, wrong: bool) -> None:
    """Frame a field whose content makes no sense."""
    if bool(widget.property("wrong")) != wrong:
        widget.setProperty("wrong", wrong)
        widget.style().unpolish(widget)
        widget.style().polish(widget)


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

    def choose(self, key: object) -> None:
        """Choose the entry of a key, the first one where there is none."""
        self.setCurrentIndex(max(self.findData(key), 0))


def narrow(box: QComboBox) -> None:
    """Let a choice be narrower than its longest entry."""
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    box.setMinimumContentsLength(6)


class QuietDateTime(QDateTimeEdit):
    """A local date and time of the site that leaves the wheel to the page.

    It edits plain local numbers: which instant they mean, and whether they exist at all on a day
    when the clocks change, is the domain's to say.
    """

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setDisplayFormat("d MMM yyyy HH:mm")
        self.setCalendarPopup(True)
        self.setTimeZone(QTimeZone.utc())
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def wheelEvent(self, event: QWheelEvent) -> None:
        event.ignore()

    def show_instant(self, utc_ms: int, zone: str) -> None:
        """Show an instant as the site's wall clock does."""
        at = QDateTime.fromMSecsSinceEpoch(utc_ms, QTimeZone(zone.encode()))
        self.setDateTime(QDateTime(at.date(), at.time(), QTimeZone.utc()))

    def shown(self) -> datetime:
        """Return what the field shows, to the minute, of no zone."""
        at = cast(datetime, self.dateTime().toPython())
        return at.replace(tzinfo=None, second=0, microsecond=0)

    def instant_ms(self, zone: str, *, second: bool = False) -> int:
        """Return the instant that is meant.

        Raises:
            FieldError: the clocks skip that time, or show it twice and `second` is not said.
        """
        shown = cast(datetime, self.dateTime().toPython()).replace(
            tzinfo=None, second=0, microsecond=0
        )
        try:
            return local_instant_ms(shown, zone, second=second)
        except GezeitenError as exc:
            raise FieldError(self, str(exc)) from exc


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


def number_of(field: QLineEdit, what: str) -> float:
    """Return the number in a field, in the region's format.

    Raises:
        FieldError: it is none.
    """
    text = field.text().strip()
    value, good = field.locale().toDouble(text)
    if not good:
        value, good = _plain(text)
    if not good or value != value or abs(value) == float("inf"):
        shown = "".join(sign for sign in text[:30] if sign.isprintable())
        words = tr("“%1” is no number; type %2 anew.").replace("%1", shown)
        raise FieldError(field, words.replace("%2", what))
    return value


def _plain(text: str) -> tuple[float, bool]:
    """A decimal point is understood in every region."""
    try:
        return float(text), bool(text) and text.isascii() and "_" not in text
    except ValueError:
        return 0.0, False
