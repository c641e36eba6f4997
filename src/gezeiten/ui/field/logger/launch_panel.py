"""The right side of the Field desk: the checks before launch and one large button."""

from __future__ import annotations

from PySide6.QtCore import QEvent, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QWidget

from gezeiten.ui.field.logger.check_list import CheckList
from gezeiten.ui.format.i18n import tr
from gezeiten.ui.parts.flow import YieldingWidget, broken
from gezeiten.ui.parts.widgets import Card, button, column, give_room, label

_FRAME_PX = 44
"""What the large button's frame takes of its width."""


class LaunchPanel(YieldingWidget, QWidget):
    """pressed: the large button was pressed. It always says what it will do next.
    offload_pressed: offload without launching."""

    pressed = Signal()
    offload_pressed = Signal()

    def __init__(self) -> None:
        super().__init__()
        checks = Card(tr("Launch checks"))
        self.check_list = CheckList()
        checks.body.addWidget(self.check_list, 1)
        action = Card()
        self.time = label("", "muted", wrap=True)
        self.main = button("", self.pressed.emit, "primary")
        self.main.setAccessibleName(tr("Next step"))
        self.after = label("", "muted", wrap=True)
        self.erasing = label("", wrap=True)
        self.only = button(tr("Offload only (F6)"), self.offload_pressed.emit)
        for part in (self.time, self.erasing, self.main, self.after, self.only):
            action.body.addWidget(part)
        self.setLayout(column(checks, action))
        give_room(self, 0, 1)
        self._step_text = ""
        self.set_widths(262, 216)

    def show_step(self, text: str, after: str) -> None:
        """Say what the button does, and what follows."""
        self._step_text = text
        self.after.setText(after)
        self._make_room()

    def show_time(self, now: str, countdown: str) -> None:
        """Show the site's time, and how long it is until the first reading ("" when unknown)."""
        said = tr("first reading in %1").replace("%1", countdown) if countdown else ""
        self.time.setText(f"{now} · {said}" if said else now)

    def show_erasing(self, sentence: str) -> None:
        """Say beside the button what it does to the memory ("" where it launches nothing)."""
        self.erasing.setText(sentence)
        self._make_room()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._make_room()

    def changeEvent(self, event: QEvent) -> None:
        super().changeEvent(event)
        if event.type() in (QEvent.Type.FontChange, QEvent.Type.StyleChange):
            self._make_room()

    def _make_room(self) -> None:
        """What a launch does to the memory is never cut: the checks above give way, they scroll."""
        room = self.erasing.width()
        if room <= _FRAME_PX:
            return  # not laid out yet
        self.erasing.setMinimumHeight(max(self.erasing.heightForWidth(room), 0))
        text = broken(self._step_text, self.main.fontMetrics(), room - _FRAME_PX)
        if text != self.main.text():
            self.main.setText(text)

    def show_offload_only(self, readings: int) -> None:
        """Offer to offload so many readings without launching; none, nothing is offered."""
        self.only.setVisible(bool(readings))
