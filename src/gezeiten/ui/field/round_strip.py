"""The round under way, above the loggers at hand: what is done, what is left, where next."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QWidget

from gezeiten.desk.field.rounds import Round
from gezeiten.ui.format.i18n import tr
from gezeiten.ui.parts.plain import plain_tip
from gezeiten.ui.parts.widgets import button, column, label


class RoundStrip(QWidget):
    """opened: the serial of the next point's logger."""

    opened = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self._round: Round | None = None
        self.words_label = label("", "head")
        self.next_button = button("", self._open, "link")
        self.setLayout(column(self.words_label, self.next_button, spacing=0))
        self.hide()

    def show_round(self, under_way: Round | None) -> None:
        """Show a round, or nothing where none is under way."""
        self._round = under_way
        self.setVisible(under_way is not None)
        if under_way is None:
            return
        done = len(under_way.tasks) - len(under_way.left)
        words = tr("Round: %1 of %2 done").replace("%1", str(done))
        self.words_label.setText(words.replace("%2", str(len(under_way.tasks))))
        left = under_way.left
        self.next_button.setEnabled(bool(left and left[0].serial))
        if left:
            where = f"{left[0].site} · {left[0].point}"
            self.next_button.setText(tr("next: %1").replace("%1", where))
            self.next_button.setToolTip(plain_tip("\n".join(f"{t.site} · {t.point}" for t in left)))
        else:
            self.next_button.setText(tr("all done; finish the round on the Tideboard"))

    def task_texts(self) -> dict[str, str]:
        """Return what the round wants of each logger, by serial."""
        if self._round is None:
            return {}
        return {
            task.serial: tr("✓ round") if task.is_done else tr("on the round")
            for task in self._round.tasks
            if task.serial
        }

    def _open(self) -> None:
        if self._round is not None and self._round.left:
            self.opened.emit(self._round.left[0].serial)
