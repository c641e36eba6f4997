"""Copying the vault, handing it on and taking a copy in, with progress in the foot line."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

from PySide6.QtWidgets import QFileDialog, QWidget

from gezeiten.domain.series.timeline import duration_text
from gezeiten.link.transfer import Progress, Watch
from gezeiten.ui.format.i18n import counted, number, tr
from gezeiten.ui.shell.app_context import AppContext
from gezeiten.ui.shell.commands import Command
from gezeiten.ui.work.work_queue import Task

if TYPE_CHECKING:
    from gezeiten.desk.intake.carriers.vault_copy import CopyImport, WrittenCopy

T = TypeVar("T")


class VaultActions:
    """Three commands; one at a time."""

    def __init__(self, window: QWidget, context: AppContext) -> None:
        self._window, self._context = window, context
        self._task: Task | None = None

    def commands(self) -> list[Command]:
        return [
            Command("vault.file", tr("Export a vault copy as one file"), "", self.hand_on),
            Command("vault.copy", tr("Export a vault copy to another disk"), "", self.copy),
            Command("vault.take", tr("Import a vault copy"), "", self.import_file),
            Command(
                "vault.take.folder",
                tr("Import a vault copy from a folder"),
                "",
                self.import_folder,
            ),
            Command("vault.stop", tr("Stop copying the vault"), "", self.cancel),
        ]

    def hand_on(self) -> None:
        """Ask for a file and write the vault into it."""
        name, _ = QFileDialog.getSaveFileName(
            self._window, tr("Export vault copy"), "vault.zip", "*.zip"
        )
        if name:
            from gezeiten.desk.intake.carriers.vault_copy import hand_on  # used now and then only

            self._write(lambda watch: hand_on(self._context.desk, Path(name), watch), name)

    def copy(self) -> None:
        """Ask for a folder and copy the vault into it."""
        name = QFileDialog.getExistingDirectory(self._window, tr("Export vault copy to"))
        if name:
            from gezeiten.desk.intake.carriers.vault_copy import copy_to  # used now and then only

            self._write(lambda watch: copy_to(self._context.desk, Path(name), watch), name)

    def import_file(self) -> None:
        """Ask for a file and take it in."""
        name, _ = QFileDialog.getOpenFileName(self._window, tr("Vault copy"), "", "*.zip")
        if name:
            self.import_copy(Path(name))

    def import_folder(self) -> None:
        """Ask for a folder and take it in."""
        name = QFileDialog.getExistingDirectory(self._window, tr("Vault copy"))
        if name:
            self.import_copy(Path(name))

    def import_copy(self, path: Path) -> None:
        """Take a copy in."""
        from gezeiten.desk.intake.carriers.vault_copy import import_copy  # used now and then only

        self._run(lambda watch: import_copy(self._context.desk, path, watch), self._brought)

    def cancel(self) -> None:
        """Stop what runs."""
        if self._task is not None:
            self._task.cancel()

    def _write(self, write: Callable[[Watch], WrittenCopy], name: str) -> None:
        def done(written: WrittenCopy) -> None:
            text = counted(written.count, "%n raw offload", "%n raw offloads")
            words = tr("%1: %2, each compared with its fingerprint.").replace("%1", name)
            words = words.replace("%2", text)
            if written.damaged:
                words += " " + tr("Left out: %1").replace("%1", " ".join(written.damaged[:3]))
            self._context.said.emit(words, bool(written.damaged))
            self._context.archive_changed.emit()

        self._run(write, done)

    def _brought(self, brought: CopyImport) -> None:
        text = counted(brought.offloads, "%n raw offload imported", "%n raw offloads imported")
        text += ", " + counted(brought.readings, "%n new reading", "%n new readings")
        text += ", " + counted(brought.already_stored, "%n already saved", "%n already saved")
        if brought.mended:
            text += ", " + counted(brought.mended, "%n of them repaired", "%n of them repaired")
        if brought.refused:
            text += ". " + tr("Refused: %1").replace("%1", " ".join(brought.refused[:3]))
        self._context.said.emit(text + ".", bool(brought.refused))
        self._context.archive_changed.emit()

    def _run(self, work: Callable[[Watch], T], done: Callable[[T], None]) -> None:
        if self._task is not None:
            self._context.show_message(tr("A vault copy is already running."))
            return

        def ended(result: T) -> None:
            self._task = None
            done(result)

        def failed(_: str) -> None:
            self._task = None

        self._task = self._context.run(
            lambda task: work(Watch(task.report, task.cancelled)), ended, self._show_result, failed
        )

    def _show_result(self, progress: Progress) -> None:
        words = tr("Vault: %1 of %2 MB").replace("%1", number(progress.readings / 1e6, 1))
        words = words.replace("%2", number(progress.of_readings / 1e6, 1))
        if progress.seconds_left is not None:
            words += " · " + tr("%1 left").replace(
                "%1", duration_text(round(progress.seconds_left * 1000))
            )
        self._context.show_message(words)
