"""Who is at it: chosen among those who act in the archive, or written; and a name erased."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QDialog, QLineEdit, QWidget

from gezeiten.desk.sites.people import User, acting, erase_name
from gezeiten.ui.format.i18n import counted, date, home_zone, tr
from gezeiten.ui.parts.tables import fill, plain_table, selected_item
from gezeiten.ui.parts.widgets import Facts, button, column, label, row
from gezeiten.ui.shell.app_context import AppContext
from gezeiten.ui.work.work_queue import Task

LONGEST_NAME = 60


class PeopleDialog(QDialog):
    """changed: somebody else is at it now, or a name was erased."""

    changed = Signal()

    def __init__(self, parent: QWidget, context: AppContext, people: list[User]) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Switch user"))
        self._context = context
        self.table = plain_table(
            tr("Users of this archive"),
            [tr("Name"), tr("Initials"), tr("Last active"), tr("Logbook")],
        )
        self.table.itemSelectionChanged.connect(self._selection_changed)
        self.table.itemActivated.connect(lambda _: self._accept())
        self.name = QLineEdit(context.desk.person)
        self.name.setMaxLength(LONGEST_NAME)
        self.name.setAccessibleName(tr("Name for the logbook"))
        self.name.textChanged.connect(lambda _: self._show_name())
        self.erase_button = button(tr("Erase this name ..."), self._erase)
        self.take = button("", self._accept, "primary")
        self.take.setDefault(True)
        self.setLayout(
            column(
                label(
                    tr("The logbook records this name. Choose it, or type another."),
                    "muted",
                    wrap=True,
                ),
                self.table,
                row(label(tr("Name"), "head"), self.name),
                row(self.erase_button, 1, button(tr("Close"), self.reject), self.take),
                margins=16,
            )
        )
        self.resize(620, 420)
        self.show_people(people)

    def show_people(self, people: list[User]) -> None:
        """Show who acts here; whoever is at it now is chosen."""
        rows = [
            [
                person.name,
                person.initials,
                date(person.last_ms, home_zone()) if person.last_ms is not None else "",
                counted(person.entries, "%n entry", "%n entries"),
            ]
            for person in people
        ]
        fill(self.table, rows, list(people))
        names = [person.name for person in people]
        if self._context.desk.person in names:
            self.table.selectRow(names.index(self._context.desk.person))
        self._show_name()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.table.setFocus(Qt.FocusReason.OtherFocusReason)

    def _selection_changed(self) -> None:
        one = selected_item(self.table)
        if isinstance(one, User):
            self.name.setText(one.name)

    def _show_name(self) -> None:
        name = self.name.text().strip()
        self.take.setText(tr("Continue as %1").replace("%1", name) if name else tr("Continue"))
        self.take.setEnabled(bool(name))
        one = selected_item(self.table)
        self.erase_button.setEnabled(isinstance(one, User) and one.name == name)

    def _accept(self) -> None:
        name = self.name.text().strip()
        if not name:
            return
        settings = self._context.desk.settings
        self._context.change_settings(replace(settings, person=name))
        self.changed.emit()
        self.accept()

    def _erase(self) -> None:
        dialog = EraseNameDialog(self, self.name.text().strip())
        dialog.wanted.connect(self._erased)
        dialog.open()

    def _erased(self, name: str) -> None:
        context = self._context

        def work(_task: Task) -> list[User]:
            erase_name(context.desk, name)
            return acting(context.desk)

        def done(people: list[User]) -> None:
            context.show_message(
                tr("The name is erased; the entries stay and the archive still verifies.")
            )
            self.show_people(people)
            context.archive_changed.emit()

        context.run(work, done)


class EraseNameDialog(QDialog):
    """wanted: the name, once it was written as it stands."""

    wanted = Signal(str)

    def __init__(self, parent: QWidget, name: str) -> None:
        super().__init__(parent)
        self._name = name
        self.setWindowTitle(tr("Erase the name %1").replace("%1", name))
        facts = Facts()
        facts.show_facts(
            [
                (tr("Erased"), tr("the name, from every table and the logbook's files")),
                (tr("Stays"), tr("every entry, under an id; the archive still verifies")),
                (
                    tr("Not erased"),
                    tr(
                        "text that users typed, issued documents, entries of old versions, "
                        "copies of the archive elsewhere"
                    ),
                ),
                (tr("Undo"), tr("not possible")),
            ]
        )
        self.take = button(tr("Erase this name"), self._accept, "primary")
        self.take.setDefault(True)
        self.take.setEnabled(False)
        self.typed = QLineEdit()
        self.typed.setPlaceholderText(tr("the name, as shown above"))
        self.typed.setAccessibleName(tr("Name to erase"))
        self.typed.textEdited.connect(lambda text: self.take.setEnabled(text.strip() == self._name))
        self.setLayout(
            column(
                label(name, "big"),
                facts,
                self.typed,
                1,
                row(self.take, button(tr("Close"), self.reject), 1),
                margins=16,
            )
        )
        self.setMinimumWidth(520)

    def _accept(self) -> None:
        self.wanted.emit(self._name)
        self.accept()
