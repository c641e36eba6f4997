"""Work off the main thread: results, errors and progress come back by signals."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, QRunnable, Qt, QThreadPool, Signal

from gezeiten.errors import GezeitenError

_log = logging.getLogger(__name__)
_AT_ONCE = 8


def mistake(error: Exception) -> str:
    """Return the sentence for an error of our own; what led to it goes into the log."""
    _log.error("work failed", exc_info=error)
    return f"Gezeiten made a mistake ({type(error).__name__}: {error}); please report it."


class Task(QObject):
    """One piece of work. `cancelled` is asked by the work itself."""

    done = Signal(object)
    failed = Signal(str)
    progress = Signal(object)
    finished = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._cancel = threading.Event()

    def cancel(self) -> None:
        self._cancel.set()

    def cancelled(self) -> bool:
        return self._cancel.is_set()


class _Job(QRunnable):
    def __init__(self, task: Task, work: Callable[[Task], Any]) -> None:
        super().__init__()
        self._task, self._work = task, work

    def run(self) -> None:
        try:
            result = self._work(self._task)
        except GezeitenError as exc:
            self._task.failed.emit(str(exc))
        except Exception as exc:  # noqa: BLE001 - nothing may end the window silently
            self._task.failed.emit(mistake(exc))
        else:
            self._task.done.emit(result)
        self._task.finished.emit()


class Works(QObject):
    """Starts work and remembers what runs; `idle` is emitted when the last has ended."""

    idle = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._pool = QThreadPool()
        # most work waits for lines and disks: a look at a silent port must not keep others waiting
        self._pool.setMaxThreadCount(_AT_ONCE)
        self._running: set[Task] = set()
        self._stopped = False

    def start(
        self,
        work: Callable[[Task], Any],
        done: Callable[[Any], None],
        failed: Callable[[str], None],
        progress: Callable[[Any], None] | None = None,
    ) -> Task:
        """Run `work(task)` in a thread; the callbacks run in the main thread."""
        task = Task()
        queued = Qt.ConnectionType.QueuedConnection
        task.done.connect(self._unless_stopped(done), queued)
        task.failed.connect(self._unless_stopped(failed), queued)
        if progress:
            task.progress.connect(self._unless_stopped(progress), queued)
        task.finished.connect(lambda: self._forget(task), queued)
        self._running.add(task)
        self._pool.start(_Job(task, work))
        return task

    def _unless_stopped(self, callback: Callable[[Any], None]) -> Callable[[Any], None]:
        """What comes after the end is shown to nobody: the widgets may be gone by then."""

        def guarded(value: Any) -> None:
            if not self._stopped:
                callback(value)

        return guarded

    def _forget(self, task: Task) -> None:
        self._running.discard(task)
        if not self._running:
            self.idle.emit()

    @property
    def is_busy(self) -> bool:
        return bool(self._running)

    def stop(self) -> None:
        """Ask everything to end and wait for it; nothing is called back any more."""
        self._stopped = True
        for task in list(self._running):
            task.cancel()
        self._pool.waitForDone(10_000)
