"""Cells of a text made numbers: signs between thousands, decimal signs, what is glued to them."""

from __future__ import annotations

import math
import re
from collections.abc import Iterable
from dataclasses import replace
from typing import TypeAlias

import numpy as np
import polars as pl
from numpy.typing import NDArray

from gezeiten.domain.series.timeline import Values
from gezeiten.exchange.text.form import USUAL_MISSING, TextForm

Marks: TypeAlias = NDArray[np.bool_]
_NO_BREAK = ("\u00a0", "\u202f")
"""Blanks that some programs write between thousands."""


class NumberReader:
    """Reads the cells of one form."""

    def __init__(self, form: TextForm, version: int) -> None:
        self._form, self._version = form, version
        self._missing = [mark for mark in form.missing if mark]
        self._missing_numbers = missing_numbers(self._missing, form) if version > 3 else []

    @property
    def is_plain(self) -> bool:
        """Whether numbers are written as everybody's reader understands them."""
        form = self._form
        return form.decimal == "." and not form.thousands and not form.glued

    def strict(self, text: pl.Series) -> Values:
        """Return the numbers of cells, float64 (n,), NaN where null or missing.

        Raises:
            polars.exceptions.PolarsError: a cell is none.
        """
        if text.dtype == pl.String:
            if self._version > 3:
                text = text.str.strip_chars()
            if self._version > 3 or not self.is_plain:
                # a mark for no value may not look like a number of this form
                text = text.set(text.is_in([*self._missing, ""]), None)
            text = self._bare(text).cast(pl.Float64, strict=True)
        return self._without_marks(text.fill_null(float("nan")).to_numpy())

    def cells(self, text: pl.Series) -> tuple[Values, Marks]:
        """Return the numbers of cells, float64 (n,), NaN where missing, and where a cell is none,
        bool (n,)."""
        text = text.str.strip_chars()
        is_missing = (text.is_null() | text.is_in([*self._missing, ""])).to_numpy()
        number = self._bare(text).cast(pl.Float64, strict=False).fill_null(float("nan"))
        values = number.to_numpy().copy()
        values[is_missing | np.isinf(values)] = np.nan
        unreadable = np.isnan(values) & ~is_missing
        return self._without_marks(values), unreadable

    def _without_marks(self, values: Values) -> Values:
        """Return numbers without those that are marks for no value: -9999 is one however many
        blanks, zeros or decimals it is written with."""
        if not self._missing_numbers:
            return values
        marked = np.isin(values, self._missing_numbers)
        return np.where(marked, np.nan, values) if marked.any() else values

    def _bare(self, text: pl.Series) -> pl.Series:
        """Return cells as a number is written in English."""
        form = self._form
        if self._version < 3:
            if form.decimal == ",":
                text = text.str.replace_all(".", "", literal=True)
                text = text.str.replace(",", ".", literal=True)
            return text.str.strip_chars()
        text = text.str.strip_chars()
        if form.glued:
            text = text.str.replace(_with_prefix(form.glued), "")
            text = text.str.replace(_with_suffix(form.glued), "")
        if form.thousands:
            text = _without_thousands(text, form.thousands, form.decimal)
        if form.decimal == ",":
            text = text.str.replace(",", ".", literal=True)
        return text.str.replace("−", "-", literal=True)


def missing_numbers(marks: Iterable[str], form: TextForm) -> list[float]:
    """Return the marks for no value that are numbers, as numbers."""
    english = replace(form, decimal=".", thousands="")
    found = (number_of(mark, english if mark in USUAL_MISSING else form) for mark in marks)
    return [value for value in found if value is not None]


def number_of(cell: str, form: TextForm) -> float | None:
    """Return the number that a cell holds as this text writes numbers, None where it holds none."""
    bare = cell.strip().replace("−", "-")
    if form.thousands:
        bare = bare.replace(form.thousands, "")
    try:
        value = float(bare.replace(form.decimal, "."))
    except ValueError:
        return None
    return value if math.isfinite(value) else None


def _with_prefix(glued: tuple[str, ...]) -> str:
    return rf"^(?:{_any_of(glued)})\s*"


def _with_suffix(glued: tuple[str, ...]) -> str:
    return rf"\s*(?:{_any_of(glued)})$"


def _any_of(words: tuple[str, ...]) -> str:
    return "|".join(re.escape(word) for word in sorted(words, key=len, reverse=True))


def _without_thousands(text: pl.Series, sign: str, decimal: str) -> pl.Series:
    """Return numbers without the signs between thousands; those where a sign stands elsewhere are
    left as they are, so that they are no numbers."""
    if sign == " ":
        for other in _NO_BREAK:
            text = text.str.replace_all(other, " ", literal=True)
    mark, point = re.escape(sign), re.escape(decimal)
    is_grouped = text.str.contains(rf"^[+−-]?\d{{1,3}}(?:{mark}\d{{3}})+(?:{point}\d*)?$")
    bare = text.str.replace_all(sign, "", literal=True)
    wrong = text.str.contains(sign, literal=True) & ~is_grouped
    shown = text.set(is_grouped.fill_null(False), None)
    if sign == ".":  # what has one elsewhere would look like a number of another kind
        shown = shown.set(wrong.fill_null(False), "?")
    frame = pl.DataFrame({"shown": shown, "bare": bare, "grouped": is_grouped})
    return frame.select(pl.when("grouped").then("bare").otherwise("shown"))["bare"]
