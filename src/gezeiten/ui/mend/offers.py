"""What could fill the chosen gap, a row each: its logger, what was measured beside it, a straight
line, estimates; one of them is chosen."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QButtonGroup, QGridLayout, QRadioButton

from gezeiten.desk.field.gaps import BookedGap
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.ui.format.i18n import number, tr
from gezeiten.ui.format.units import Units
from gezeiten.ui.mend.fill_method_rows import FillMethodRows, row_holder
from gezeiten.ui.mend.model import SelectedGap, SourceOffers
from gezeiten.ui.parts.giving_way import YieldingLayout
from gezeiten.ui.parts.widgets import column, label, rule

_LINE_ROW = 40
"""Of what could fill a gap: what is measured stands above it, estimates below."""


class OffersTable(YieldingLayout):
    """source_chosen: "logger" or "line"; row_chosen: what was measured by another one, or a way to
    estimate it."""

    source_chosen = Signal(str)
    row_chosen = Signal(object)

    def __init__(self) -> None:
        grid = QGridLayout()
        grid.setHorizontalSpacing(14)
        grid.setVerticalSpacing(6)
        for j, text in enumerate((tr("Source"), tr("Method"), tr("Expected error"), tr("Covers"))):
            grid.addWidget(label(text, "muted"), 0, j)
        self.ways = FillMethodRows(grid, 3, _LINE_ROW + 2)
        super().__init__(column(grid, self.ways.notes, spacing=6))
        self.by_logger = QRadioButton(tr("Offload again from the logger"))
        self.by_line = QRadioButton(tr("Straight line"))
        self._choice = QButtonGroup(self)
        self._choice.addButton(self.by_logger)
        self._choice.addButton(self.by_line)
        self._choice.buttonToggled.connect(lambda *_: self._select_source())
        self.logger_cells = [label("", wrap=True), label(""), label("")]
        self.line_cells = [label("", wrap=True), label(""), label("")]
        for at, radio, cells in (
            (1, self.by_logger, self.logger_cells),
            (_LINE_ROW, self.by_line, self.line_cells),
        ):
            grid.addWidget(radio, at, 0)
            for j, cell in enumerate(cells):
                grid.addWidget(cell, at, j + 1)
            grid.addWidget(rule(), at + 1, 0, 1, 4)
            grid.addWidget(row_holder(), at + 1, 0)
        grid.setColumnStretch(1, 1)
        grid.setColumnMinimumWidth(1, 150)
        self.ways.chosen.connect(self.row_chosen)

    def show_offers(self, source_offers: SourceOffers, booked: BookedGap, units: Units) -> None:
        """Show what the logger and a line could give."""
        texts = [*_logger_cells(source_offers, booked), *_line_cells(source_offers, booked, units)]
        for cell, text in zip([*self.logger_cells, *self.line_cells], texts, strict=True):
            cell.setText(text)
        self.by_logger.setEnabled(source_offers.can_ask)
        self.by_line.setEnabled(source_offers.can_draw)

    def _select_source(self) -> None:
        self.source_chosen.emit("line" if self.by_line.isChecked() else "logger")

    def check(self, model: SelectedGap) -> None:
        """Show which one is chosen, without telling anybody."""
        self._choice.blockSignals(True)
        self._choice.setExclusive(False)
        self.by_logger.setChecked(model.source == "logger")
        self.by_line.setChecked(model.source == "line")
        self._choice.setExclusive(True)
        self._choice.blockSignals(False)
        self.ways.check(model.method or model.other)


def _line_cells(
    source_offers: SourceOffers, booked: BookedGap, units: Units
) -> tuple[str, str, str]:
    """How the line is drawn, its expected errors, what it covers."""
    how = {
        "refusal": tr(source_offers.line.refusal),
        "between the ends": tr("between the two ends"),
        "filled": tr("filled between the two ends"),
        "otherwise": tr("filled by an estimate"),
        "not needed": tr("not needed: readings are available"),
        "calculated": tr("not for calculated series"),
    }[source_offers.line_offer]
    if source_offers.line_offer == "between the ends":
        for key, why in source_offers.line.left.items():
            stays = tr("%1 stays open: %2").replace("%1", quantity(key).name)
            how += " · " + stays.replace("%2", tr(why))
    errors = [
        units.error(booked.point, key, one.rmse) for key, one in source_offers.line.errors.items()
    ]
    needs_none = source_offers.line_offer in ("not needed", "otherwise", "calculated")
    none = "—" if needs_none else tr("over the rule")
    shown = "\n".join(errors) if source_offers.shows_errors else ""
    return how, shown or "—", _covers(source_offers.line_covers, booked, none)


def _logger_cells(source_offers: SourceOffers, booked: BookedGap) -> tuple[str, str, str]:
    """What the logger has of a gap, whether that is measured, what it covers."""
    logger = source_offers.logger
    holds = f"{logger.serial} · {tr(logger.sentence)}" if logger.serial else tr(logger.sentence)
    how = {
        "what it holds": holds,
        "fetched": tr("fetched; the record shows the measured readings"),
        "undo first": tr("undo the fill to offload from the logger"),
        "not needed": tr("not needed: readings are available"),
        "calculated": tr("%1; correct that first").replace("%1", tr(booked.reason)),
    }[source_offers.logger_offer]
    measured = tr("measured") if source_offers.is_measured else "—"
    return how, measured, _covers(source_offers.logger_covers, booked, tr("not usable"))


def _covers(readings: int | None, booked: BookedGap, otherwise: str) -> str:
    words = tr("%1 of %2").replace("%2", number(booked.gap.missing))
    return otherwise if readings is None else words.replace("%1", number(readings))
