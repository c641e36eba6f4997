"""The plan stage: the mission outlook, where the plan came from, and the editor."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QScrollArea, QWidget

from gezeiten.domain.base.intervals import interval_text
from gezeiten.domain.plan.outlook import Outlook
from gezeiten.ui.field.logger.outlook_bars import OutlookBars
from gezeiten.ui.format.i18n import tr
from gezeiten.ui.parts.flow import FlowLayout
from gezeiten.ui.parts.widgets import Card, button, column, give_room, label, row
from gezeiten.ui.plan.editor import PlanEditor
from gezeiten.ui.shell.theme import Theme


class PlanPage(QWidget):
    """asked: name of an action ("last", "before", "kept", "keep", "differs"). reach: the interval
    that would reach the next visit was chosen."""

    asked = Signal(str)
    reach = Signal(int)

    def __init__(self, editor: PlanEditor) -> None:
        super().__init__()
        self.setObjectName("ground")
        self.editor = editor
        self.bars = OutlookBars()
        self.reach_words = label("", "brass", wrap=True)
        self.reach_button = button("", self._set_duration)
        self._reach_s = 0
        outlook = Card(tr("Mission outlook"), tr("follows the plan"))
        outlook.body.addWidget(self.bars)
        line = row(self.reach_words, self.reach_button)
        line.setStretch(0, 1)
        outlook.body.addLayout(line)
        plan = Card()
        self.origin = label("", "muted")
        links = [
            self._link(tr("As last mission"), "last"),
            self._link(tr("As previous logger"), "before"),
            self._link(tr("Saved plans"), "kept"),
            self._link(tr("Save plan"), "keep"),
            self._link(tr("Compare …"), "differs"),
        ]
        plan.body.addWidget(self.origin)
        plan.body.addLayout(FlowLayout(*links, spacing=4))
        scroll = QScrollArea()
        scroll.setWidget(editor)
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        plan.body.addWidget(scroll, 1)
        self.editor_area = scroll
        self.setLayout(column(outlook, plan, spacing=10))
        give_room(self, 1, 1)
        self._show_reach(None)

    def _link(self, text: str, action: str) -> QWidget:
        return button(text, lambda: self.asked.emit(action), "link")

    def show_origin(self, words: str) -> None:
        """Say where the plan in the editor came from."""
        self.origin.setText(words)

    def show_outlook(
        self, look: Outlook | None, now_ms: int, visit_ms: int | None, zone: str, assumption: str
    ) -> None:
        """Show what a plan leads to; None where there is no plan."""
        self.bars.show_outlook(look, now_ms, visit_ms, zone, assumption)
        self._show_reach(look.reach_interval_s if look else None)

    def _show_reach(self, interval_s: int | None) -> None:
        for widget in (self.reach_words, self.reach_button):
            widget.setVisible(interval_s is not None)
        if interval_s is None:
            return
        self._reach_s = interval_s
        text = interval_text(interval_s)
        words = tr("Memory is full before the next visit; an interval of %1 would last.")
        self.reach_words.setText(words.replace("%1", text))
        self.reach_button.setText(tr("Use %1").replace("%1", text))

    def _set_duration(self) -> None:
        self.reach.emit(self._reach_s)

    def set_theme(self, theme: Theme) -> None:
        self.bars.theme = theme
        self.bars.update()
