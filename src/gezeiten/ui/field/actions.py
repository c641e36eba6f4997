"""What is done at the Field desk: launching, offloading, stopping, one logger or several."""

from __future__ import annotations

from collections.abc import Callable

from gezeiten.desk.field.sheets import write_label_sheet
from gezeiten.desk.logger.contact import LoggerCard
from gezeiten.domain.plan.plan import Plan
from gezeiten.domain.series.coverage import Range
from gezeiten.domain.series.drawing.thinning import Thinning
from gezeiten.ui.field.logger.stage_states import HEALTH, OFFLOAD
from gezeiten.ui.field.model import FieldModel
from gezeiten.ui.field.view import FieldView
from gezeiten.ui.format.i18n import tr
from gezeiten.ui.work.presses import Presses


class FieldActions:
    """Each is one key or button; what it brings back is shown by `news`."""

    def __init__(self, field: FieldView, model: FieldModel) -> None:
        self._field, self._model = field, model
        self._context, self._work = field.context, field.work
        self.presses = Presses(lambda: field.context.seconds())
        self._when_ready: Callable[[], None] | None = None  # pressed before it was known

    # -- the large button --------------------------------------------------------------------------
    def do_next(self) -> None:
        """Do what the large button says."""
        self._field.touched()
        if self.presses.is_deliberate():
            self._run_when_ready(self._do_step)

    def _run_when_ready(self, run: Callable[[], None]) -> None:
        """Do an action now, or as soon as it is known whether the chosen logger can be launched."""
        if self._model.card is None or self._model.ready is not None or self._model.is_group:
            run()
        else:
            self._when_ready = run

    def run_pending(self) -> None:
        """It is known now: do what was pressed meanwhile."""
        then, self._when_ready = self._when_ready, None
        if then is not None:
            then()

    def forget_pressed(self) -> None:
        """Another logger was chosen: what was pressed was meant for the one before."""
        self._when_ready = None

    def _do_step(self) -> None:
        kind = self._field.next_action().kind
        actions = {
            "launch": self._launch,
            "several": self._launch_group,
            "pin": self._field.ask_pin,
            "accept": self._field.ask_reason,
            "next": self.next_logger,
        }
        if kind in actions:
            actions[kind]()

    def enter_in_list(self) -> None:
        """Enter in the list goes on to the next logger, where that is what comes next."""
        if self._field.next_action().kind == "next" and self.presses.is_deliberate():
            self.next_logger()

    def next_logger(self) -> None:
        """Go to the next logger that is not launched yet; ticks come off."""
        serial = self._model.next_serial()
        if self._model.is_group:
            self.untick_all()
        if serial:
            self._field.loggers.choose(serial)
            self._field.loggers.setFocus()

    # -- launching ---------------------------------------------------------------------------------
    def launch(self) -> None:
        """Offload and launch the ticked loggers, or the chosen one by the plan as edited."""
        self._field.touched()
        if self._work.is_busy or self._model.card is None or not self.presses.is_deliberate():
            return
        if self._model.is_group:
            self._launch_group()
        else:
            self._run_when_ready(self._launch)

    def _launch_group(self) -> None:
        kind = self._field.group.next_action().kind
        if kind == "accept":
            self._field.ask_reason()
        elif kind == "several":
            self._field.hands.remember()
            self._field.group.run()

    def _launch(self) -> None:
        card, plan = self._model.card, self._model.typed
        if card is None or self._work.is_busy:
            return
        kind = self._model.launch_action(card).kind
        if plan is None:
            self._context.said.emit(f"{card.serial}: {self._field.editor.fault}", True)
        elif kind == "accept":
            self._field.show_all_checks()
            self._field.ask_reason()
        elif kind == "pin":
            self._field.ask_pin()
        else:  # what is in the way is said by the launch itself and goes into the logbook
            self._start_launch(card, plan)

    def _start_launch(self, card: LoggerCard, plan: Plan) -> None:
        self._field.hands.remember()
        self._field.logger_page.show_transfer()
        label = self._model.labels.get(card.serial, "")
        self._work.launch(card, plan, lambda: self._field.override_reasons(card), label)

    def relaunch_last_plan(self) -> None:
        """Put what was typed aside and launch as last time: the chosen logger, or all ticked."""
        if self._model.is_group:
            self._field.group.page.as_it_was.setChecked(True)
            self._field.group.prepare()
            return
        card = self._model.card
        if card is None or self._work.is_busy:
            return
        if self._model.typed != self._model.starts[card.serial].usual:
            self._field.shelf.use_last(card)
            self._model.ready = None
        self.launch()

    # -- offloading --------------------------------------------------------------------------------
    def offload(self) -> None:
        """Take what is not kept from the chosen logger, or from all that are ticked."""
        if self._field.carriers.is_open:
            self._field.carriers.import_selected()
            return
        card = self._model.card
        if card is not None and not self._work.is_busy:
            self._offload(self._model.ticked if self._model.is_group else [card])

    def offload_all(self) -> None:
        """Take what is not kept from every logger at hand."""
        cards = [card for card in self._model.cards.values() if card.readings_to_offload]
        if not cards:
            self._context.show_message(tr("All readings on the connected loggers are saved."))
        elif not self._work.is_busy:
            self._offload(cards)

    def _offload(self, cards: list[LoggerCard], only: dict[int, list[Range]] | None = None) -> None:
        self._field.touched()
        self._start_transfer()
        self._work.offload(cards, only)

    def _start_transfer(self) -> None:
        self._field.hands.remember()
        self._field.stages.select(OFFLOAD)
        self._field.logger_page.show_transfer()

    def offload_part(self, card: LoggerCard, only: dict[int, list[Range]]) -> None:
        """Take these readings of a logger, by mission number."""
        self._offload([card], only)

    def fetch_overview(self, card: LoggerCard, mission: int, thinning: Thinning) -> None:
        """Let a logger thin a mission and take what it made."""
        self._start_transfer()
        self._work.fetch_overview(card, mission, thinning)

    def cancel(self) -> None:
        """Stop what runs; what came is kept."""
        self._work.cancel()
        self._field.carriers.cancel()

    def stop_mission(self) -> None:
        """Stop the mission of the chosen logger and offload it; its memory stays."""
        card = self._model.card
        if card is not None and card.is_recording and not self._work.is_busy:
            self._start_transfer()
            self._work.stop(card)

    # -- ticks -------------------------------------------------------------------------------------
    def tick_all(self) -> None:
        """Tick every logger at hand; all ticked already, take the ticks off."""
        serials = list(self._model.cards)
        all_ticked = len(self._model.ticked) == len(serials)
        self._field.loggers.tick([] if all_ticked else serials)

    def untick_all(self) -> None:
        """Take all ticks off."""
        self._field.forget_finished()
        self._field.loggers.tick([])

    # -- small ones --------------------------------------------------------------------------------
    def blink(self) -> None:
        """Let the chosen logger blink."""
        if self._model.card is not None:
            self._work.blink(self._model.card)

    def self_check(self) -> None:
        """Let the chosen logger check its sensors."""
        if self._model.card is not None:
            self._field.stages.select(HEALTH)
            self._work.self_check(self._model.card)

    def watch_live(self) -> None:
        """Keep reading present values, or stop that."""
        self._field.stages.select(HEALTH)
        self._field.logger_page.watch.toggle()

    def write_labels(self) -> None:
        """Write the labels of the ticked or chosen loggers' missions as a PDF."""
        card, desk = self._model.card, self._context.desk
        cards = self._model.ticked or ([card] if card else [])
        self._context.run(
            lambda _task: write_label_sheet(desk, cards),
            lambda path: self._context.show_message(tr("%1 saved.").replace("%1", str(path))),
        )

    # -- where the plan comes from -----------------------------------------------------------------
    def use_last_plan(self) -> None:
        """Start over from the last mission at this point."""
        if self._model.card is not None:
            self._field.shelf.use_last(self._model.card)

    def use_previous_loggers_plan(self) -> None:
        """Take the plan of the logger that was launched just before."""
        if self._model.card is not None:
            self._field.shelf.use_previous_loggers(self._model.card)

    def show_stored_plans(self, search: str = "") -> None:
        """Open the kept plans; search: what to look for among them."""
        if self._model.card is None:
            self._context.show_message(
                tr("A saved plan is applied to a logger; connect one first.")
            )
        else:
            self._field.shelf.show_stored(self._model.card, search)

    def show_differences(self) -> None:
        """Show what differs from the last plan here."""
        if self._model.card is not None:
            self._field.shelf.show_differences(self._model.card)
