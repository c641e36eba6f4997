"""The Logbook: who did what, filterable; the chain checked."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHeaderView, QLineEdit, QTableWidget, QTableWidgetItem

from gezeiten.desk.logbook import logbook_entries
from gezeiten.desk.verifying import Verdict, verify
from gezeiten.domain.entries import Entry
from gezeiten.ui import house as places
from gezeiten.ui.commands import Command
from gezeiten.ui.house import House, Place
from gezeiten.ui.i18n import counted, day_and_time, home_zone, number, tr
from gezeiten.ui.parts import Card, button, column, label, row, set_role


class LogbookPlace(Place):
    """A table of entries, latest first, and the verdict on the whole archive."""

    kind_of_empty = "logbook"

    def __init__(self, house: House) -> None:
        super().__init__(house)
        self.filter = QLineEdit()
        self.filter.setPlaceholderText(tr("Filter by person, act, logger or words"))
        self.filter.setAccessibleName(tr("Filter"))
        self.filter.textChanged.connect(lambda _: self.refresh())
        self.table = QTableWidget(0, 6)
        self.table.setAccessibleName(tr("Logbook entries"))
        self.table.setHorizontalHeaderLabels(
            [
                tr("No."),
                tr("When (%1)").replace("%1", home_zone()),
                tr("Who"),
                tr("Act"),
                tr("What"),
                tr("Entry"),
            ]
        )
        self.table.verticalHeader().hide()
        self.table.setShowGrid(False)
        self.table.setWordWrap(False)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(5, QHeaderView.ResizeMode.Stretch)
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        self.count = label("", "muted")
        self.verdict = label("", "muted", wrap=True)
        self.check = button(tr("Check the whole archive"), self.verify)
        card = Card(tr("Logbook"), self.count)
        card.body.addLayout(row(self.filter, self.check))
        card.body.addWidget(self.verdict)
        card.body.addWidget(self.table, 1)
        self.setLayout(column(card, margins=14))
        self.setFocusProxy(self.table)

    def hint(self) -> str:
        return tr("F5 checks the archive · Ctrl+F filters")

    def commands(self) -> list[Command]:
        return [
            Command("verify", tr("Check vault, readings and logbook"), "F5", self.verify,
                places.LOGBOOK),
            Command("logbook.filter", tr("Filter the logbook"), "Ctrl+F", self.filter.setFocus,
                places.LOGBOOK),
        ]  # fmt: skip

    def refresh(self) -> None:
        words = self.filter.text()
        self.house.run(
            lambda _task: logbook_entries(self.house.desk, words), self._show, latest="logbook"
        )

    def _show(self, entries: list[Entry]) -> None:
        self.count.setText(counted(len(entries), "%n entry", "%n entries"))
        self.table.setRowCount(len(entries))
        for i, entry in enumerate(entries):
            cells = (
                number(entry.seq), day_and_time(entry.at_ms, home_zone()), entry.person,
                tr(entry.act), entry.subject, entry.sentence,
            )  # fmt: skip
            for j, text in enumerate(cells):
                item = QTableWidgetItem(text)
                item.setToolTip(f"{text}\nSHA-256 {entry.hash}" if j == 5 else text)
                self.table.setItem(i, j, item)
        height = self.house.theme.row
        self.table.verticalHeader().setDefaultSectionSize(height)

    def verify(self) -> None:
        """Check everything in the archive."""
        self.check.setEnabled(False)
        self.verdict.setText(tr("Checking ..."))
        self.house.run(
            lambda _task: verify(self.house.desk),
            self._judged,
            failed=lambda _: self.check.setEnabled(True),
        )

    def _judged(self, verdict: Verdict) -> None:
        self.check.setEnabled(True)
        looked = tr("%1 raw offloads, %2 values and %3 entries checked: ")
        for i, value in enumerate((verdict.offloads, verdict.values, verdict.entries), 1):
            looked = looked.replace(f"%{i}", number(value))
        good = verdict.is_whole
        set_role(self.verdict, "kelp" if good else "ember")
        faults = " ".join(verdict.faults[:5])
        self.verdict.setText(looked + (tr("everything is as it was kept.") if good else faults))
