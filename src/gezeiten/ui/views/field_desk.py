"""The Field desk: what is at hand, the chosen logger in five stages, checks, one large button.

Shows what `FieldWork` finds and does; with two and more loggers ticked it works on all of them.
"""

from __future__ import annotations

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QStackedWidget, QWidget

from gezeiten.desk.accepted import AcceptedWords
from gezeiten.desk.checks import (
    Check,
    checks_before_launch,
    label_check,
    mission_outlook,
    next_visit_ms,
    present_temp_c,
)
from gezeiten.desk.contact import LoggerCard
from gezeiten.desk.pins import is_locked, pin_group
from gezeiten.desk.places import points
from gezeiten.desk.planning import pattern_name
from gezeiten.desk.rounds import Round, open_round
from gezeiten.desk.several import LoggerResult, prepare_again
from gezeiten.desk.sheets import write_label_sheet
from gezeiten.domain.coverage import Range
from gezeiten.domain.intervals import interval_text
from gezeiten.domain.outlook import battery_assumption, battery_days
from gezeiten.domain.plan import Plan
from gezeiten.domain.thinning import Thinning
from gezeiten.errors import GezeitenError
from gezeiten.ui import house as places
from gezeiten.ui.acts import Act
from gezeiten.ui.field_work import FieldWork
from gezeiten.ui.house import House, Place
from gezeiten.ui.i18n import clock_time, counted, home_zone, tr
from gezeiten.ui.parts import column, row, scrolled
from gezeiten.ui.plan.editor import PlanEditor
from gezeiten.ui.theme import Theme
from gezeiten.ui.units import units_of
from gezeiten.ui.views.at_hand import AtHand
from gezeiten.ui.views.carriers_desk import CarriersDesk
from gezeiten.ui.views.edited_plans import EditedPlans
from gezeiten.ui.views.field_acts import field_acts
from gezeiten.ui.views.field_dialogs import FieldDialogs
from gezeiten.ui.views.field_news import FieldNews
from gezeiten.ui.views.launch_panel import LaunchPanel
from gezeiten.ui.views.logger_list import not_kept_words
from gezeiten.ui.views.logger_page import Life, LoggerPage
from gezeiten.ui.views.mission_page import MissionPage
from gezeiten.ui.views.next_step import next_step, step_words
from gezeiten.ui.views.nobody_page import NobodyPage
from gezeiten.ui.views.plan_page import PlanPage
from gezeiten.ui.views.plan_shelf import PlanShelf
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
        self._checks: list[Check] = []
        self._plans = EditedPlans()
        self._accepted = AcceptedWords(house.desk)
        self._labels: dict[str, str] = {}
        self._round: Round | None = None
        self._build()
        self.dialogs = FieldDialogs(self)
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
        self.shelf = PlanShelf(self.house, self, self.editor, self._into_editor, self.zone_of)
        self.nobody = NobodyPage(can_practise=self.house.practice is not None)
        self.middle = QStackedWidget()
        for view in (one, self.several, self.nobody, self.carriers.page):
            self.middle.addWidget(view)
        self.setLayout(row(left, self.middle, self.right, margins=14))
        self.layout().setStretch(1, 1)
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
        self.loggers.pressed.connect(lambda _: self._back_to_loggers())
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
        self.work.seen.connect(self._show_card)
        self.work.looked.connect(self._looked)
        self.work.busy_changed.connect(self._busy_changed)

    def _asked(self, act: str) -> None:
        """A page wants something done."""
        {
            "blink": self.blink, "record": self._to_trends, "cancel": self.cancel_offload,
            "check": self.self_check,
            "part": self.dialogs.part, "life": self.dialogs.life, "pin": self.dialogs.pin,
            "last": self.take_last_plan, "kept": self.show_kept_plans,
            "keep": self.show_kept_plans, "differs": self.show_differences,
            "stop": self.stop_mission, "again": self.again_as_it_was, "label": self.write_labels,
            "labels": self.write_labels, "common": self.group.prepare, "untick": self.untick_all,
            "look": self.look, "settings": lambda: self.house.wants.emit("settings"),
            "practice": self.dialogs.practice, "tick": self.tick_all,
            "text": self.dialogs.choose_text, "folder": self.dialogs.choose_folder,
            "live": self.dialogs.live_line, "gone": self._someone_left,
            "erase": self.dialogs.erase,
        }[act]()  # fmt: skip

    def acts(self) -> list[Act]:
        return field_acts(self)

    def hint(self) -> str:
        return tr("Space tick · F4 label · F6 offload · F3 accept · F9 launch · Alt+1…5 stages")

    def step(self, by: int) -> None:
        """Choose the next logger, or the one before."""
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
    def refresh(self) -> None:
        desk = self.house.desk

        def work(_task: Task) -> tuple[list[tuple[str, str]], Round | None]:
            known = [(p.full_name, p.zone) for p in points(desk) if not p.retired]
            return known, open_round(desk)

        self.house.run(work, self._know_places, latest="field places")

    def _know_places(self, known: tuple[list[tuple[str, str]], Round | None]) -> None:
        listed, self._round = known
        self._zones = self.group.zones = dict(listed)
        self.editor.names.show_points([name for name, _ in listed])
        self.round_strip.show_round(self._round)
        self.loggers.show_round(self.round_strip.words())
        if self.work.is_looking:
            return
        if self.house.desk.settings.look_on_start or self.loggers.count():
            self.look()
        else:
            self._looked(set())

    def look(self) -> None:
        """Ask every address who is there; cards appear as they answer."""
        if self.work.is_looking:
            return
        self.work.look()
        self.at_hand.look_at_ports()
        self.carriers.look_again()
        self.at_hand.show_looking(on=True)

    def _addresses(self) -> str:
        return ", ".join([self.house.desk.settings.addresses, *self.house.desk.practice_addresses])

    def _show_card(self, card: LoggerCard) -> None:
        is_new = self.loggers.card(card.serial) is None
        self.loggers.show_card(card)
        if is_new and not self.work.is_looking:
            self._count()
        nothing_chosen = self.loggers.currentItem() is None and self._wanted is None
        if nothing_chosen or self._wanted == card.serial:
            self.loggers.setCurrentItem(self.loggers.item_of(card.serial))
        elif self.loggers.current_card() is card:
            self.show_current()
        if self.loggers.is_ticked(card.serial) and not self.work.is_busy:
            self.group.prepare()

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

    def _needs_pin(self, card: LoggerCard) -> bool:
        desk = self.house.desk
        return is_locked(card.state) and desk.pins.get(pin_group(desk, card.serial)) is None

    def show_current(self) -> None:
        """Show the chosen logger anew."""
        card = self.card
        self._choose_middle()
        if card is None:
            self._checks = []
            self.check_list.show_checks([])
            self._show_main()
            return
        zone = self.zone_of(card)
        units = units_of(self.house.desk.settings)
        self.logger_page.show_card(card, zone, units, self._needs_pin(card))
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
        self.logger_page.label.setText(self._labels.get(card.serial, ""))
        usual = self.shelf.to_start_from(card, self._round)
        plan, origin = self._plans.change_to(card.serial, *usual)
        self.plan_page.show_origin(origin)
        self.editor.show_plan(card, plan, zone)
        self.stages.choose(OFFLOAD if card.readings_to_fetch else PLAN)

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
        if self.card is not None:
            self._labels[self.card.serial] = text
            self._plan_changed()

    def pin_given(self, group: str, pin: int) -> None:
        """Remember a PIN that was typed."""
        self.house.desk.pins.put(group, pin)
        self.show_current()

    # -- plan, outlook, checks -----------------------------------------------------------------
    def _pattern_name(self, point_name: str) -> str:
        card = self.card
        return pattern_name(self.house.desk, card, point_name) if card else ""

    def _plan_changed(self) -> None:
        card, plan = self.card, self.editor.plan()
        if card is None:
            return
        label_ = self._labels.get(card.serial, "")
        typed = label_check(card.serial, label_)
        self.logger_page.show_label_check(typed.weight, typed.sentence)
        if plan is None or plan.interval_s <= 0:
            self.plan_page.show_outlook(None, 0, None, "UTC", "")
            self.logger_page.show_health(card, self.zone_of(card), None)
            self._show_checks(card, [Check("blocking", self.editor.fault, field="plan")])
            return
        desk = self.house.desk
        try:
            self._show_outlook(card, plan)
            taken = self._words(card)
            self._show_checks(card, checks_before_launch(desk, card, plan, taken, label_))
        except GezeitenError as exc:
            self._show_checks(card, [Check("blocking", str(exc))])
        if self.group.is_on and self.several.common.isChecked():
            self.group.prepare()

    def _show_outlook(self, card: LoggerCard, plan: Plan) -> None:
        desk, model = self.house.desk, card.identity.model
        temp_c = present_temp_c(card)
        assumption = battery_assumption(model, plan, temp_c)
        self.plan_page.show_outlook(
            mission_outlook(desk, card, plan), desk.now_ms(),
            next_visit_ms(desk, plan.point_name), self.zone_of(card), assumption,
        )  # fmt: skip
        days = battery_days(model, plan, card.state.battery_permille / 1000, temp_c)
        self.logger_page.show_health(card, self.zone_of(card), Life(days, assumption))

    def _take_interval(self, interval_s: int) -> None:
        field = self.editor.times.interval
        field.setText(interval_text(interval_s))
        field.textEdited.emit(field.text())

    def _words(self, card: LoggerCard) -> dict[str, str]:
        """The words why for this logger."""
        return self._accepted.words(card.serial)

    def _accept(self, key: str, word: str) -> None:
        targets = self.loggers.ticked() if self.group.is_on else [self.card]
        self._accepted.accept(key, word, [card.serial for card in targets if card is not None])
        self._plan_changed()
        self.group.prepare()
        self.main.setFocus()  # the field for the word is gone, the next step is near

    def _show_checks(self, card: LoggerCard, checks: list[Check]) -> None:
        self._checks = checks
        if not self.group.is_on:
            self.check_list.show_checks(checks)
        self._show_stages(card)
        self._show_main()

    def _show_stages(self, card: LoggerCard) -> None:
        changed = self.editor.plan() != self._plans.usual
        zone = self.zone_of(card)
        for stage, state, words in stage_states(card, self._checks, zone, changed=changed):
            self.stages.set_state(stage, state, words)

    def _next(self) -> str:
        """Return the next step: offload, launch, accept, pin, several or nothing."""
        card = self.card
        if card is None or self.work.is_busy:
            return ""
        if self.group.is_on:
            if self.group.ready():
                return "several"
            return "accept" if self.group.wants_word() else ""
        return next_step(card, self._checks)

    def _show_main(self) -> None:
        card = self.card
        step = self._next()
        self.main.setEnabled(bool(step))
        if card is None:
            return
        if self.work.is_busy:
            self.right.after.setText(tr("under way; Esc stops it"))
            return
        self.right.show_step(*self._step_words(card, step))
        self._tick()

    def _step_words(self, card: LoggerCard, step: str) -> tuple[str, str]:
        if self.group.is_on and step != "accept":
            return self.group.step_words()
        return step_words(card, step, self.editor.first_reading())

    def _tick(self) -> None:
        card = self.card
        if card is None:
            return
        step, left = self._next(), ""
        if step == "launch":
            left = self.editor.countdown()
            self.main.setText(self._step_words(card, step)[0])
        at = clock_time(self.house.desk.now_ms(), self.zone_of(card), seconds=True)
        self.right.show_time(at, left)

    def end(self) -> None:
        if self.dialogs.live is not None:
            self.dialogs.live.stop()

    def showEvent(self, event: object) -> None:
        self._second.start()
        self.carriers.watch(on=True)
        super().showEvent(event)

    def hideEvent(self, event: object) -> None:
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

    def show_kept_plans(self) -> None:
        """Open the kept plans."""
        if self.card is not None:
            self.shelf.show_kept(self.card)

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
        if count < 2:
            self.check_list.show_checks(self._checks)
        self._show_main()

    def _show_group(self) -> None:
        self.check_list.show_checks(self.group.checks())
        self._show_main()

    def _several_ended(self, results: list[LoggerResult]) -> None:
        for result in results:
            if result.first_ms is not None:
                self._plans.drop(result.serial)
        self._plans.start_over()
        self.show_current()

    # -- acts ----------------------------------------------------------------------------------
    def do_next(self) -> None:
        """Do what the large button says."""
        steps = {"offload": self.offload, "launch": self.launch, "several": self.launch,
                 "accept": self.check_list.ask, "pin": self.dialogs.pin}  # fmt: skip
        steps.get(self._next(), lambda: None)()

    def offload(self) -> None:
        """Take what is not kept from the chosen logger, or from all that are ticked."""
        if self.carriers.is_open:
            self.carriers.take()
            return
        ticked = self.loggers.ticked()
        cards = ticked if len(ticked) >= 2 else [self.card]
        if cards[0] is not None and not self.work.is_busy:
            self._offload(cards)

    def offload_all(self) -> None:
        """Take what is not kept from every logger at hand."""
        cards = [card for card in self.loggers.cards() if card.readings_not_kept]
        if not cards:
            self.house.say(tr("Everything on the loggers at hand is kept."))
        elif not self.work.is_busy:
            self._offload(cards)

    def _offload(self, cards: list[LoggerCard], only: dict[int, list[Range]] | None = None) -> None:
        self.stages.choose(OFFLOAD)
        self.logger_page.begin_transfer()
        self.work.offload(cards, only)

    def _busy_changed(self) -> None:
        if not self.work.is_busy:
            self.logger_page.end_transfer()
        self._show_main()

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

    def launch(self) -> None:
        """Launch the ticked loggers, or the chosen one by the plan as edited."""
        if self.work.is_busy:
            return
        if self.group.is_on:
            if self._next() == "accept":
                self.check_list.ask()
            else:
                self.group.run()
            return
        card, plan = self.card, self.editor.plan()
        if card is None or plan is None:
            return
        step = self._next()
        if step == "offload":
            words = tr("%1: %2. Nothing was launched; offload it first (F6).")
            words = words.replace("%1", card.serial).replace("%2", not_kept_words(card))
            self.house.said.emit(words, True)
            self.stages.choose(OFFLOAD)
        elif step in ("accept", "pin"):
            self.do_next()
        else:  # what is in the way is said by the launch itself and goes into the logbook
            taken = self._words(card)
            self.work.launch(card, plan, taken, self._labels.get(card.serial, ""))

    def again_as_it_was(self) -> None:
        """Offload, then launch the same plan: the chosen logger, or all that are ticked."""
        if self.group.is_on:
            self.several.as_it_was.setChecked(True)
            self.group.prepare()
            return
        card = self.card
        if card is None or self.work.is_busy:
            return
        taken = self._words(card)
        [one] = prepare_again(self.house.desk, [card], taken)
        if one.in_the_way:
            self.house.said.emit(f"{card.serial}: {one.in_the_way}", True)
            if any(check.wants_word for check in one.checks):
                self.check_list.ask()
            return
        self.work.run_several([one], taken)

    def forget_typed(self, serial: str) -> None:
        """A logger was launched: what was typed for it is done with, its plan is the new start."""
        self._accepted.forget(serial)
        self._labels.pop(serial, None)
        self._plans.drop(serial)
        if self._plans.serial == serial:
            self._plans.start_over()

    def stop_mission(self) -> None:
        """Stop the mission of the chosen logger; its memory stays."""
        if self.card is not None and self.card.is_recording and not self.work.is_busy:
            self.work.stop(self.card)

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
        for point in points(self.house.desk):
            if point.full_name == card.point:
                self.house.go.emit(places.TRENDS, point.id)

    def set_theme(self, theme: Theme) -> None:
        self.loggers.theme = theme
        self.stages.set_theme(theme)
        self.plan_page.set_theme(theme)
        self.several.set_theme(theme)
        self.carriers.page.set_theme(theme)
        self.loggers.viewport().update()
