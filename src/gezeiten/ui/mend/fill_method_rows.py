"""What could fill a gap beside its logger and a line: measured by others, then the ways to estimate
it that were found; by what, how far off, what they cover."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QButtonGroup, QGridLayout, QRadioButton, QWidget

from gezeiten.desk.field.alternative_sources import AlternativeReadings, AlternativeSource
from gezeiten.desk.field.estimates import FillMethod
from gezeiten.desk.field.gaps import BookedGap
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.ui.format.i18n import counted, number, tr
from gezeiten.ui.format.units import Units
from gezeiten.ui.parts.plain import literal
from gezeiten.ui.parts.widgets import label, rule

MOST_SHOWN = 3
"""The best of them; more would push the picture out of sight."""


def row_holder() -> QWidget:
    """Return something one pixel high in one column: a grid forgets rows in which all reaches over
    several when it is asked how high it is at some width."""
    holder = QWidget()
    holder.setFixedHeight(1)
    return holder


class FillMethodRows(QObject):
    """Rows of a grid below others. chosen: what was measured by another source
    (`AlternativeReadings`), or the way whose button was pressed."""

    chosen = Signal(object)

    def __init__(self, grid: QGridLayout, measured_row: int, ways_row: int) -> None:
        super().__init__()
        self._grid, self._measured, self._ways = grid, measured_row, ways_row
        self.notes = label("", "muted", wrap=True)
        self.notes.setMinimumHeight(1)  # else it is as high as at some narrow width
        """What is to be said below all rows."""
        self._shown: list[QWidget] = []
        self._others: list[AlternativeReadings] = []
        self.buttons: list[tuple[object, QRadioButton]] = []
        self.group = QButtonGroup(self)

    def show_message(self, words: str) -> None:
        """Show a sentence instead of ways, and nothing that was measured."""
        self._clear()
        self._others = []
        self._note(words)

    def show_measured(
        self, others: list[AlternativeReadings], booked: BookedGap, units: Units, words: str
    ) -> None:
        """Show what was measured beside the logger, and a sentence instead of ways."""
        self._clear()
        self._others = others
        self._add_others(booked, units)
        self._note(words)

    def show_methods(
        self, methods: list[FillMethod], booked: BookedGap, units: Units, *, is_settled: bool
    ) -> None:
        """Show the best ways, and why others cannot serve."""
        self._clear()
        self._add_others(booked, units)
        at = self._ways
        for method in [method for method in methods if not method.refusal][:MOST_SHOWN]:
            self._add_method(at, method, booked, units, is_settled=is_settled)
            at += 2
        cautions = dict.fromkeys(tr(method.caution) for method in methods if method.caution)
        worse = tr("Errors were measured on ordinary periods; here they can be larger: %1.")
        refused = dict.fromkeys(
            f"{tr(method.name)}: {tr(method.refusal)}" for method in methods if method.refusal
        )
        self._note(
            *([worse.replace("%1", "; ".join(cautions))] if cautions else []), " · ".join(refused)
        )

    def _note(self, *sentences: str) -> None:
        words = "\n".join(filter(None, sentences))
        self.notes.setText(words)
        self.notes.setVisible(bool(words))

    def _add_others(self, booked: BookedGap, units: Units) -> None:
        """Show what was measured by others."""
        for i, other in enumerate(self._others[:MOST_SHOWN]):
            radio = self._radio(other, tr("Measured by"), tr(other.name))
            radio.setEnabled(not other.refusal)
            covers = counted(other.readings, "%n reading", "%n readings")
            self._row(
                self._measured + 2 * i,
                radio,
                _alternative_text(other, booked),
                _difference_text(other, booked, units),
                covers,
            )

    def _radio(self, item: object, words: str, name: str) -> QRadioButton:
        radio = QRadioButton(literal(words))
        radio.setAccessibleName(f"{words} {name}")
        radio.toggled.connect(lambda on: self.chosen.emit(item) if on else None)
        self.group.addButton(radio)
        self.buttons.append((item, radio))
        return radio

    def _add_method(
        self, at: int, method: FillMethod, booked: BookedGap, units: Units, *, is_settled: bool
    ) -> None:
        radio = self._radio(method, tr("Estimate"), tr(method.name))
        radio.setEnabled(not is_settled)
        errors = "\n".join(
            units.error(booked.point, key, one.rmse) for key, one in method.of.items()
        )
        how = tr(method.name)
        if method.surely_beats_line:
            how += " · " + tr("better than a straight line")
        for key, why in method.left.items():
            stays = tr("%1 stays open: %2").replace("%1", quantity(key).name)
            how += " · " + stays.replace("%2", tr(why))
        if method.is_beyond:
            how += " · " + tr("outside known conditions, no error band")
        many = min(len(one.fill) for one in method.of.values())
        covers = tr("%1 of %2").replace("%2", number(booked.gap.missing))
        self._row(at, radio, how, errors, covers.replace("%1", number(many)))

    def _row(self, at: int, radio: QRadioButton, how: str, errors: str, covers: str) -> None:
        cells = (label(how, wrap=True), label(errors), label(covers))
        for j, cell in enumerate((radio, *cells)):
            self._add_cell(cell, at, j)
        self._add_cell(rule(), at + 1, 0, 4)
        self._add_cell(row_holder(), at + 1, 0)

    def check(self, wanted: object) -> None:
        """Show which of them is chosen, without telling anybody; None for none of them."""
        self.group.setExclusive(False)
        for item, radio in self.buttons:
            radio.blockSignals(True)
            radio.setChecked(item is wanted)
            radio.blockSignals(False)
        self.group.setExclusive(True)

    def _add_cell(self, part: QWidget, at: int, column: int, wide: int = 1) -> None:
        self._grid.addWidget(part, at, column, 1, wide)
        self._shown.append(part)

    def _clear(self) -> None:
        for part in self._shown:
            self._grid.removeWidget(part)
            part.deleteLater()
        self.buttons, self._shown = [], []


def _alternative_text(other: AlternativeReadings, booked: BookedGap) -> str:
    """Say by whom, of which series where not of all, and why it cannot serve."""
    texts = [tr(other.name)]
    its = [key for key, _ in other.fills] if isinstance(other, AlternativeSource) else []
    if 0 < len(its) < len(booked.channels):
        names = ", ".join(quantity(key).name for key in its)
        texts.append(tr("only %1").replace("%1", names))
    if other.refusal:
        texts.append(tr(other.refusal))
    return " · ".join(texts)


def _difference_text(other: AlternativeReadings, booked: BookedGap, units: Units) -> str:
    """Return that it is measured, and how it compares where both measured."""
    texts = [tr("measured")]
    if isinstance(other, AlternativeSource):
        texts += [
            tr("differs %1").replace(
                "%1", units.difference_text(booked.point, key, one.median, one.spread)
            )
            for key, one in other.comparisons
        ]
    return "\n".join(texts)
