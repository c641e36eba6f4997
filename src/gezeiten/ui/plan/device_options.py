"""How the logger behaves towards people; only what its model has is shown."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import QCheckBox, QSpinBox

from gezeiten.domain.plan.models import EVENT_BYTES
from gezeiten.domain.plan.plan import DeviceOptions, Plan
from gezeiten.ui.format.i18n import counted, tr
from gezeiten.ui.parts.flow import FlowLayout
from gezeiten.ui.parts.widgets import label, row
from gezeiten.ui.plan.section import EditContext, QuietCombo, Section, captioned


class DeviceOptionsSection(Section):
    """Display, sound, key tone, light, reminders, memory for events."""

    fields = ("manners",)

    def __init__(self) -> None:
        super().__init__()
        self.display = QuietCombo(
            tr("Display"),
            (("off", tr("off")), ("on", tr("on")), ("press", tr("on for a while after a press"))),
        )
        self.minutes = QSpinBox()
        self.minutes.setRange(1, 60)
        self.minutes.setSuffix(" min")
        self.minutes.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        self.minutes.setAccessibleName(tr("Display on after a press"))
        self.events = QuietCombo(tr("Memory for events"))
        self.switches = {
            "sound": QCheckBox(tr("alarm sound")),
            "key_tone": QCheckBox(tr("key tone")),
            "light": QCheckBox(tr("light outside limits")),
            "reminders": QCheckBox(tr("twice-a-day check reminders")),
        }
        self._display_caption, self._events_caption = (
            label(tr("Display"), "muted"),
            label(tr("Memory for events"), "muted"),
        )
        self.body.addLayout(
            row(
                captioned(self._display_caption, self.display, self.minutes),
                captioned(self._events_caption, self.events),
                1,
                spacing=10,
            )
        )
        self.body.addLayout(FlowLayout(*self.switches.values(), spacing=14))
        self.body.addWidget(self.problem)
        self.display.currentIndexChanged.connect(self._selection_changed)
        self.events.currentIndexChanged.connect(self._changed)
        self.minutes.valueChanged.connect(self._changed)
        for switch in self.switches.values():
            switch.toggled.connect(self._changed)

    def _selection_changed(self) -> None:
        self.minutes.setVisible(self._has("display") and self.display.currentData() == "press")
        self.changed.emit()

    def _has(self, option: str) -> bool:
        return option in self._offered

    _offered: tuple[str, ...] = ()

    def show_plan(self, plan: Plan, context: EditContext) -> None:
        model, options = context.card.identity.model, plan.manners
        self._offered = model.manners
        blocked = [
            QSignalBlocker(w)
            for w in (self.display, self.minutes, self.events, *self.switches.values())
        ]
        self.display.select(options.display)
        self.minutes.setValue(options.display_min)
        self.events.clear()
        for i, size in enumerate(model.event_choices):
            words = counted(size // EVENT_BYTES, "%n event", "%n events")
            words += f" ({tr('usual')})" if i == 0 else ""
            self.events.addItem(words, 0 if i == 0 else size)
        self.events.select(options.event_bytes)
        for key, switch in self.switches.items():
            switch.setChecked(bool(getattr(options, key)))
            switch.setVisible(self._has(key))
        del blocked
        for widget in (self.display, self._display_caption):
            widget.setVisible(self._has("display"))
        for widget in (self.events, self._events_caption):
            widget.setVisible(self._has("event_memory"))
        self.minutes.setVisible(self._has("display") and options.display == "press")

    def applied(self, plan: Plan, context: EditContext) -> Plan:
        if not self._offered:
            return replace(plan, manners=DeviceOptions())
        selected = {
            key: switch.isChecked() for key, switch in self.switches.items() if self._has(key)
        }
        return replace(
            plan,
            manners=DeviceOptions(
                display=self.display.currentData() if self._has("display") else "off",
                display_min=self.minutes.value(),
                event_bytes=self.events.currentData() if self._has("event_memory") else 0,
                **selected,
            ),
        )
