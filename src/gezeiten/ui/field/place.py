"""The Field desk as one place, which hands one logger from stage to stage.

Connected loggers, the selected one in five stages, launch checks, one large button.

Shows what `FieldWork` finds and does; with two and more loggers ticked it works on all of them.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PySide6.QtCore import QTimer
from PySide6.QtGui import QHideEvent, QShowEvent
from PySide6.QtWidgets import QStackedWidget

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.readiness import LoggerWithStart, Start, starting
from gezeiten.desk.field.rounds import Round, open_round
from gezeiten.desk.logger.contact import LoggerCard
from gezeiten.desk.logger.launch.accepted_reasons import AcceptedWords
from gezeiten.desk.logger.launch.launch_checks import Check, erase_sentence, label_check
from gezeiten.desk.logger.launch.several import LoggerResult
from gezeiten.desk.office.logbook import AboutFilter, about_logger
from gezeiten.desk.sites.places import PointPlace, points
from gezeiten.errors import InputError
from gezeiten.link.lines.address import CablePort
from gezeiten.ui.field.actions import FieldActions
from gezeiten.ui.field.carriers.carriers_desk import CarriersDesk
from gezeiten.ui.field.commands import field_commands
from gezeiten.ui.field.connected_loggers import ConnectedLoggers
from gezeiten.ui.field.dialogs.opener import FieldDialogs
from gezeiten.ui.field.focus_memory import FocusMemory
from gezeiten.ui.field.logger.chosen_desk import ChosenDesk
from gezeiten.ui.field.logger.launch_panel import LaunchPanel
from gezeiten.ui.field.logger.logger_list import LoggerMarks
from gezeiten.ui.field.logger.logger_texts import doing
from gezeiten.ui.field.logger.plan_shelf import PlanShelf
from gezeiten.ui.field.model import FieldModel, NextAction
from gezeiten.ui.field.news import FieldNews
from gezeiten.ui.field.next_step import step_texts
from gezeiten.ui.field.no_logger_page import NobodyPage
from gezeiten.ui.field.several_desk import SeveralDesk
from gezeiten.ui.field.work import FieldWork
from gezeiten.ui.format.i18n import clock_time, counted, home_zone, tr
from gezeiten.ui.parts.widgets import give_room, row
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.app_context import AppContext, Place
from gezeiten.ui.shell.commands import Command
from gezeiten.ui.shell.theme import Theme
from gezeiten.ui.work.work_queue import Task


class FieldDeskPlace(Place):
    """Everything a technician does at a logger, or at several."""

    def __init__(self, context: AppContext) -> None:
        super().__init__(context)
        self.work = FieldWork(context)
        self.model = FieldModel(home_zone())
        self._plugged = ""
        self._accepted = AcceptedWords(context.desk)
        self._build()
        self.hands = FocusMemory(self, self.loggers, lambda: self.check_list.word)
        self.runner = FieldActions(self, self.model)
        self.dialogs = FieldDialogs(self, self.model, self.runner, self)
        self.news = FieldNews(self, self.model)
        self._connect()
        self._second = QTimer(self)
        self._second.setInterval(1000)
        self._second.timeout.connect(self._tick)

    # -- building ------------------------------------------------------------------------------
    def _build(self) -> None:
        self.carriers = CarriersDesk(self.context, self.work)
        self.at_hand = left = ConnectedLoggers(self.context, self.work, self.carriers.list)
        self.loggers, self.round_strip = left.loggers, left.round_strip
        self.chosen = ChosenDesk(self.context, self.model, self.override_reasons)
        self.stages, self.editor = self.chosen.stages, self.chosen.editor
        self.logger_page = self.chosen.logger_page
        self.right = LaunchPanel()
        self.check_list, self.main = self.right.check_list, self.right.main
        self.group = SeveralDesk(self.context, self.model, self.work, self.override_reasons)
        self.several = self.group.page
        self.shelf = PlanShelf(self.context, self, self.model, self.chosen.show_plan)
        self.nobody = NobodyPage(can_practise=self.context.practice is not None)
        self.middle = QStackedWidget()
        for view in (self.chosen.page, self.several, self.nobody, self.carriers.page):
            self.middle.addWidget(view)
        self.setLayout(row(left, self.middle, self.right, margins=14))
        give_room(self, 1, 1)
        self.setFocusProxy(self.loggers)

    def _connect(self) -> None:
        self.loggers.currentItemChanged.connect(lambda *_: self._selection_changed())
        self.loggers.currentItemChanged.connect(lambda *_: self._show_loggers())
        self.loggers.ticks_changed.connect(self._ticks_changed)
        self.chosen.switched.connect(self.runner.forget_pressed)
        self.chosen.changed.connect(self._changed)
        self.chosen.checked.connect(self._checked)
        self.check_list.accepted.connect(self._accept)
        self.right.pressed.connect(self.runner.do_next)
        self.group.newly_prepared.connect(self._show_group)
        self.group.ended.connect(self._several_ended)
        self.carriers.opened.connect(self._select_stage)
        self.carriers.closed.connect(self.show_current)
        self.right.offload_pressed.connect(self.runner.offload)
        self.loggers.pressed.connect(lambda _: self._show_loggers())
        self.loggers.entered_key.connect(self.runner.enter_in_list)
        self.loggers.touched.connect(self.touched)
        self.logger_page.wants_live.connect(self.news.read_live)
        self.round_strip.opened.connect(lambda serial: self.show_target(serial))
        self.at_hand.asked.connect(self._on_request)
        self.at_hand.looking.connect(
            lambda on: self.nobody.show_addresses(self._addresses(), looking=on)
        )
        for page in (
            self.logger_page,
            self.chosen.plan_page,
            self.chosen.mission_page,
            self.several,
            self.nobody,
        ):
            page.asked.connect(self._on_request)
        self.nobody.look.connect(self.search_addresses)
        self.work.seen.connect(self._show_card)
        self.work.looked.connect(self._show_loaded)
        self.work.busy_changed.connect(self._busy_changed)

    def _on_request(self, action: str) -> None:
        """A page wants something done."""
        actions = self.runner
        {
            "blink": actions.blink,
            "record": self._to_trends,
            "cancel": actions.cancel,
            "check": actions.self_check,
            "rows": self.dialogs.rows,
            "part": self.dialogs.show_part,
            "life": self.dialogs.life,
            "pin": self.dialogs.pin,
            "last": actions.use_last_plan,
            "before": actions.use_previous_loggers_plan,
            "kept": actions.show_stored_plans,
            "keep": actions.show_stored_plans,
            "differs": actions.show_differences,
            "stop": self.dialogs.stop,
            "again": actions.relaunch_last_plan,
            "label": actions.write_labels,
            "labels": actions.write_labels,
            "common": self.group.prepare,
            "untick": actions.untick_all,
            "look": self.search,
            "settings": lambda: self.context.wants.emit("settings"),
            "practice": self.dialogs.practice,
            "tick": actions.tick_all,
            "text": self.dialogs.pick_text,
            "folder": self.dialogs.pick_folder,
            "live": self.dialogs.live_line,
            "gone": self._logger_left,
            "erase": self.dialogs.erase,
            "demonstration": self.dialogs.demonstrate,
        }[action]()

    def commands(self) -> list[Command]:
        return field_commands(self, self.runner, self.dialogs)

    def hint(self) -> str:
        return tr("Space select · F4 label · F6 offload · F3 override · F9 launch · Alt+1…5 stages")

    def step(self, by: int) -> None:
        """Choose the next logger, or the one before."""
        self.touched()
        row_ = self.loggers.currentRow() + by
        if 0 <= row_ < self.loggers.count():
            self.loggers.setCurrentRow(row_)
            self.context.show_message("")  # what was said was about the one before

    # -- finding -------------------------------------------------------------------------------
    def logbook_filter(self) -> Callable[[Workspace], AboutFilter] | None:
        card = self.model.card
        if card is None:
            return None
        return lambda _desk: about_logger(card.serial)

    def point_in_hand(self) -> int | None:
        card = self.model.card
        return self.model.point_ids.get(card.point) if card is not None else None

    def refresh(self) -> None:
        desk = self.context.desk
        cards = list(self.model.cards.values())

        def work(_task: Task) -> tuple[list[PointPlace], Round | None, dict[str, Start]]:
            known = [point for point in points(desk) if not point.retired]
            return known, open_round(desk), {c.serial: starting(desk, c) for c in cards}

        self.context.run(work, self._set_places, latest="field places")

    def _set_places(self, known: tuple[list[PointPlace], Round | None, dict[str, Start]]) -> None:
        listed, round_, starts = known
        self.model.starts |= starts
        self.model.set_points(listed)
        self.carriers.page.zones = self.model.zones
        self.editor.names.show_points(list(self.model.zones))
        self.round_strip.show_round(round_)
        self.loggers.show_round(self.round_strip.task_texts())
        self._mark_all()
        if self.work.is_read_only:
            return
        if self.context.desk.settings.look_on_start or self.loggers.count():
            self.search()
        else:
            self._show_loaded(set())

    def search_addresses(self, addresses: str) -> None:
        """Look at addresses too that were typed just now; they are remembered."""
        desk = self.context.desk
        known = desk.settings.addresses
        if addresses and addresses not in known:
            listed = ", ".join(filter(None, (known, addresses)))
            try:
                desk.addresses_of(listed)
            except InputError as exc:
                self.context.said.emit(str(exc), True)
                return
            self.context.change_settings(replace(desk.settings, addresses=listed))
        self.search()

    def search(self) -> None:
        """Ask every address who is there; cards appear as they answer."""
        if self.work.is_read_only:
            return
        self.work.search()
        self.at_hand.search_ports()
        self.carriers.search_again()
        self.at_hand.show_searching(on=True)

    def _addresses(self) -> str:
        desk = self.context.desk
        return ", ".join(filter(None, [desk.settings.addresses, *desk.practice_addresses]))

    def _show_card(self, logger_with_start: LoggerWithStart) -> None:
        card, is_new = logger_with_start.card, self.model.add_card(logger_with_start)
        self.loggers.show_card(card, self._marks(card))
        if is_new and not self.work.is_read_only:
            self._count()
        if is_new:
            self._plugged_in(card)
        goes_to = self.model.serial_to_select(card)
        if goes_to is not None:
            self.loggers.choose(goes_to)
        elif self.model.card is card:
            self.show_current()
        if card.serial in self.model.ticks and not self.work.is_busy:
            self.group.prepare()

    def _selection_changed(self) -> None:
        """Another logger is chosen in the list."""
        card, before = self.loggers.current_card(), self.model.chosen
        self.model.chosen = card.serial if card else None
        if before != self.model.chosen and before in self.model.cards:
            self.forget_finished()
        self.show_current()

    def _plugged_in(self, card: LoggerCard) -> None:
        """A logger on a cable that has just been plugged in is told, and one key away."""
        if isinstance(card.address, CablePort) and card.address.path in self.at_hand.fresh_ports:
            self._plugged = card.serial
            words = tr("%1 was connected; Ctrl+G goes to it.").replace("%1", card.serial)
            self.context.show_message(words)

    def select_plugged(self) -> None:
        """Choose the logger that was plugged in last."""
        if self._plugged in self.model.cards:
            self.show_target(self._plugged)
        else:
            self.context.show_message(tr("No logger was connected just now."))

    def touched(self) -> None:
        """A hand is at the desk: what is chosen is chosen."""
        self.model.is_touched = True

    def _show_loaded(self, seen: set[str]) -> None:
        self.loggers.drop_all_but(self.at_hand.connected_serials(seen))
        self.carriers.drop_couriers_but(seen)
        self.at_hand.show_searching(on=False)
        self._logger_left()
        wanted = self.model.wanted
        if wanted and wanted not in self.model.cards:
            words = tr("%1 is not connected; connect it and search again.").replace("%1", wanted)
            self.context.said.emit(words, True)
        self.model.wanted = None

    def _logger_left(self) -> None:
        """The list is another one: count it anew, and stay with somebody who is there."""
        self._count()
        if self.loggers.currentItem() is None and self.loggers.count():
            self.loggers.setCurrentRow(0)
        self.show_current()

    def _count(self) -> None:
        window = self.window()
        if hasattr(window, "strip"):
            words = counted(self.loggers.count(), "%n connected", "%n connected")
            window.strip.tabs[places.FIELD_DESK].set_line(words, False)

    def show_target(self, target: object) -> None:
        self.touched()
        serial = str(target)
        item = self.loggers.item_of(serial)
        if item is not None:
            self.loggers.setCurrentItem(item)
        else:
            self.model.wanted = serial
            self.search()

    # -- showing the chosen logger -------------------------------------------------------------
    def show_current(self) -> None:
        """Show the chosen logger anew."""
        card = self.model.card
        self._select_stage()
        if card is None:
            self.model.ready = None
            self.check_list.show_checks([])
            self._show_main()
            return
        self.chosen.show_card(card)

    def _select_stage(self) -> None:
        if self.carriers.is_open:
            self.loggers.clearSelection()
            self.middle.setCurrentIndex(3)
        else:
            no_card = 2 if self.model.card is None else 0
            self.middle.setCurrentIndex(no_card or int(self.model.is_group))
        self.right.setVisible(self.model.card is not None and not self.carriers.is_open)

    def _show_loggers(self) -> None:
        """A logger was chosen: the courier or drive makes room."""
        if self.carriers.is_open:
            self.carriers.close()
            if self.loggers.currentItem() is not None:
                self.loggers.currentItem().setSelected(True)
            self.show_current()

    # -- identity ----------------------------------------------------------------------------------
    def remember_pin(self, group: str, pin: int) -> None:
        """Remember a PIN that was typed."""
        desk, cards = self.context.desk, list(self.model.cards.values())

        def work(_task: Task) -> dict[str, Start]:
            desk.pins.store(group, pin)
            return {card.serial: starting(desk, card) for card in cards}

        self.context.run(work, self._use_known_pins)

    def _use_known_pins(self, starts: dict[str, Start]) -> None:
        self.model.starts |= starts
        self._mark_all()
        self.show_current()

    # -- plan, outlook, checks -----------------------------------------------------------------
    def _changed(self) -> None:
        """The plan or the label of the chosen logger is another."""
        card = self.model.card
        if card is not None:
            self.loggers.show_marks(card.serial, self._marks(card))
        typed = self.model.typed
        is_plan = typed is not None and typed.interval_s > 0
        if is_plan and self.model.is_group and self.several.common.isChecked():
            self.group.prepare()

    def _checked(self) -> None:
        """What is ready for the chosen logger is known anew."""
        card = self.model.card
        if card is not None and not self.model.is_group:
            self._show_checks(card)
        self._show_main()
        self.runner.run_pending()

    def override_reasons(self, card: LoggerCard) -> dict[str, str]:
        """The words why for this logger; asks the archive about the clock."""
        return self._accepted.reasons(card.serial)

    def _accept(self, key: str, word: str) -> None:
        targets = self.model.ticked if self.model.is_group else [self.model.card]
        serials = [card.serial for card in targets if card is not None]
        self.hands.remember()

        def done(_: object) -> None:
            self.chosen.check()
            self.group.prepare()

        self.context.run(lambda _task: self._accepted.accept(key, word, serials), done)
        self.hands.restore()

    def ask_reason(self, key: str = "") -> None:
        """Open the field for a word; the hands come back to where they were."""
        self.hands.remember()
        self.check_list.ask_reason(key)

    def _show_checks(self, card: LoggerCard) -> None:
        """Show the checks of the chosen logger; once it is launched, only that it is."""
        looks = self.model.checks_shown()
        if looks is None:
            self.show_all_checks()
            return
        words = tr("Mission %1 of %2 is launched; its plan was read back and is the same.")
        mission = self.model.launched[card.serial].mission
        words = words.replace("%1", str(mission)).replace("%2", card.serial)
        self.check_list.show_checks([Check("passed", words), *looks])

    def show_all_checks(self) -> None:
        """Show all checks of the chosen logger."""
        self.check_list.show_checks(self.model.checks)

    # -- the next step ---------------------------------------------------------------------------
    def next_action(self) -> NextAction:
        """Return what the large button does next."""
        return self.model.next_action(self.group.next_action(), is_busy=self.work.is_busy)

    def ask_pin(self) -> None:
        """Ask for the PIN of the chosen logger."""
        self.dialogs.pin()

    def _erasing(self, card: LoggerCard, action: NextAction) -> str:
        """What the next action does to memories, "" where it does nothing to them."""
        if action.kind in ("next", "done"):
            return ""
        if not self.model.is_group:
            return erase_sentence(card)
        its = (
            self.group.launchable()
            if action.kind == "several"
            else self.group.launchable_with_reason()
        )
        words = counted(
            len(its),
            "Launching sets the clock of %n logger and erases its memory after offloading.",
            "Launching sets the clocks of %n loggers and erases their memories after offloading.",
        )
        return words if its else ""

    def _show_main(self) -> None:
        card, action = self.model.card, self.next_action()
        self.main.setEnabled(action.kind not in ("", "done", "blocked"))
        if card is None:
            return
        if self.work.is_busy:
            self.right.after.setText(tr("running; Esc cancels"))
            return
        if action.kind:
            self.right.show_step(*step_texts(action, self.editor.first_reading()))
        self.right.show_erasing(self._erasing(card, action))
        only = card.readings_to_offload if action.kind == "launch" else 0
        self.right.show_offload_only(only)
        self._tick()

    def _tick(self) -> None:
        card = self.model.card
        if card is None:
            return
        action, left = self.next_action(), ""
        if action.kind == "launch":
            left = self.editor.countdown()
            self.right.show_step(*step_texts(action, self.editor.first_reading()))
        zone = self.model.zone_of(card)
        at = clock_time(self.context.desk.now_ms(), zone, seconds=True)
        self.right.show_time(f"{at} {zone}", left)

    def end(self) -> None:
        for work in self.dialogs.lives:
            work.stop()

    def showEvent(self, event: QShowEvent) -> None:
        self._second.start()
        self.context.watch_carriers(on=True)
        super().showEvent(event)

    def hideEvent(self, event: QHideEvent) -> None:
        self._second.stop()
        self.context.watch_carriers(on=False)
        super().hideEvent(event)

    # -- several -----------------------------------------------------------------------------------
    def _ticks_changed(self) -> None:
        self.model.leave(card.serial for card in self.loggers.cards())
        before = self.model.ticks
        self.model.ticks = {card.serial: None for card in self.loggers.ticked()}
        count = len(self.model.ticked)
        self.at_hand.show_ticked()
        if self.model.ticks.keys() - before.keys():
            self.forget_finished()
        if count < 2 and not self.model.finished:
            self.several.forget_results()
        self._select_stage()
        self.group.prepare()
        if count < 2 and self.model.card is not None:
            self._show_checks(self.model.card)
        self._show_main()

    def forget_finished(self) -> None:
        """Something else is done now than what the last results are about."""
        self.model.finished = {}
        self.several.show_finished([], [])

    def _show_group(self) -> None:
        self.check_list.show_checks(self.group.checks())
        self._show_main()

    def _several_ended(self, results: list[LoggerResult]) -> None:
        for result in results:
            if result.launched is not None:
                self.model.launched[result.serial] = result.launched
                self._accepted.forget(result.serial)
                self.model.plans.drop(result.serial)
        self.model.plans.start_over()
        self._mark_all()
        launched = [result.serial for result in results if result.launched is not None]
        self.model.finished |= dict.fromkeys(launched)
        self.several.show_finished(self.group.prepared, launched)
        # they have their result; what is left ticked is still to do
        self.loggers.tick([serial for serial in self.model.ticks if serial not in launched])
        self.show_current()

    # -- hands -----------------------------------------------------------------------------------
    def _busy_changed(self) -> None:
        """An action has begun, or has ended and shown what it brought."""
        self._show_main()
        if not self.work.is_busy:
            self.logger_page.end_transfer()
            self.runner.presses.ended()
            QTimer.singleShot(0, self.hands.restore)

    def forget_typed(self, serial: str) -> None:
        """A logger was launched: what was typed for it is done with, its plan is the new start."""
        self._accepted.forget(serial)
        self.model.forget_typed(serial)

    # -- marks of the cards ------------------------------------------------------------------------
    def _marks(self, card: LoggerCard) -> LoggerMarks:
        """What the desk knows of a logger beside what the logger says."""
        typed = label_check(card.serial, self.model.labels.get(card.serial, ""))
        start = self.model.starts.get(card.serial)
        return LoggerMarks(
            doing(card, self.model.zone_of(card)),
            is_launched=self.model.is_done(card),
            label="no" if typed.weight == "note" else typed.weight,
            pin=start.pin if start else "open",
        )

    def _mark_all(self) -> None:
        for card in self.loggers.cards():
            self.loggers.show_marks(card.serial, self._marks(card))

    def _to_trends(self) -> None:
        card = self.model.card
        if card is None:
            return
        if card.point in self.model.point_ids:
            self.context.go.emit(places.TRENDS, self.model.point_ids[card.point])

    def set_theme(self, theme: Theme) -> None:
        self.loggers.theme = theme
        self.chosen.set_theme(theme)
        self.several.set_theme(theme)
        self.carriers.page.set_theme(theme)
        self.loggers.viewport().update()
