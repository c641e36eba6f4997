"""What the Field desk opens beside itself: dialogs, file choosers, practice loggers.

Most are opened now and then only: the window starts without their imports.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QFileDialog, QWidget

from gezeiten.desk.intake.carriers.drives import import_from_drive, is_mission_file, survey_file
from gezeiten.desk.logger.memory_extent import newest_extent
from gezeiten.desk.logger.pins import pin_group
from gezeiten.desk.record.views.table import LastReadings, latest_readings
from gezeiten.ui.field.actions import FieldActions
from gezeiten.ui.field.dialogs.stop_dialog import StopDialog
from gezeiten.ui.field.logger.logger_page import offload_text
from gezeiten.ui.field.model import FieldModel
from gezeiten.ui.field.view import FieldView
from gezeiten.ui.format.i18n import tr
from gezeiten.ui.shell.app_context import ReadingsRequest
from gezeiten.ui.work.work_queue import Task

if TYPE_CHECKING:
    from gezeiten.ui.field.dialogs.live_dialog import LiveWork


_BESIDE_PX = 26
"""How far live lines stand from each other, so that each can be grasped."""


class FieldDialogs:
    """Opens dialogs for the chosen logger and passes on what they want."""

    def __init__(
        self, field: FieldView, model: FieldModel, actions: FieldActions, over: QWidget
    ) -> None:
        self._field, self._model, self._actions = field, model, actions
        self._context, self._over = field.context, over
        self.lives: list[LiveWork] = []  # once the live line was opened

    # -- other ways in -------------------------------------------------------------------------
    def pick_text(self) -> None:
        """Let a text file be chosen and tied, several of them, or a mission file and taken."""
        names, _ = QFileDialog.getOpenFileNames(self._over, tr("Import text or mission files"))
        paths = [Path(name) for name in names]
        texts = [path for path in paths if not is_mission_file(path)]
        for path in paths:
            if path not in texts:
                self.mission_file(path)
        if len(texts) == 1:
            self.text(texts[0])
        elif texts:
            self.texts(texts)

    def pick_text_folder(self) -> None:
        """Let a folder of text files be chosen."""
        name = QFileDialog.getExistingDirectory(self._over, tr("Import the text files of a folder"))
        if name:
            self.texts(Path(name))

    def texts(self, where: Path | list[Path]) -> None:
        """Show several text files, or those of a folder."""
        from gezeiten.ui.texts.several_texts_dialog import ManyTextsDialog

        dialog = ManyTextsDialog(self._over, self._context, where)
        dialog.taken.connect(self._context.archive_changed)
        dialog.wanted.connect(lambda path: self.text(path, dialog.look))
        dialog.open()

    def text_kinds(self) -> None:
        """Show the kinds of texts that are kept."""
        from gezeiten.ui.texts.import_templates_dialog import ImportTemplatesDialog

        ImportTemplatesDialog(self._over, self._context).open()

    def mission_file(self, path: Path) -> None:
        """Take a single mission file."""
        desk = self._context.desk

        def work(_task: Task) -> str:
            card = survey_file(desk, path)
            [seen] = card.records
            if not seen.is_new:
                return f"{path.name}: {seen.note or tr('already saved.')}"
            return "  ".join(offload_text(one) for one in import_from_drive(desk, card).results)

        def taken(words: str) -> None:
            self._context.archive_changed.emit()
            self._context.show_message(words)

        self._context.run(work, taken)

    def text(self, path: Path, then: Callable[[], None] = lambda: None) -> None:
        """Show how a text file would be read. then: called once it is taken."""
        from gezeiten.ui.texts.dialog import TextDialog

        dialog = TextDialog(self._over, self._context, path)
        dialog.taken.connect(lambda _: self._context.archive_changed.emit())
        dialog.taken.connect(lambda _: then())
        dialog.open()

    def show_imported_texts(self) -> None:
        """Show the text files that were taken, to take one out again."""
        from gezeiten.ui.texts.imported_texts_dialog import ImportedTextsDialog

        ImportedTextsDialog(self._over, self._context).open()

    def live_line(self) -> None:
        """Open every live line that records, and one more to begin with; what is recorded goes on
        when they are closed."""
        from gezeiten.ui.field.dialogs.live_dialog import LiveDialog, LiveWork

        if all(work.is_on for work in self.lives):
            work = LiveWork(self._context)
            work.changed.connect(self._live_changed)
            self.lives.append(work)
        shown = {dialog.work for dialog in self._over.findChildren(LiveDialog)}
        for place, work in enumerate(self.lives):
            if work not in shown:
                dialog = LiveDialog(self._over, self._context, work)
                dialog.show()
                dialog.move(dialog.pos() + QPoint(place * _BESIDE_PX, place * _BESIDE_PX))

    def _live_changed(self) -> None:
        self._field.at_hand.show_live(on=any(work.is_on for work in self.lives))

    def pick_folder(self) -> None:
        """Let a folder be chosen that is then looked at like a drive."""
        name = QFileDialog.getExistingDirectory(self._over, tr("Open a folder"))
        if name:
            self._context.desk.more_folders.append(name)
            self._field.carriers.watch_drives()

    def practice(self) -> None:
        """Start loggers to practise with and look for them."""
        practice = self._context.practice
        if practice is None:
            return
        desk = self._context.desk

        def started(where: tuple[list[str], list[str]]) -> None:
            desk.practice_addresses, desk.practice_ports = where
            self._context.show_message(
                tr("Practice loggers are running; they stop when Gezeiten is closed.")
            )
            self._field.search()

        self._context.show_message(tr("Starting practice loggers ..."))
        self._context.run(lambda _task: practice.start(), started)

    def demonstrate(self) -> None:
        """Open the demonstration in a window of its own."""
        if self._context.practice is not None:
            self._context.practice.demonstrate()
            words = tr("Building the demonstration; its window opens in a minute or two.")
            self._context.show_message(words)

    # -- the chosen logger ---------------------------------------------------------------------
    def show_part(self) -> None:
        """Let a part of the chosen logger's mission, or an overview, be chosen and take that."""
        field, card = self._field, self._model.card
        if card is None or not card.directory or field.work.is_busy:
            return
        extent = newest_extent(card)
        if extent is None:
            self._context.show_message(
                tr("The readings are not evenly spaced; offload the whole mission.")
            )
            return
        from gezeiten.ui.field.dialogs.part_dialog import PartDialog

        rate = self._context.desk.rates.rate(card.serial, card.address)
        zone = self._model.zone_of(card)
        dialog = PartDialog(self._over, self._context, extent, card.serial, zone, rate)
        dialog.wanted.connect(lambda only: self._actions.offload_part(card, only))
        dialog.overview_wanted.connect(lambda *what: self._actions.fetch_overview(card, *what))
        dialog.open()

    def stop(self) -> None:
        """Stop the chosen logger's mission and offload it; asks where it has only just begun."""
        card = self._model.card
        if card is None or not card.is_recording or self._field.work.is_busy:
            return
        if not card.has_just_started:
            self._actions.stop_mission()
            return
        dialog = StopDialog(self._over, card)
        dialog.wanted.connect(self._actions.stop_mission)
        dialog.open()

    def erase(self) -> None:
        """Show what erasing the chosen logger's memory means, and do it when its label is typed."""
        card = self._model.card
        if card is None or self._field.work.is_busy:
            return
        from gezeiten.ui.field.dialogs.erase_dialog import EraseDialog

        dialog = EraseDialog(self._over, card)
        dialog.wanted.connect(lambda label: self._field.work.erase(card, label))
        dialog.open()

    def pin(self) -> None:
        """Ask for the PIN of the chosen logger's group."""
        card, desk = self._model.card, self._context.desk
        if card is None:
            return
        from gezeiten.ui.field.dialogs.pin_dialog import PinDialog

        def ask(known: tuple[str, bool]) -> None:
            group, lasting = known
            dialog = PinDialog(self._over, card.serial, group, lasting=lasting)
            dialog.given.connect(self._field.remember_pin)
            dialog.open()

        self._context.run(lambda _task: (pin_group(desk, card.serial), desk.pins.lasting), ask)

    def day(self) -> None:
        """Show what was done today, and what is left."""
        from gezeiten.ui.field.dialogs.day_dialog import DayDialog

        at_hand = {c.serial: c.readings_to_offload for c in self._model.cards.values()}
        DayDialog(self._over, self._context, at_hand).open()

    def rows(self) -> None:
        """Show what came last from the chosen logger as a table: what its last offload brought,
        else the last day that is kept."""
        card, desk = self._model.card, self._context.desk
        if card is None:
            return
        span = self._model.last_offload_span(card.serial)

        def show(last_readings: LastReadings | None) -> None:
            if last_readings is None:
                self._context.show_message(
                    tr("No reading of this logger has been saved yet; offload it first.")
                )
            else:
                self._context.rows_wanted.emit(
                    ReadingsRequest(last_readings.series, last_readings.span)
                )

        self._context.run(lambda _task: latest_readings(desk, card.serial, span), show)

    def life(self) -> None:
        """Show the life of the chosen logger."""
        from gezeiten.ui.field.dialogs.logger_history_dialog import LoggerHistoryDialog

        if self._model.card is not None:
            LoggerHistoryDialog(self._over, self._context, self._model.card.serial).open()
