"""How a text of readings is to be read: signs, columns, times. Plain data, kept as JSON.

Columns count from 0, lines from 1 as people count them.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass, field, replace
from typing import Any, TypeAlias

from gezeiten.domain.base.untrusted import WholeNumber, validated
from gezeiten.errors import InputError

FIXED = "fixed"
SPACES = " "
MIXED = "mix"
"""Between columns stands now one sign, now another, with or without blanks."""
USUAL_MISSING = (
    "",
    "NaN",
    "nan",
    "NAN",
    "NA",
    "N/A",
    "n/a",
    "#N/A",
    "null",
    "NULL",
    "None",
    "none",
    "-",
    "--",
    "---",
    "----",
    "*",
    "**",
    "***",
    "****",
    "-9999",
    "-9999.0",
    "-999.9",
    "-999",
    "-99999",
)


EPOCH_FACTORS = {"epoch_s": 1000.0, "epoch_ms": 1.0, "epoch_us": 0.001}
"""Milliseconds in what is counted since 1970."""
COUNT_FACTORS = {"ms": 1.0, "s": 1000.0, "min": 60_000.0, "h": 3_600_000.0, "d": 86_400_000.0}
"""Milliseconds in what is counted from a start."""


Opening: TypeAlias = tuple[tuple[str, str], ...]
"""How to come from a file to its lines: ("gz", ""), ("zip", member), ("sheet", its name) and the
ways below with "", the outer one first; () where the file is the text itself."""
OBJECTS = "objects"
"""Objects of JSON become lines."""
ACROSS, QUOTED, COMMAS, PLAIN = "across", "quoted", "commas", "plain"
"""Hours across become lines; cells in quotes lose their line breaks; numbers that commas cut in two
are joined; lines stay as they are although they could become others."""
ARRANGED = (ACROSS, QUOTED, COMMAS)
Where: TypeAlias = tuple[tuple[WholeNumber, str], ...]
"""Of which lines something is: in these columns they say these words; () of all."""


@dataclass(frozen=True, slots=True)
class LineContext:
    """What holds for many lines and stands in none of them, read as one more column behind those
    of the text.

    kind: "line", a line of its own from which on it holds; "head", in the head; "name", in the name
    of the file; "said", by a person. shape: a regular expression with one group, by which it is
    found. text: what it says in this file, "" for "line".
    """

    kind: str
    shape: str = ""
    text: str = ""


@dataclass(frozen=True, slots=True)
class Flags:
    """A column of flags beside columns of values. none: those with which a value is none; suspect:
    those with which one is suspect; good: those that are known to be at good ones; others are asked
    about."""

    column: WholeNumber
    of: tuple[WholeNumber, ...]
    none: tuple[str, ...] = ()
    good: tuple[str, ...] = ()
    suspect: tuple[str, ...] = ()

    @property
    def known_flags(self) -> tuple[str, ...]:
        """The flags that are known."""
        return (*self.none, *self.good, *self.suspect)


@dataclass(frozen=True, slots=True)
class TimeForm:
    """Which columns make up the time, and how they are written.

    pattern: of the columns joined by one blank, in the signs of strptime; or one of
    `EPOCH_FACTORS`; or "day_1900", "day_1904" for days of a spreadsheet, by the year from which it
    counts; or "year" for decimal years; or that of a start with " +" and one of `COUNT_FACTORS`
    behind it, for what a second column counts from there. zone: IANA name, "UTC", or "" where it is
    not known yet; a text that carries its own offset (%z) or the short name of its zone (%Z) needs
    none. period: "begin" or "end" where a cell holds both; else "". rolls: "day" where only the
    clock goes on after a date that is said once, "year" where the year is. fills: columns whose
    empty cells mean what stands above them.
    """

    columns: tuple[WholeNumber, ...]
    pattern: str
    zone: str = ""
    period: str = ""
    rolls: str = ""
    fills: tuple[WholeNumber, ...] = ()

    @property
    def is_epoch(self) -> bool:
        """Whether times are counted from 1970 on, which needs no zone."""
        return self.pattern.startswith("epoch")

    @property
    def needs_zone(self) -> bool:
        """Whether nothing in the text says the zone."""
        return not self.is_epoch and "%z" not in self.pattern and "%Z" not in self.pattern


@dataclass(frozen=True, slots=True)
class AcceptedAnswer:
    """What somebody saw in a column and said about it: it is asked again only where a file holds
    something else. kind: "value" (numbers far from all others that are values), "range" (the lowest
    and the highest that are values although they lie beyond what can be), "constant" (the one value
    of a column), "words" (what a column says besides), "future" (the last instant, as ISO 8601 has
    it in UTC). where: of which lines."""

    kind: str
    column: WholeNumber
    values: tuple[str, ...]
    where: Where = ()


@dataclass(frozen=True, slots=True)
class ColumnMapping:
    """Where one column belongs, or those of its cells whose lines are of `where`. quantity: key of
    a quantity; unit: as the text has it; point: "" where it is that of the tie; label: tells it
    from others of its quantity at its point."""

    column: WholeNumber
    quantity: str
    unit: str
    where: Where = ()
    point: str = ""
    label: str = ""


@dataclass(frozen=True, slots=True)
class TextForm:
    """Everything needed to read a text.

    delimiter: one sign, SPACES (any number of them) or FIXED. widths: of fixed columns.
    first_line: where readings begin. header: words above the columns, () where there are none.
    columns: how many a whole line has, without those that stand `beside`. thousands: the sign
    between them, "" for none. glued: what may stand right before or behind a number and is no part
    of it. ragged: whether lines may lack columns at their end. accepted: what was answered about
    its values.
    """

    encoding: str
    delimiter: str
    decimal: str
    first_line: WholeNumber
    columns: WholeNumber
    time: TimeForm
    header: tuple[str, ...] = ()
    units: tuple[str, ...] = ()
    widths: tuple[WholeNumber, ...] = ()
    missing: tuple[str, ...] = USUAL_MISSING
    opening: Opening = ()
    beside: tuple[LineContext, ...] = ()
    thousands: str = ""
    glued: tuple[str, ...] = ()
    flags: tuple[Flags, ...] = ()
    ragged: bool = False
    accepted: tuple[AcceptedAnswer, ...] = ()

    def accepted_values(self, kind: str, column: int, where: Where = ()) -> set[str]:
        """Return what was accepted of a column."""
        return {
            value
            for one in self.accepted
            if (one.kind, one.column, one.where) == (kind, column, where)
            for value in one.values
        }

    @property
    def follows_lines(self) -> bool:
        """Whether lines of their own say something of those after them."""
        return any(one.kind == "line" for one in self.beside)


@dataclass(frozen=True, slots=True)
class ImportTemplate:
    """A form, the point it belongs to and what its columns mean, under a name."""

    name: str
    point: str
    form: TextForm
    columns: tuple[ColumnMapping, ...] = field(default=())

    def as_dict(self) -> dict[str, Any]:
        """Return it as JSON knows it; what came into forms later is left out where it is empty."""
        content = asdict(self)
        if not content["form"]["accepted"]:
            del content["form"]["accepted"]
        if not content["form"]["time"]["fills"]:
            del content["form"]["time"]["fills"]
        return content


def wheres(columns: tuple[ColumnMapping, ...]) -> tuple[Where, ...]:
    """Return of which lines columns are wanted, () for all."""
    found = tuple(dict.fromkeys(column.where for column in columns))
    return found if any(found) else ()


def split_by_source(template: ImportTemplate) -> list[ImportTemplate]:
    """Return a tie for each source of a text: one for each point and label that its columns have.

    Columns of one part have neither; the label stands in the part's name, as what tells it apart.
    """
    found: dict[tuple[str, str], list[ColumnMapping]] = {}
    for column in template.columns:
        key = (column.point.strip() or template.point.strip(), column.label.strip())
        found.setdefault(key, []).append(replace(column, point="", label=""))
    return [
        replace(
            template,
            name=f"{template.name.strip()} · {label}" if label else template.name.strip(),
            point=point,
            columns=tuple(columns),
        )
        for (point, label), columns in found.items()
    ]


def template_from_dict(data: dict[str, Any]) -> ImportTemplate:
    """Return the template of `ImportTemplate.as_dict` (or of JSON made from it, also from before
    some fields).

    Raises:
        InputError: a field is missing or of another kind.
    """
    try:
        form = dict(data["form"])
        # a comma as decimal sign let points be those of thousands, before it was said
        older = {"missing": (), "thousands": "." if form["decimal"] == "," else ""}
        return validated({**data, "form": {**older, **form}}, ImportTemplate)
    except (KeyError, TypeError, ValueError) as exc:
        raise InputError(f"The import template cannot be read ({exc}); create it again.") from exc
