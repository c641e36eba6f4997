"""The Field desk: what is at hand, the chosen logger in five stages, checks, one large button."""

from __future__ import annotations

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import (
    QScrollArea,
    QStackedWidget,
    QWidget,
)

from gezeiten.desk import contact as desk_contact
from gezeiten.desk.checks import Check, checks_before_launch, mission_outlook, next_visit_ms
from gezeiten.desk.contact import LoggerCard
from gezeiten.desk.launching import Launched, launch, stop
from gezeiten.desk.offloading import Offloaded, offload_logger
from gezeiten.desk.places import points, sites
from gezeiten.desk.planning import usual_plan
from gezeiten.domain.plan import Plan
from gezeiten.errors import GezeitenError
from gezeiten.link.offload import Progress, Watch
from gezeiten.ui import house as places
from gezeiten.ui.acts import Act
from gezeiten.ui.house import House, Place
from gezeiten.ui.i18n import clock_time, counted, home_zone, number, tr
from gezeiten.ui.parts import Card, button, column, label, row
from gezeiten.ui.theme import Theme
from gezeiten.ui.views.check_list import CheckList
from gezeiten.ui.views.logger_list import LoggerList, not_kept_words
from gezeiten.ui.views.logger_page import LoggerPage, MissionPage, offload_words
from gezeiten.ui.views.outlook_bars import OutlookBars
from gezeiten.ui.views.plan_editor import PlanEditor
from gezeiten.ui.views.stages import StageBar
from gezeiten.ui.work import Task

IDENTITY, OFFLOAD, HEALTH, PLAN, LAUNCH = range(5)


