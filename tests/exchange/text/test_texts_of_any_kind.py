"""A known series written in any layout, order, zone, signs and shape comes back as it was, or is
asked about: nothing is wrong in silence."""

from __future__ import annotations

import gzip
from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from hypothesis import Phase, example, given, settings
from hypothesis import strategies as st

from gezeiten.exchange.text.form import ColumnMapping, TextForm
from gezeiten.exchange.text.proposal import Proposal, propose
from gezeiten.exchange.text.questions import FormatQuestion, apply_answer
from gezeiten.exchange.text.reading import read_text
from tests.examples import examples

COMBINATIONS = examples(200, 2_000)
PARTS = 10
GERMAN = (
    "Jan",
    "Feb",
    "März",
    "April",
    "Mai",
    "Juni",
    "Juli",
    "Aug.",
    "Sept.",
    "Okt.",
    "Nov.",
    "Dez.",
)
FRENCH = (
    "janv.",
    "févr.",
    "mars",
    "avril",
    "mai",
    "juin",
    "juil.",
    "août",
    "sept.",
    "oct.",
    "nov.",
    "déc.",
)
DAYS = ("Mo", "Di", "Mi", "Do", "Fr", "Sa", "So")
Layout = Callable[[datetime], list[str]]
LAYOUTS: tuple[Layout, ...] = (
    lambda t: [f"{t:%Y-%m-%d %H:%M:%S}"],
    lambda t: [f"{t:%Y/%m/%d}", f"{t:%H:%M}"],
    lambda t: [f"{t:%d.%m.%Y %H:%M}"],
    lambda t: [f"{t:%d/%m/%y}", f"{t:%H:%M:%S}"],
    lambda t: [f"{t:%m/%d/%Y %I:%M %p}"],
    lambda t: [f"{t:%Y%m%dT%H%M%S}"],
    lambda t: [f"{t.year}", f"{t.month}", f"{t.day}", f"{t.hour}", f"{t.minute}"],
    lambda t: [f"{t.year}", f"{t:%j}".lstrip("0"), f"{t.hour * 100 + t.minute}"],
    lambda t: [f"{t:%Y-%m-%d}", f"{t.hour * 100 + t.minute}"],
    lambda t: [f"{t.year}", f"{t.month}", f"{t.day}", f"{t:%H:%M}"],
    lambda t: [f"{t.year}", f"{t:%j}", f"{t:%H:%M:%S}"],
    lambda t: [f"{t.day}. {GERMAN[t.month - 1]} {t.year} {t:%H:%M}"],
    lambda t: [f"{t.day:02} {FRENCH[t.month - 1]} {t.year} {t:%H:%M}"],
    lambda t: [f"{t:%H:%M %d.%m.%Y}"],
    lambda t: [f"{DAYS[t.weekday()]}, {t:%d.%m.%Y %H:%M}"],
    lambda t: [f"{t:%Y-%m-%d %H:%M} – {t + timedelta(minutes=5):%Y-%m-%d %H:%M}"],
)
"""Times as a wall clock shows them, in one column or several."""
MARKS = ("", "NaN", "---", "-8888.8", "n/a")


@dataclass(frozen=True)
class Written:
    layout: Layout
    delimiter: str
    decimal: str
    has_head: bool
    is_newest_first: bool
    zone: str
    begin: datetime
    minutes: int
    ending: str
    encoding: str
    mark: str
    quoted: bool
    shape: str
    packed: bool
    with_notes: bool


WRITTEN = st.builds(
    Written,
    layout=st.sampled_from(LAYOUTS),
    delimiter=st.sampled_from([";", "\t", ",", "|"]),
    decimal=st.sampled_from([".", ","]),
    has_head=st.booleans(),
    is_newest_first=st.booleans(),
    zone=st.sampled_from(["UTC", "Europe/Berlin", "America/St_Johns", "Australia/Lord_Howe"]),
    begin=st.datetimes(datetime(1998, 1, 1), datetime(2030, 1, 1)).map(
        lambda t: t.replace(second=0, microsecond=0, tzinfo=UTC)
    ),
    minutes=st.sampled_from([10, 30, 60, 180]),
    ending=st.sampled_from(["\n", "\r\n", "\r"]),
    encoding=st.sampled_from(["utf-8", "utf-8-sig", "utf-16", "cp1252"]),
    mark=st.sampled_from(MARKS),
    quoted=st.booleans(),
    shape=st.sampled_from(["plain", "stations", "names", "blocks"]),
    packed=st.booleans(),
    with_notes=st.booleans(),
)
NO_VALUE_AFTER_WEEKDAY = Written(
    LAYOUTS[12],
    ",",
    ",",
    True,
    True,
    "Australia/Lord_Howe",
    datetime(2024, 5, 5, 23, 45, tzinfo=UTC),
    10,
    "\r",
    "cp1252",
    "-8888.8",
    True,
    "plain",
    True,
    False,
)
"""Its first line has no digit where most have one."""
IN_REPEATED_HOUR = Written(
    LAYOUTS[11],
    ",",
    ",",
    False,
    False,
    "Europe/Berlin",
    datetime(2001, 10, 28, 1, tzinfo=UTC),
    60,
    "\n",
    "utf-8",
    "n/a",
    True,
    "plain",
    False,
    False,
)
"""Its oldest line shows 02:00 for the second time."""
AT_REPEATED_HOUR = replace(
    IN_REPEATED_HOUR,
    layout=LAYOUTS[1],
    begin=datetime(2017, 10, 26, 12, 59, tzinfo=UTC),
    minutes=180,
    shape="stations",
)
"""Its newest line shows 02:59 for the first time."""
MISSING = (7, 19)
"""Which readings have no value."""
NAMES = {
    "stations": ("Siel", "Mole"),
    "names": ("Water level", "Air pressure"),
    "blocks": ("Siel", "Mole"),
    "plain": ("",),
}


