"""One entry of the logbook whole: what was done, on what, what the action holds, and the ways
on."""

from __future__ import annotations

import json
from functools import partial

from PySide6.QtGui import QFontDatabase
from PySide6.QtWidgets import QPlainTextEdit, QSizePolicy, QVBoxLayout, QWidget

from gezeiten.desk.office.entry_links import EntryLink, entry_links
from gezeiten.desk.office.logbook import acknowledge_conflict
from gezeiten.domain.facts.entries import Entry
from gezeiten.ui.format.i18n import day_and_time, home_zone, number, tr
from gezeiten.ui.parts.flow import ElidingButton
from gezeiten.ui.parts.widgets import Card, Facts, button, clear, column, label, scrolled
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.app_context import AppContext, TrendsRequest

_HELD_LEAST_PX = 90


class EntryCard(Card):
    """The chosen entry."""

    def __init__(self, context: AppContext) -> None:
        self.number = label("", "muted")
        super().__init__(tr("Entry"), self.number)
        self._context = context
        self._entry: Entry | None = None
        self._ways: list[EntryLink] = []
        self.sentence = label("", "big", wrap=True)
        self.facts = Facts()
        self.conflict = label("", "ember", wrap=True)
        self.seen = button(tr("Acknowledge"), self.acknowledge)
        self.seen.setToolTip(tr("Records that you have seen it; it is not shown again"))
        self._buttons = QVBoxLayout()
        self._buttons.setSpacing(4)
        self.held = QPlainTextEdit()
        self.held.setReadOnly(True)
        self.held.setAccessibleName(tr("Details of the entry"))
        self.held.setFont(QFontDatabase.systemFont(QFontDatabase.SystemFont.FixedFont))
        self.held.setMinimumHeight(_HELD_LEAST_PX)
        # it gives way before anything around it scrolls
        self.held.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Ignored)
        self.facts.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        page = QWidget()  # scrolls where text is large and the screen small
        lines = column(self.sentence, self.conflict, self.seen, self.facts, spacing=6)
        lines.addLayout(self._buttons)
        lines.addWidget(label(tr("Details of the entry"), "muted"))
        lines.addWidget(self.held, 1)
        page.setLayout(lines)
        self.body.addWidget(scrolled(page), 1)

    @property
    def seq(self) -> int:
        """Number of the entry that is shown, 0 for none."""
        return self._entry.seq if self._entry else 0

    def show_entry(self, entry: Entry | None, conflicts: list[str]) -> None:
        """Show an entry, or none. conflicts: what its action found otherwise than it says."""
        self.conflict.setText(tr("Conflict: %1.").replace("%1", "; ".join(conflicts)))
        self.conflict.setVisible(bool(conflicts))
        self.seen.setVisible(bool(conflicts) and not self._context.is_read_only)
        if entry == self._entry and entry is not None:
            return
        self._entry, self._ways = entry, []
        clear(self._buttons)
        if entry is None:
            self.number.setText("")
            self.sentence.setText(tr("No entry matches; remove a filter."))
            self.facts.show_facts([])
            self.held.setPlainText("")
            return
        self.number.setText(tr("No. %1").replace("%1", number(entry.seq)))
        self.sentence.setText(entry.sentence)
        self.facts.show_facts(
            [
                (tr("Subject"), entry.subject),
                (tr("Action"), tr(entry.act)),
                (tr("User"), entry.person or tr("the program")),
                (tr("When"), day_and_time(entry.at_ms, home_zone())),
                (tr("SHA-256"), entry.hash[:24] + "…"),
            ]
        )
        self.held.setPlainText(_plain(entry))
        desk = self._context.desk
        self._context.run(
            lambda _task: (entry, entry_links(desk, entry)), self._show_links, latest="logbook ways"
        )

    def _show_links(self, found: tuple[Entry, list[EntryLink]]) -> None:
        entry, methods = found
        if entry != self._entry:
            return
        self._ways = methods
        clear(self._buttons)
        for method in methods:
            made = ElidingButton(_link_text(method))
            made.clicked.connect(partial(self._follow_link, method))
            self._buttons.addWidget(made)

    def acknowledge(self) -> None:
        """Acknowledge the conflict of the entry."""
        entry, desk = self._entry, self._context.desk
        if entry is not None and self.seen.isVisibleTo(self):
            self._context.run(
                lambda _task: acknowledge_conflict(desk, entry), lambda _: self._changed()
            )

    def _changed(self) -> None:
        self._context.archive_changed.emit()

    def follow_first_link(self) -> None:
        """Go to the first thing that the entry is about."""
        if self._ways:
            self._follow_link(self._ways[0])

    def _follow_link(self, method: EntryLink, _checked: bool = False) -> None:
        go = self._context.go.emit
        if method.kind == "point":
            go(places.TRENDS, method.key)
        elif method.kind == "site":
            go(places.TIDEBOARD, method.key)
        elif method.kind == "document":
            go(places.HANDOVER, (method.point_id, method.span, method.key))
        elif method.kind == "excursion":
            go(places.EXCURSIONS, method.key)
        elif method.kind == "stretch":
            back = (places.LOGBOOK, None, tr("the Logbook"))
            go(places.TRENDS, TrendsRequest(method.point_id, method.span, back))
        else:
            self._context.logger_wanted.emit(str(method.key))


def _link_text(method: EntryLink) -> str:
    words = {
        "point": tr("To %1"),
        "site": tr("To the site %1"),
        "logger": tr("To the logger %1"),
        "document": tr("To the document %1"),
        "excursion": tr("To the excursion of %1"),
        "stretch": tr("To that period of %1"),
    }[method.kind]
    what = day_and_time(method.span[0], method.zone) if method.kind == "excursion" else method.text
    return words.replace("%1", what)


def _plain(entry: Entry) -> str:
    """What an action holds, for whoever checks it: every field as it is stored."""
    action = entry.details.get("act", entry.details)
    return json.dumps(action, indent=2, ensure_ascii=False) if action else ""
