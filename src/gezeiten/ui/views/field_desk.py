"""The Field desk: what is at hand, the chosen logger in five stages, checks, one large button.

Shows what `FieldWork` finds and does; with two and more loggers ticked it works on all of them.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PySide6.QtCore import QTimer
from PySide6.QtGui import QHideEvent, QShowEvent
from PySide6.QtWidgets import QApplication, QStackedWidget, QWidget

from gezeiten.desk.context import Desk
from gezeiten.desk.field.arrival import Arrival
from gezeiten.desk.field.readiness import Readiness, Seen, Start, readiness, starting
from gezeiten.desk.field.rounds import Round, open_round
from gezeiten.desk.field.sheets import write_label_sheet
from gezeiten.desk.logger.accepted import AcceptedWords
from gezeiten.desk.logger.checks import BEGUN_KEY, Check, erase_sentence, label_check
from gezeiten.desk.logger.contact import LoggerCard
from gezeiten.desk.logger.planning import pattern_name
from gezeiten.desk.logger.several import LoggerResult
from gezeiten.desk.office.logbook import About, about_logger
from gezeiten.desk.places import PointPlace, points, zone_at
from gezeiten.domain.coverage import Range
from gezeiten.domain.intervals import interval_text
from gezeiten.domain.plan import Plan
from gezeiten.domain.thinning import Thinning
from gezeiten.domain.timeline import Span
from gezeiten.errors import InputError
from gezeiten.link.line import CablePort
from gezeiten.ui import house as places
from gezeiten.ui.commands import Command
from gezeiten.ui.field_work import FieldWork
from gezeiten.ui.house import House, Place
from gezeiten.ui.i18n import clock_time, counted, home_zone, tr
from gezeiten.ui.parts import column, give_room, row, scrolled
from gezeiten.ui.plan.editor import PlanEditor
from gezeiten.ui.presses import Presses
from gezeiten.ui.theme import Theme
from gezeiten.ui.units import units_of
from gezeiten.ui.views.at_hand import AtHand
from gezeiten.ui.views.carriers_desk import CarriersDesk
from gezeiten.ui.views.edited_plans import EditedPlans
from gezeiten.ui.views.field_commands import field_commands
from gezeiten.ui.views.field_dialogs import FieldDialogs
from gezeiten.ui.views.field_news import FieldNews
from gezeiten.ui.views.launch_panel import LaunchPanel
from gezeiten.ui.views.logger_list import Marks
from gezeiten.ui.views.logger_page import Life, LoggerPage
from gezeiten.ui.views.logger_words import doing
from gezeiten.ui.views.mission_page import MissionPage
from gezeiten.ui.views.next_step import Step, after_launch, launch_step
from gezeiten.ui.views.nobody_page import NobodyPage
from gezeiten.ui.views.plan_page import PlanPage
from gezeiten.ui.views.plan_shelf import PlanShelf, origin_words
from gezeiten.ui.views.several_desk import SeveralDesk
from gezeiten.ui.views.stage_states import (
    HEALTH,
    IDENTITY,
    LAUNCH,
    OFFLOAD,
    PLAN,
    stage_states,
)
from gezeiten.ui.views.stages import StageBar
from gezeiten.ui.work import Task

_LOGGER_PAGE, _PLAN_PAGE, _MISSION_PAGE = range(3)


class FieldDeskPlace(Place):
    """Everything a technician does at a logger, or at several."""

    def __init__(self, house: House) -> None:
        super().__init__(house)
        self.work = FieldWork(house)
        self._wanted: str | None = None
        self._zones: dict[str, str] = {}
        self._point_ids: dict[str, int] = {}
        self._starts: dict[str, Start] = {}
        self._ready: Readiness | None = None  # of the chosen logger; None until it is known
        self._when_ready: Callable[[], None] | None = None  # pressed before it was known
        self._is_touched = False
        self._plugged = ""
        self._hands: QWidget | None = None  # where the focus was when an act began
        self.presses = Presses(lambda: house.seconds())
        self._plans = EditedPlans()
        self._accepted = AcceptedWords(house.desk)
        self._labels: dict[str, str] = {}
        self._round: Round | None = None
        self._build()
        self.dialogs = FieldDialogs(self, self)
        self.news = FieldNews(self)
        self._connect()
        self._second = QTimer(self)
        self._second.setInterval(1000)
        self._second.timeout.connect(self._tick)

    # -- building ------------------------------------------------------------------------------
    def _build(self) -> None:
        self.carriers = CarriersDesk(self.house, self.work)
        self.at_hand = left = AtHand(self.house, self.work, self.carriers.list)
        self.loggers, self.round_strip = left.loggers, left.round_strip
        self.stages = StageBar(
            [tr("Identity"), tr("Offload"), tr("Health"), tr("Plan"), tr("Launch")]
        )
        self.logger_page = LoggerPage()
        self.editor = PlanEditor(
            self.house.desk.now_ms, lambda: units_of(self.house.desk.settings), self._pattern_name
        )
        self.plan_page = PlanPage(self.editor)
        self.mission_page = MissionPage()
        self.pages = QStackedWidget()
        for page in (scrolled(self.logger_page), self.plan_page, scrolled(self.mission_page)):
            self.pages.addWidget(page)
        one = QWidget()
        one.setLayout(column(self.stages, self.pages, spacing=10))
        self.right = LaunchPanel()
        self.check_list, self.main = self.right.check_list, self.right.main
        self.group = SeveralDesk(self.house, self.loggers, self.work, self.editor.plan, self._words)
        self.several = self.group.page
        self.shelf = PlanShelf(
            self.house, self, self.editor, self._into_editor, self.start_of, self.zone_of
        )
        self.nobody = NobodyPage(can_practise=self.house.practice is not None)
        self.middle = QStackedWidget()
        for view in (one, self.several, self.nobody, self.carriers.page):
            self.middle.addWidget(view)
        self.setLayout(row(left, self.middle, self.right, margins=14))
        give_room(self, 1, 1)
        self.setFocusProxy(self.loggers)

    def _connect(self) -> None:
        self.loggers.currentItemChanged.connect(lambda *_: self.show_current())
        self.loggers.currentItemChanged.connect(lambda *_: self._back_to_loggers())
        self.loggers.ticks_changed.connect(self._ticks_changed)
        self.stages.chosen.connect(self._show_stage)
        self.editor.changed.connect(self._plan_changed)
        self.plan_page.reach.connect(self._take_interval)
        self.check_list.accepted.connect(self._accept)
        self.right.pressed.connect(self.do_next)
        self.group.prepared_anew.connect(self._show_group)
        self.group.ended.connect(self._several_ended)
        self.carriers.opened.connect(self._choose_middle)
        self.carriers.closed.connect(self.show_current)
        self.right.offload_pressed.connect(self.offload)
        self.loggers.pressed.connect(lambda _: self._back_to_loggers())
        self.loggers.entered_key.connect(self._enter_in_list)
        self.loggers.touched.connect(self.touched)
        self.logger_page.labelled.connect(self._labelled)
        self.logger_page.wants_live.connect(self.news.read_live)
        self.round_strip.opened.connect(lambda serial: self.show_target(serial))
        self.at_hand.asked.connect(self._asked)
        self.at_hand.looking.connect(
            lambda on: self.nobody.show_where(self._addresses(), looking=on)
        )
        for page in (
            self.logger_page,
            self.plan_page,
            self.mission_page,
            self.several,
            self.nobody,
        ):
            page.asked.connect(self._asked)
        self.nobody.look.connect(self.look_at)
        self.work.seen.connect(self._show_card)
        self.work.looked.connect(self._looked)
        self.work.busy_changed.connect(self._busy_changed)

    def came_last(self, serial: str) -> Span | None:
        """Return the stretch that the last offload of a logger brought, None without one."""
        came = self.news.arrivals.get(serial)
        return came.span if isinstance(came, Arrival) else None

    def _asked(self, act: str) -> None:
        """A page wants something done."""
        {
            "blink": self.blink, "record": self._to_trends, "cancel": self.cancel_offload,
            "check": self.self_check, "rows": self.dialogs.rows,
            "part": self.dialogs.part, "life": self.dialogs.life, "pin": self.dialogs.pin,
            "last": self.take_last_plan, "before": self.take_plan_before,
            "kept": self.show_kept_plans, "keep": self.show_kept_plans,
            "differs": self.show_differences, "stop": self.stop_mission,
            "again": self.again_as_it_was, "label": self.write_labels,
            "labels": self.write_labels, "common": self.group.prepare, "untick": self.untick_all,
            "look": self.look, "settings": lambda: self.house.wants.emit("settings"),
            "practice": self.dialogs.practice, "tick": self.tick_all,
            "text": self.dialogs.choose_text, "folder": self.dialogs.choose_folder,
            "live": self.dialogs.live_line, "gone": self._someone_left,
            "erase": self.dialogs.erase, "demonstration": self.dialogs.demonstrate,
        }[act]()  # fmt: skip

    def commands(self) -> list[Command]:
        return field_commands(self, self.dialogs)

    def hint(self) -> str:
        return tr("Space tick · F4 label · F6 offload · F3 accept · F9 launch · Alt+1…5 stages")

    def step(self, by: int) -> None:
        """Choose the next logger, or the one before."""
        self.touched()
        row_ = self.loggers.currentRow() + by
        if 0 <= row_ < self.loggers.count():
            self.loggers.setCurrentRow(row_)

    def choose_stage(self, stage: int) -> None:
        """Show a stage and go to its first field."""
        self.stages.choose(stage)
        if stage == PLAN:
            self.editor.times.interval.setFocus()
            self.editor.times.interval.selectAll()

    def _show_stage(self, stage: int) -> None:
        self.pages.setCurrentIndex({PLAN: _PLAN_PAGE, LAUNCH: _MISSION_PAGE}.get(stage, 0))

    # -- finding -------------------------------------------------------------------------------
    def about(self) -> Callable[[Desk], About] | None:
        card = self.loggers.current_card()
        if card is None:
            return None
        return lambda _desk: about_logger(card.serial)

    def refresh(self) -> None:
        desk = self.house.desk
        cards = self.loggers.cards()

        def work(_task: Task) -> tuple[list[PointPlace], Round | None, dict[str, Start]]:
            known = [point for point in points(desk) if not point.retired]
            return known, open_round(desk), {c.serial: starting(desk, c) for c in cards}

        self.house.run(work, self._know_places, latest="field places")

    def _know_places(self, known: tuple[list[PointPlace], Round | None, dict[str, Start]]) -> None:
        listed, self._round, starts = known
        self._starts |= starts
        zones = {point.full_name: point.zone for point in listed}
        self._zones = self.group.zones = self.carriers.page.zones = zones
        self._point_ids = {point.full_name: point.id for point in listed}
        self.editor.names.show_points(list(zones))
        self.round_strip.show_round(self._round)
        self.loggers.show_round(self.round_strip.words())
        self._mark_all()
        if self.work.is_looking:
            return
        if self.house.desk.settings.look_on_start or self.loggers.count():
            self.look()
        else:
            self._looked(set())

    def look_at(self, addresses: str) -> None:
        """Look at addresses too that were typed just now; they are remembered."""
        desk = self.house.desk
        known = desk.settings.addresses
        if addresses and addresses not in known:
            listed = ", ".join(filter(None, (known, addresses)))
            try:
                desk.addresses_of(listed)
            except InputError as exc:
                self.house.said.emit(str(exc), True)
                return
            self.house.change_settings(replace(desk.settings, addresses=listed))
        self.look()

    def look(self) -> None:
        """Ask every address who is there; cards appear as they answer."""
        if self.work.is_looking:
            return
        self.work.look()
        self.at_hand.look_at_ports()
        self.carriers.look_again()
        self.at_hand.show_looking(on=True)

    def _addresses(self) -> str:
        desk = self.house.desk
        return ", ".join(filter(None, [desk.settings.addresses, *desk.practice_addresses]))

    def _show_card(self, seen: Seen) -> None:
        card = seen.card
        self._starts[card.serial] = seen.start
        is_new = self.loggers.card(card.serial) is None
        self.loggers.show_card(card, self._marks(card))
        if is_new and not self.work.is_looking:
            self._count()
        if is_new:
            self._plugged_in(card)
        if self._wanted == card.serial:
            self.loggers.choose(card.serial)
        elif self._wanted is None and self._is_choosing() and self.loggers.currentRow() != 0:
            self.loggers.setCurrentRow(0)  # the top one, not whoever answers first
        elif self.loggers.current_card() is card:
            self.show_current()
        if self.loggers.is_ticked(card.serial) and not self.work.is_busy:
            self.group.prepare()

    def _is_choosing(self) -> bool:
        """Whether no hand has been at the list yet, so that the top one is chosen."""
        is_typed = self.editor.plan() not in (None, self._plans.usual)
        return self.loggers.currentItem() is None or not (self._is_touched or is_typed)

    def _plugged_in(self, card: LoggerCard) -> None:
        """A logger on a cable that has just been plugged in is told, and one key away."""
        if isinstance(card.address, CablePort) and card.address.path in self.at_hand.fresh_ports:
            self._plugged = card.serial
            words = tr("%1 was plugged in; Ctrl+G goes to it.").replace("%1", card.serial)
            self.house.say(words)

    def go_to_plugged(self) -> None:
        """Choose the logger that was plugged in last."""
        if self._plugged and self.loggers.card(self._plugged):
            self.show_target(self._plugged)
        else:
            self.house.say(tr("No logger was plugged in just now."))

    def touched(self) -> None:
        """A hand is at the desk: what is chosen is chosen."""
        self._is_touched = True

    def _looked(self, seen: set[str]) -> None:
        self.loggers.drop_all_but(self.at_hand.still_there(seen))
        self.carriers.drop_couriers_but(seen)
        self.at_hand.show_looking(on=False)
        self._someone_left()
        if self._wanted and self.loggers.card(self._wanted) is None:
            words = tr("%1 is not at hand; connect it and look again.").replace("%1", self._wanted)
            self.house.said.emit(words, True)
        self._wanted = None

    def _someone_left(self) -> None:
        """The list is another one: count it anew, and stay with somebody who is there."""
        self._count()
        if self.loggers.currentItem() is None and self.loggers.count():
            self.loggers.setCurrentRow(0)
        self.show_current()

    def _count(self) -> None:
        window = self.window()
        if hasattr(window, "strip"):
            words = counted(self.loggers.count(), "%n at hand", "%n at hand")
            window.strip.tabs[places.FIELD_DESK].set_line(words, False)

    def show_target(self, target: object) -> None:
        self.touched()
        serial = str(target)
        item = self.loggers.item_of(serial)
        if item is not None:
            self.loggers.setCurrentItem(item)
        else:
            self._wanted = serial
            self.look()

    # -- showing the chosen logger -------------------------------------------------------------
    @property
    def card(self) -> LoggerCard | None:
        """The chosen logger."""
        return self.loggers.current_card()

    def zone_of(self, card: LoggerCard) -> str:
        """Return the zone of the site a logger measures at."""
        return self._zones.get(card.point, home_zone())

    def start_of(self, card: LoggerCard) -> Start:
        """Return what a logger at hand starts from."""
        return self._starts[card.serial]

    def show_current(self) -> None:
        """Show the chosen logger anew."""
        card = self.card
        self._choose_middle()
        if card is None:
            self._ready = None
            self.check_list.show_checks([])
            self._show_main()
            return
        zone = self.zone_of(card)
        units = units_of(self.house.desk.settings)
        self.logger_page.show_card(card, zone, units, self.start_of(card).pin == "wanted")
        self.mission_page.show_card(card, zone, self.news.launched.get(card.serial))
        self.logger_page.show_arrival(self.news.arrivals.get(card.serial), zone, units)
        if card.interrupted:
            self.house.said.emit(card.interrupted, True)
        if self._plans.serial == card.serial:
            self.editor.renew_card(card)  # what was typed stays
            return
        self._show_in_editor(card, zone)

    def _show_in_editor(self, card: LoggerCard, zone: str) -> None:
        self._plans.keep(self.editor.plan())
        self._ready, self._when_ready = None, None
        self.logger_page.label.setText(self._labels.get(card.serial, ""))
        start = self.start_of(card)
        plan, origin = self._plans.change_to(card.serial, start.plan, origin_words(start.origin))
        self.plan_page.show_origin(origin)
        self.editor.show_plan(card, plan, zone)
        self.stages.choose(
            LAUNCH if self._is_done(card) else OFFLOAD if card.readings_not_kept else PLAN
        )

    def _choose_middle(self) -> None:
        if self.carriers.is_open:
            self.loggers.clearSelection()
            self.middle.setCurrentIndex(3)
        else:
            self.middle.setCurrentIndex(2 if self.card is None else 1 if self.group.is_on else 0)
        self.right.setVisible(self.card is not None and not self.carriers.is_open)

    def _back_to_loggers(self) -> None:
        """A logger was chosen: the courier or drive makes room."""
        if self.carriers.is_open:
            self.carriers.close()
            if self.loggers.currentItem() is not None:
                self.loggers.currentItem().setSelected(True)
            self.show_current()

    # -- identity ----------------------------------------------------------------------------------
    def type_label(self) -> None:
        """Go to the field for the label on the case."""
        self.stages.choose(IDENTITY)
        self.logger_page.label.setFocus()
        self.logger_page.label.selectAll()

    def _labelled(self, text: str) -> None:
        self.touched()
        if self.card is not None:
            self._labels[self.card.serial] = text
            self._plan_changed()

    def pin_given(self, group: str, pin: int) -> None:
        """Remember a PIN that was typed."""
        desk, cards = self.house.desk, self.loggers.cards()

        def work(_task: Task) -> dict[str, Start]:
            desk.pins.put(group, pin)
            return {card.serial: starting(desk, card) for card in cards}

        self.house.run(work, self._pins_known)

    def _pins_known(self, starts: dict[str, Start]) -> None:
        self._starts |= starts
        self._mark_all()
        self.show_current()

    # -- plan, outlook, checks -----------------------------------------------------------------
    def _pattern_name(self, point_name: str) -> str:
        card = self.card
        zone = zone_at(self._zones, point_name, home_zone())
        return pattern_name(self.house.desk, card, point_name, zone) if card else ""

    def _plan_changed(self) -> None:
        """The plan, a word or the label is another: check it anew, off the main thread."""
        card, plan = self.card, self.editor.plan()
        if card is None:
            return
        serial, label_ = card.serial, self._labels.get(card.serial, "")
        typed = label_check(serial, label_)
        self.logger_page.show_label_check(typed.weight, typed.sentence)
        self.loggers.show_marks(serial, self._marks(card))
        if plan is None or plan.interval_s <= 0:
            fault = Check("blocking", self.editor.fault, field="plan")
            self._show_readiness(serial, Readiness((fault,), None, None, None, ""))
            return
        desk = self.house.desk
        self.house.run(
            lambda _task: readiness(desk, card, plan, self._words(card), label_),
            lambda ready: self._show_readiness(serial, ready),
            latest="field readiness",
        )
        if self.group.is_on and self.several.common.isChecked():
            self.group.prepare()

    def _show_readiness(self, serial: str, ready: Readiness) -> None:
        card = self.card
        if card is None or card.serial != serial:
            return  # another one was chosen meanwhile
        self._ready = ready
        zone, now_ms = self.zone_of(card), self.house.desk.now_ms()
        self.plan_page.show_outlook(ready.outlook, now_ms, ready.visit_ms, zone, ready.assumption)
        days = ready.battery_days
        life = None if days is None else Life(days, ready.assumption)
        self.logger_page.show_health(card, zone, life)
        if not self.group.is_on:
            self._show_checks(card)
        self._show_stages(card)
        self._show_main()
        then, self._when_ready = self._when_ready, None
        if then is not None:
            then()

    def _take_interval(self, interval_s: int) -> None:
        field = self.editor.times.interval
        field.setText(interval_text(interval_s))
        field.textEdited.emit(field.text())

    @property
    def _checks(self) -> list[Check]:
        return list(self._ready.checks) if self._ready else []

    def _words(self, card: LoggerCard) -> dict[str, str]:
        """The words why for this logger; asks the archive about the clock."""
        return self._accepted.words(card.serial)

    def _accept(self, key: str, word: str) -> None:
        targets = self.loggers.ticked() if self.group.is_on else [self.card]
        serials = [card.serial for card in targets if card is not None]
        self._hold_hands()

        def done(_: object) -> None:
            self._plan_changed()
            self.group.prepare()

        self.house.run(lambda _task: self._accepted.accept(key, word, serials), done)
        self._give_hands_back()

    def ask_word(self, key: str = "") -> None:
        """Open the field for a word; the hands come back to where they were."""
        self._hold_hands()
        self.check_list.ask(key)

    def _show_stages(self, card: LoggerCard) -> None:
        changed = self.editor.plan() != self._plans.usual
        zone = self.zone_of(card)
        for stage, state, words in stage_states(card, self._checks, zone, changed=changed):
            self.stages.set_state(stage, state, words)

    def _show_checks(self, card: LoggerCard) -> None:
        """Show the checks of the chosen logger; once it is launched, only that it is."""
        launched = self.news.launched.get(card.serial)
        if launched is None or not self._is_done(card):
            self.check_list.show_checks(self._checks)
            return
        words = tr("Mission %1 of %2 is launched, its plan read back and compared.")
        words = words.replace("%1", str(launched.mission)).replace("%2", card.serial)
        looks = [c for c in self._checks if c.weight == "look" and c.key != BEGUN_KEY]
        self.check_list.show_checks([Check("passed", words), *looks])

    # -- the next step -------------------------------------------------------------------------
    def _is_done(self, card: LoggerCard) -> bool:
        """Whether this desk has launched a logger and nothing else is meant for it since."""
        launched = self.news.launched.get(card.serial)
        if launched is None or launched.mission != card.state.mission_number:
            return False
        is_shown = self._plans.serial == card.serial and self.editor.plan() is not None
        return not is_shown or self.editor.plan() == self._plans.usual

    def _next_serial(self) -> str:
        """The first logger below the chosen one, then from the top, that is not launched yet."""
        cards, at = self.loggers.cards(), max(self.loggers.currentRow(), 0)
        for card in [*cards[at + 1 :], *cards[:at]]:
            if not self._is_done(card):
                return card.serial
        return ""

    def _step(self) -> Step:
        """Return what the large button does next."""
        card = self.card
        if card is None or self.work.is_busy or (self._ready is None and not self.group.is_on):
            return Step("")
        if self.group.is_on:
            ticked = self.loggers.ticked()
            if all(self._is_done(one) for one in ticked):
                return after_launch(self._next_serial())
            return self.group.step()
        if self._is_done(card):
            return after_launch(self._next_serial())
        return self._launch_step(card)

    def _launch_step(self, card: LoggerCard) -> Step:
        start = self.start_of(card)
        as_last = start.last is not None and self.editor.plan() == start.usual
        return launch_step(card, self._checks, self.editor.first_reading(), as_last=as_last)

    def _erasing(self, card: LoggerCard, step: Step) -> str:
        """What the step does to memories, "" where it does nothing to them."""
        if step.kind in ("next", "done"):
            return ""
        if not self.group.is_on:
            return erase_sentence(card)
        words = counted(
            len(self.group.open_ones()),
            "Launching sets the clock of %n logger and erases its memory after offloading.",
            "Launching sets the clocks of %n loggers and erases their memories after offloading.",
        )
        return words if self.group.open_ones() else ""

    def _show_main(self) -> None:
        card, step = self.card, self._step()
        self.main.setEnabled(step.is_open)
        if card is None:
            return
        if self.work.is_busy:
            self.right.after.setText(tr("under way; Esc stops it"))
            return
        if step.words:
            self.right.show_step(step.words, step.after)
        self.right.show_erasing(self._erasing(card, step))
        only = card.readings_not_kept if step.kind == "launch" else 0
        self.right.show_offload_only(only)
        self._tick()

    def _tick(self) -> None:
        card = self.card
        if card is None:
            return
        step, left = self._step(), ""
        if step.kind == "launch":
            left = self.editor.countdown()
            self.right.show_step(step.words, step.after)
        zone = self.zone_of(card)
        at = clock_time(self.house.desk.now_ms(), zone, seconds=True)
        self.right.show_time(f"{at} {zone}", left)

    def end(self) -> None:
        if self.dialogs.live is not None:
            self.dialogs.live.stop()

    def showEvent(self, event: QShowEvent) -> None:
        self._second.start()
        self.carriers.watch(on=True)
        super().showEvent(event)

    def hideEvent(self, event: QHideEvent) -> None:
        self._second.stop()
        self.carriers.watch(on=False)
        super().hideEvent(event)

    # -- plans kept, compared --------------------------------------------------------------------
    def _into_editor(self, plan: Plan, origin: str) -> None:
        card = self.card
        if card is not None:
            self.stages.choose(PLAN)
            self.plan_page.show_origin(origin)
            self.editor.show_plan(card, plan, self.zone_of(card))

    def take_last_plan(self) -> None:
        """Start over from the last mission at this point."""
        if self.card is not None:
            self.shelf.take_last(self.card)

    def take_plan_before(self) -> None:
        """Take the plan of the logger that was launched just before."""
        if self.card is not None:
            self.shelf.take_before(self.card)

    def show_kept_plans(self, search: str = "") -> None:
        """Open the kept plans; search: what to look for among them."""
        if self.card is None:
            self.house.say(tr("A kept plan is taken for a logger; none is at hand."))
        else:
            self.shelf.show_kept(self.card, search)

    def show_differences(self) -> None:
        """Show what differs from the last plan here."""
        if self.card is not None:
            self.shelf.show_differences(self.card)

    # -- several -----------------------------------------------------------------------------------
    def tick_all(self) -> None:
        """Tick every logger at hand; all ticked already, take the ticks off."""
        serials = [card.serial for card in self.loggers.cards()]
        all_ticked = len(self.loggers.ticked()) == len(serials)
        self.loggers.tick([] if all_ticked else serials)

    def untick_all(self) -> None:
        self.loggers.tick([])

    def _ticks_changed(self) -> None:
        count = len(self.loggers.ticked())
        self.at_hand.show_ticked()
        if count < 2:
            self.several.forget_results()
        self._choose_middle()
        self.group.prepare()
        if count < 2 and self.card is not None:
            self._show_checks(self.card)
        self._show_main()

    def _show_group(self) -> None:
        self.check_list.show_checks(self.group.checks())
        self._show_main()

    def _several_ended(self, results: list[LoggerResult]) -> None:
        for result in results:
            if result.launched is not None:
                self.news.launched[result.serial] = result.launched
                self._accepted.forget(result.serial)
                self._plans.drop(result.serial)
        self._plans.start_over()
        self._mark_all()
        self.show_current()

    # -- hands -----------------------------------------------------------------------------------
    def _hold_hands(self) -> None:
        """Remember where the focus is; it is given back when what begins now has ended."""
        there = QApplication.focusWidget()
        if there is not None and self.isAncestorOf(there) and there is not self.check_list.word:
            self._hands = there

    def _give_hands_back(self) -> None:
        """Put the focus where it was, or into the list where that is no longer in sight."""
        there, self._hands = self._hands, None
        now = QApplication.focusWidget()
        is_elsewhere = now is not None and now.window() is not self.window()
        if is_elsewhere or not self.isVisible():
            return  # in a dialog, or at another place
        if there is not None and there.isVisible() and there.isEnabled():
            there.setFocus()
        else:
            self.loggers.setFocus()

    def _enter_in_list(self) -> None:
        if self._step().kind == "next" and self.presses.is_one():
            self.next_logger()

    def next_logger(self) -> None:
        """Go to the next logger that is not launched yet; ticks come off."""
        serial = self._next_serial()
        if self.group.is_on:
            self.untick_all()
        if serial:
            self.loggers.choose(serial)
            self.loggers.setFocus()

    # -- acts ----------------------------------------------------------------------------------
    def do_next(self) -> None:
        """Do what the large button says."""
        self.touched()
        if not self.presses.is_one():
            return
        if self.card is not None and self._ready is None and not self.group.is_on:
            self._when_ready = self._do_step
        else:
            self._do_step()

    def _do_step(self) -> None:
        kind = self._step().kind
        {"launch": self._launch, "several": self._launch_group, "accept": self.ask_word,
         "pin": self.dialogs.pin, "next": self.next_logger}.get(kind, lambda: None)()  # fmt: skip

    def launch(self) -> None:
        """Offload and launch the ticked loggers, or the chosen one by the plan as edited."""
        self.touched()
        if self.work.is_busy or self.card is None or not self.presses.is_one():
            return
        if self.group.is_on:
            self._launch_group()
        elif self._ready is None:
            self._when_ready = self._launch
        else:
            self._launch()

    def _launch_group(self) -> None:
        step = self.group.step()
        if step.kind == "accept":
            self.ask_word()
        elif step.kind == "several":
            self._hold_hands()
            self.group.run()

    def _launch(self) -> None:
        card, plan = self.card, self.editor.plan()
        if card is None or self.work.is_busy:
            return
        kind = self._launch_step(card).kind
        if plan is None:
            self.house.said.emit(f"{card.serial}: {self.editor.fault}", True)
        elif kind == "accept":
            self.check_list.show_checks(self._checks)
            self.ask_word()
        elif kind == "pin":
            self.dialogs.pin()
        else:  # what is in the way is said by the launch itself and goes into the logbook
            self._begin_launch(card, plan)

    def _begin_launch(self, card: LoggerCard, plan: Plan) -> None:
        self._hold_hands()
        self.logger_page.begin_transfer()
        self.work.launch(card, plan, lambda: self._words(card), self._labels.get(card.serial, ""))

    def offload(self) -> None:
        """Take what is not kept from the chosen logger, or from all that are ticked."""
        if self.carriers.is_open:
            self.carriers.take()
            return
        ticked, card = self.loggers.ticked(), self.card
        if card is not None and not self.work.is_busy:
            self._offload(ticked if len(ticked) >= 2 else [card])

    def offload_all(self) -> None:
        """Take what is not kept from every logger at hand."""
        cards = [card for card in self.loggers.cards() if card.readings_not_kept]
        if not cards:
            self.house.say(tr("Everything on the loggers at hand is kept."))
        elif not self.work.is_busy:
            self._offload(cards)

    def _offload(self, cards: list[LoggerCard], only: dict[int, list[Range]] | None = None) -> None:
        self.touched()
        self._hold_hands()
        self.stages.choose(OFFLOAD)
        self.logger_page.begin_transfer()
        self.work.offload(cards, only)

    def _busy_changed(self) -> None:
        """An act has begun, or has ended and shown what it brought."""
        self._show_main()
        if not self.work.is_busy:
            self.logger_page.end_transfer()
            self.presses.ended()
            QTimer.singleShot(0, self._give_hands_back)

    def take_part(self, card: LoggerCard, only: dict[int, list[Range]]) -> None:
        """Take these readings of a logger, by mission number."""
        self._offload([card], only)

    def take_overview(self, card: LoggerCard, mission: int, thinning: Thinning) -> None:
        """Let a logger thin a mission and take what it made."""
        self.stages.choose(OFFLOAD)
        self.logger_page.begin_transfer()
        self.work.take_overview(card, mission, thinning)

    def cancel_offload(self) -> None:
        """Stop what runs; what came is kept."""
        self.work.cancel()
        self.carriers.cancel()

    def again_as_it_was(self) -> None:
        """Put what was typed aside and launch as last time: the chosen logger, or all ticked."""
        if self.group.is_on:
            self.several.as_it_was.setChecked(True)
            self.group.prepare()
            return
        card = self.card
        if card is None or self.work.is_busy:
            return
        usual = self.start_of(card).usual
        if self.editor.plan() != usual:
            self._into_editor(usual, origin_words("last"))
            self._ready = None
        self.launch()

    def forget_typed(self, serial: str) -> None:
        """A logger was launched: what was typed for it is done with, its plan is the new start."""
        self._accepted.forget(serial)
        self._plans.drop(serial)
        if self._plans.serial == serial:
            self._plans.start_over()

    def stop_mission(self) -> None:
        """Stop the mission of the chosen logger and offload it; its memory stays."""
        card = self.card
        if card is not None and card.is_recording and not self.work.is_busy:
            self._hold_hands()
            self.stages.choose(OFFLOAD)
            self.logger_page.begin_transfer()
            self.work.stop(card)

    # -- marks of the cards ------------------------------------------------------------------------
    def _marks(self, card: LoggerCard) -> Marks:
        """What the desk knows of a logger beside what the logger says."""
        typed = label_check(card.serial, self._labels.get(card.serial, ""))
        start = self._starts.get(card.serial)
        return Marks(
            doing(card, self.zone_of(card)),
            is_launched=self._is_done(card),
            label="no" if typed.weight == "note" else typed.weight,
            pin=start.pin if start else "open",
        )

    def _mark_all(self) -> None:
        for card in self.loggers.cards():
            self.loggers.show_marks(card.serial, self._marks(card))

    def blink(self) -> None:
        """Let the chosen logger blink."""
        if self.card is not None:
            self.work.blink(self.card)

    def self_check(self) -> None:
        """Let the chosen logger check its sensors."""
        if self.card is not None:
            self.stages.choose(HEALTH)
            self.work.self_check(self.card)

    def watch_live(self) -> None:
        """Keep reading present values, or stop that."""
        self.stages.choose(HEALTH)
        self.logger_page.watch.toggle()

    def write_labels(self) -> None:
        """Write the labels of the ticked or chosen loggers' missions as a PDF."""
        cards = self.loggers.ticked() or ([self.card] if self.card else [])
        self.house.run(
            lambda _task: write_label_sheet(self.house.desk, cards),
            lambda path: self.house.say(tr("%1 written.").replace("%1", str(path))),
        )

    def _to_trends(self) -> None:
        card = self.card
        if card is None:
            return
        if card.point in self._point_ids:
            self.house.go.emit(places.TRENDS, self._point_ids[card.point])

    def set_theme(self, theme: Theme) -> None:
        self.loggers.theme = theme
        self.stages.set_theme(theme)
        self.plan_page.set_theme(theme)
        self.several.set_theme(theme)
        self.carriers.page.set_theme(theme)
        self.loggers.viewport().update()
