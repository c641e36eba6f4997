"""The launch stage: the mission as the logger has it, its label, stopping, once more as it was."""

from __future__ import annotations

from PySide6.QtCore import Signal

from gezeiten.desk.logger.contact import LoggerCard
from gezeiten.desk.logger.erasing import erase_refusal
from gezeiten.desk.logger.launch.launching import LaunchResult
from gezeiten.domain.base.intervals import interval_text
from gezeiten.domain.plan.plan_words import end_text, rule_text
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.ui.field.logger.logger_texts import doing
from gezeiten.ui.format.i18n import day_and_time, number, tr
from gezeiten.ui.parts.flow import FlowLayout
from gezeiten.ui.parts.plain import plain_tip
from gezeiten.ui.parts.widgets import Card, Facts, button


class MissionPage(Card):
    """asked: name of an action ("stop", "again", "label", "erase")."""

    asked = Signal(str)

    def __init__(self) -> None:
        super().__init__(tr("Mission on the logger"))
        self.mission = Facts()
        self.stop_button = button(tr("Stop and offload"), lambda: self.asked.emit("stop"))
        self.again_button = button(tr("Launch again"), lambda: self.asked.emit("again"))
        self.again_button.setToolTip(
            tr("Offload, then launch with the plan of the last mission (Shift+F9)")
        )
        self.label_button = button(tr("Print label"), lambda: self.asked.emit("label"))
        self.erase_button = button(tr("Erase memory …"), lambda: self.asked.emit("erase"))
        self.body.addWidget(self.mission)
        buttons = (self.again_button, self.label_button, self.stop_button, self.erase_button)
        self.body.addLayout(FlowLayout(*buttons, spacing=8))
        self.body.addStretch(1)

    def show_card(self, card: LoggerCard, zone: str, launched: LaunchResult | None) -> None:
        """Show a logger's mission; launched: what a launch just now brought, if any."""
        plan, state = card.plan, card.state
        self.stop_button.setEnabled(card.is_recording)
        self.again_button.setEnabled(plan is not None)
        reason = erase_refusal(card)
        self.erase_button.setEnabled(not reason)
        self.erase_button.setToolTip(plain_tip(reason))
        self.label_button.setEnabled(plan is not None)
        if plan is None:
            self.mission.show_facts([(tr("Mission"), tr("no mission yet"))])
            return
        first = day_and_time(state.first_due_ms, zone) if state.first_due_ms else "—"
        facts = [
            (tr("Mission"), f"{state.mission_number} · {plan.mission_name or '—'}"),
            (tr("Point"), plan.point_name or "—"),
            (tr("Status"), doing(card, zone)),
            (tr("First reading"), first),
            (tr("Interval"), interval_text(plan.interval_s)),
            (tr("Ends"), end_text(plan, zone)),
            (tr("Readings"), number(state.readings)),
        ]
        facts += [(quantity(rule.channel).name, rule_text(rule)) for rule in plan.limits]
        if plan.remark:
            facts.append((tr("Remark"), plan.remark))
        if launched and launched.mission == state.mission_number:
            facts.append((tr("Plan"), tr("read back and compared: the same")))
        self.mission.show_facts(facts)
