"""The ticked loggers of the Field desk: prepared off the main thread, launched together."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PySide6.QtCore import QObject, Signal

from gezeiten.desk.logger.contact import LoggerCard
from gezeiten.desk.logger.launch.launch_checks import Check
from gezeiten.desk.logger.launch.several import (
    LoggerResult,
    PreparedLaunch,
    prepare_several,
    prepare_with_last_plans,
)
from gezeiten.ui.field.model import FieldModel, NextAction
from gezeiten.ui.field.several_page import SeveralPage
from gezeiten.ui.field.work import FieldWork
from gezeiten.ui.format.i18n import counted, tr
from gezeiten.ui.shell.app_context import AppContext
from gezeiten.ui.work.work_queue import Task


class SeveralDesk(QObject):
    """prepared: the plans of all ticked loggers are known anew. ended: all rows have their result.

    reasons: the words why that were given for a logger.
    """

    newly_prepared = Signal()
    ended = Signal(object)  # list of LoggerResult

    def __init__(
        self,
        context: AppContext,
        model: FieldModel,
        work: FieldWork,
        words: Callable[[LoggerCard], dict[str, str]],
    ) -> None:
        super().__init__()
        self._context, self._model, self._work = context, model, work
        self._words = words
        self.page = SeveralPage()
        self.prepared: list[PreparedLaunch] = []
        work.row_ended.connect(self._row_ended)
        work.several_ended.connect(self._ended)

    def prepare(self) -> None:
        """Make the plan suit every ticked logger; what cannot be applied is listed."""
        cards = self._model.ticked
        if not self._model.is_group:
            self.prepared = []
            return
        desk = self._context.desk
        common = self._model.typed if self.page.common.isChecked() else None

        def work(_task: Task) -> list[PreparedLaunch]:
            words = self.reasons(cards)
            if common is not None:
                return prepare_several(desk, cards, common, words)
            return prepare_with_last_plans(desk, cards, words)

        self._context.run(work, self._show, latest="prepare")

    def _show(self, prepared: list[PreparedLaunch]) -> None:
        if not self._model.is_group:
            return  # the ticks were taken off meanwhile
        self.prepared = prepared
        self.page.show_prepared(prepared, self._model.zones)
        self.newly_prepared.emit()

    def reasons(self, cards: list[LoggerCard]) -> dict[str, str]:
        """Return all words why that were given for these loggers."""
        words: dict[str, str] = {}
        for card in cards:
            words.update(self._words(card))
        return words

    def launchable(self) -> list[PreparedLaunch]:
        """Return those that nothing keeps from being launched."""
        return [
            prepared_launch
            for prepared_launch in self.prepared
            if not prepared_launch.first_obstacle
        ]

    def launchable_with_reason(self) -> list[PreparedLaunch]:
        """Return those that can be launched by now, or once a word why was given."""
        return [
            prepared_launch
            for prepared_launch in self.prepared
            if not prepared_launch.first_obstacle or prepared_launch.needs_reason_only
        ]

    def needs_reason(self) -> bool:
        """Whether one of them wants a word why first."""
        return any(
            check.needs_reason
            for prepared_launch in self.prepared
            for check in prepared_launch.checks
        )

    def checks(self) -> list[Check]:
        """Return what is worth a look or in the way of any of them, each sentence once and with
        the serials it is about where it is not about all."""
        found: dict[str, tuple[Check, list[str]]] = {}
        for prepared_launch in self.prepared:
            for check in prepared_launch.checks:
                if check.weight in ("blocking", "look"):
                    key = f"{check.weight}{check.key}{check.sentence}"
                    found.setdefault(key, (check, []))[1].append(prepared_launch.card.serial)
        checks = [self._merged_check(check, serials) for check, serials in found.values()]
        checks.sort(key=lambda check: (check.weight != "blocking", not check.needs_reason))
        return checks or [Check("passed", tr("All are ready to launch."))]

    def _merged_check(self, check: Check, serials: list[str]) -> Check:
        is_named = len(serials) == len(self.prepared) or serials[0] in check.sentence
        if is_named:
            return check
        return replace(check, sentence=f"{', '.join(serials)}: {check.sentence}")

    def next_action(self) -> NextAction:
        """Return what the large button does for the ticked loggers."""
        ready = len(self.launchable())
        if not ready and self.needs_reason():
            return NextAction("accept", loggers=len(self.prepared))
        if not ready:
            return NextAction("blocked", loggers=len(self.prepared))
        return NextAction("several", loggers=ready)

    def run(self) -> None:
        """Offload and launch those that are ready."""
        ready = self.launchable()
        if ready:
            self.page.forget_results()
            cards = self._model.ticked
            self._work.run_several(ready, lambda: self.reasons(cards))

    def _row_ended(self, result: LoggerResult) -> None:
        self.page.show_result(result)
        self._context.show_message(f"{result.serial}: {result.sentence}")

    def _ended(self, results: list[LoggerResult]) -> None:
        run = {result.serial for result in results}
        results = [
            *results,
            *(
                LoggerResult(prepared_launch.card.serial, prepared_launch.first_obstacle)
                for prepared_launch in self.prepared
                if prepared_launch.card.serial not in run
            ),
        ]
        self.ended.emit(results)
        self._context.archive_changed.emit()
        self.prepare()
        good = sum(result.launched is not None for result in results)
        text = counted(good, "%n logger launched", "%n loggers launched")
        failed = [result for result in results if result.launched is None]
        if not failed:
            self._context.said.emit(f"{text}.", False)
            return
        words = counted(
            len(failed),
            "%1, %n not: %2: %3 Then try again.",
            "%1, %n not; the first, %2: %3 Then try again.",
        )
        words = words.replace("%1", text).replace("%2", failed[0].serial)
        self._context.said.emit(words.replace("%3", failed[0].sentence), True)
