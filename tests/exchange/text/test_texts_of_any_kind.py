"""A known series written in any layout, order, zone and signs comes back as it was, or is asked
about: nothing is wrong in silence."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from hypothesis import Phase, given, settings
from hypothesis import strategies as st

from gezeiten.exchange.text.form import TextForm
from gezeiten.exchange.text.proposing import propose
from gezeiten.exchange.text.reading import read_text

GERMAN = ("Jan", "Feb", "März", "April", "Mai", "Juni", "Juli", "Aug.", "Sept.", "Okt.", "Nov.",
          "Dez.")  # fmt: skip
FRENCH = ("janv.", "févr.", "mars", "avril", "mai", "juin", "juil.", "août", "sept.", "oct.",
          "nov.", "déc.")  # fmt: skip
LAYOUTS: tuple[Callable[[datetime], list[str]], ...] = (
    lambda t: [f"{t:%Y-%m-%d %H:%M:%S}"],
    lambda t: [f"{t:%Y/%m/%d}", f"{t:%H:%M}"],
    lambda t: [f"{t:%d.%m.%Y %H:%M}"],
    lambda t: [f"{t:%d/%m/%y}", f"{t:%H:%M:%S}"],
    lambda t: [f"{t:%m/%d/%Y %I:%M %p}"],
    lambda t: [f"{t:%Y%m%dT%H%M%S}"],
    lambda t: [f"{t.year}", f"{t.month}", f"{t.day}", f"{t.hour}", f"{t.minute}"],
    lambda t: [f"{t.year}", f"{t:%j}".lstrip("0"), f"{t.hour * 100 + t.minute}"],
    lambda t: [f"{t:%Y-%m-%d}", f"{t.hour * 100 + t.minute}"],
    lambda t: [f"{t.day}. {GERMAN[t.month - 1]} {t.year} {t:%H:%M}"],
    lambda t: [f"{t.day:02} {FRENCH[t.month - 1]} {t.year} {t:%H:%M}"],
    lambda t: [f"{t:%H:%M %d.%m.%Y}"],
)
"""Times as a wall clock shows them, in one column or several."""


@dataclass(frozen=True)
class Written:
    layout: Callable[[datetime], list[str]]
    delimiter: str
    decimal: str
    has_head: bool
    is_newest_first: bool
    zone: str
    begin: datetime
    minutes: int
    ending: str


WRITTEN = st.builds(
    Written,
    layout=st.sampled_from(LAYOUTS), delimiter=st.sampled_from([";", "\t", ","]),
    decimal=st.sampled_from([".", ","]), has_head=st.booleans(), is_newest_first=st.booleans(),
    zone=st.sampled_from(["UTC", "Europe/Berlin", "America/St_Johns", "Australia/Lord_Howe"]),
    begin=st.datetimes(datetime(1998, 1, 1), datetime(2030, 1, 1)).map(
        lambda t: t.replace(second=0, microsecond=0, tzinfo=UTC)),
    minutes=st.sampled_from([10, 30, 60, 180]), ending=st.sampled_from(["\n", "\r\n"]),
)  # fmt: skip


def text_of(one: Written, moments: list[datetime]) -> str:
    lines = []
    for i, moment in enumerate(moments):
        number = f"{20 + i / 8:.3f}".replace(".", one.decimal)
        cells = [*one.layout(moment.astimezone(ZoneInfo(one.zone))), number]
        lines.append(one.delimiter.join(cells))
    if one.is_newest_first:
        lines.reverse()
    head = one.delimiter.join([*(f"t{i}" for i in range(lines[0].count(one.delimiter))), "value"])
    return one.ending.join([*([head] if one.has_head else []), *lines, ""])


@settings(max_examples=300, phases=[Phase.explicit, Phase.generate])
@given(WRITTEN, st.integers(40, 90))
def test_what_was_written_comes_back(
    tmp_path_factory: pytest.TempPathFactory, one: Written, many: int
) -> None:
    if one.delimiter == one.decimal:
        one = replace(one, decimal=".")
    path = tmp_path_factory.getbasetemp() / "any.txt"
    moments = [one.begin + timedelta(minutes=one.minutes * i) for i in range(many)]
    path.write_bytes(text_of(one, moments).encode())
    proposal = propose(path)
    form: TextForm = replace(
        proposal.form, time=replace(proposal.form.time, zone=one.zone), decimal=one.decimal
    )
    by_kind = {doubt.kind: doubt for doubt in proposal.doubts}
    assert "time" not in by_kind, proposal
    if "order" in by_kind:  # a person knows which day is meant
        forms = [replace(form, time=replace(form.time, pattern=value))
                 for value, _ in by_kind["order"].choices]  # fmt: skip
        ends = {round(moments[i].timestamp() * 1000) for i in (0, -1)}
        [form] = [one for one in forms if ends <= set(times_of(path, one))]
    column = form.columns - 1
    pieces = list(read_text(path, form, (column,)))
    assert [line for piece in pieces for line in piece.rejected] == []
    times = np.concatenate([piece.times for piece in pieces])
    values = np.concatenate([piece.values[column] for piece in pieces])
    order = slice(None, None, -1 if one.is_newest_first else 1)
    assert times[order].tolist() == [round(m.timestamp() * 1000) for m in moments]
    assert values[order].tolist() == [20 + i / 8 for i in range(many)]


def times_of(path: Path, form: TextForm) -> list[int]:
    pieces = read_text(path, form, (form.columns - 1,))
    return [int(at_ms) for piece in pieces for at_ms in piece.times]
