"""What the parts of the Field desk may ask of it: its acts, dialogs and news know no more."""

from __future__ import annotations

from gezeiten.desk.contact import LoggerCard
from gezeiten.domain.coverage import Range
from gezeiten.domain.thinning import Thinning
from gezeiten.ui.field_work import FieldWork
from gezeiten.ui.house import Place
from gezeiten.ui.views.at_hand import AtHand
from gezeiten.ui.views.carriers_desk import CarriersDesk
from gezeiten.ui.views.logger_list import LoggerList
from gezeiten.ui.views.logger_page import LoggerPage
from gezeiten.ui.views.plan_shelf import PlanShelf
from gezeiten.ui.views.stages import StageBar


class FieldView(Place):
    """The Field desk as its parts see it."""

    work: FieldWork
    loggers: LoggerList
    carriers: CarriersDesk
    at_hand: AtHand
    stages: StageBar
    logger_page: LoggerPage
    shelf: PlanShelf

    @property
    def card(self) -> LoggerCard | None:
        """The chosen logger."""
        raise NotImplementedError

    def again_as_it_was(self) -> None:
        raise NotImplementedError

    def ask_word(self, key: str = "") -> None:
        raise NotImplementedError

    def blink(self) -> None:
        raise NotImplementedError

    def cancel_offload(self) -> None:
        raise NotImplementedError

    def choose_stage(self, stage: int) -> None:
        raise NotImplementedError

    def forget_typed(self, serial: str) -> None:
        raise NotImplementedError

    def go_to_plugged(self) -> None:
        raise NotImplementedError

    def launch(self) -> None:
        raise NotImplementedError

    def look(self) -> None:
        raise NotImplementedError

    def next_logger(self) -> None:
        raise NotImplementedError

    def offload(self) -> None:
        raise NotImplementedError

    def offload_all(self) -> None:
        raise NotImplementedError

    def pin_given(self, group: str, pin: int) -> None:
        raise NotImplementedError

    def self_check(self) -> None:
        raise NotImplementedError

    def show_current(self) -> None:
        raise NotImplementedError

    def show_differences(self) -> None:
        raise NotImplementedError

    def show_kept_plans(self, search: str = "") -> None:
        raise NotImplementedError

    def step(self, by: int) -> None:
        raise NotImplementedError

    def stop_mission(self) -> None:
        raise NotImplementedError

    def take_last_plan(self) -> None:
        raise NotImplementedError

    def take_overview(self, card: LoggerCard, mission: int, thinning: Thinning) -> None:
        raise NotImplementedError

    def take_part(self, card: LoggerCard, only: dict[int, list[Range]]) -> None:
        raise NotImplementedError

    def take_plan_before(self) -> None:
        raise NotImplementedError

    def tick_all(self) -> None:
        raise NotImplementedError

    def type_label(self) -> None:
        raise NotImplementedError

    def watch_live(self) -> None:
        raise NotImplementedError

    def write_labels(self) -> None:
        raise NotImplementedError

    def zone_of(self, card: LoggerCard) -> str:
        raise NotImplementedError
