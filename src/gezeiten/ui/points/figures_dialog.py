"""A dialog of figures of a series of a point that can be handed over as a file."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QDialog, QFileDialog, QWidget

from gezeiten.desk.sites.places import PointPlace
from gezeiten.ui.format.i18n import tr
from gezeiten.ui.parts.widgets import button, label, set_role
from gezeiten.ui.points.series_box import SeriesBox
from gezeiten.ui.shell.app_context import AppContext


class FiguresDialog(QDialog):
    """Subclasses place `series`, `words` and `export`, show figures, and write them where
    `file_wanted` says (a Path). name: what a file of them is called behind its series."""

    file_wanted = Signal(object)

    def __init__(
        self, parent: QWidget, context: AppContext, point: PointPlace, series: str, name: str
    ) -> None:
        super().__init__(parent)
        self._context, self._point, self._name = context, point, name
        self.series = SeriesBox(point, series)
        self.words = label("", "muted", wrap=True)
        self.export = button(tr("Export …"), self._select_target)

    @property
    def key(self) -> str:
        """The series shown, "" where the point has none."""
        return self.series.key

    def _select_target(self) -> None:
        usual = f"{self._point.name}-{self.key}-{self._name}.csv".replace("/", "-")
        name, _ = QFileDialog.getSaveFileName(self, self.windowTitle(), usual)
        if name:
            self.file_wanted.emit(Path(name))

    def _write(self, target: Path, write: Callable[[], None]) -> None:
        self._context.run(
            lambda _task: write(),
            lambda _: self._show_message(tr("Exported to %1.").replace("%1", target.name)),
            failed=self._complain,
        )

    def _show_message(self, words: str) -> None:
        set_role(self.words, "muted")
        self.words.setText(words)

    def _complain(self, sentence: str) -> None:
        set_role(self.words, "ember")
        self.words.setText(sentence)
