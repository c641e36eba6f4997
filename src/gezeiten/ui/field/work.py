"""What is done at loggers, off the main thread; what it finds comes back by signals.

Holds no widgets: the Field desk listens and shows. One change of a logger at a time (`is_busy`);
looking and reading present values go on beside it.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from typing import Any

from PySide6.QtCore import QObject, Signal

from gezeiten.desk.field.arrival import Arrival, arrival
from gezeiten.desk.field.readiness import LoggerWithStart, starting
from gezeiten.desk.intake.overviews import ImportedOverview, offload_overview
from gezeiten.desk.logger import contact as desk_contact
from gezeiten.desk.logger.cables import PortNews
from gezeiten.desk.logger.contact import LoggerCard
from gezeiten.desk.logger.erasing import erase_memory
from gezeiten.desk.logger.keep_awake import prevent_sleep
from gezeiten.desk.logger.launch.launching import LaunchResult, launch, stop_and_offload
from gezeiten.desk.logger.launch.several import LoggerResult, PreparedLaunch, offload_and_launch
from gezeiten.desk.logger.offloading import Offloaded, offload_logger
from gezeiten.domain.plan.plan import Plan
from gezeiten.domain.series.coverage import Range
from gezeiten.domain.series.drawing.thinning import Thinning
from gezeiten.errors import GezeitenError
from gezeiten.link.find import FoundCourier, FoundLogger
from gezeiten.link.lines.address import Endpoint
from gezeiten.link.transfer import Progress, Watch
from gezeiten.ui.format.i18n import tr
from gezeiten.ui.shell.app_context import AppContext
from gezeiten.ui.work.work_queue import Task

Words = Callable[[], Mapping[str, str]]
"""Returns the words why; asked in the working thread, because some depend on the clock's state."""

LINES_AT_ONCE = 4
"""So many loggers are offloaded at the same time; more only wait for disk and database."""


