"""The field for the few words that stand in the logbook beside what was said."""

from __future__ import annotations

from PySide6.QtWidgets import QLineEdit

from gezeiten.ui.format.i18n import tr

_MOST_SIGNS = 300


def reason_field() -> QLineEdit:
    """Return the field, empty."""
    words = QLineEdit()
    words.setAccessibleName(tr("Reason"))
    words.setPlaceholderText(tr("reason"))
    words.setMaxLength(_MOST_SIGNS)
    return words
