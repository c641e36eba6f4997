"""Work off the main thread: results, errors and progress come back by signals."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, QRunnable, Qt, QThreadPool, Signal

from gezeiten.errors import GezeitenError, bug

_AT_ONCE = 8
_WISHES_AT_ONCE = 2


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
            self._task.failed.emit(str(bug(exc)))
        else:
            self._task.done.emit(result)
        self._task.finished.emit()


class Works(QObject):
    """Starts work and remembers what runs; `idle` is emitted when the last has ended.

    Wishes (what to draw, what to check) have a name and threads of their own: of one name one
    runs and the newest waits, so that looking never takes a thread from an offload.
    """

    idle = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._pool, self._wish_pool = QThreadPool(), QThreadPool()
        # most work waits for lines and disks: a look at a silent port must not keep others waiting
        self._pool.setMaxThreadCount(_AT_ONCE)
        self._wish_pool.setMaxThreadCount(_WISHES_AT_ONCE)
        self._running: set[Task] = set()
        self._granted: dict[str, Task] = {}
        self._waiting: dict[str, tuple[Task, Callable[[Task], Any]]] = {}
        self._stopped = False

    def start(
        self,
        work: Callable[[Task], Any],
        done: Callable[[Any], None],
        failed: Callable[[str], None],
        progress: Callable[[Any], None] | None = None,
        wish: str = "",
    ) -> Task:
        """Run `work(task)` in a thread; the callbacks run in the main thread.

        wish: a name; a newer wish of that name replaces this one, whose result is then not shown.
        """
        task = Task()
        queued = Qt.ConnectionType.QueuedConnection
        task.done.connect(self._guarded(done, task, wish), queued)
        task.failed.connect(self._guarded(failed, task, wish), queued)
        if progress:
            task.progress.connect(self._guarded(progress, task, wish), queued)
        task.finished.connect(lambda: self._ended(task, wish), queued)
        self._running.add(task)
        if not wish:
            self._pool.start(_Job(task, work))
        elif wish in self._granted:
            self._granted[wish].cancel()
            replaced = self._waiting.pop(wish, None)
            if replaced:
                self._running.discard(replaced[0])
            self._waiting[wish] = (task, work)
        else:
            self._grant(wish, task, work)
        return task

    def _grant(self, wish: str, task: Task, work: Callable[[Task], Any]) -> None:
        self._granted[wish] = task
        self._wish_pool.start(_Job(task, work))

    def _guarded(
        self, callback: Callable[[Any], None], task: Task, wish: str
    ) -> Callable[[Any], None]:
        """What comes after the end is shown to nobody: the widgets may be gone by then. Nor is what
        a newer wish has replaced."""

        def guarded(value: Any) -> None:
            is_replaced = bool(wish) and (wish in self._waiting or task.cancelled())
            if not self._stopped and not is_replaced:
                callback(value)

        return guarded

    def _ended(self, task: Task, wish: str) -> None:
        self._running.discard(task)
        if wish:
            del self._granted[wish]
            newest = self._waiting.pop(wish, None)
            if newest and not self._stopped:
                self._grant(wish, *newest)
        if not self._running:
            self.idle.emit()

    @property
    def is_busy(self) -> bool:
        return bool(self._running)

    def cancel(self) -> None:
        """Ask everything to end; wishes that wait are dropped."""
        for task, _ in self._waiting.values():
            self._running.discard(task)
        self._waiting.clear()
        for task in list(self._running):
            task.cancel()

    def stop(self) -> None:
        """Ask everything to end and wait until it has; nothing is called back any more."""
        self._stopped = True
        self.cancel()
        for pool in (self._pool, self._wish_pool):
            pool.waitForDone()
