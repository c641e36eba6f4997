"""How a text of readings is to be read: signs, columns, times. Plain data, kept as JSON.

Columns count from 0, lines from 1 as people count them.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass, field
from typing import Any

from gezeiten.errors import InputError

FIXED = "fixed"
SPACES = " "
ENCODINGS = ("utf-8", "utf-16-le", "utf-16-be", "cp1252")
USUAL_MISSING = (
    "", "NaN", "nan", "NAN", "NA", "N/A", "n/a", "#N/A", "null", "NULL", "None", "none", "-", "--",
    "---", "----", "*", "**", "***", "****", "-9999", "-9999.0", "-999.9", "-999",
)  # fmt: skip


EPOCH_FACTORS = {"epoch_s": 1000.0, "epoch_ms": 1.0, "epoch_us": 0.001}
"""Milliseconds in what is counted since 1970."""


@dataclass(frozen=True, slots=True)
class TimeForm:
    """Which columns make up the time, and how they are written.

    pattern: of the columns joined by one blank, in the signs of strptime; or one of
    `EPOCH_FACTORS`; or "day_1900", "day_1904" for days of a spreadsheet, by the year from which it
    counts; or "year" for decimal years. zone: IANA name, "UTC", or "" where it is not known yet; a
    text that carries its own offset (%z) needs none.
    """

    columns: tuple[int, ...]
    pattern: str
    zone: str = ""

    @property
    def is_epoch(self) -> bool:
        """Whether times are counted from 1970 on, which needs no zone."""
        return self.pattern.startswith("epoch")

    @property
    def needs_zone(self) -> bool:
        """Whether nothing in the text says the zone."""
        return not self.is_epoch and "%z" not in self.pattern


@dataclass(frozen=True, slots=True)
class ColumnTie:
    """Where one column belongs. quantity: key of a quantity; unit: as the text has it."""

    column: int
    quantity: str
    unit: str


@dataclass(frozen=True, slots=True)
class TextForm:
    """Everything needed to read a text.

    delimiter: one sign, SPACES (any number of them) or FIXED. widths: of fixed columns.
    first_line: where readings begin. header: words above the columns, () where there are none.
    columns: how many a whole line has.
    """

    encoding: str
    delimiter: str
    decimal: str
    first_line: int
    columns: int
    time: TimeForm
    header: tuple[str, ...] = ()
    units: tuple[str, ...] = ()
    widths: tuple[int, ...] = ()
    missing: tuple[str, ...] = USUAL_MISSING


@dataclass(frozen=True, slots=True)
class Tie:
    """A form, the point it belongs to and what its columns mean, under a name."""

    name: str
    point: str
    form: TextForm
    columns: tuple[ColumnTie, ...] = field(default=())

    def as_dict(self) -> dict[str, Any]:
        """Return it as JSON knows it."""
        return asdict(self)


def tie_from_dict(data: dict[str, Any]) -> Tie:
    """Return the tie of `Tie.as_dict` (or of JSON made from it).

    Raises:
        InputError: a field is missing or of another kind.
    """
    try:
        raw = dict(data["form"])
        time = dict(raw.pop("time"))
        when = TimeForm(tuple(int(c) for c in time["columns"]), str(time["pattern"]),
                        str(time["zone"]))  # fmt: skip
        raw["widths"] = tuple(int(width) for width in raw.get("widths", ()))
        for name in ("header", "units", "missing"):
            raw[name] = tuple(str(one) for one in raw.get(name, ()))
        form = TextForm(time=when, **raw)
        columns = tuple(
            ColumnTie(int(c["column"]), str(c["quantity"]), str(c["unit"])) for c in data["columns"]
        )
        return Tie(str(data["name"]), str(data["point"]), form, columns)
    except (KeyError, TypeError, ValueError) as exc:
        raise InputError(
            f"What was kept about this kind of text cannot be read ({exc}); tie it anew."
        ) from exc
