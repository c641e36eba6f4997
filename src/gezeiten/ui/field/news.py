"""What `FieldWork` brings back from loggers, shown on the Field desk and said in the foot line."""

from __future__ import annotations

from gezeiten.desk.field.arrival import Arrival
from gezeiten.desk.intake.overviews import ImportedOverview
from gezeiten.desk.logger.launch.launching import LaunchResult
from gezeiten.link.registers import LiveValue
from gezeiten.link.transfer import Progress
from gezeiten.ui.field.logger.logger_page import offload_text, overview_text
from gezeiten.ui.field.logger.stage_states import LAUNCH
from gezeiten.ui.field.model import FieldModel
from gezeiten.ui.field.view import FieldView
from gezeiten.ui.format.i18n import clock_time, counted, number, tr
from gezeiten.ui.format.units import units_of


class FieldNews:
    """Into the model it goes, and into the foot line."""

    def __init__(self, field: FieldView, model: FieldModel) -> None:
        self._field, self._model = field, model
        self._context, self._page = field.context, field.logger_page
        work = field.work
        work.progressed.connect(self._progressed)
        work.offloaded.connect(self._offloaded)
        work.overview_imported.connect(self._overview_arrived)
        work.launched.connect(self._launched)
        work.stopped.connect(self._stopped)
        work.erased.connect(self._erased)
        work.live.connect(self._show_live)

    # -- what came -------------------------------------------------------------------------------
    def _progressed(self, serial: str, progress: Progress) -> None:
        self._context.show_message(self._page.show_progress(serial, progress))

    def _offloaded(self, arrivals: list[Arrival]) -> None:
        self._model.arrivals.update({arrival.result.serial: arrival for arrival in arrivals})
        results = [arrival.result for arrival in arrivals]
        text = "  ".join(offload_text(result) for result in results[-3:])
        self._show_arrival(text, failed=any(result.error for result in results))

    def _overview_arrived(self, imported_overview: ImportedOverview) -> None:
        self._model.arrivals[imported_overview.serial] = imported_overview
        self._show_arrival(overview_text(imported_overview), failed=bool(imported_overview.error))

    def _show_arrival(self, words: str, *, failed: bool) -> None:
        self._field.show_current()
        self._page.transfer_words.setText(words)
        self._context.archive_changed.emit()
        self._context.said.emit(words, failed)

    # -- what a logger was told ------------------------------------------------------------------
    def _launched(self, done: LaunchResult, arrival: Arrival | None) -> None:
        self._model.launched[done.serial] = done
        if arrival is not None:
            self._model.arrivals[done.serial] = arrival
        self._field.forget_typed(done.serial)
        self._field.shelf.remember(done.serial, done.plan)
        words = tr("mission %1 launched; plan read back, the same.")
        words = words.replace("%1", number(done.mission))
        if arrival is not None and arrival.result.readings:
            words = f"{offload_text(arrival.result, named=False)} {words[0].upper()}{words[1:]}"
        self._changed(f"{done.serial}: {words}")
        self._field.stages.select(LAUNCH)

    def _stopped(self, arrival: Arrival) -> None:
        self._model.arrivals[arrival.result.serial] = arrival
        words = tr("%1 is stopped; its readings stay in memory.").replace(
            "%1", arrival.result.serial
        )
        words = f"{words} {offload_text(arrival.result, named=False)}"
        self._show_arrival(words, failed=bool(arrival.result.error))

    def _erased(self, serial: str, readings: int) -> None:
        words = counted(
            readings,
            "%n reading erased; the vault has it.",
            "%n readings erased; the vault has them.",
        )
        self._changed(f"{serial}: {words}")

    def _changed(self, words: str) -> None:
        self._field.show_current()
        self._context.archive_changed.emit()
        self._context.show_message(words)

    # -- present readings ------------------------------------------------------------------------
    def read_live(self) -> None:
        """Read what the chosen logger measures now."""
        if self._model.card is not None:
            self._field.work.read_live(self._model.card)

    def _show_live(self, serial: str, values: list[LiveValue] | None) -> None:
        card = self._model.card
        if values is None:
            self._page.watch.setChecked(False)  # it is gone: said once, not every look
        elif card is not None and card.serial == serial:
            desk = self._context.desk
            self._page.show_live(card, values, units_of(desk.settings))
            at = clock_time(desk.now_ms(), self._model.zone_of(card), seconds=True)
            words = tr("as of %1; each reading uses battery").replace("%1", at)
            self._page.live_note.setText(words)
