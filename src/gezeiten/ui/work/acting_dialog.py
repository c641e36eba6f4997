"""A dialog that shows something, acts on it and shows it anew; what is wrong stands in it."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QDialog, QLineEdit, QWidget

from gezeiten.ui.format.i18n import tr
from gezeiten.ui.parts.widgets import label
from gezeiten.ui.shell.app_context import AppContext
from gezeiten.ui.work.acting import ActionRunner


class ActingDialog(QDialog):
    """Subclasses load in `_load`, act through `_do` and place `problem`.

    kept_words: what the foot line says after an action, "" nothing; typed: fields that are emptied
    then.
    """

    kept_words = ""

    def __init__(self, parent: QWidget, context: AppContext) -> None:
        super().__init__(parent)
        self._context = context
        self._acting = ActionRunner(context, self._show_message)
        self.typed: tuple[QLineEdit, ...] = ()
        self.problem = label("", "ember", wrap=True)
        self.problem.hide()

    def _load(self) -> None:
        """Show what there is now."""

    def _do(self, run: Callable[[], object]) -> None:
        """Do an action off the main thread; then all places hear of it."""

        def done(_: object) -> None:
            self._show_message("")
            for field in self.typed:
                field.clear()
            self._context.archive_changed.emit()
            if self.kept_words:
                self._context.show_message(tr(self.kept_words))
            self._load()

        self._acting.do(run, done)

    def _show_message(self, sentence: str) -> None:
        self.problem.setText(sentence)
        self.problem.setVisible(bool(sentence))
