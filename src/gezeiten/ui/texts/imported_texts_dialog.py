"""The text files that were taken: each can be taken out of the record again, as a whole."""

from __future__ import annotations

from PySide6.QtWidgets import QDialog, QLineEdit, QWidget

from gezeiten.desk.intake.texts.imported_texts import ImportedText, imported_texts, remove_text
from gezeiten.ui.format.i18n import day_and_time, home_zone, number, tr
from gezeiten.ui.parts.tables import fill, plain_table, selected_item
from gezeiten.ui.parts.widgets import button, column, label, row, set_role
from gezeiten.ui.shell.app_context import AppContext


class ImportedTextsDialog(QDialog):
    """Lists what every text brought, the newest first."""

    def __init__(self, parent: QWidget, context: AppContext) -> None:
        super().__init__(parent)
        self._context = context
        self.setWindowTitle(tr("Imported text files"))
        self.resize(980, 600)
        self.table = plain_table(
            tr("Imported text files"),
            [tr("Imported"), tr("By"), tr("File"), tr("Source"), tr("Readings"), tr("Measured at")],
        )
        self.table.itemSelectionChanged.connect(self._selection_changed)
        self.why = QLineEdit()
        self.why.setPlaceholderText(tr("reason"))
        self.why.setAccessibleName(tr("Reason for removing it"))
        self.take_out = button(tr("Remove this file from the record"), self._remove)
        self.words = label("", wrap=True)
        hint = tr(
            "Its readings are removed from every point; the file stays in the vault "
            "and can be imported again."
        )
        self.setLayout(
            column(
                self.table,
                label(hint, "muted", wrap=True),
                self.words,
                row(self.why, self.take_out, button(tr("Close"), self.reject)),
                spacing=8,
                margins=14,
            )
        )
        self._selection_changed()
        self._load()

    def _load(self) -> None:
        desk = self._context.desk
        self._context.run(lambda _task: imported_texts(desk), self._show, failed=self._complain)

    def _show(self, held: list[ImportedText]) -> None:
        fill(self.table, [_row(one) for one in held], list(held))
        if held:
            self.table.selectRow(0)
        else:
            self.words.setText(tr("No text file has been imported yet."))
        self._selection_changed()

    def _selection_changed(self) -> None:
        one = selected_item(self.table)
        can = isinstance(one, ImportedText) and one.removed_ms is None
        self.take_out.setEnabled(can and not self._context.is_read_only)
        self.why.setEnabled(self.take_out.isEnabled())

    def _remove(self) -> None:
        one, desk, why = selected_item(self.table), self._context.desk, self.why.text()
        if not isinstance(one, ImportedText):
            return
        self.take_out.setEnabled(False)

        def done(_: object) -> None:
            set_role(self.words, "kelp")
            named = one.file or one.source
            self.words.setText(tr("%1 was removed from the record.").replace("%1", named))
            self.why.clear()
            self._context.archive_changed.emit()
            self._load()

        self._context.run(
            lambda _task: remove_text(desk, one.sha256, why), done, failed=self._complain
        )

    def _complain(self, sentence: str) -> None:
        set_role(self.words, "ember")
        self.words.setText(sentence)
        self._selection_changed()


def _row(imported_text: ImportedText) -> list[str]:
    point = imported_text.point
    if imported_text.removed_ms is not None:
        point = tr("removed %1").replace("%1", day_and_time(imported_text.removed_ms, home_zone()))
    return [
        day_and_time(imported_text.at_ms, home_zone()),
        imported_text.person,
        imported_text.file or "–",
        imported_text.source,
        number(imported_text.readings, 0),
        point,
    ]
