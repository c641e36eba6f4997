"""The chosen logger of the Field desk: its five stages, its plan in the editor, what is ready."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QStackedWidget, QWidget

from gezeiten.desk.field.readiness import Readiness, readiness
from gezeiten.desk.logger.contact import LoggerCard
from gezeiten.desk.logger.launch.launch_checks import Check, label_check
from gezeiten.desk.logger.launch.planning import pattern_name
from gezeiten.domain.base.intervals import interval_text
from gezeiten.domain.plan.plan import Plan
from gezeiten.ui.field.logger.logger_page import BatteryLife, LoggerPage
from gezeiten.ui.field.logger.mission_page import MissionPage
from gezeiten.ui.field.logger.plan_page import PlanPage
from gezeiten.ui.field.logger.plan_shelf import origin_text
from gezeiten.ui.field.logger.stage_states import IDENTITY, LAUNCH, OFFLOAD, PLAN, stage_states
from gezeiten.ui.field.logger.stages import StageBar
from gezeiten.ui.field.model import FieldModel
from gezeiten.ui.format.i18n import tr
from gezeiten.ui.format.units import units_of
from gezeiten.ui.parts.widgets import column, scrolled
from gezeiten.ui.plan.editor import PlanEditor
from gezeiten.ui.shell.app_context import AppContext
from gezeiten.ui.shell.theme import Theme

_LOGGER_PAGE, _PLAN_PAGE, _MISSION_PAGE = range(3)


class ChosenDesk(QObject):
    """switched: another logger's plan came into the editor. changed: a plan or a label was typed.
    checked: what is ready is known anew.

    words: the words why that were given for a logger; asks the archive about its clock.
    """

    switched = Signal()
    changed = Signal()
    checked = Signal()

    def __init__(
        self, context: AppContext, model: FieldModel, words: Callable[[LoggerCard], dict[str, str]]
    ) -> None:
        super().__init__()
        self._context, self._model, self._words = context, model, words
        self._checked_plan: Plan | None = None
        self.stages = StageBar(
            [tr("Identity"), tr("Offload"), tr("Health"), tr("Plan"), tr("Launch")]
        )
        self.logger_page = LoggerPage()
        self.editor = PlanEditor(
            context.desk.now_ms, lambda: units_of(context.desk.settings), self._pattern_name
        )
        self.plan_page = PlanPage(self.editor)
        self.mission_page = MissionPage()
        self.pages = QStackedWidget()
        for page in (scrolled(self.logger_page), self.plan_page, scrolled(self.mission_page)):
            self.pages.addWidget(page)
        self.page = QWidget()
        self.page.setLayout(column(self.stages, self.pages, spacing=10))
        self.stages.chosen.connect(self._show_stage)
        self.editor.changed.connect(self.check)
        self.plan_page.reach.connect(self._set_interval)
        self.logger_page.labelled.connect(self._labelled)

    # -- stages --------------------------------------------------------------------------------
    def select_stage(self, stage: int) -> None:
        """Show a stage and go to its first field."""
        self.stages.select(stage)
        if stage == PLAN:
            self.editor.times.interval.setFocus()
            self.editor.times.interval.selectAll()

    def _show_stage(self, stage: int) -> None:
        its = {PLAN: _PLAN_PAGE, LAUNCH: _MISSION_PAGE}
        self.pages.setCurrentIndex(its.get(stage, _LOGGER_PAGE))

    def type_label(self) -> None:
        """Go to the field for the label on the case."""
        self.stages.select(IDENTITY)
        self.logger_page.label.setFocus()
        self.logger_page.label.selectAll()

    def _labelled(self, text: str) -> None:
        self._model.is_touched = True
        if self._model.card is not None:
            self._model.labels[self._model.card.serial] = text
            self.check()

    # -- showing it ----------------------------------------------------------------------------
    def show_card(self, card: LoggerCard) -> None:
        """Show the chosen logger as it answered last; what was typed for it stays."""
        model, zone = self._model, self._model.zone_of(card)
        units = units_of(self._context.desk.settings)
        is_locked = model.starts[card.serial].pin == "wanted"
        self.logger_page.show_card(card, zone, units, is_locked)
        self.mission_page.show_card(card, zone, model.launched.get(card.serial))
        self.logger_page.show_arrival(model.arrivals.get(card.serial), zone, units)
        if card.interrupted:
            self._context.said.emit(card.interrupted, True)
        if model.plans.serial == card.serial:
            self.editor.renew_card(card)
            model.typed = self.editor.plan()
            return
        self._show_in_editor(card, zone)

    def _show_in_editor(self, card: LoggerCard, zone: str) -> None:
        model = self._model
        model.plans.keep(self.editor.plan())
        model.ready = None
        self.switched.emit()
        self.logger_page.label.setText(model.labels.get(card.serial, ""))
        start = model.starts[card.serial]
        typed = model.plans.change_to(card.serial, start.plan)
        self.plan_page.show_origin(origin_text(start.origin) if typed is None else tr("Edited"))
        self.editor.show_plan(card, typed or start.plan, zone)
        model.typed = self.editor.plan()
        self.stages.select(
            LAUNCH if model.is_done(card) else OFFLOAD if card.readings_to_offload else PLAN
        )

    def show_plan(self, plan: Plan, origin: str) -> None:
        """Show a plan from elsewhere for the chosen logger."""
        card = self._model.card
        if card is not None:
            self.stages.select(PLAN)
            self.plan_page.show_origin(origin)
            self.editor.show_plan(card, plan, self._model.zone_of(card))

    def set_theme(self, theme: Theme) -> None:
        self.stages.set_theme(theme)
        self.plan_page.set_theme(theme)

    # -- plan, outlook, checks -----------------------------------------------------------------
    def _pattern_name(self, point_name: str) -> str:
        card = self._model.card
        if card is None:
            return ""
        return pattern_name(self._context.desk, card, point_name, self._model.zone_at(point_name))

    def _set_interval(self, interval_s: int) -> None:
        field = self.editor.times.interval
        field.setText(interval_text(interval_s))
        field.textEdited.emit(field.text())

    def check(self) -> None:
        """The plan, a word or the label is another: check it anew, off the main thread."""
        card, plan = self._model.card, self.editor.plan()
        self._model.typed = plan
        if card is None:
            return
        serial, label_ = card.serial, self._model.labels.get(card.serial, "")
        typed = label_check(serial, label_)
        self.logger_page.show_label_check(typed.weight, typed.sentence)
        self.changed.emit()
        if plan is None or plan.interval_s <= 0:
            words = self.editor.fault or tr("The plan is not complete; fill in its fields.")
            fault = Check("blocking", words, field="plan")
            self._show_readiness(serial, plan, Readiness((fault, typed), None, None, None, ""))
            return
        if self._checked_plan != plan:
            self._model.ready = None  # what was found holds for another plan
        desk = self._context.desk
        self._context.run(
            lambda _task: readiness(desk, card, plan, self._words(card), label_),
            lambda ready: self._show_readiness(serial, plan, ready),
            latest="field readiness",
        )

    def _show_readiness(self, serial: str, plan: Plan | None, ready: Readiness) -> None:
        card = self._model.card
        if card is None or card.serial != serial or self._model.typed != plan:
            return  # another one was chosen meanwhile, or another plan typed
        self._model.ready, self._checked_plan = ready, plan
        zone, now_ms = self._model.zone_of(card), self._context.desk.now_ms()
        self.plan_page.show_outlook(ready.outlook, now_ms, ready.visit_ms, zone, ready.assumption)
        days = ready.battery_days
        life = None if days is None else BatteryLife(days, ready.assumption)
        self.logger_page.show_health(card, zone, life)
        self._show_stages(card, zone)
        self.checked.emit()

    def _show_stages(self, card: LoggerCard, zone: str) -> None:
        changed = self._model.typed != self._model.plans.usual
        is_valid = self._checked_plan is not None and self._checked_plan.interval_s > 0
        for stage, state, words in stage_states(
            card, self._model.checks, zone, changed=changed, is_valid=is_valid
        ):
            self.stages.set_state(stage, state, words)
