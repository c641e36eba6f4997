"""What a text alone does not tell: questions, and what their answers change."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace

from gezeiten.exchange.text.form import (
    AcceptedAnswer,
    Flags,
    LineContext,
    TextForm,
    TimeForm,
    Where,
)
from gezeiten.exchange.text.times.moments import as_start, iso_day

KINDS = (
    "inside",
    "kind",
    "time",
    "columns",
    "order",
    "period",
    "start",
    "date",
    "year",
    "zone",
    "decimal",
    "names",
    "words",
    "glued",
    "missing",
    "flags",
    "suspects",
    "far",
    "range",
    "constant",
    "future",
)
"""In the order in which they are asked: what is asked later may hang on what was before."""
TYPED = ("start", "date", "year", "zone")
"""These may be answered by something typed as well."""


@dataclass(frozen=True, slots=True)
class FormatQuestion:
    """A question that the text alone does not answer. kind: one of `KINDS`.

    choices: (value, how people say it). value is a pattern for "order", columns for "period" (see
    `period_value`), columns and a pattern for "columns" (see `columns_value`), a sign for
    "decimal", marks with line breaks between them for "missing" and "glued", flags so for "flags"
    and "suspects", the name of a kept tie for "kind"; `NO_VALUE`, `A_VALUE` or `NOTHING` for what
    is asked once all lines are read. many: several may be chosen. about: a column. of: the columns
    of which flags speak. where: of which lines. seen: what the question is about, as numbers or
    words of the text.
    """

    kind: str
    question: str
    choices: tuple[tuple[str, str], ...] = ()
    many: bool = False
    about: int = -1
    of: tuple[int, ...] = ()
    where: Where = ()
    seen: tuple[str, ...] = ()


def period_value(part: str, columns: tuple[int, ...]) -> str:
    """Return what stands for an answer to "period". part: "begin", "end", or "" where a column is
    chosen; columns: of the time."""
    return f"{part}:{','.join(map(str, columns))}"


NO_VALUE, A_VALUE, NOTHING, STATIONS, ADD = "no value", "value", "nothing", "stations", "add"
"""Answers: the numbers that were seen mean no value; they are values; the words say nothing of the
values; they name stations; the lines of a new name are imported."""


def columns_value(columns: tuple[int, ...], pattern: str) -> str:
    """Return what stands for an answer to "columns": which columns are the time, written how."""
    return f"{','.join(map(str, columns))}|{pattern}"


def apply_answer(form: TextForm, doubt: FormatQuestion, value: str) -> TextForm:
    """Return a form once a question is answered; "kind" and "inside" change more than a form."""
    time, marks = form.time, tuple(one for one in value.split("\n") if one)
    if doubt.kind == "order":
        return replace(form, time=replace(time, pattern=value))
    if doubt.kind == "columns":
        numbers, _, pattern = value.partition("|")
        selected = tuple(int(one) for one in numbers.split(","))
        return replace(form, time=replace(time, columns=selected, pattern=pattern))
    if doubt.kind == "period":
        part, _, columns = value.partition(":")
        selected = tuple(int(one) for one in columns.split(","))
        return replace(form, time=replace(time, columns=selected, period=part))
    if doubt.kind == "date":
        value, time = _as_iso(value, time)
        form = replace(form, time=time)
    if doubt.kind == "start" and not value.startswith(("head:", "name:")):
        value = as_start(value)
    if doubt.kind in ("start", "date", "year"):
        beside = tuple(
            _context_of(one, value) if not one.text and one.kind != "line" else one
            for one in form.beside
        )
        return replace(form, beside=beside)
    if doubt.kind == "zone":
        return replace(form, time=replace(time, zone=value))
    if doubt.kind == "decimal":
        other = "." if value == "," else ","
        is_thousands = value == "."  # the comma that was asked about
        return replace(form, decimal=value, thousands=other if is_thousands else "")
    if doubt.kind in _OF_VALUES or (doubt.kind == "words" and value == NOTHING):
        return _with_value_answer(form, doubt, value)
    if doubt.kind == "missing":
        rest = tuple(one for one in doubt.choices[0][0].split("\n") if one not in marks)
        return _accepting(replace(form, missing=_joined(form.missing, marks)), "value", doubt, rest)
    if doubt.kind == "glued":
        return replace(form, glued=(*form.glued, *marks))
    if doubt.kind in ("flags", "suspects"):
        listed = tuple(flag for flag, _ in doubt.choices)
        if doubt.of and all(one.column != doubt.about for one in form.flags):
            form = replace(form, flags=(*form.flags, Flags(doubt.about, doubt.of)))
        saying = _without_value if doubt.kind == "flags" else _suspects_of
        return replace(
            form,
            flags=tuple(
                saying(one, marks, listed) if one.column == doubt.about else one
                for one in form.flags
            ),
        )
    return form


_OF_VALUES = {"far": "value", "range": "range", "constant": "constant", "future": "future"}
"""Questions about numbers and times, and as what an answer that they are right is kept."""


def _with_value_answer(form: TextForm, doubt: FormatQuestion, value: str) -> TextForm:
    """Return a form once it is said whether numbers are values, or that words say nothing."""
    if value == NO_VALUE:
        return replace(form, missing=_joined(form.missing, doubt.seen))
    return _accepting(form, _OF_VALUES.get(doubt.kind, "words"), doubt, doubt.seen)


def _accepting(
    form: TextForm, kind: str, doubt: FormatQuestion, values: tuple[str, ...]
) -> TextForm:
    if not values:
        return form
    return accepting(form, AcceptedAnswer(kind, doubt.about, values, doubt.where))


def accepting(form: TextForm, accepted: AcceptedAnswer) -> TextForm:
    """Return a form with one more accepted answer, joined with those about the same column."""
    key = (accepted.kind, accepted.column, accepted.where)
    before = form.accepted_values(*key)
    others = tuple(one for one in form.accepted if (one.kind, one.column, one.where) != key)
    values = tuple(sorted(before | set(accepted.values)))
    return replace(form, accepted=(*others, replace(accepted, values=values)))


def _joined(marks: tuple[str, ...], more: tuple[str, ...]) -> tuple[str, ...]:
    return tuple(dict.fromkeys([*marks, *more]))


def _without_value(flags: Flags, none: tuple[str, ...], listed: tuple[str, ...]) -> Flags:
    suspect = tuple(one for one in flags.suspect if one not in none)
    return _with_good_flags(replace(flags, none=none, suspect=suspect), listed)


def _suspects_of(flags: Flags, suspect: tuple[str, ...], listed: tuple[str, ...]) -> Flags:
    suspect = tuple(one for one in suspect if one not in flags.none)
    return _with_good_flags(replace(flags, suspect=suspect), listed)


def _with_good_flags(flags: Flags, listed: tuple[str, ...]) -> Flags:
    good = tuple(one for one in listed if one not in flags.none + flags.suspect)
    return replace(flags, good=good)


def _as_iso(value: str, time: TimeForm) -> tuple[str, TimeForm]:
    """Return a day that was said, and the time of which it is one, both as ISO has days; as they
    are where the day may be two."""
    kind, sign, text = value.rpartition(":")
    day = iso_day(text)
    clock = re.search(r"%[HI].*$", time.pattern)
    if not day or clock is None:
        return value, time
    return f"{kind}{sign}{day}", replace(time, pattern=f"%Y-%m-%d {clock[0]}")


def _context_of(line_context: LineContext, value: str) -> LineContext:
    """Return what stands beside a text as it is said: "head:..." where the head says it."""
    kind = next((one for one in ("head", "name") if value.startswith(f"{one}:")), "")
    return replace(line_context, kind=kind or "said", text=value.removeprefix(f"{kind}:"))
