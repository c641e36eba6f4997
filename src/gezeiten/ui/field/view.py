"""What the parts of the Field desk may ask of it: its acts, dialogs and news know no more."""

from __future__ import annotations

from typing import Protocol

from gezeiten.desk.logger.contact import LoggerCard
from gezeiten.ui.field.carriers.carriers_desk import CarriersDesk
from gezeiten.ui.field.connected_loggers import ConnectedLoggers
from gezeiten.ui.field.focus_memory import FocusMemory
from gezeiten.ui.field.logger.chosen_desk import ChosenDesk
from gezeiten.ui.field.logger.logger_list import LoggerList
from gezeiten.ui.field.logger.logger_page import LoggerPage
from gezeiten.ui.field.logger.plan_shelf import PlanShelf
from gezeiten.ui.field.logger.stages import StageBar
from gezeiten.ui.field.model import NextAction
from gezeiten.ui.field.several_desk import SeveralDesk
from gezeiten.ui.field.work import FieldWork
from gezeiten.ui.plan.editor import PlanEditor
from gezeiten.ui.shell.app_context import AppContext


class FieldView(Protocol):
    """The Field desk as its parts see it."""

    context: AppContext
    work: FieldWork
    loggers: LoggerList
    carriers: CarriersDesk
    at_hand: ConnectedLoggers
    stages: StageBar
    chosen: ChosenDesk
    hands: FocusMemory
    logger_page: LoggerPage
    editor: PlanEditor
    group: SeveralDesk
    shelf: PlanShelf

    def ask_pin(self) -> None: ...
    def ask_reason(self, key: str = "") -> None: ...
    def forget_finished(self) -> None: ...
    def forget_typed(self, serial: str) -> None: ...
    def select_plugged(self) -> None: ...
    def search(self) -> None: ...
    def next_action(self) -> NextAction: ...
    def remember_pin(self, group: str, pin: int) -> None: ...
    def show_all_checks(self) -> None: ...
    def show_current(self) -> None: ...
    def step(self, by: int) -> None: ...
    def touched(self) -> None: ...
    def override_reasons(self, card: LoggerCard) -> dict[str, str]: ...
