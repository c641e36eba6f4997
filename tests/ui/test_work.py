"""Work off the main thread: what comes back, what does not, and where rubbish dies."""

from __future__ import annotations

import gc
import threading
from collections.abc import Iterator
from pathlib import Path

import pytest
from pytestqt.qtbot import QtBot

from gezeiten.desk.open_workspace import open_workspace
from gezeiten.errors import InputError
from gezeiten.ui.shell.app import application
from gezeiten.ui.shell.app_context import AppContext
from gezeiten.ui.work.work_queue import Task, WorkQueue
from tests.ui_help import PATIENCE_MS


@pytest.fixture
def works(qtbot: QtBot) -> Iterator[WorkQueue]:
    work_queue = WorkQueue()
    yield work_queue
    work_queue.stop()


def test_work_runs_elsewhere_and_answers_here(works: WorkQueue, qtbot: QtBot) -> None:
    seen: list[object] = []

    def work(task: Task) -> threading.Thread:
        task.report(7)
        return threading.current_thread()

    with qtbot.waitSignal(works.idle, timeout=PATIENCE_MS):
        works.start(work, seen.append, seen.append, seen.append)
    assert seen[0] == 7
    assert seen[1] is not threading.main_thread()


@pytest.mark.parametrize(
    ("error", "words"),
    [
        (InputError("Choose a cause first."), "Choose a cause first."),
        (
            ZeroDivisionError("x"),
            "Internal error (ZeroDivisionError: x); please report it. Everything "
            "saved before is safe.",
        ),
    ],
)
def test_errors_in_work_come_back_as_one_sentence(
    works: WorkQueue, qtbot: QtBot, error: Exception, words: str
) -> None:
    said: list[str] = []

    def fail(_task: Task) -> None:
        raise error

    with qtbot.waitSignal(works.idle, timeout=PATIENCE_MS):
        works.start(fail, said.append, said.append)
    assert said == [words]


def test_what_comes_after_the_end_is_shown_to_nobody(works: WorkQueue, qtbot: QtBot) -> None:
    shown: list[str] = []
    begun = threading.Event()

    def work(task: Task) -> str:
        begun.set()
        while not task.cancelled():
            begun.wait(0.001)
        task.report("late")
        return "later"

    with qtbot.waitSignal(works.idle, timeout=PATIENCE_MS):
        works.start(work, shown.append, shown.append, shown.append)
        assert begun.wait(10)
        works.stop()  # waits for the work, whose results are still on their way
    assert shown == []


def test_a_result_that_a_newer_wish_replaced_is_not_shown(qtbot: QtBot, tmp_path: Path) -> None:
    desk = open_workspace(tmp_path)
    context = AppContext(desk)
    shown: list[str] = []
    newer_was_asked = threading.Event()

    def slow(_task: Task) -> str:
        newer_was_asked.wait(10)
        return "old"

    with qtbot.waitSignal(context.works.idle, timeout=20_000):
        context.run(slow, shown.append, latest="x")
        context.run(lambda _task: "new", shown.append, latest="x")
        context.run(lambda _task: "other", shown.append, latest="y")
        newer_was_asked.set()
    assert sorted(shown) == ["new", "other"]
    desk.close()


def test_cancelling_reaches_the_work(works: WorkQueue, qtbot: QtBot) -> None:
    ended: list[str] = []
    ready = threading.Event()

    def wait(task: Task) -> str:
        ready.set()
        while not task.cancelled():
            pass
        return "stopped"

    with qtbot.waitSignal(works.idle, timeout=PATIENCE_MS):
        task = works.start(wait, ended.append, ended.append)
        ready.wait(5)
        task.cancel()
    assert ended == ["stopped"]


class Knot:
    """A knot that only the collector undoes; remembers in which threads knots died."""

    died_in: list[threading.Thread]

    def __init__(self) -> None:
        self.me = self

    def __del__(self) -> None:
        Knot.died_in.append(threading.current_thread())


def test_rubbish_dies_in_the_main_thread_even_if_a_worker_makes_it(
    works: WorkQueue, qtbot: QtBot
) -> None:
    application()
    Knot.died_in = []

    def tie(_task: Task) -> int:
        for _ in range(5 * gc.get_threshold()[0]):
            Knot()
        return len(Knot.died_in)

    dead: list[int] = []
    with qtbot.waitSignal(works.idle, timeout=PATIENCE_MS):
        works.start(tie, dead.append, pytest.fail)
    assert dead == [0]  # Python itself would have collected five times in that thread
    qtbot.waitUntil(lambda: len(Knot.died_in) >= 5 * gc.get_threshold()[0], timeout=PATIENCE_MS)
    assert set(Knot.died_in) == {threading.main_thread()}
