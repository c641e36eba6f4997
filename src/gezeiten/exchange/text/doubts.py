"""What a text alone does not tell: questions, and what their answers change."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace

from gezeiten.exchange.text.form import Beside, Flags, TextForm, TimeForm
from gezeiten.exchange.text.moments import as_start, iso_day

KINDS = ("inside", "kind", "time", "order", "period", "start", "date", "year", "zone", "decimal",
         "glued", "missing", "flags", "suspects")  # fmt: skip
"""In the order in which they are asked: what is asked later may hang on what was before."""
TYPED = ("start", "date", "year", "zone")
"""These may be answered by something typed as well."""


@dataclass(frozen=True, slots=True)
class Doubt:
    """A question that the text alone does not answer. kind: one of `KINDS`.

    choices: (value, how people say it). value is a pattern for "order", columns for "period" (see
    `period_value`), a sign for "decimal", marks with line breaks between them for "missing" and
    "glued", flags so for "flags" and "suspects", the name of a kept tie for "kind". many: several
    may be chosen. about: a column, for flags.
    """

    kind: str
    question: str
    choices: tuple[tuple[str, str], ...] = ()
    many: bool = False
    about: int = -1


def period_value(part: str, columns: tuple[int, ...]) -> str:
    """Return what stands for an answer to "period". part: "begin", "end", or "" where a column is
    chosen; columns: of the time."""
    return f"{part}:{','.join(map(str, columns))}"


def answered(form: TextForm, doubt: Doubt, value: str) -> TextForm:
    """Return a form once a question is answered; "kind" and "inside" change more than a form."""
    time, marks = form.time, tuple(one for one in value.split("\n") if one)
    if doubt.kind == "order":
        return replace(form, time=replace(time, pattern=value))
    if doubt.kind == "period":
        part, _, columns = value.partition(":")
        chosen = tuple(int(one) for one in columns.split(","))
        return replace(form, time=replace(time, columns=chosen, period=part))
    if doubt.kind == "date":
        value, time = _as_iso(value, time)
        form = replace(form, time=time)
    if doubt.kind == "start" and not value.startswith(("head:", "name:")):
        value = as_start(value)
    if doubt.kind in ("start", "date", "year"):
        beside = tuple(_said(one, value) if not one.text and one.kind != "line" else one
                       for one in form.beside)  # fmt: skip
        return replace(form, beside=beside)
    if doubt.kind == "zone":
        return replace(form, time=replace(time, zone=value))
    if doubt.kind == "decimal":
        other = "." if value == "," else ","
        is_thousands = value == "."  # the comma that was asked about
        return replace(form, decimal=value, thousands=other if is_thousands else "")
    if doubt.kind == "missing":
        return replace(form, missing=(*form.missing, *marks))
    if doubt.kind == "glued":
        return replace(form, glued=(*form.glued, *marks))
    if doubt.kind in ("flags", "suspects"):
        listed = tuple(flag for flag, _ in doubt.choices)
        saying = _none_of if doubt.kind == "flags" else _suspects_of
        return replace(form, flags=tuple(
            saying(one, marks, listed) if one.column == doubt.about else one for one in form.flags
        ))  # fmt: skip
    return form


def _none_of(flags: Flags, none: tuple[str, ...], listed: tuple[str, ...]) -> Flags:
    suspect = tuple(one for one in flags.suspect if one not in none)
    return _with_good(replace(flags, none=none, suspect=suspect), listed)


def _suspects_of(flags: Flags, suspect: tuple[str, ...], listed: tuple[str, ...]) -> Flags:
    suspect = tuple(one for one in suspect if one not in flags.none)
    return _with_good(replace(flags, suspect=suspect), listed)


def _with_good(flags: Flags, listed: tuple[str, ...]) -> Flags:
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


def _said(beside: Beside, value: str) -> Beside:
    """Return what stands beside a text as it is said: "head:..." where the head says it."""
    kind = next((one for one in ("head", "name") if value.startswith(f"{one}:")), "")
    return replace(beside, kind=kind or "said", text=value.removeprefix(f"{kind}:"))
