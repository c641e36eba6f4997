"""A field that holds what makes no sense."""

from __future__ import annotations

from PySide6.QtWidgets import QWidget

from gezeiten.errors import InputError


class FieldError(InputError):
    """A field holds what makes no sense; `widget` is marked."""

    def __init__(self, widget: QWidget, sentence: str) -> None:
        super().__init__(sentence)
        self.widget = widget


def mark(widget: QWidget, *, wrong: bool) -> None:
    """Frame a field whose content makes no sense."""
    if bool(widget.property("wrong")) != wrong:
        widget.setProperty("wrong", wrong)
        widget.style().unpolish(widget)
        widget.style().polish(widget)
