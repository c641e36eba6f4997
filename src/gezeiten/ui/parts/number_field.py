"""Numbers in text fields: written and read by the region in force, never guessed.

A field never shows a sign between thousands: "1,500" is fifteen hundred in one region and one and a
half in another. Where somebody types such a number, the field asks which is meant.
"""

from __future__ import annotations

import re

from PySide6.QtCore import QLocale
from PySide6.QtWidgets import QApplication, QLineEdit

from gezeiten.ui.format.i18n import tr
from gezeiten.ui.parts.field_error import FieldError

_IS_NUMBER = "holds a number"
_GROUPED = re.compile(r"[+\-−]?\d{1,3}([.,])\d{3}$")
"""One sign with three digits behind it: of thousands, or a decimal sign elsewhere."""
_MOST_DECIMALS = 6


def plain_number(value: float, decimals: int | None = None) -> str:
    """Return a number for a field, without signs between thousands.

    decimals: how many; None for as few as are exact, at most four.
    """
    if decimals is None:
        exact = (d for d in range(4) if round(value, d) == round(value, _MOST_DECIMALS))
        decimals = next(exact, 4)
    region = QLocale()
    region.setNumberOptions(QLocale.NumberOption.OmitGroupSeparator)
    return region.toString(float(value), "f", decimals)


def write_number(field: QLineEdit, value: float, decimals: int | None = None) -> None:
    """Show a number in a field; it follows a change of region."""
    field.setProperty(_IS_NUMBER, True)
    field.setText(plain_number(value, decimals))


def number_of(field: QLineEdit, what: str) -> float:
    """Return the number in a field, as the region in force writes numbers.

    Raises:
        FieldError: it is none, or can be read as two.
    """
    field.setProperty(_IS_NUMBER, True)
    text = field.text().strip()
    if _is_ambiguous(text, QLocale()):
        raise FieldError(field, _ambiguity_text(text))
    value, good = QLocale().toDouble(text)
    if not good:
        value, good = _english(text)
    if not good or value != value or abs(value) == float("inf"):
        shown = "".join(sign for sign in text[:30] if sign.isprintable())
        words = tr("“%1” is not a number; type %2 again.").replace("%1", shown)
        raise FieldError(field, words.replace("%2", what))
    return value


def _is_ambiguous(text: str, region: QLocale) -> bool:
    """Whether a number has the region's sign between thousands where others have a decimal one."""
    found = _GROUPED.match(text)
    return found is not None and found[1] == region.groupSeparator()


def _ambiguity_text(text: str) -> str:
    """Say how a number is to be typed that can be read in two ways."""
    digits = re.sub(r"[.,]", "", text)
    decimal = re.sub(r"[.,]", QLocale().decimalPoint(), text).rstrip("0")
    words = tr("“%1” can mean %2 or %3; type the one you mean.")
    decimal = decimal if decimal[-1:].isdigit() else f"{decimal}0"
    return words.replace("%1", text).replace("%2", digits).replace("%3", decimal)


def _english(text: str) -> tuple[float, bool]:
    """A decimal point is understood in every region."""
    try:
        return float(text), bool(text) and text.isascii() and "_" not in text
    except ValueError:
        return 0.0, False


def rewrite_numbers(before: QLocale, now: QLocale) -> None:
    """Write the numbers of all fields as the new region does; what is no number stays."""
    for widget in QApplication.allWidgets():
        if not isinstance(widget, QLineEdit) or not widget.property(_IS_NUMBER):
            continue
        text = widget.text().strip()
        if before.toDouble(text)[1] and not _is_ambiguous(text, before):
            shown = text.replace(before.groupSeparator(), "")
            widget.setText(shown.replace(before.decimalPoint(), now.decimalPoint()))