class FieldDeskPlace(Place):
    """Everything a technician does at a logger."""

    def __init__(self, house: House) -> None:
        super().__init__(house)
        self._wanted: str | None = None
        self._task: Task | None = None
        self._looking = False
        self._points: list[str] = []
        self._zones: dict[str, str] = {}
        self._checks: list[Check] = []
        self._launched: dict[str, Launched] = {}
        self._in_editor: str | None = None
        self._usual: Plan | None = None
        self._edits: dict[str, Plan] = {}
        self._build()
        self._second = QTimer(self)
        self._second.setInterval(1000)
        self._second.timeout.connect(self._tick)

    # -- building ------------------------------------------------------------------------------
    def _build(self) -> None:
        self.loggers = LoggerList()
        self.loggers.currentItemChanged.connect(lambda *_: self._show_current())
        self.again = button(tr("Look again"), self.look)
        self.nobody = label("", "muted", wrap=True)
        left = QWidget()
        left.setLayout(
            column(row(label(tr("At hand"), "head"), 1, self.again), self.nobody, self.loggers,
                   spacing=6)
        )  # fmt: skip
        left.setFixedWidth(286)
        self.stages = StageBar(
            [tr("Identity"), tr("Offload"), tr("Health"), tr("Plan"), tr("Launch")]
        )
        self.pages = QStackedWidget()
        self.stages.chosen.connect(self._show_stage)
        self.logger_page = LoggerPage(self.blink, self._to_trends, self.cancel_offload)
        self.mission_page = MissionPage(self.stop_mission)
        for page in (self.logger_page, self._plan_page(), self.mission_page):
            self.pages.addWidget(page)
        self.middle = QWidget()
        self.middle.setLayout(column(self.stages, self.pages, spacing=10))
        right = self._right_side()
        self.setLayout(row(left, self.middle, right, margins=14))
        self.layout().setStretch(1, 1)
        self.setFocusProxy(self.loggers)

    def _show_stage(self, stage: int) -> None:
        self.pages.setCurrentIndex({PLAN: 1, LAUNCH: 2}.get(stage, 0))

    def _plan_page(self) -> QWidget:
        self.bars = OutlookBars()
        outlook = Card(tr("Mission outlook"), tr("moves as you change the plan"))
        outlook.body.addWidget(self.bars)
        self.editor = PlanEditor()
        self.editor.changed.connect(self._plan_changed)
        plan = Card()
        plan.body.addWidget(self.editor)
        page = QWidget()
        page.setObjectName("ground")
        page.setLayout(column(outlook, plan, spacing=10))
        scroll = QScrollArea()
        scroll.setWidget(page)
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        return scroll

    def _right_side(self) -> QWidget:
        checks = Card(tr("Before launch"))
        self.check_list = CheckList()
        checks.body.addWidget(self.check_list)
        checks.body.addStretch(1)
        act = Card()
        self.first = label("", "muted", wrap=True)
        self.main = button("", self.do_next, "primary")
        self.main.setAccessibleName(tr("Next step"))
        self.after = label("", "muted", wrap=True)
        act.body.addWidget(self.first)
        act.body.addWidget(self.main)
        act.body.addWidget(self.after)
        side = QWidget()
        side.setLayout(column(checks, act))
        side.layout().setStretch(0, 1)
        side.setFixedWidth(262)
        return side

    def acts(self) -> list[Act]:
        here = places.FIELD_DESK
        return [
            Act("look", tr("Look for loggers again"), "F5", self.look, here),
            Act("logger.next", tr("Next logger"), "Ctrl+Down", lambda: self._step(1), here),
            Act("logger.previous", tr("Previous logger"), "Ctrl+Up", lambda: self._step(-1), here),
            Act("offload.start", tr("Offload the chosen logger"), "F6", self.offload, here),
            Act("offload.all", tr("Offload all loggers at hand"), "Shift+F6",
                self.offload_all, here),
            Act("offload.stop", tr("Stop offloading"), "Esc", self.cancel_offload, here),
            Act("blink", tr("Let the chosen logger blink"), "F8", self.blink, here),
            Act("launch", tr("Launch the chosen logger"), "F9", self.launch, here),
            *(
                Act(f"stage.{i}", tr("Stage: %1").replace("%1", name), f"Alt+{i + 1}",
                    lambda i=i: self.stages.choose(i), here)
                for i, name in enumerate(self.stages.names)
            ),
        ]  # fmt: skip

    def hint(self) -> str:
        return tr(
            "Ctrl+↑ ↓ logger · F6 offload · Shift+F6 all · F8 blink · F9 launch · Alt+1…5 stages"
        )

    def _step(self, by: int) -> None:
        row = self.loggers.currentRow() + by
        if 0 <= row < self.loggers.count():
            self.loggers.setCurrentRow(row)

    # -- finding -------------------------------------------------------------------------------
    def refresh(self) -> None:
        def work(_task: Task) -> tuple[list[str], dict[str, str]]:
            listed = points(self.house.desk)
            return [p.full_name for p in listed], {s.name: s.zone for s in sites(self.house.desk)}

        self.house.run(work, self._know_places)

    def _know_places(self, known: tuple[list[str], dict[str, str]]) -> None:
        self._points, self._zones = known
        if not self._looking:
            self.look()

    def look(self) -> None:
        """Ask every address who is there; cards appear as they answer."""
        if self._looking:
            return
        self._looking = True
        self.again.setEnabled(False)
        self.nobody.setText(tr("Looking ..."))
        self.nobody.show()
        desk = self.house.desk

        def work(task: Task) -> set[str]:
            seen = set()
            for found in desk_contact.find(desk, cancelled=task.cancelled):
                serial = found.identity.serial
                try:
                    task.progress.emit(desk_contact.contact(desk, found.address, serial))
                except GezeitenError:
                    continue  # it went away between finding and asking; the logbook has it
                seen.add(serial)
            return seen

        self.house.run(work, self._looked, self._show_card, lambda _: self._looked(set()))

    def _show_card(self, card: LoggerCard) -> None:
        self.loggers.show_card(card)
        nothing_chosen = self.loggers.currentItem() is None and self._wanted is None
        if nothing_chosen or self._wanted == card.serial:
            self.loggers.setCurrentItem(self.loggers.item_of(card.serial))
        elif self.loggers.current_card() is card:
            self._show_current()

    def _looked(self, seen: set[str]) -> None:
        self._looking = False
        self.again.setEnabled(True)
        for card in self.loggers.cards():
            if card.serial not in seen:
                self.loggers.takeItem(self.loggers.row(self.loggers.item_of(card.serial)))
        count = self.loggers.count()
        self.nobody.setVisible(count == 0)
        self.nobody.setText(
            tr("No logger answers at %1. Connect one to the network and look again.").replace(
                "%1", self.house.desk.settings.addresses
            )
        )
        window = self.window()
        if hasattr(window, "strip"):
            window.strip.tabs[places.FIELD_DESK].set_line(
                counted(count, "%n at hand", "%n at hand"), False
            )
        if self.loggers.currentItem() is None and count:
            self.loggers.setCurrentRow(0)
        if self._wanted and self.loggers.card(self._wanted) is None:
            words = tr("%1 is not at hand; connect it and look again.").replace("%1", self._wanted)
            self.house.said.emit(words, True)
        self._wanted = None
        self._show_current()

    def show_target(self, target: object) -> None:
        serial = str(target)
        item = self.loggers.item_of(serial)
        if item is not None:
            self.loggers.setCurrentItem(item)
        else:
            self._wanted = serial
            if not self._looking:
                self.look()

    # -- showing the chosen logger -------------------------------------------------------------
    @property
    def card(self) -> LoggerCard | None:
        """The chosen logger."""
        return self.loggers.current_card()

    def _zone(self, card: LoggerCard) -> str:
        return self._zones.get(card.point.split(" · ")[0], home_zone())

    def _show_current(self) -> None:
        card = self.card
        self.middle.setVisible(card is not None)
        if card is None:
            self.check_list.show_checks([])
            self.main.setText(tr("No logger chosen"))
            self.main.setEnabled(False)
            self.first.setText("")
            self.after.setText("")
            return
        zone = self._zone(card)
        self.logger_page.show_card(card, zone)
        self.mission_page.show_card(card, zone, self._launched.get(card.serial))
        self._show_stages(card)
        if self._in_editor == card.serial:
            self.editor.renew_card(card)  # what was typed stays
            return
        self._keep_edits()
        self._in_editor = card.serial
        self._usual = usual_plan(self.house.desk, card)
        plan = self._edits.pop(card.serial, self._usual)
        self.editor.show_plan(card, plan, self._points, self._zone(card))
        self.stages.choose(OFFLOAD if card.readings_not_kept - card.readings_just_come else PLAN)

    def _keep_edits(self) -> None:
        """Remember a plan that was edited before another logger is shown."""
        plan = self.editor.plan()
        if self._in_editor is not None and plan is not None and plan != self._usual:
            self._edits[self._in_editor] = plan

    def _show_stages(self, card: LoggerCard) -> None:
        self.stages.set_state(IDENTITY, "passed", card.serial)
        if card.readings_not_kept:
            count = counted(card.readings_not_kept, "%n not kept", "%n not kept")
            self.stages.set_state(OFFLOAD, "look", count)
        else:
            self.stages.set_state(OFFLOAD, "passed", tr("all kept"))

    # -- plan, outlook, checks -----------------------------------------------------------------
    def _plan_changed(self) -> None:
        card, plan = self.card, self.editor.plan()
        if card is None:
            return
        if plan is None:
            self.bars.show_outlook(None, 0, None, "UTC")
            self._show_checks([Check("blocking", self.editor.fault)])
            self._show_main()
            return
        desk = self.house.desk
        try:
            look = mission_outlook(desk, card, plan) if plan.interval_s > 0 else None
            visit = next_visit_ms(desk, plan.point_name)
            self.bars.show_outlook(look, desk.now_ms(), visit, self._zone(card))
            self._show_checks(checks_before_launch(desk, card, plan))
        except GezeitenError as exc:
            self._show_checks([Check("blocking", str(exc))])
        self._show_main()

    def _show_checks(self, checks: list[Check]) -> None:
        self._checks = checks
        self.check_list.show_checks(checks)
        self._show_check_stages()

    def _show_check_stages(self) -> None:
        weights = [check.weight for check in self._checks]
        looks = weights.count("look")
        warned = counted(looks, "%n warning", "%n warnings") if looks else tr("good")
        self.stages.set_state(HEALTH, "look" if looks else "passed", warned)
        blocked = weights.count("blocking")
        self.stages.set_state(
            PLAN,
            "blocking" if blocked else "passed",
            counted(blocked, "%n thing in the way", "%n things in the way")
            if blocked
            else tr("fits"),
        )
        self.stages.set_state(LAUNCH, "note", tr("not yet") if blocked else tr("ready"))

    def _next(self) -> str:
        """Return the next step: offload, launch or nothing."""
        card = self.card
        if card is None or self._task is not None:
            return ""
        if card.readings_not_kept - card.readings_just_come:
            return "offload"
        return "" if any(check.weight == "blocking" for check in self._checks) else "launch"

    def _show_main(self) -> None:
        card = self.card
        if card is None:
            return
        step = self._next()
        self.main.setEnabled(bool(step))
        if step == "offload":
            self.main.setText(
                counted(card.readings_not_kept, "Offload %n reading", "Offload %n readings")
            )
            self.after.setText(tr("then the logger can be launched"))
        else:
            self.main.setText(tr("Launch %1").replace("%1", card.serial))
            said = (
                tr("then reads the plan back and compares")
                if step
                else tr("first clear what is in the way")
            )
            self.after.setText(said)
        self._tick()

    def _tick(self) -> None:
        if self.card is None:
            return
        now = self.house.desk.now_ms()
        first = self.editor.tick(now)
        at = clock_time(now, self._zone(self.card), seconds=True)
        self.first.setText(f"{at} · {first}" if first and self._next() == "launch" else at)

    def showEvent(self, event: object) -> None:
        self._second.start()
        super().showEvent(event)

    def hideEvent(self, event: object) -> None:
        self._second.stop()
        super().hideEvent(event)

    # -- acts ----------------------------------------------------------------------------------
    def do_next(self) -> None:
        """Do what the large button says."""
        {"offload": self.offload, "launch": self.launch}.get(self._next(), lambda: None)()

    def offload(self) -> None:
        """Take what is not kept from the chosen logger."""
        card = self.card
        if card is not None and self._task is None:
            self._offload([card])

    def offload_all(self) -> None:
        """Take what is not kept from every logger at hand."""
        cards = [card for card in self.loggers.cards() if card.readings_not_kept]
        if not cards:
            self.house.say(tr("Everything on the loggers at hand is kept."))
        elif self._task is None:
            self._offload(cards)

    def _offload(self, cards: list[LoggerCard]) -> None:
        desk = self.house.desk

        def work(task: Task) -> list[Offloaded]:
            results = []
            for card in cards:

                def tell(progress: Progress, serial: str = card.serial) -> None:
                    task.progress.emit((serial, progress))

                watch = Watch(tell, task.cancelled)
                try:
                    results.append(offload_logger(desk, card.address, card.serial, watch))
                except GezeitenError as exc:
                    results.append(Offloaded(card.serial, None, 0, 0, 0, str(exc), ()))
                try:
                    task.progress.emit(desk_contact.contact(desk, card.address, card.serial))
                except GezeitenError:
                    continue  # its own error is among the results
                if task.cancelled():
                    break
            return results

        self.stages.choose(OFFLOAD)
        self.logger_page.begin_transfer()
        self._task = self.house.run(
            work, self._offloaded, self._progressed, lambda _: self._ended()
        )
        self._show_main()

    def _progressed(self, what: object) -> None:
        if isinstance(what, LoggerCard):
            self._show_card(what)
        else:
            self.house.say(self.logger_page.show_progress(*what))

    def _ended(self) -> None:
        self._task = None
        self.logger_page.end_transfer()
        self._show_main()

    def _offloaded(self, results: list[Offloaded]) -> None:
        self._ended()
        self._show_current()
        said = "  ".join(offload_words(result) for result in results[-3:])
        failed = any(result.error for result in results)
        self.logger_page.transfer_words.setText(said)
        self.house.archive_changed.emit()
        self.house.said.emit(said, failed)

    def cancel_offload(self) -> None:
        """Stop the transfer; what came is kept."""
        if self._task is not None:
            self._task.cancel()

    def launch(self) -> None:
        """Launch the chosen logger by the plan as edited."""
        card, plan = self.card, self.editor.plan()
        if card is None or plan is None or self._task is not None:
            return
        if self._next() == "offload":
            words = tr("%1: %2. Nothing was launched; offload it first (F6).")
            words = words.replace("%1", card.serial).replace("%2", not_kept_words(card))
            self.house.said.emit(words, True)
            self.stages.choose(OFFLOAD)
            return
        self._change(card, plan)

    def _change(self, card: LoggerCard, plan: Plan) -> None:
        desk = self.house.desk

        def work(task: Task) -> Launched:
            done = launch(desk, card.address, card.serial, plan)
            task.progress.emit(desk_contact.contact(desk, card.address, card.serial))
            return done

        self.house.say(tr("Launching %1 ...").replace("%1", card.serial))
        self._task = self.house.run(
            work, self._launched_one, self._show_card, lambda _: self._look_after()
        )
        self._show_main()

    def _launched_one(self, done: Launched) -> None:
        self._launched[done.serial] = done
        self._task = None
        self._edits.pop(done.serial, None)
        if self._in_editor == done.serial:
            self._in_editor = self._usual = None  # the plan on the logger is the new start
        self._show_current()
        self.stages.choose(LAUNCH)
        self.house.archive_changed.emit()
        words = tr("%1: mission %2 launched; plan read back, the same.")
        self.house.say(words.replace("%1", done.serial).replace("%2", number(done.mission)))

    def _look_after(self) -> None:
        self._task = None
        self.look()

    def stop_mission(self) -> None:
        """Stop the mission of the chosen logger; its memory stays."""
        card = self.card
        if card is None or self._task is not None:
            return
        desk = self.house.desk

        def work(task: Task) -> str:
            stop(desk, card.address, card.serial)
            task.progress.emit(desk_contact.contact(desk, card.address, card.serial))
            return card.serial

        def stopped(serial: str) -> None:
            self._task = None
            self._show_current()
            self.house.archive_changed.emit()
            self.house.say(tr("%1 is stopped; its memory stays.").replace("%1", serial))

        self._task = self.house.run(work, stopped, self._show_card, lambda _: self._look_after())

    def blink(self) -> None:
        """Let the chosen logger blink."""
        card = self.card
        if card is None:
            return
        self.house.run(
            lambda _task: desk_contact.blink(self.house.desk, card.address, card.serial),
            lambda _: self.house.say(tr("%1 blinks.").replace("%1", card.serial)),
        )

    def _to_trends(self) -> None:
        card = self.card
        if card is None:
            return
        for point in points(self.house.desk):
            if point.full_name == card.point:
                self.house.go.emit(places.TRENDS, point.id)

    def set_theme(self, theme: Theme) -> None:
        self.loggers.theme = self.bars.theme = theme
        self.stages.set_theme(theme)
        self.loggers.viewport().update()
        self.bars.update()
