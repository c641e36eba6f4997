"""Several text files, or a folder of them: those of kinds that are kept are taken together."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QDialog, QProgressBar, QWidget
from shiboken6 import isValid

from gezeiten.desk.intake.texts.several_texts import (
    ManyImported,
    TextSeen,
    import_texts,
    recognise_texts,
    texts_in,
)
from gezeiten.link.transfer import Progress, Watch
from gezeiten.ui.format.i18n import counted, tr
from gezeiten.ui.format.progress import progress_text
from gezeiten.ui.parts.tables import fill, plain_table, selected_item
from gezeiten.ui.parts.widgets import button, column, label, row, set_role
from gezeiten.ui.shell.app_context import AppContext
from gezeiten.ui.work.work_queue import Task


class ManyTextsDialog(QDialog):
    """taken: something was kept. wanted: the path of one that somebody wants to look at."""

    taken = Signal()
    wanted = Signal(object)

    def __init__(self, parent: QWidget, context: AppContext, where: Path | list[Path]) -> None:
        """where: a folder, or files."""
        super().__init__(parent)
        self._context, self._where = context, where
        self._task: Task | None = None
        self.seen: list[TextSeen] = []
        self.setWindowTitle(tr("Several text files"))
        self.resize(980, 620)
        self.table = plain_table(tr("Text files"), [tr("File"), tr("Template"), tr("Contents")])
        self.table.itemDoubleClicked.connect(lambda _: self._open_one())
        self.words = label("", wrap=True)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.hide()
        self.take = button(tr("Import recognised files"), self._import, "primary")
        self.one = button(tr("Open selected file"), self._open_one)
        self.again = button(tr("Read again"), self.look)
        self.close_button = button(tr("Close"), self.reject)
        self.setLayout(
            column(
                self.table,
                self.words,
                self.bar,
                row(self.take, self.one, self.again, self.close_button, 1),
                spacing=8,
                margins=14,
            )
        )
        self.look()

    def look(self) -> None:
        """Look at the files, again."""
        desk, where = self._context.desk, self._where
        self.take.setEnabled(False)
        self._show_message(tr("Reading the files …"))

        def work(task: Task) -> list[TextSeen]:
            paths = texts_in(where) if isinstance(where, Path) else where
            return recognise_texts(desk, paths, Watch(cancelled=task.cancelled))

        self._start(self._context.run(work, self._show_loaded, failed=self._failed))

    def _start(self, task: Task) -> None:
        self._task = task
        self.close_button.setText(tr("Stop"))

    def _over(self) -> None:
        self._task = None
        self.bar.hide()
        self.close_button.setText(tr("Close"))

    def _show_loaded(self, texts: list[TextSeen]) -> None:
        if not isValid(self.bar):
            return  # closed before all files were looked at
        self._over()
        self.seen = texts
        rows = [[one.path.name, one.kind or "–", tr(one.summary) or tr("ready")] for one in texts]
        fill(self.table, rows, list(texts))
        ready = sum(one.needs_no_answer for one in texts)
        self.take.setEnabled(ready > 0)
        imported = sum(one.is_imported for one in texts)
        self._show_message(
            "; ".join(
                (
                    counted(ready, "%n file is ready", "%n files are ready"),
                    counted(imported, "%n is already saved", "%n are already saved"),
                    counted(
                        len(texts) - ready - imported,
                        "%n needs an answer: open it",
                        "%n need answers: open them one by one",
                    ),
                )
            )
            + "."
        )
        if texts:
            self.table.selectRow(0)
        (self.take if ready else self.table).setFocus()

    def _import(self) -> None:
        desk, seen = self._context.desk, self.seen
        self.take.setEnabled(False)
        self.bar.show()
        self._start(
            self._context.run(
                lambda task: import_texts(desk, seen, Watch(task.report, task.cancelled)),
                self._done,
                self._show_result,
                self._failed,
            )
        )

    def _show_result(self, progress: Progress) -> None:
        self.bar.setMaximum(max(progress.of_readings, 1))
        self.bar.setValue(progress.readings)
        self._show_message(progress_text(tr("importing"), progress))

    def _done(self, done: ManyImported) -> None:
        self._over()
        words = counted(len(done.imported), "%n file imported", "%n files imported")
        words += ", " + counted(done.readings, "%n reading saved", "%n readings saved")
        if done.failed:
            path, why = done.failed[0]
            words += f"; {path.name}: {why}"
        if done.imported:
            self.taken.emit()
        self.look()
        self._context.show_message(words)

    def _failed(self, sentence: str) -> None:
        self._over()
        self._show_message(sentence, "ember")

    def _open_one(self) -> None:
        one = selected_item(self.table)
        if isinstance(one, TextSeen) and self._task is None:
            self.wanted.emit(one.path)

    def _show_message(self, words: str, role: str = "") -> None:
        set_role(self.words, role)
        self.words.setText(words)

    def reject(self) -> None:
        if self._task is not None:
            self._task.cancel()
            return
        super().reject()
