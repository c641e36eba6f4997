"""Work off the main thread: results, errors and progress come back to it.

What a worker holds at its end decides in which thread Qt objects die; so a task is no Qt object,
and a worker has let go of its work before the main thread, which holds it too, hears of the end.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import QObject, QRunnable, Qt, QThreadPool, Signal, Slot

from gezeiten.errors import GezeitenError, bug

_AT_ONCE = 8
_WISHES_AT_ONCE = 2
_DONE, _FAILED, _PROGRESS, _ENDED = "done", "failed", "progress", "ended"


class Task:
    """One piece of work, as the work itself sees it."""

    def __init__(self, report: Callable[[object], None]) -> None:
        """Begin a task; report: how its progress gets to whoever asked for it."""
        self._cancel = threading.Event()
        self._tell = report

    def cancel(self) -> None:
        """Ask the work to end."""
        self._cancel.set()

    def cancelled(self) -> bool:
        """Whether the work was asked to end."""
        return self._cancel.is_set()

    def report(self, progress: object) -> None:
        """Say how far the work is; heard in the main thread."""
        self._tell((self, _PROGRESS, progress))


@dataclass(frozen=True, slots=True)
class _Order:
    """What is to be done, and who hears of it."""

    work: Callable[[Task], Any]
    handlers: dict[str, Callable[[Any], None]]
    wish: str


class _Job(QRunnable):
    def __init__(self, works: WorkQueue, task: Task, work: Callable[[Task], Any]) -> None:
        super().__init__()
        self._works, self._task = works, task
        self._work: Callable[[Task], Any] | None = work

    def run(self) -> None:
        """Do the work in the thread this is called in."""
        kind, value = self._outcome()
        self._work = None
        self._works.came.emit((self._task, kind, value))
        self._works.came.emit((self._task, _ENDED, None))

    def _outcome(self) -> tuple[str, Any]:
        assert self._work is not None
        try:
            return _DONE, self._work(self._task)
        except GezeitenError as exc:
            return _FAILED, str(exc)
        except Exception as exc:  # noqa: BLE001 - nothing may end the window silently
            return _FAILED, str(bug(exc))


class WorkQueue(QObject):
    """Starts work and remembers what runs; `idle` is emitted when the last has ended.

    Wishes (what to draw, what to check) have a name and threads of their own: of one name one
    runs and the newest waits, so that looking never takes a thread from an offload.
    """

    idle = Signal()
    came = Signal(object)
    """From the workers: (task, kind, value)."""

    def __init__(self) -> None:
        super().__init__()
        self._pool, self._wish_pool = QThreadPool(), QThreadPool()
        # most work waits for lines and disks: a look at a silent port must not keep others waiting
        self._pool.setMaxThreadCount(_AT_ONCE)
        self._wish_pool.setMaxThreadCount(_WISHES_AT_ONCE)
        self._orders: dict[Task, _Order] = {}
        self._granted: dict[str, Task] = {}
        self._waiting: dict[str, Task] = {}
        self._stopped = False
        self.came.connect(self._forward_news, Qt.ConnectionType.QueuedConnection)

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
        task = Task(self.came.emit)
        heard: dict[str, Callable[[Any], None]] = {_DONE: done, _FAILED: failed}
        if progress:
            heard[_PROGRESS] = progress
        self._orders[task] = _Order(work, heard, wish)
        if not wish:
            self._pool.start(_Job(self, task, work))
        elif wish in self._granted:
            self._granted[wish].cancel()
            replaced = self._waiting.pop(wish, None)
            if replaced:
                del self._orders[replaced]
            self._waiting[wish] = task
        else:
            self._grant(wish, task)
        return task

    def _grant(self, wish: str, task: Task) -> None:
        self._granted[wish] = task
        self._wish_pool.start(_Job(self, task, self._orders[task].work))

    @Slot(object)
    def _forward_news(self, news: tuple[Task, str, Any]) -> None:
        """Hand on what came from a worker. What comes after the end is shown to nobody: the widgets
        may be gone by then. Nor is what a newer wish has replaced."""
        task, kind, value = news
        order = self._orders[task]
        if kind == _ENDED:
            self._ended(task, order.wish)
            return
        is_replaced = bool(order.wish) and (order.wish in self._waiting or task.cancelled())
        if kind in order.handlers and not self._stopped and not is_replaced:
            order.handlers[kind](value)

    def _ended(self, task: Task, wish: str) -> None:
        del self._orders[task]
        if wish:
            del self._granted[wish]
            newest = self._waiting.pop(wish, None)
            if newest and not self._stopped:
                self._grant(wish, newest)
        if not self._orders:
            self.idle.emit()

    @property
    def is_busy(self) -> bool:
        """Whether anything runs, or waits to."""
        return bool(self._orders)

    def cancel(self) -> None:
        """Ask everything to end; wishes that wait are dropped."""
        for task in self._waiting.values():
            del self._orders[task]
        self._waiting.clear()
        for task in list(self._orders):
            task.cancel()

    def stop(self) -> None:
        """Ask everything to end and wait until it has; nothing is called back any more."""
        self._stopped = True
        self.cancel()
        for pool in (self._pool, self._wish_pool):
            pool.waitForDone()