class FieldWork(QObject):
    """Finding, offloading, launching, stopping, blinking, checking: each emits what it found."""

    seen = Signal(object)  # Seen
    looked = Signal(object)  # set of serials that answered, loggers' and couriers'
    port_news = Signal(object)  # PortNews
    courier_found = Signal(object)  # FoundCourier
    progressed = Signal(str, object)  # serial, Progress
    offloaded = Signal(object)  # list of Arrival
    overview_imported = Signal(object)  # OverviewCame
    launched = Signal(object, object)  # Launched, Arrival or None
    stopped = Signal(object)  # Arrival
    erased = Signal(str, int)  # serial, readings
    row_ended = Signal(object)  # LoggerResult
    several_ended = Signal(object)  # list of LoggerResult
    live = Signal(str, object)  # serial, list of LiveValue; None: it could not be read
    busy_changed = Signal()

    def __init__(self, context: AppContext) -> None:
        super().__init__()
        self._context = context
        self._task: Task | None = None
        self._reading_live = False
        self._asked_ports: set[str] = set()
        self.is_read_only = False

    @property
    def is_busy(self) -> bool:
        """Whether a logger is being changed or offloaded."""
        return self._task is not None

    def cancel(self) -> None:
        """Stop what runs; what came is kept."""
        if self._task is not None:
            self._task.cancel()

    # -- looking ---------------------------------------------------------------------------------
    def search(self) -> None:
        """Ask every address who is there; cards come as they answer."""
        if self.is_read_only:
            return
        self.is_read_only = True
        desk = self._context.desk

        def work(task: Task) -> set[str]:
            found: set[str] = set()

            def look_closer(logger: FoundLogger) -> None:
                if self._show_found(task, logger):
                    found.add(logger.identity.serial)

            def courier(who: FoundCourier) -> None:
                found.add(who.serial)
                task.report(who)

            desk_contact.find_on_network(desk, look_closer, task.cancelled, courier)
            return found

        def ended(found: set[str]) -> None:
            self.is_read_only = False
            self.looked.emit(found)

        self._context.run(work, ended, self._show_result, lambda _: ended(set()))

    def search_ports(self, paths: set[str]) -> None:
        """Ask who is on these ports; those that are being asked already are not asked twice."""
        fresh = sorted(paths - self._asked_ports)
        self._asked_ports |= paths
        desk = self._context.desk

        def work(task: Task) -> None:
            def look_closer(logger: FoundLogger) -> None:
                self._show_found(task, logger)

            desk_contact.find_on_cables(
                desk, fresh, task.report, look_closer, task.cancelled, task.report
            )

        def ended(_: object) -> None:
            self._asked_ports -= set(fresh)

        if fresh:
            self._context.run(work, ended, self._show_result, ended)

    def _show_found(self, task: Task, logger: FoundLogger) -> bool:
        """Emit the card of a logger that was found; False where it is gone again."""
        try:
            self._emit_card(task, logger.address, logger.identity.serial)
        except GezeitenError:
            return False  # it went away between finding and asking; the logbook has it
        return True

    def _emit_card(self, task: Task, address: Endpoint, serial: str) -> None:
        desk = self._context.desk
        card = desk_contact.contact(desk, address, serial)
        task.report(LoggerWithStart(card, starting(desk, card)))

    def read_live(self, card: LoggerCard) -> None:
        """Read what the channels measure now; a question that is under way is not asked twice."""
        if self._reading_live or self.is_busy:
            return
        self._reading_live = True
        desk, serial = self._context.desk, card.serial

        def ended(values: object) -> None:
            self._reading_live = False
            self.live.emit(serial, values)

        self._context.run(
            lambda _task: desk_contact.present_readings(desk, card.address, serial),
            ended,
            failed=lambda _: ended(None),
        )

    def blink(self, card: LoggerCard) -> None:
        """Let a logger blink."""
        self._context.run(
            lambda _task: desk_contact.blink(self._context.desk, card.address, card.serial),
            lambda _: self._context.show_message(
                tr("The LED of %1 is blinking.").replace("%1", card.serial)
            ),
        )

    def self_check(self, card: LoggerCard) -> None:
        """Let a logger check its sensors."""
        desk = self._context.desk

        def work(_task: Task) -> LoggerWithStart:
            checked = desk_contact.self_check(desk, card.address, card.serial)
            return LoggerWithStart(checked, starting(desk, checked))

        self._context.run(work, self.seen.emit)

    # -- changing --------------------------------------------------------------------------------
    def _start(
        self,
        work: Callable[[Task], object],
        done: Callable[[Any], None],
        reason: str,
        on_progress: Callable[[object], None] | None = None,
    ) -> None:
        """Run a change; the computer stays awake meanwhile, and looks again when it failed."""
        wanted = self._context.desk.settings.keep_awake

        def awake(task: Task) -> object:
            with prevent_sleep(reason, wanted=wanted):
                try:
                    return work(task)
                finally:
                    self._context.desk.rates.save()

        def ended(result: object) -> None:
            self._task = None
            self.busy_changed.emit()
            done(result)

        def failed(_sentence: str) -> None:
            self._task = None
            self.busy_changed.emit()
            self.search()

        self._task = self._context.run(awake, ended, on_progress or self._show_result, failed)
        self.busy_changed.emit()

    def _show_result(self, what: object) -> None:
        if isinstance(what, LoggerWithStart):
            self.seen.emit(what)
        elif isinstance(what, PortNews):
            self.port_news.emit(what)
        elif isinstance(what, FoundCourier):
            self.courier_found.emit(what)
        elif isinstance(what, LoggerResult):
            self.row_ended.emit(what)
        elif isinstance(what, tuple):
            self.progressed.emit(*what)

    def offload(self, cards: list[LoggerCard], only: dict[int, list[Range]] | None = None) -> None:
        """Take what is not kept from these loggers, several at once.

        only: reading ranges by mission number, where a part of one logger is wanted.
        """
        desk = self._context.desk

        def one(task: Task, card: LoggerCard) -> Arrival:
            if task.cancelled():
                stopped = tr("Offloading was cancelled; the readings received so far are saved.")
                return arrival(desk, Offloaded(card.serial, error=stopped))
            try:
                watch = self._watch(task, card)
                done = offload_logger(desk, card.address, card.serial, watch, only)
            except GezeitenError as exc:
                done = Offloaded(card.serial, error=str(exc))
            self._look_at(task, card)
            return arrival(desk, done)

        def work(task: Task) -> list[Arrival]:
            with ThreadPoolExecutor(LINES_AT_ONCE) as pool:
                return list(pool.map(lambda card: one(task, card), cards))

        self._start(work, self.offloaded.emit, "Offloading loggers")

    def fetch_overview(self, card: LoggerCard, mission: int, thinning: Thinning) -> None:
        """Let a logger thin a mission and take what it made."""
        desk = self._context.desk

        def work(task: Task) -> ImportedOverview:
            watch = self._watch(task, card)
            return offload_overview(desk, card.address, card.serial, mission, thinning, watch)

        self._start(work, self.overview_imported.emit, "Offloading a logger")

    def _watch(self, task: Task, card: LoggerCard) -> Watch:
        rates = self._context.desk.rates

        def tell(progress: Progress) -> None:
            rates.measured(card.serial, card.address, progress.bytes_per_s)
            task.report((card.serial, progress))

        return Watch(tell, task.cancelled)

    def _look_at(self, task: Task, card: LoggerCard) -> None:
        try:
            self._emit_card(task, card.address, card.serial)
        except GezeitenError:
            return  # its own error is said by what went before

    def launch(self, card: LoggerCard, plan: Plan, accepted: Words, label: str) -> None:
        """Offload what is not kept from a logger and launch it by a plan."""
        desk = self._context.desk

        def work(task: Task) -> tuple[LaunchResult, Arrival | None]:
            watch = self._watch(task, card)
            done = launch(desk, card.address, card.serial, plan, accepted(), label, watch)
            self._look_at(task, card)
            return done, arrival(desk, done.offloaded) if done.offloaded else None

        self._context.show_message(tr("Launching %1 ...").replace("%1", card.serial))
        self._start(work, lambda done: self.launched.emit(*done), "Launching a logger")

    def stop(self, card: LoggerCard) -> None:
        """Stop a logger's mission and offload it; its memory stays."""
        desk = self._context.desk

        def work(task: Task) -> Arrival:
            watch = self._watch(task, card)
            done = stop_and_offload(desk, card.address, card.serial, watch)
            self._look_at(task, card)
            return arrival(desk, done)

        self._start(work, self.stopped.emit, "Stopping a logger")

    def erase(self, card: LoggerCard, label: str) -> None:
        """Erase a logger's memory, after reading everything back from the vault."""
        desk = self._context.desk

        def work(task: Task) -> tuple[str, int]:
            count = erase_memory(desk, card.address, card.serial, label)
            self._look_at(task, card)
            return card.serial, count

        self._start(work, lambda done: self.erased.emit(*done), "Erasing a logger")

    def run_several(self, prepared: list[PreparedLaunch], accepted: Words) -> None:
        """Offload and launch several loggers; a row ends for each."""
        desk = self._context.desk

        def work(task: Task) -> list[LoggerResult]:
            def tell(progress: Progress) -> None:
                task.report(("", progress))

            watch = Watch(tell, task.cancelled)
            results = offload_and_launch(desk, prepared, accepted(), task.report, watch)
            for one in prepared:
                self._look_at(task, one.card)
            return results

        self._start(work, self.several_ended.emit, "Launching loggers")