def number_of(one: Written, i: int, which: int) -> str:
    if i in MISSING:
        return one.mark
    return f"{20 + 10 * which + i / 8:.3f}".replace(".", one.decimal)


def text_of(one: Written, moments: list[datetime]) -> str:
    """Write the series, and a second one where the shape has names for two."""
    order = list(enumerate(moments))
    if one.is_newest_first:
        order.reverse()

    def line(i: int, at: datetime, which: int) -> str:
        name = [NAMES[one.shape][which]] if one.shape in ("stations", "names") else []
        cells = [*name, *one.layout(at.astimezone(ZoneInfo(one.zone))), number_of(one, i, which)]
        return (
            one.delimiter.join(f'"{c}"' for c in cells) if one.quoted else one.delimiter.join(cells)
        )

    title = ["what"] if one.shape in ("stations", "names") else []
    clocks = one.layout(moments[0])
    words = [*title, *(f"t{i}" for i in range(len(clocks))), "value"]
    head = [one.delimiter.join(words)] if one.has_head else []
    if one.shape == "blocks":
        blocks = [
            [f"Station: {name}", *(line(i, at, which) for i, at in order), ""]
            for which, name in enumerate(NAMES["blocks"])
        ]
        return one.ending.join(["all gauges", *(text for block in blocks for text in block)])
    lines = [line(i, at, which) for i, at in order for which in range(len(NAMES[one.shape]))]
    if one.with_notes:
        lines.insert(len(lines) // 2, "# battery changed")
    return one.ending.join([*head, *lines, ""])


def instants(moments: list[datetime]) -> list[int]:
    return [round(moment.timestamp() * 1000) for moment in moments]


def choice_of(
    doubt: FormatQuestion, form: TextForm, one: Written, path: Path, ends: set[int]
) -> str:
    """Return what a person answers who knows what was written."""
    values = [value for value, _ in doubt.choices]
    if doubt.kind == "order":
        right = [
            value
            for value in values
            if ends <= set(times_of(path, apply_answer(form, doubt, value)))
        ]
        return right[0]
    if doubt.kind == "decimal":
        return one.decimal
    if doubt.kind == "zone":
        return one.zone
    return values[0]  # "no value" of marks, "the begin" of periods


def form_after(one: Written, proposal: Proposal, path: Path, ends: set[int]) -> TextForm:
    form = replace(proposal.form, time=replace(proposal.form.time, zone=one.zone))
    assert {doubt.kind for doubt in proposal.doubts} <= {
        "order",
        "zone",
        "decimal",
        "missing",
        "period",
    }
    for doubt in proposal.doubts:
        form = apply_answer(form, doubt, choice_of(doubt, form, one, path, ends))
    return form


@pytest.mark.parametrize("part", range(PARTS))
@settings(max_examples=COMBINATIONS // PARTS, phases=[Phase.explicit, Phase.generate])
@given(one=WRITTEN, many=st.integers(20, 30))
@example(one=NO_VALUE_AFTER_WEEKDAY, many=20)
@example(one=replace(NO_VALUE_AFTER_WEEKDAY, layout=LAYOUTS[3], mark="", has_head=False), many=20)
@example(one=replace(IN_REPEATED_HOUR, is_newest_first=False), many=20)
@example(one=replace(IN_REPEATED_HOUR, is_newest_first=True), many=20)
@example(one=replace(AT_REPEATED_HOUR, is_newest_first=False), many=21)
@example(one=replace(AT_REPEATED_HOUR, is_newest_first=True), many=21)
def test_what_was_written_comes_back(
    tmp_path_factory: pytest.TempPathFactory, part: int, one: Written, many: int
) -> None:
    if one.delimiter == one.decimal and not one.quoted:
        one = replace(one, decimal=".")
    path = tmp_path_factory.getbasetemp() / f"any-{part}.txt"
    moments = [one.begin + timedelta(minutes=one.minutes * i) for i in range(many)]
    data = text_of(one, moments).encode(one.encoding)
    path.write_bytes(gzip.compress(data) if one.packed else data)
    proposal = propose(path)
    series = instants(moments)
    form = form_after(one, proposal, path, {series[0], series[-1]})
    names = NAMES[one.shape]
    column = form.columns - 1
    ties = {tie.where: tie for tie in proposal.columns if tie.column == column}
    assert len(ties) == len(names), proposal
    for which, name in enumerate(names):
        where = next(w for w in ties if not name or name in dict(w).values())
        expected = {at: 20 + 10 * which + i / 8 for i, at in enumerate(series) if i not in MISSING}
        assert held(path, form, ties[where]) == expected


def held(path: Path, form: TextForm, mapping: ColumnMapping) -> dict[int, float]:
    rows = (mapping.where,) if mapping.where else ()
    found: dict[int, float] = {}
    for piece in read_text(path, form, (mapping.column,), rows=rows):
        its = piece.of(mapping.where)
        for at, value in zip(piece.times[its], piece.values[mapping.column][its], strict=True):
            if not np.isnan(value):
                assert int(at) not in found
                found[int(at)] = float(value)
    return found


def times_of(path: Path, form: TextForm) -> list[int]:
    pieces = read_text(path, form, (form.columns - 1,))
    return [int(at_ms) for piece in pieces for at_ms in piece.times]
