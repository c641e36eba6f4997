"""The actions of a dialog: off the main thread, one at a time, what is wrong is said in the
dialog."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from gezeiten.ui.shell.app_context import AppContext


class ActionRunner:
    """Does what a dialog asks; while one action runs, a second press is no press.

    complain: shows the sentence for an action that failed; what was typed stays.
    """

    def __init__(self, context: AppContext, complain: Callable[[str], None]) -> None:
        self._context, self._complain = context, complain
        self.is_busy = False

    def do(self, run: Callable[[], Any], done: Callable[[Any], None]) -> None:
        """Do it and call `done` with its result."""
        if self.is_busy:
            return
        self.is_busy = True

        def ended(then: Callable[[Any], None], told: object) -> None:
            self.is_busy = False
            then(told)

        self._context.run(
            lambda _task: run(),
            lambda result: ended(done, result),
            failed=lambda sentence: ended(self._complain, sentence),
        )
