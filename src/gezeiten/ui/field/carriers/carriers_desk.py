"""Couriers and drives at hand: seen by themselves, listed under the loggers, taken off the main
thread."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtWidgets import QApplication, QButtonGroup, QPushButton, QWidget

from gezeiten.desk.intake.carriers.carried_records import Clearing
from gezeiten.desk.intake.carriers.couriers import (
    CourierCard,
    clear_courier,
    clearing,
    contact_courier,
    offload_courier,
    set_at_loggers,
    set_courier_clock,
)
from gezeiten.desk.intake.carriers.drives import (
    DriveCard,
    clear_drive,
    clearing_of_drive,
    connected_drives,
    import_from_drive,
    release,
    survey_drive,
)
from gezeiten.desk.logger.offloading import Offloaded
from gezeiten.link.files.drive import DriveSeen
from gezeiten.link.find import FoundCourier
from gezeiten.link.lines.address import Address
from gezeiten.link.transfer import Progress, Watch
from gezeiten.ui.field.carriers.carrier_page import (
    CarrierCard,
    CarrierPage,
    clock_off_text,
    key_of,
    name_of,
)
from gezeiten.ui.field.carriers.clear_dialog import ClearDialog
from gezeiten.ui.field.logger.logger_page import offload_text
from gezeiten.ui.field.work import FieldWork
from gezeiten.ui.format.i18n import counted, tr
from gezeiten.ui.parts.flow import ElidingButton
from gezeiten.ui.parts.widgets import clear, column
from gezeiten.ui.shell.app_context import AppContext
from gezeiten.ui.work.work_queue import Task

DRIVES_EVERY_MS = 1500


class CarrierList(QWidget):
    """A line for each courier and drive at hand. chosen: its key."""

    chosen = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName(tr("Connected couriers and drives"))
        self._lines = column(spacing=2)
        self._group = QButtonGroup(self)
        self.setLayout(self._lines)
        self.buttons: dict[str, QPushButton] = {}
        self.hide()

    def show_cards(self, cards: list[CarrierCard], current: str) -> None:
        """Show these and no others."""
        clear(self._lines)
        self.buttons = {}
        for card in cards:
            key, new = key_of(card), len(card.new)
            nothing = tr("nothing new") if card.records else tr("empty")
            words = counted(new, "%n new", "%n new") if new else nothing
            line = ElidingButton(f"{name_of(card)} · {words}{clock_off_text(card)}")
            line.setCheckable(True)
            line.setAutoDefault(False)
            line.setProperty("role", "row")
            line.setChecked(key == current)
            line.clicked.connect(lambda _=False, key=key: self.chosen.emit(key))
            self._group.addButton(line)
            self._lines.addWidget(line)
            self.buttons[key] = line
        self.setVisible(bool(cards))


class CarriersDesk(QObject):
    """opened: the page of a courier or drive shall be seen. ended: list of Offloaded."""

    opened = Signal()
    closed = Signal()
    ended = Signal(object)

    def __init__(self, context: AppContext, work: FieldWork) -> None:
        super().__init__()
        self._context, self._work = context, work
        self.page, self.list = CarrierPage(), CarrierList()
        self.cards = context.carriers
        self.current = ""
        self._roots: dict[str, DriveSeen] = {}
        self._task: Task | None = None
        self.page.asked.connect(self._on_request)
        self.list.chosen.connect(self.open)
        work.courier_found.connect(self.show_courier)
        self._every = QTimer(self)
        self._every.setInterval(DRIVES_EVERY_MS)
        self._every.timeout.connect(self.watch_drives)
        context.carriers_watched.connect(self._watch)
        self._watch(context.are_carriers_watched)

    @property
    def is_open(self) -> bool:
        """Whether a courier or drive is in the middle of the desk."""
        return self.current in self.cards

    def _watch(self, on: bool) -> None:
        """Watch for drives, or no longer."""
        if not on:
            self._every.stop()
        elif not self._every.isActive():
            self._every.start()
            self.watch_drives()

    # -- seeing ----------------------------------------------------------------------------------
    def watch_drives(self) -> None:
        """Notice drives that have appeared or were pulled out."""
        desk = self._context.desk
        self._context.run(lambda _task: connected_drives(desk), self._drives_are, latest="drives")

    def _drives_are(self, drives: list[DriveSeen]) -> None:
        known, self._roots = self._roots, {str(drive.root): drive for drive in drives}
        for root in known.keys() - self._roots.keys():
            self._forget(root)
        for root in self._roots.keys() - known.keys():
            self.survey_drive(self._roots[root])

    def survey_drive(self, drive: DriveSeen) -> None:
        """See what lies on a drive."""
        desk = self._context.desk
        self._context.run(
            lambda task: survey_drive(desk, drive, task.cancelled),
            self._show,
            failed=lambda _: self._forget(str(drive.root)),
        )

    def show_courier(self, courier: FoundCourier) -> None:
        """See what a courier brings."""
        desk = self._context.desk
        self._context.run(
            lambda _task: contact_courier(desk, courier),
            self._show,
            failed=lambda _: self._forget(courier.serial),
        )

    def search_again(self) -> None:
        """Look anew at the drives; couriers come with the loggers' answers."""
        self._roots = {}
        self.watch_drives()

    def drop_couriers_but(self, serials: set[str]) -> None:
        """Take out the couriers on the network that no longer answer."""
        for key, card in list(self.cards.items()):
            by_network = isinstance(card, CourierCard) and isinstance(card.address, Address)
            if by_network and key not in serials:
                self._forget(key)

    def _show(self, card: CarrierCard) -> None:
        is_new = key_of(card) not in self.cards
        self.cards[key_of(card)] = card
        self._show_list()
        self._context.carriers_changed.emit()
        if key_of(card) == self.current:
            self.page.show_card(card)
        elif is_new and card.new:
            new = counted(len(card.new), "%n new record", "%n new records")
            self._context.show_message(f"{name_of(card)}: {new}.")

    def _forget(self, key: str) -> None:
        if self.cards.pop(key, None) is None:
            return
        if self.current == key:
            self.current = ""
            self.closed.emit()
        self._show_list()
        self._context.carriers_changed.emit()

    def _show_list(self) -> None:
        self.list.show_cards([self.cards[key] for key in sorted(self.cards)], self.current)

    def open(self, key: str) -> None:
        """Show a courier or drive."""
        self.current = key
        self.page.show_card(self.cards[key])
        self._show_list()
        self.opened.emit()
        self.page.table.setFocus()

    def close(self) -> None:
        """Go back to the loggers."""
        self.current = ""
        self._show_list()

    def open_next(self) -> None:
        """Show the next courier or drive at hand, the first one when none is shown."""
        keys = sorted(self.cards)
        if not keys:
            self._context.show_message(tr("No courier and no drive is connected."))
            return
        at = keys.index(self.current) + 1 if self.current in keys else 0
        self.open(keys[at % len(keys)])

    # -- acts ------------------------------------------------------------------------------------
    def _on_request(self, action: str) -> None:
        {
            "take": self.import_selected,
            "ready": self.confirm_clear_courier,
            "cancel": self.cancel,
            "clear": self.confirm_clear_drive,
            "clock": self.set_clock,
            "manner": self.set_courier_options,
        }[action]()

    def cancel(self) -> None:
        """Stop what runs; what came is kept."""
        if self._task is not None:
            self._task.cancel()

    def import_selected(self) -> None:
        """Take the ticked records."""
        card, keys, desk = self.page.card, self.page.wanted(), self._context.desk
        if card is None or self._task is not None or not keys:
            return

        def work(task: Task) -> tuple[list[Offloaded], int]:
            watch = Watch(task.report, task.cancelled)
            if isinstance(card, CourierCard):
                return offload_courier(desk, card, keys, watch), 0
            imported = import_from_drive(desk, card, keys, watch)
            return imported.results, imported.reports

        def ended(result: tuple[list[Offloaded], int]) -> None:
            self._over(card)
            self._show_imported(*result)

        def failed(_sentence: str) -> None:
            self._over(card)

        self.page.show_transfer()
        self._task = self._context.run(work, ended, self._show_result, failed)

    def _show_result(self, progress: Progress) -> None:
        self._context.show_message(self.page.show_progress(progress))

    def _over(self, card: CarrierCard) -> None:
        """Nothing runs any more: look at it anew."""
        self._task = None
        self.page.end()
        if isinstance(card, CourierCard):
            self.show_courier(FoundCourier(card.address, card.serial))
        else:
            self.survey_drive(card.drive)

    def _show_imported(self, results: list[Offloaded], reports: int) -> None:
        readings = sum(result.readings for result in results)
        good = [result for result in results if not result.error]
        said = counted(len(good), "%n record", "%n records") + ", "
        said += counted(readings, "%n reading saved", "%n readings saved") + "."
        if reports:
            said += " " + counted(
                reports, "%n report saved with them.", "%n reports saved with them."
            )
        waiting = sum(result.excursions_new for result in results)
        if waiting:
            said += " " + counted(
                waiting, "%n new excursion to assess.", "%n new excursions to assess."
            )
        said += "".join(f"\n{offload_text(result)}" for result in results if result.error)
        self.page.words.setText(said)
        self._context.said.emit(said.replace("\n", " "), len(good) < len(results))
        self._context.archive_changed.emit()
        self.ended.emit(results)

    def confirm_clear_courier(self) -> None:
        """Show what making a courier ready clears, and ask once; a drive is let go."""
        card, desk = self.page.card, self._context.desk
        if card is None or self._task is not None:
            return
        if isinstance(card, DriveCard):
            self._context.run(lambda _task: release(desk, card.drive), self._show_message)
            return

        def show(found: Clearing) -> None:
            after = "" if found.stays else tr("The clock is then set.")
            self._confirm(card, found, after, lambda: self._clear_courier(card))

        self._context.run(lambda _task: clearing(desk, card), show)

    def confirm_clear_drive(self) -> None:
        """Show what of a drive is safely kept and can go, and ask once."""
        card, desk = self.page.card, self._context.desk
        if not isinstance(card, DriveCard) or self._task is not None:
            return

        def show(found: Clearing) -> None:
            self._confirm(card, found, "", lambda: self._clear(card))

        self._context.run(lambda _task: clearing_of_drive(desk, card), show)

    def _confirm(
        self, card: CarrierCard, found: Clearing, after: str, run: Callable[[], None]
    ) -> None:
        dialog = ClearDialog(self.page, name_of(card), found, after)
        dialog.wanted.connect(run)
        dialog.open()

    def _clear_courier(self, card: CourierCard) -> None:
        desk = self._context.desk

        def ended(stay: list[str]) -> None:
            if stay:
                self._show_message(tr("Not cleared: %1").replace("%1", " ".join(stay)))
            else:
                self._show_message(
                    tr("%1 is empty and its clock has been set.").replace("%1", name_of(card))
                )

        self._change(card, lambda _task: clear_courier(desk, card), ended)

    def _clear(self, card: DriveCard) -> None:
        desk = self._context.desk

        def ended(cleared: Clearing) -> None:
            words = counted(
                len(cleared.cleared),
                "%n mission file deleted; it is in the vault.",
                "%n mission files deleted; they are in the vault.",
            )
            self._show_message(words)

        self._change(card, lambda _task: clear_drive(desk, card), ended)

    def set_clock(self) -> None:
        """Set the clock of the courier in sight without clearing anything."""
        card, desk = self.page.card, self._context.desk
        if isinstance(card, CourierCard) and self._task is None:
            words = tr("The clock of %1 has been set.").replace("%1", name_of(card))
            self._change(
                card,
                lambda _task: set_courier_clock(desk, card),
                lambda _: self._show_message(words),
            )

    def set_courier_options(self) -> None:
        """Say what the courier in sight does at loggers, as its box shows."""
        card, desk, again = self.page.card, self._context.desk, self.page.courier_mode.isChecked()
        if isinstance(card, CourierCard) and self._task is None:
            words = (
                tr("%1 now launches loggers again after collecting.")
                if again
                else tr("%1 now leaves loggers running.")
            )
            self._change(
                card,
                lambda _task: set_at_loggers(desk, card, launch_again=again),
                lambda _: self._show_message(words.replace("%1", name_of(card))),
            )

    def _change(
        self, card: CarrierCard, work: Callable[[Task], Any], done: Callable[[Any], None]
    ) -> None:
        """Change something on a courier or drive, and look at it anew."""
        there = QApplication.focusWidget()

        def over() -> None:
            self._over(card)
            if there is not None and there.isVisible() and self.page.isAncestorOf(there):
                there.setFocus()
            else:
                self.page.table.setFocus()

        def ended(result: Any) -> None:
            over()
            self._context.archive_changed.emit()
            done(result)

        self._task = self._context.run(work, ended, failed=lambda _: over())

    def _show_message(self, words: str) -> None:
        self.page.words.setText(words)
        self._context.show_message(words)
