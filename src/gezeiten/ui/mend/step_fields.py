"""The fields of a step that corrects a series: its kind, its numbers, its mark, its certificate."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QLineEdit, QWidget

from gezeiten.desk.record.statements.proposals import Certificate, HandPoints
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.steps.corrections.calibration import CERTIFICATE
from gezeiten.domain.steps.corrections.marks import MARKS, SUSPECT
from gezeiten.domain.steps.corrections.suspicion import SUSPICIONS, SuspectRule
from gezeiten.ui.format.i18n import date, number, tr
from gezeiten.ui.mend.chain_model import TrialStep, number_shown, number_unit
from gezeiten.ui.parts.flow import FlowLayout
from gezeiten.ui.parts.number_field import number_of, write_number
from gezeiten.ui.parts.widgets import button, clear, column, label, row
from gezeiten.ui.plan.section import captioned

_KINDS = (
    ("linear", "Offset and gain"),
    ("points", "Calibration points"),
    ("mark", "Mark"),
    ("trim", "Not in place"),
)
_MARK_NAMES = {"kept": "kept: valid", "suspect": "suspect", "taken out": "removed"}
_PLACES = (
    ("Start, from readings", "readings", False),
    ("End, from readings", "readings", True),
    ("Start, from the visit", "visit", False),
    ("End, from the visit", "visit", True),
)


class StepFields(QWidget):
    """changed: what the fields say; rule_chosen: a rule that wants its usual number; trim_asked:
    (by what, at_end) a stretch in which the sensor was not in its place; points_asked: points by
    what was read by hand."""

    changed = Signal()
    rule_chosen = Signal()
    trim_asked = Signal(str, bool)
    points_asked = Signal()

    def __init__(self, trying: TrialStep) -> None:
        super().__init__()
        self.trying = trying
        self.kind = QComboBox()
        self.kind.setAccessibleName(tr("Kind of correction"))
        for key, name in _KINDS:
            self.kind.addItem(tr(name), key)
        self.offset, self.gain = QLineEdit(number(0, 1)), QLineEdit(number(1, 1))
        self.u = QLineEdit()
        self.points, self.as_found = QLineEdit(), QLineEdit()
        self.points.setPlaceholderText(tr("reading → reference; …"))
        self.points.setMinimumWidth(34 * self.points.fontMetrics().averageCharWidth())  # two pairs
        self.as_found.setPlaceholderText(tr("at the end, if different"))
        self.mark = QComboBox()
        for name in MARKS:
            self.mark.addItem(tr(_MARK_NAMES[name]), name)
        self.mark.setCurrentIndex(MARKS.index(SUSPECT))
        self.which = QComboBox()
        self.number = QLineEdit()
        self.cause = QLineEdit()
        self.cause.setPlaceholderText(tr("spike, out of water, …"))
        self.cause.setMinimumWidth(26 * self.cause.fontMetrics().averageCharWidth())
        self.certificate = QComboBox()
        self.by_hand = button(tr("From check readings"), self.points_asked.emit)
        self._room = FlowLayout(spacing=10)
        self.setLayout(
            column(
                row(label(tr("New correction"), "head"), self.kind, 1, spacing=8),
                self._room,
                spacing=6,
            )
        )
        self._name_and_connect()
        self.lay_out()

    def _name_and_connect(self) -> None:
        names: tuple[tuple[QWidget, str], ...] = (
            (self.offset, tr("Offset")),
            (self.gain, tr("Gain")),
            (self.u, tr("Uncertainty ±U")),
            (self.points, tr("Points")),
            (self.as_found, tr("Points at the end")),
            (self.mark, tr("Mark as")),
            (self.which, tr("Which readings")),
            (self.number, tr("Number")),
            (self.cause, tr("Cause")),
            (self.certificate, tr("From certificate")),
        )
        for part, name in names:
            part.setAccessibleName(name)
            if isinstance(part, QLineEdit):
                part.editingFinished.connect(self.changed)
        self._captions = dict(names)
        self.kind.currentIndexChanged.connect(lambda _: self.show_fields())
        self.mark.currentIndexChanged.connect(lambda _: self.changed.emit())
        self.certificate.currentIndexChanged.connect(lambda _: self.changed.emit())
        self.which.currentIndexChanged.connect(lambda _: self._rule_changed())

    # -- what is offered -------------------------------------------------------------------------
    def offer_rules(self, key: str) -> None:
        """Offer the rules that say something of a series."""
        selected = self.which.currentData()
        self.which.blockSignals(True)
        self.which.clear()
        self.which.addItem(tr("all in the period"), "")
        for rule in SUSPICIONS.values():
            if rule.applies_to(quantity(key)):
                self.which.addItem(tr(rule.name), rule.key)
        self.which.setCurrentIndex(max(self.which.findData(selected), 0))
        self.which.blockSignals(False)

    def offer_certificates(self, certificates: list[Certificate], zone: str) -> None:
        """Offer the certificates of the loggers that feed the series."""
        selected = self.certificate.currentData()
        self.certificate.blockSignals(True)
        self.certificate.clear()
        self.certificate.addItem(tr("none"), None)
        for certificate in certificates:
            words = f"{certificate.serial} · {date(certificate.at_ms, zone)} · {certificate.name}"
            self.certificate.addItem(words, certificate)
        self.certificate.setCurrentIndex(max(self.certificate.findData(selected), 0))
        self.certificate.blockSignals(False)

    @property
    def rule(self) -> SuspectRule | None:
        """The rule by which readings are marked, None where all of a stretch are."""
        return SUSPICIONS.get(self.which.currentData())

    def _rule_changed(self) -> None:
        """A rule begins with the number that is proposed for its series."""
        self.show_fields()
        if self.rule is not None:
            self.rule_chosen.emit()

    def show_usual(self, usual: float) -> None:
        """Show the number that is proposed for the chosen rule."""
        if self.rule is not None:
            write_number(self.number, number_shown(self.rule, usual, self.trying.unit))
            self.changed.emit()

    def show_points(self, hand_points: HandPoints) -> None:
        """Show the points that follow from what was read by hand, and how sure they are."""
        unit = self.trying.unit
        digits = max(self.trying.decimals + unit.extra_decimals, 0) + 1
        self.points.setText(
            "; ".join(
                " → ".join(number(unit.shown(one), digits) for one in pair)
                for pair in hand_points.points
            )
        )
        self.points.setCursorPosition(0)
        write_number(self.u, unit.shown_difference(hand_points.u), digits)
        self.changed.emit()

    def show_fields(self) -> None:
        """Show the fields of the chosen kind, and try what they say."""
        self.lay_out()
        self.changed.emit()

    def lay_out(self) -> None:
        """Show the fields of the chosen kind."""
        for part in (*self._captions, self.by_hand):
            part.setParent(None)
        clear(self._room)
        self.trying.kind = self.kind.currentData()
        for part in self._of_kind():
            holder = QWidget()
            holder.setLayout(captioned(self._caption(part), part))
            part.show()
            self._room.addWidget(holder)
        if self.trying.kind == "points":
            self._room.addWidget(self.by_hand)
            self.by_hand.show()
        if self.trying.kind == "trim":
            words = tr("Sensor not in place:")
            self._room.addWidget(label(words, "muted"))
            for name, by, at_end in _PLACES:
                self._room.addWidget(button(tr(name), partial(self.trim_asked.emit, by, at_end)))

    def _of_kind(self) -> tuple[QWidget, ...]:
        by_number = (self.number,) if self.rule is not None and self.rule.unit else ()
        certificate = (self.certificate,) if self.certificate.count() > 1 else ()
        return {
            "linear": (self.offset, self.gain, self.u, *certificate),
            "points": (self.points, self.as_found, self.u, *certificate),
            "mark": (self.mark, self.which, *by_number, self.cause),
            "trim": (),
        }[self.trying.kind]

    def _caption(self, part: QWidget) -> str:
        unit = self.trying.unit.name if part in (self.offset, self.u, self.points) else ""
        if part is self.number and self.rule is not None:
            unit = number_unit(self.rule, self.trying.unit)
        return f"{self._captions[part]}, {unit}" if unit else self._captions[part]

    # -- what they say ---------------------------------------------------------------------------
    def parameters(self) -> Mapping[str, Any]:
        """Return what the fields say, as a step is kept.

        Raises:
            FieldError: a field says nonsense.
            InputError: points are not written as such.
        """
        if self.trying.kind == "mark":
            return {"mark": self.mark.currentData(), "cause": self.cause.text().strip()}
        if self.trying.kind == "trim":
            return {}
        u = number_of(self.u, tr("Uncertainty ±U")) if self.u.text().strip() else 0.0
        one = self.certificate.currentData()
        certificate = {} if one is None else {CERTIFICATE: {"serial": one.serial, "name": one.name}}
        if self.trying.kind == "linear":
            numbers = (number_of(self.offset, tr("Offset")), number_of(self.gain, tr("Gain")), u)
            return {**self.trying.linear(*numbers), **certificate}
        points, as_found = (
            self.trying.points(field.text(), self._number) for field in (self.points, self.as_found)
        )
        return {
            "points": points,
            "as_found": as_found,
            "u": self.trying.unit.recorded_difference(u),
            **certificate,
        }

    def _number(self, text: str) -> float:
        field = QLineEdit(text)
        field.setLocale(self.locale())
        return number_of(field, tr("Points"))

    def is_untouched(self, *, is_open: bool) -> bool:
        """Whether nothing was typed that could be tried. is_open: its stretch has no end."""
        if self.trying.kind == "linear":
            return self.offset.text() == number(0, 1) and self.gain.text() == number(1, 1)
        if self.trying.kind == "points":
            return not self.points.text().strip()
        if self.trying.kind == "mark" and self.rule is not None:
            return bool(self.rule.unit) and not self.number.text()
        return is_open  # who marks says until when
