"""Questions about what all lines of a text hold: numbers that cannot be or lie far from all others,
columns that never change, names, flags and words that nobody was asked about."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.quantities.units import text_unit
from gezeiten.domain.series.timeline import DAY_MS, iso_utc
from gezeiten.exchange.text.census import NumberCensus, NumberSeen, WordCensus
from gezeiten.exchange.text.form import ColumnMapping, TextForm, Where
from gezeiten.exchange.text.layout.cells import are_flags, flag_questions, flagged_columns
from gezeiten.exchange.text.layout.numbers import number_of
from gezeiten.exchange.text.questions import (
    A_VALUE,
    ADD,
    KINDS,
    NO_VALUE,
    NOTHING,
    STATIONS,
    FormatQuestion,
)
from gezeiten.exchange.text.stations import names_lines

_CONSTANT_FROM = 20
"""A column that holds so many numbers and one value alone is asked about."""
_FEW_WORDS = 6
_MOST_LISTED = 12


@dataclass(frozen=True, slots=True)
class SeriesCensus:
    """A series of a text, and the numbers that its lines hold."""

    column: ColumnMapping
    numbers: NumberCensus


def bounds_of(mapping: ColumnMapping) -> tuple[float, float]:
    """Return between which values a column can be, in its unit; open where no unit is said."""
    known = quantity(mapping.quantity)
    if not mapping.quantity or (known.unit and not mapping.unit):
        return float("-inf"), float("inf")
    unit = text_unit(known, mapping.unit)
    low, high = sorted((unit.shown(known.low), unit.shown(known.high)))
    # an instrument may show a little beyond: 100.4 % of humidity
    more = 0.05 * (high - low) if mapping.quantity == "relative_humidity" else 0.0
    return low, high + more


def questions_about(
    form: TextForm,
    series: list[SeriesCensus],
    words: WordCensus,
    names: set[Where],
    seen_words: dict[int, set[str]],
) -> list[FormatQuestion]:
    """Return what is to be asked once all lines were read.

    Args:
        names: of lines that somebody was asked about; seen_words: by column, what the lines say by
            which the proposal was made.
    """
    doubts = [
        doubt
        for census in series
        if census.column.quantity
        for doubt in _number_questions(form, census)
    ]
    doubts += _name_questions(form, words, names)
    doubts += _word_questions(form, series, words, seen_words)
    return sorted(doubts, key=lambda doubt: KINDS.index(doubt.kind))


def future_question(form: TextForm, last_ms: int | None, now_ms: int) -> list[FormatQuestion]:
    """Ask about a text whose last reading (UTC ms) lies more than a day after now: its times are
    understood wrongly, or a clock was."""
    if last_ms is None or last_ms <= now_ms + DAY_MS:
        return []
    last = iso_utc(last_ms)
    if any(last <= known for known in form.accepted_values("future", -1)):
        return []
    question = (
        f"The last reading would be of {last}, which is in the future. If the "
        "times are read wrongly, set the time format manually in the window."
    )
    choices = ((A_VALUE, "the file is right: import them"),)
    return [FormatQuestion("future", question, choices, seen=(last,))]


# -- numbers ---------------------------------------------------------------------------------------
def _number_questions(form: TextForm, series_census: SeriesCensus) -> list[FormatQuestion]:
    numbers, mapping = series_census.numbers, series_census.column
    outside = _outside(form, series_census)
    if outside:
        return [outside]
    if numbers.is_constant and numbers.count >= _CONSTANT_FROM:
        return _constant(form, series_census)
    sums = quantity(mapping.quantity).averages == "sum"
    accepted = form.accepted_values("value", mapping.column, mapping.where)
    accepted |= form.accepted_values("value", -1)  # said of numbers of any column
    far = [seen for seen in numbers.far(sums=sums) if not _is_listed(seen.value, accepted, form)]
    if not far:
        return []
    question = (
        f"{_title(form, mapping)}: {_listed(far)} {_location_text(far)} far from all other "
        "numbers. "
        "What do such numbers mean?"
    )
    return [_number_doubt("far", question, far, mapping)]


def _is_listed(value: float, marks: set[str], form: TextForm) -> bool:
    return any(number_of(mark, form) == value or mark == _text(value) for mark in marks)


def _outside(form: TextForm, series_census: SeriesCensus) -> FormatQuestion | None:
    numbers, mapping = series_census.numbers, series_census.column
    accepted = [
        float(text) for text in form.accepted_values("range", mapping.column, mapping.where)
    ]
    low = min([numbers.low, *accepted])
    high = max([numbers.high, *accepted])
    found = [seen for seen in numbers.outside() if not low <= seen.value <= high]
    if not found:
        return None
    name, many = quantity(mapping.quantity).name, numbers.beyond
    question = (
        f"{_title(form, mapping)}: {_count_text(many)} outside {_text(numbers.low)} "
        f"to {_text(numbers.high)} {mapping.unit}, the possible range of {name} "
        f"({_listed(found)}). What do such numbers mean? If the unit or the quantity "
        "is wrong, change it below."
    )
    doubt = _number_doubt("range", question, found, mapping)
    if many > sum(seen.count for seen in found):  # too many to be listed as marks for no value
        doubt = FormatQuestion(
            "range",
            question,
            doubt.choices[1:],
            about=mapping.column,
            where=mapping.where,
            seen=doubt.seen,
        )
    return doubt


def _constant(form: TextForm, series_census: SeriesCensus) -> list[FormatQuestion]:
    [seen] = series_census.numbers.ends
    mapping = series_census.column
    nothing_happened = quantity(mapping.quantity).averages == "sum" and seen.value == 0
    accepted = form.accepted_values("constant", mapping.column, mapping.where)
    if nothing_happened or _is_listed(seen.value, accepted, form):
        return []
    question = (
        f"{_title(form, mapping)}: all {seen.count:,} numbers are {_text(seen.value)}. "
        "What does that mean?"
    )
    return [_number_doubt("constant", question, [seen], mapping)]


def _number_doubt(
    kind: str, question: str, numbers: list[NumberSeen], mapping: ColumnMapping
) -> FormatQuestion:
    choices = ((NO_VALUE, "no value"), (A_VALUE, "values: import them"))
    return FormatQuestion(
        kind,
        question,
        choices,
        about=mapping.column,
        where=mapping.where,
        seen=tuple(_text(odd.value) for odd in numbers),
    )


def _title(form: TextForm, mapping: ColumnMapping) -> str:
    words = form.header[mapping.column] if mapping.column < len(form.header) else ""
    title = f"“{words}”" if words else f"Column {mapping.column + 1}"
    name = " · ".join(text for _, text in mapping.where)
    return f"{title} of “{name}”" if name else title


def _listed(numbers: list[NumberSeen]) -> str:
    shown = [
        f"{_text(one.value)} ({_often(one.count)}, first in line {one.line:,})"
        for one in numbers[:4]
    ]
    return ", ".join(shown) + (", …" if len(numbers) > 4 else "")


def _often(many: int) -> str:
    return "once" if many == 1 else f"{many:,} times"


def _location_text(numbers: list[NumberSeen]) -> str:
    return "lies" if len(numbers) == 1 else "lie"


def _count_text(many: int) -> str:
    return "1 number lies" if many == 1 else f"{many:,} numbers lie"


def _text(value: float) -> str:
    return f"{value:.12g}"


# -- names, flags, words ---------------------------------------------------------------------------
def _name_questions(form: TextForm, words: WordCensus, names: set[Where]) -> list[FormatQuestion]:
    """Ask about lines of names that nobody was asked about."""
    unknown = {where: many for where, many in words.unwanted.items() if where not in names}
    doubts = []
    for where, many in list(unknown.items())[:_MOST_LISTED]:
        name = " · ".join(text for _, text in where)
        question = f"{many:,} {'line is' if many == 1 else 'lines are'} of “{name}”, which is new."
        choices = (
            (ADD, "import them, as a series of their own"),
            (NOTHING, "skip these lines"),
        )
        doubts.append(FormatQuestion("names", question, choices, about=where[0][0], where=where))
    return doubts


def _word_questions(
    form: TextForm, series: list[SeriesCensus], words: WordCensus, seen_words: dict[int, set[str]]
) -> list[FormatQuestion]:
    known = {flag.column: set(flag.known_flags) for flag in form.flags}
    values = sorted({census.column.column for census in series})
    asked_by_name = {column for census in series for column, _ in census.column.where}
    doubts: list[FormatQuestion] = []
    for column, said in words.words.items():
        above = form.header[column] if column < len(form.header) else ""
        if column in known:
            if set(said) - known[column]:
                doubts += flag_questions(column, above, said)
            continue
        if column not in seen_words:
            continue  # numbers, or told of elsewhere
        accepted = form.accepted_values("words", column)
        if column in asked_by_name or len(said) < 2 or set(said) <= accepted:
            continue
        if set(said) <= seen_words[column] and not accepted:
            continue  # the proposal was made with all of these words in sight
        doubts += _column_questions(column, above, said, values, form)
    return doubts


def _column_questions(
    column: int, above: str, said: Counter[str], values: list[int], form: TextForm
) -> list[FormatQuestion]:
    of = flagged_columns(column, form.header, values)
    if of and are_flags(said, above) and not names_lines(above):
        return [
            FormatQuestion(
                flag_question.kind, flag_question.question, flag_question.choices, True, column, of
            )
            for flag_question in flag_questions(column, above, said)
        ]
    if len(said) > _FEW_WORDS and not names_lines(above):
        return []
    title = f"“{above}”" if above else f"Column {column + 1}"
    listed = ", ".join(f"“{word}” ({many:,})" for word, many in said.most_common(4))
    more = ", …" if len(said) > 4 else ""
    question = f"{title} says {listed}{more}. What does that mean for the values?"
    choices = ((NOTHING, "nothing"), (STATIONS, "names of stations, or of what is measured"))
    return [FormatQuestion("words", question, choices, about=column, seen=tuple(sorted(said)))]
