"""The Logbook: who did what to what, before and after; filtered, followed to its objects, checked,
written out."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QComboBox,
    QFileDialog,
    QHeaderView,
    QLineEdit,
    QTableWidget,
    QTableWidgetItem,
)

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.office.logbook import (
    AboutFilter,
    EntryFilter,
    Page,
    about_conflicts,
    logbook_page,
    matching_entries,
    write_json_lines,
    write_pdf,
)
from gezeiten.domain.facts.entries import Entry
from gezeiten.domain.series.timeline import DAY_MS
from gezeiten.ui.format.i18n import counted, day_and_time, home_zone, number, tr
from gezeiten.ui.logbook.check_card import CheckCard
from gezeiten.ui.logbook.entry_card import EntryCard
from gezeiten.ui.parts.plain import plain_tip
from gezeiten.ui.parts.widgets import Card, button, column, label, row
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.app_context import AppContext, Place
from gezeiten.ui.shell.commands import Command

_COLUMNS, _WHAT = 5, 3
_ROOM_PX = 14
_ASIDE_PX, _ASIDE_LEAST_PX = 380, 270


class LogbookPlace(Place):
    """Filters, a table of entries, latest first, the chosen entry whole, and the check."""

    kind_of_empty = "logbook"

    def __init__(self, context: AppContext) -> None:
        super().__init__(context)
        self._filter: AboutFilter | None = None
        self.entries: tuple[Entry, ...] = ()
        self._conflicts: dict[str, list[str]] = {}
        self._build_filters()
        self._build_table()
        self.count = label("", "muted")
        self.json_button = button(tr("Export JSON Lines …"), lambda: self.export("jsonl"))
        self.pdf_button = button(tr("Export PDF …"), lambda: self.export("pdf"))
        card = Card(tr("Logbook"), self.count)
        card.body.addLayout(row(self.filter, self.conflicts, self.about_button, spacing=8))
        card.body.addLayout(row(self.kind, self.person, self.since, self.contacts, 1, spacing=8))
        card.body.addWidget(self.table, 1)
        card.body.addLayout(row(self.json_button, self.pdf_button, 1))
        self.entry = EntryCard(context)
        self.check = CheckCard(context)
        aside = column(self.entry, self.check, spacing=12)
        aside.setStretch(0, 1)
        line = row(card, spacing=12, margins=14)
        line.addLayout(aside)
        line.setStretch(0, 1)
        for one in (self.entry, self.check):
            one.set_widths(_ASIDE_PX, _ASIDE_LEAST_PX)
        self.setLayout(line)
        self.setFocusProxy(self.table)

    def _build_filters(self) -> None:
        self.filter = QLineEdit()
        self.filter.setPlaceholderText(tr("Search all entries: words, values, fingerprints"))
        self.filter.setAccessibleName(tr("Search"))
        self.filter.setClearButtonEnabled(True)
        self.about_button = button("", lambda: self.show_about(None))
        self.about_button.setToolTip(tr("Shows all entries again"))
        self.about_button.hide()
        self.conflicts = button("", self.show_conflicts)
        self.conflicts.setToolTip(
            tr("Actions recorded without knowing of another computer's; look at each")
        )
        self.conflicts.hide()
        self.kind, self.person, self.since = QComboBox(), QComboBox(), QComboBox()
        for box, name, first in (
            (self.kind, tr("Action"), tr("all actions")),
            (self.person, tr("User"), tr("all users")),
        ):
            box.setAccessibleName(name)
            box.addItem(first, "")
        self.since.setAccessibleName(tr("When"))
        for words, days in (
            (tr("at any time"), None),
            (tr("in the last day"), 1),
            (tr("in the last 7 days"), 7),
            (tr("in the last 30 days"), 30),
            (tr("in the last year"), 365),
        ):
            self.since.addItem(words, days)
        self.contacts = QCheckBox(tr("Show contacts"))
        self.filter.textChanged.connect(lambda _: self.refresh())
        for box in (self.kind, self.person, self.since):
            box.currentIndexChanged.connect(lambda _: self.refresh())
        self.contacts.toggled.connect(lambda _: self.refresh())

    def _build_table(self) -> None:
        self.table = QTableWidget(0, _COLUMNS)
        self.table.setAccessibleName(tr("Logbook entries"))
        when = tr("When (%1)").replace("%1", home_zone())
        self.table.setHorizontalHeaderLabels(
            [tr("No."), when, tr("User"), tr("Subject"), tr("Entry")]
        )
        self.table.verticalHeader().hide()
        self.table.setShowGrid(False)
        self.table.setWordWrap(False)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(_WHAT, QHeaderView.ResizeMode.Interactive)
        header.setSectionResizeMode(_COLUMNS - 1, QHeaderView.ResizeMode.Stretch)
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        self.table.currentCellChanged.connect(lambda at, *_: self._select(at))

    def hint(self) -> str:
        return tr("Ctrl+F search · F5 verify · Ctrl+G go to the subject")

    def commands(self) -> list[Command]:
        here = places.LOGBOOK
        return [
            Command(
                "verify", tr("Verify vault, readings and logbook"), "F5", self.check.start, here
            ),
            Command(
                "logbook.filter", tr("Search in the logbook"), "Ctrl+F", self.filter.setFocus, here
            ),
            Command("logbook.all", tr("Show all entries again"), "Ctrl+B", self.show_all, here),
            Command(
                "logbook.misfits",
                tr("Show conflicts"),
                "Ctrl+M",
                self.show_conflicts,
                here,
            ),
            Command(
                "logbook.seen",
                tr("Acknowledge a conflict"),
                "Ctrl+L",
                self.entry.acknowledge,
                here,
            ),
            Command(
                "logbook.to",
                tr("Go to the subject of the selected entry"),
                "Ctrl+G",
                self.entry.follow_first_link,
                here,
            ),
            Command(
                "logbook.json",
                tr("Export the entries as JSON Lines"),
                "Ctrl+E",
                lambda: self.export("jsonl"),
                here,
            ),
            Command(
                "logbook.pdf",
                tr("Export the entries as PDF"),
                "Ctrl+R",
                lambda: self.export("pdf"),
                here,
            ),
        ]

    # -- what is looked for --------------------------------------------------------------------
    def wanted(self) -> EntryFilter:
        """Return which entries are looked for."""
        days = self.since.currentData()
        return EntryFilter(
            self.filter.text(),
            self._filter,
            self.person.currentData(),
            self.kind.currentData(),
            since_ms=None if days is None else self.context.desk.now_ms() - days * DAY_MS,
            quiet=not self.contacts.isChecked(),
        )

    def show_target(self, target: object) -> None:
        """Look for what a place pointed at: a function of the desk that returns it."""
        if callable(target):
            make: Callable[[Workspace], AboutFilter] = target
            desk = self.context.desk
            self.context.run(lambda _task: make(desk), self.show_about)

    def show_about(self, about_filter: AboutFilter | None) -> None:
        """Show what the logbook has about something, or everything."""
        self._filter = about_filter
        self.about_button.setVisible(about_filter is not None)
        self.about_button.setText(
            tr("About: %1  ✕").replace("%1", about_filter.title) if about_filter else ""
        )
        self.refresh()

    def show_all(self) -> None:
        """Take all filters away."""
        for box in (self.kind, self.person, self.since):
            box.setCurrentIndex(0)
        self.filter.clear()
        self.show_about(None)

    def show_conflicts(self) -> None:
        """Show the actions that found something otherwise than they say."""
        self.show_target(about_conflicts)

    def refresh(self) -> None:
        wanted, desk = self.wanted(), self.context.desk
        self.context.run(lambda _task: logbook_page(desk, wanted), self._show, latest="logbook")
        self.check.refresh()

    def _show(self, page: Page) -> None:
        self._fill(self.kind, page.entry_words)
        self._fill(self.person, page.people)
        self.entries = page.entries
        self._conflicts = page.conflicts
        self.count.setText(_count_text(page))
        selected = self.entry.seq
        self.table.blockSignals(True)
        self.table.setRowCount(len(page.entries))
        for i, entry in enumerate(page.entries):
            cells = (
                number(entry.seq),
                day_and_time(entry.at_ms, home_zone()),
                entry.person,
                entry.subject,
                _without_subject(entry),
            )
            for j, text in enumerate(cells):
                item = QTableWidgetItem(text)
                item.setToolTip(plain_tip(entry.sentence if j == _COLUMNS - 1 else text))
                self.table.setItem(i, j, item)
        self.table.resizeColumnToContents(_WHAT)
        self.table.setColumnWidth(_WHAT, self.table.columnWidth(_WHAT) + _ROOM_PX)
        self.table.verticalHeader().setDefaultSectionSize(self.context.theme.row)
        self.table.blockSignals(False)
        at = next((i for i, entry in enumerate(page.entries) if entry.seq == selected), 0)
        self.table.setCurrentCell(at if page.entries else -1, 0)
        self._select(at)
        self.conflicts.setVisible(bool(page.conflicts) and self._filter is None)
        self.conflicts.setText(counted(len(page.conflicts), "%n conflict", "%n conflicts"))
        for out in (self.json_button, self.pdf_button):
            out.setEnabled(bool(page.entries))

    def _fill(self, box: QComboBox, values: tuple[str, ...]) -> None:
        """Offer what the logbook knows, and keep what was chosen."""
        if box.count() == len(values) + 1:
            return
        selected = box.currentData()
        box.blockSignals(True)
        while box.count() > 1:
            box.removeItem(1)
        for value in values:
            box.addItem(tr(value) if box is self.kind else value, value)
        box.setCurrentIndex(max(box.findData(selected), 0))
        box.blockSignals(False)

    def _select(self, at: int) -> None:
        entry = self.entries[at] if 0 <= at < len(self.entries) else None
        self.entry.show_entry(entry, self._conflicts.get(entry.hash, []) if entry else [])

    # -- out -----------------------------------------------------------------------------------
    def export(self, kind: str, path: Path | None = None) -> None:
        """Write all entries that are looked for, not only those that are shown."""
        if not self.entries:
            return
        if path is None:
            kinds = tr("JSON Lines (*.jsonl)") if kind == "jsonl" else tr("PDF (*.pdf)")
            name, _ = QFileDialog.getSaveFileName(
                self, tr("Export the entries"), f"logbook.{kind}", kinds
            )
            if not name:
                return
            path = Path(name)
        target, desk, wanted, title = path, self.context.desk, self.wanted(), tr("Logbook")
        if self._filter:
            title += f": {self._filter.title}"

        def work(_task: object) -> int:
            entries = matching_entries(desk, wanted)
            if kind == "jsonl":
                return write_json_lines(entries, target)
            write_pdf(desk, entries, title, home_zone(), target)
            return len(entries)

        def done(count: int) -> None:
            words = counted(count, "%n entry exported to %1.", "%n entries exported to %1.")
            self.context.show_message(words.replace("%1", target.name))

        self.context.run(work, done)


def _without_subject(entry: Entry) -> str:
    """The sentence without what stands beside it already: there is little room for the rest."""
    for begin in (f"Point {entry.subject} ", f"Site {entry.subject} ", f"{entry.subject}: "):
        if entry.sentence.startswith(begin):
            rest = entry.sentence.removeprefix(begin)
            return rest[:1].upper() + rest[1:]
    return entry.sentence


def _count_text(page: Page) -> str:
    if page.matching > len(page.entries):
        words = tr("showing the latest %1 of %2; search for older ones")
        return words.replace("%1", number(len(page.entries))).replace("%2", number(page.matching))
    if page.matching < page.total:
        return (
            tr("%1 of %2 entries")
            .replace("%1", number(page.matching))
            .replace("%2", number(page.total))
        )
    return counted(page.total, "%n entry", "%n entries")
