"""What the times of a text need and its lines do not say: a day, a year, a zone that stand in the
head, in the file's name or in lines of their own."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace

from gezeiten.exchange.text.form import LineContext, TextForm, TimeForm
from gezeiten.exchange.text.layout.sample import TextSample
from gezeiten.exchange.text.questions import FormatQuestion
from gezeiten.exchange.text.times.detection import (
    clock_columns,
    date_pattern,
    yearless_time,
)
from gezeiten.exchange.text.times.elapsed_time import counted_from_start, starts
from gezeiten.exchange.text.times.moments import iso_day
from gezeiten.exchange.text.times.wall_clock import MONTH_NAMES
from gezeiten.exchange.text.times.zone_names import zones_named_in

_MONTHS = "|".join(sorted(MONTH_NAMES, key=len, reverse=True))
_ONE_DAY = (
    r"\d{4}[-./]\d{1,2}[-./]\d{1,2}|\d{1,2}[-./]\d{1,2}[-./]\d{2,4}"
    rf"|\d{{1,2}}\.?[ -](?:{_MONTHS})\.?,?[ -]\d{{4}}|(?:{_MONTHS})\.? \d{{1,2}},? \d{{4}}"
    r"|(?:19|20)\d{2}(?:0[1-9]|1[0-2])(?:0[1-9]|[12]\d|3[01])"
)
_DAY = re.compile(rf"(?<!\d)({_ONE_DAY})(?!\d)", re.IGNORECASE)
_YEAR = re.compile(r"(?<!\d)((?:19|20)\d\d)(?!\d)")
_ANY_DAY = rf"(?i)^[^\d:]*(?::\s*)?({_ONE_DAY})[\s;,\t]*$"


@dataclass(frozen=True, slots=True)
class ImplicitDate:
    """A time that needs something beside the lines, and what is asked about it."""

    time: TimeForm
    beside: LineContext
    doubts: tuple[FormatQuestion, ...]


def find_implicit_date(
    rows: list[list[str]],
    header: tuple[str, ...],
    head: list[str],
    body: list[str],
    sample: TextSample,
    columns: int,
) -> ImplicitDate | None:
    """Return the time of lines that say only a clock, or a day without its year, or count from a
    start; None of others.

    Args:
        head: the lines before readings; body: those from there on; columns: how many a line has.
    """
    yearless = yearless_time(rows, header)
    if yearless is not None:
        time, doubts = yearless
        time = replace(time, columns=(columns, *time.columns), rolls="year")
        doubt = _date_question(
            "year", "The year is in no line; which one is it?", _places(_YEAR, head, sample)
        )
        return ImplicitDate(time, LineContext("said"), (*doubts, doubt))
    clock = clock_columns(rows)
    if clock is None:
        return _elapsed_time(rows, header, head, sample, columns)
    own = [found[1] for line in [*head, *body] if (found := re.match(_ANY_DAY, line.strip()))]
    if len(own) > 1 or (own and re.match(_ANY_DAY, body[0].strip())):
        return _with_day(clock, own, LineContext("line", _ANY_DAY), columns, ())
    places = _places(_DAY, head, sample)
    doubt = _date_question("date", "The date is in no line; which is the first day?", places)
    days = [text.rpartition(":")[2] for text, _ in places] or ["2024-01-31"]
    return _with_day(clock, days[:1], LineContext("said"), columns, (doubt,))


def _elapsed_time(
    rows: list[list[str]],
    header: tuple[str, ...],
    head: list[str],
    sample: TextSample,
    columns: int,
) -> ImplicitDate | None:
    found = counted_from_start(rows, header, columns)
    if found is None:
        return None
    time, doubts = found
    format_question = FormatQuestion("start", _WHICH_START, starts(_DAY, head, sample))
    return ImplicitDate(time, LineContext("said"), (*doubts, format_question))


_WHICH_START = "The times are counted from a start; when was that?"


def _with_day(
    clock: TimeForm,
    days: list[str],
    line_context: LineContext,
    columns: int,
    doubts: tuple[FormatQuestion, ...],
) -> ImplicitDate:
    pattern, asked = date_pattern(days, clock.pattern)
    time = TimeForm((columns, *clock.columns), pattern, rolls="day")
    return ImplicitDate(time, line_context, (*doubts, *asked))


def _places(shape: re.Pattern[str], head: list[str], sample: TextSample) -> list[tuple[str, str]]:
    """Return what the head and the file's name say, as answers."""
    found: dict[str, tuple[str, str]] = {}
    for line in head:
        for match in shape.finditer(line):
            shown = " ".join(line.split())[:60]
            found.setdefault(match[1], (f"head:{match[1]}", f"{match[1]}, as “{shown}” says"))
    names = [sample.path.stem, *(member for _, member in sample.opening)]
    for name in names:
        for match in shape.finditer(name.replace("_", " ")):
            found.setdefault(match[1], (f"name:{match[1]}", f"{match[1]}, as its name says"))
    return list(found.values())


def _date_question(kind: str, question: str, places: list[tuple[str, str]]) -> FormatQuestion:
    return FormatQuestion(kind, question, tuple(places))


def update_form(
    form: TextForm, head: list[str], sample: TextSample
) -> tuple[TextForm, list[FormatQuestion]]:
    """Return a kept form with what another file of its kind says beside its lines; what it does not
    say in one place alone is asked."""
    beside, doubts = [], []
    for one in form.beside:
        if one.kind == "line":
            beside.append(one)
            continue
        if " +" in form.time.pattern:
            moments = [
                text for text, _ in starts(_DAY, head, sample) if text.startswith(f"{one.kind}:")
            ]
            text = moments[0].partition(":")[2] if len(moments) == 1 else ""
            beside.append(replace(one, text=text))
            if not text:
                doubts.append(FormatQuestion("start", _WHICH_START, starts(_DAY, head, sample)))
            continue
        is_year = form.time.rolls == "year"
        places = _places(_YEAR if is_year else _DAY, head, sample)
        of_kind = [text for text, _ in places if text.startswith(f"{one.kind}:")]
        if len(of_kind) == 1:
            text = of_kind[0].partition(":")[2]
            beside.append(replace(one, text=text if is_year else iso_day(text) or text))
            continue
        beside.append(replace(one, text=""))
        kind, what = ("year", "the year") if is_year else ("date", "the date")
        doubts.append(_date_question(kind, f"No line has {what}; which one is it?", places))
    return replace(form, beside=tuple(beside)), doubts


# -- zones -----------------------------------------------------------------------------------------
def zone_of(
    time: TimeForm, header: tuple[str, ...], head: list[str]
) -> tuple[TimeForm, list[FormatQuestion]]:
    """Return a time with the zone that the words above it or the head say; what they leave open is
    asked."""
    if not time.needs_zone or time.zone:
        return time, []
    content: dict[str, str] = {}
    above = [header[column] for column in time.columns if column < len(header)]
    for words in [*above, *head]:
        found = zones_named_in(words)
        content.update(found)
        if found and words in above:
            break
    if len(content) == 1:
        return replace(time, zone=next(iter(content))), []
    question = "In which time zone are the times?"
    return time, [FormatQuestion("zone", question, tuple(content.items()))]
