"""Checking the archive from the Logbook: everything, all faults; and a head held against it."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import QCheckBox, QLineEdit, QListWidget

from gezeiten.desk.intake.unnamed_bytes import UnnamedBytes, import_unnamed
from gezeiten.desk.logger.offloading import Offloaded
from gezeiten.desk.office.logbook import compare_hashes, newest_entry, text_of_document
from gezeiten.desk.office.verification import Verdict, is_check_open, restore_lost_entries, verify
from gezeiten.domain.facts.entries import Entry
from gezeiten.ui.field.logger.logger_page import offload_text
from gezeiten.ui.format.i18n import counted, number, tr
from gezeiten.ui.logbook.lost_dialog import LostDialog
from gezeiten.ui.parts.widgets import Card, button, label, row, set_role
from gezeiten.ui.shell.app_context import AppContext
from gezeiten.ui.work.work_queue import Task

_LINES_SHOWN = 4


class CheckCard(Card):
    """The whole check, to be started and stopped; the head, and one to hold against it."""

    def __init__(self, context: AppContext) -> None:
        super().__init__(tr("Verification"))
        self._context = context
        self._task: Task | None = None
        self._is_open = False
        self.button = button(tr("Verify the whole archive"), self.press)
        self.quick = QCheckBox(tr("Skip what was verified before"))
        self.quick.setToolTip(
            tr("Skips files that were read and found right since the last complete verification")
        )
        self.verdict = label("", "muted", wrap=True)
        self.faults = QListWidget()
        self.faults.setAccessibleName(tr("Faults"))
        self.faults.setWordWrap(True)
        self.faults.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.faults.hide()
        self.unnamed = button("", self.import_unnamed)
        self.unnamed.setToolTip(
            tr(
                "Who imported them and when is no longer known: they are recorded under "
                "your name, now"
            )
        )
        self.unnamed.hide()
        self._unnamed: list[UnnamedBytes] = []
        self.lost = button("", self.show_lost)
        self.lost.hide()
        self._lost: list[Entry] = []
        self.head = label("", "muted", wrap=True)
        self.compare = QLineEdit()
        self.compare.setPlaceholderText(tr("Hash from a document, or drop the document here"))
        self.compare.setToolTip(
            tr("The hash of an entry as documents print it, or a document dropped here")
        )
        self.compare.setAccessibleName(tr("Hash to compare with the logbook"))
        self.compare.returnPressed.connect(lambda: self.compare_hashes(self.compare.text()))
        self.compare_button = button(
            tr("Compare"), lambda: self.compare_hashes(self.compare.text())
        )
        self.compared = label("", "muted", wrap=True)
        self.body.addWidget(self.button)
        self.body.addWidget(self.quick)
        self.body.addWidget(self.verdict)
        self.body.addWidget(self.faults)
        self.body.addWidget(self.lost)
        self.body.addWidget(self.unnamed)
        self.body.addWidget(self.head)
        self.body.addLayout(row(self.compare, self.compare_button, spacing=6))
        self.body.addWidget(self.compared)
        self.compared.hide()
        self.verdict.hide()
        self.setAcceptDrops(True)

    def refresh(self) -> None:
        """Show the present head."""
        desk = self._context.desk
        self._context.run(
            lambda _task: (newest_entry(desk), is_check_open(desk)),
            self._show,
            latest="logbook hash",
        )

    def _show(self, found: tuple[Entry | None, bool]) -> None:
        last, self._is_open = found
        if self._task is None:
            self.button.setText(self._start_text())
        if last is None:
            self.head.setText("")
            return
        words = tr("The logbook ends with entry %1, %2").replace("%1", number(last.seq))
        self.head.setText(words.replace("%2", " ".join(_in_fours(last.hash[:32])) + " …"))
        self.head.setToolTip(last.hash)

    # -- the whole check -----------------------------------------------------------------------
    def _start_text(self) -> str:
        return tr("Resume verification") if self._is_open else tr("Verify the whole archive")

    def press(self) -> None:
        """Start the check, or stop the one that runs."""
        if self._task is None:
            self.start()
        else:
            self._task.cancel()

    def start(self) -> None:
        """Check everything in the archive."""
        if self._task is not None:
            return
        desk, quick = self._context.desk, self.quick.isChecked()
        self.button.setText(tr("Stop"))
        self.faults.hide()
        self.unnamed.hide()
        self.lost.hide()
        self.verdict.show()
        set_role(self.verdict, "muted")
        self.verdict.setText(tr("Verifying …"))
        self._task = self._context.run(
            lambda task: verify(
                desk,
                lambda what, done, of: task.report((what, done, of)),
                task.cancelled,
                quick=quick,
            ),
            self._judged,
            progress=self._on_news,
            failed=self._failed,
        )

    def _on_news(self, progress: tuple[str, int, int]) -> None:
        what, done, of = progress
        words = tr("Verifying %1 …").replace("%1", tr(what))
        if of > 1:
            words += " " + tr("%1 of %2").replace("%1", number(done)).replace("%2", number(of))
        self.verdict.setText(words)

    def _failed(self, sentence: str) -> None:
        self._ended()
        self.verdict.setText(sentence)

    def _ended(self) -> None:
        self._task = None
        self.refresh()

    def _judged(self, verdict: Verdict) -> None:
        self._ended()
        looked = tr("%1 raw offloads, %2 values and %3 entries verified: ")
        for i, value in enumerate((verdict.offloads, verdict.values, verdict.entries), 1):
            looked = looked.replace(f"%{i}", number(value))
        good = verdict.is_intact
        set_role(self.verdict, "kelp" if good else "ember")
        faults = counted(len(verdict.faults), "%n fault.", "%n faults.")
        words = looked + (tr("everything is as it was saved.") if good else faults)
        if verdict.skipped:
            words += " " + counted(
                verdict.skipped,
                "%n file was skipped, as it was verified before.",
                "%n files were skipped, as they were verified before.",
            )
        self.verdict.setText(words)
        self.faults.clear()
        self.faults.addItems(verdict.faults)
        self.faults.setVisible(not good)
        self.faults.setFixedHeight(_LINES_SHOWN * self._context.theme.row)
        self._lost = verdict.lost
        self.lost.setText(counted(len(self._lost), "%n lost entry …", "%n lost entries …"))
        self.lost.setVisible(bool(self._lost) and not self._context.is_read_only)
        self._unnamed = [
            unnamed_bytes for unnamed_bytes in verdict.unnamed if unnamed_bytes.is_mission_file
        ]
        self.unnamed.setText(
            counted(
                len(self._unnamed),
                "Import %n mission file without a logbook entry",
                "Import %n mission files without a logbook entry",
            )
        )
        self.unnamed.setVisible(bool(self._unnamed) and not self._context.is_read_only)

    def show_lost(self) -> None:
        """Show the entries that files have lost; written again on request, then checked again."""
        desk = self._context.desk

        def written(many: int) -> None:
            self._context.archive_changed.emit()
            self._context.show_message(
                counted(many, "%n entry was restored.", "%n entries were restored.")
            )
            self.start()

        dialog = LostDialog(self, self._lost)
        dialog.wanted.connect(
            lambda: self._context.run(
                lambda _task: restore_lost_entries(desk), written, failed=self._failed
            )
        )
        dialog.open()

    def import_unnamed(self) -> None:
        """Import the mission files in the vault that no entry names, then check again."""
        desk, wanted = self._context.desk, self._unnamed
        self.unnamed.hide()

        def imported(results: list[Offloaded]) -> None:
            self._context.archive_changed.emit()
            self._context.show_message("  ".join(offload_text(offloaded) for offloaded in results))
            self.start()

        self._context.run(lambda task: import_unnamed(desk, wanted, task.cancelled), imported)

    # -- a head from elsewhere -----------------------------------------------------------------
    def compare_hashes(self, text: str) -> None:
        """Say whether a head, typed or out of a document, is one of this logbook."""
        desk = self._context.desk
        self._context.run(
            lambda _task: compare_hashes(desk, text),
            self._show_comparison,
            failed=self._show_comparison,
        )

    def _show_comparison(self, sentence: str) -> None:
        self.compared.setText(sentence)
        self.compared.show()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        path = Path(event.mimeData().urls()[0].toLocalFile())
        desk = self._context.desk
        self._context.run(
            lambda _task: compare_hashes(desk, text_of_document(path)),
            self._show_comparison,
            failed=self._show_comparison,
        )


def _in_fours(digits: str) -> list[str]:
    return [digits[i : i + 4] for i in range(0, len(digits), 4)]
