"""The first readings of a text, as they are read now."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QTableWidget, QTableWidgetItem

from gezeiten.desk.intake.text_files import Preview
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.timeline import from_ms
from gezeiten.exchange.text.form import Tie
from gezeiten.ui.shell.i18n import number, tr

_SHOWN_READINGS = 40


class ReadTable(QTableWidget):
    """One row a reading: its time, then a column for each column of numbers."""

    def __init__(self) -> None:
        super().__init__(0, 0)
        self.setAccessibleName(tr("As it is read"))
        self.verticalHeader().hide()
        self.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.setShowGrid(False)

    def show_preview(self, tie: Tie, seen: Preview, zone: str) -> None:
        """Show readings in a zone."""
        names = [quantity(c.quantity).name if c.quantity else tr("left out") for c in tie.columns]
        units = [c.unit for c in tie.columns]
        heads = [tr("Time (%1)").replace("%1", zone)]
        heads += [f"{tr(n)}, {u}" if u else tr(n) for n, u in zip(names, units, strict=True)]
        self.setColumnCount(len(heads))
        self.setHorizontalHeaderLabels(heads)
        count = min(len(seen.times), _SHOWN_READINGS)
        self.setRowCount(count)
        for line in range(count):
            when = f"{from_ms(int(seen.times[line]), zone):%Y-%m-%d %H:%M:%S}"
            values = (float(column[line]) for column in seen.values)
            cells = [tr("missing") if np.isnan(value) else number(value, 2) for value in values]
            for place, text in enumerate([when, *cells]):
                item = QTableWidgetItem(text)
                if place:
                    item.setTextAlignment(
                        Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
                    )
                self.setItem(line, place, item)
        self.resizeColumnsToContents()
