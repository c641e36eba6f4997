"""Where the focus was when an action began: it is given back when the action has ended."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QApplication, QWidget


class FocusMemory:
    """Remembers a widget within a place."""

    def __init__(
        self, place: QWidget, home: QWidget, passing: Callable[[], QWidget | None]
    ) -> None:
        """home: where the focus goes when the widget is no longer in sight. passing: one that it is
        never given back to."""
        self._place, self._home, self._passing = place, home, passing
        self._there: QWidget | None = None

    def remember(self) -> None:
        """Remember where the focus is now."""
        there = QApplication.focusWidget()
        if there is not None and self._place.isAncestorOf(there) and there is not self._passing():
            self._there = there

    def restore(self) -> None:
        """Put the focus where it was, or home where that is no longer in sight."""
        there, self._there = self._there, None
        now = QApplication.focusWidget()
        has_moved = now is not None and now.window() is not self._place.window()
        if has_moved or not self._place.isVisible():
            return  # in a dialog, or at another place
        if there is not None and there.isVisible() and there.isEnabled():
            there.setFocus()
        else:
            self._home.setFocus()
