"""Times of a text made instants: clocks on a wall, counted times, parts in columns of their own.

Version 1 reads as texts were read up to schema 0011; version 2 also reads months by name in six
languages, 24:00, times of day that lost their zeros, and texts whose newest line comes first.
"""

from __future__ import annotations

import re
from dataclasses import replace

import numpy as np
import polars as pl
from numpy.typing import NDArray

from gezeiten.domain.series.timeline import DAY_MS, Times
from gezeiten.errors import InputError
from gezeiten.exchange.text.form import COUNT_FACTORS, EPOCH_FACTORS, TimeForm
from gezeiten.exchange.text.times.parts_of_time import are_day_parts, clock_from_parts
from gezeiten.exchange.text.times.periods import of_period
from gezeiten.exchange.text.times.rolling import Rolling
from gezeiten.exchange.text.times.zone_names import with_offsets

_DAY_OF_1970 = {"day_1900": 25_569, "day_1904": 24_107}
"""What a spreadsheet calls 1 January 1970, by the year from which it counts."""
_MONTHS = (
    "january januar janvier enero gennaio januari janv jan jän ene gen",
    "february februar février fevrier febrero febbraio februari févr fevr feb fév",
    "march märz maerz mars marzo maart mrz mär mrt mar",
    "april avril abril aprile avr abr apr",
    "may mai mayo maggio mei mag",
    "june juni juin junio giugno giu jun",
    "july juli juillet julio luglio juil lug jul",
    "august août aout agosto augustus aoû aou ago aug",
    "september septembre septiembre settembre sept set sep",
    "october oktober octobre octubre ottobre okt ott oct",
    "november novembre noviembre nov",
    "december dezember décembre decembre diciembre dicembre dez déc dic dec",
)
_ENGLISH = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
MONTH_NAMES: dict[str, str] = {
    name: english
    for names, english in zip(_MONTHS, _ENGLISH, strict=True)
    for name in names.split()
}
"""Names and short names of months in English, German, French, Spanish, Italian and Dutch."""
_MONTH = r"(?i)\b(" + "|".join(sorted(MONTH_NAMES, key=len, reverse=True)) + r")\b\.?"
_MIDNIGHT = r"(^|[ T])24([:.h]?)00([:.]?00(?:\.0+)?)?($|[^0-9:.])"
MIDNIGHT = re.compile(_MIDNIGHT)
"""The end of a day, as some write the begin of the next one."""


def in_english(text: pl.Series) -> pl.Series:
    """Return texts with the names of months, and of halves of the day, as English has them."""
    if len(text) > _MANY:
        return _month_words_in_english(text)
    lower = text.str.replace_all(r"(?i)\b([ap])\.?\s?m\b\.?", "${1}m")
    found = lower.str.extract(_MONTH, 1).str.to_lowercase()
    english = found.replace_strict(MONTH_NAMES, default="", return_dtype=pl.String)
    parts = pl.DataFrame({"text": lower, "english": english.fill_null("")})
    put = (
        pl.col("text")
        .str.replace(_MONTH, "\x00")
        .str.replace("\x00", pl.col("english"), literal=True)
    )
    return parts.select(put)["text"]


def _month_words_in_english(text: pl.Series) -> pl.Series:
    """Return what `in_english` does: the few words that many times hold are found first."""
    words = pl.concat([text.str.extract(shape, 1) for shape in (_WORD, _HALF)]).drop_nulls()
    english = {word: in_english(pl.Series([word])).item() for word in words.unique().to_list()}
    changed = sorted((word for word in english if word != english[word]), key=len, reverse=True)
    if not changed:
        return text
    return text.str.replace_many(changed, [english[word] for word in changed], leftmost=True)


_MANY = 1_000
_DOTTED = r"(?i)[ap](?:\.\s?m|\sm)"
"""A half of the day as English does not write it in one word."""
_WORD, _HALF = r"([^\W\d_]{3,}\.?)", r"((?i)\b[ap]\.?\s?m\b\.?)"
_WEEKDAYS = (
    "monday tuesday wednesday thursday friday saturday sunday",
    "montag dienstag mittwoch donnerstag freitag samstag sonntag",
    "lundi mardi mercredi jeudi vendredi samedi dimanche",
    "lunes martes miércoles miercoles jueves viernes sábado sabado domingo",
    "lunedì martedì mercoledì giovedì venerdì domenica",
    "maandag dinsdag woensdag donderdag vrijdag zaterdag zondag",
)
_SHORT_DAYS = {
    name[:length] for names in _WEEKDAYS for name in names.split() for length in (2, 3, 4, 99)
} - {"mar", "mars", "mart"}
"""Days as they are written short; what may be a month is none."""
WEEKDAY = rf"(?i)^\s*(?:{'|'.join(sorted(_SHORT_DAYS, key=len, reverse=True))})\.?,?\s+"


def without_weekdays(text: pl.Series) -> pl.Series:
    """Return times without the day of the week in front of them."""
    return text.str.replace(WEEKDAY, "")


class WallClock:
    """Makes instants of the times of a text, piece by piece in the order of its lines: in the hour
    that the end of daylight saving repeats, the lines before count."""

    def __init__(self, form: TimeForm, version: int) -> None:
        self._form, self._version = form, version
        self._last_local_ms: int | None = None
        self._second_pass = False
        self._is_backward: bool | None = None if version > 1 else False
        self._rolling = Rolling(form.rolls)
        self._above: dict[int, str] = {}
        start, sign, self._unit = form.pattern.partition(" +")
        self._start = WallClock(replace(form, pattern=start), version) if sign else None

    def instants(self, columns: list[pl.Series]) -> pl.Series:
        """Return UTC ms of the cells of the time's columns, null where one could not be understood
        or does not exist in the zone."""
        form = self._form
        columns = [self._filled(i, cells) for i, cells in zip(form.columns, columns, strict=False)]
        if self._start is not None:
            return self._from_elapsed(columns)
        patterns = form.pattern.split(" ")
        in_parts = (
            self._version > 2 and len(patterns) == len(columns) > 1 and are_day_parts(patterns)
        )
        if in_parts and not form.rolls:
            local = clock_from_parts(columns, patterns)
            return local if form.zone == "UTC" else self._from_wall(local.cast(pl.Datetime("ms")))
        text = self._joined(columns)
        if form.is_epoch:
            return (
                (self._counted(text) * EPOCH_FACTORS[form.pattern])
                .round()
                .cast(pl.Int64, strict=False)
            )
        local = self._local(text)
        if form.zone == "UTC" or not form.needs_zone:
            return local.dt.epoch("ms")
        return self._from_wall(local)

    def _filled(self, column: int, cells: pl.Series) -> pl.Series:
        """Return cells of the time, empty ones filled by what stands above where that is meant."""
        if column not in self._form.fills:
            return cells
        bare = cells.str.strip_chars().replace("", None)
        filled = bare.fill_null(strategy="forward").fill_null(self._above.get(column, ""))
        if len(filled):
            self._above[column] = filled[-1]
        return filled

    def _from_elapsed(self, columns: list[pl.Series]) -> pl.Series:
        assert self._start is not None  # asked before
        begun, count = self._start.instants(columns[:1]), self._counted(columns[1])
        since = (count * COUNT_FACTORS[self._unit]).round()
        return begun + since.set(since.abs() > 1e15, None).cast(pl.Int64, strict=False)

    def _joined(self, columns: list[pl.Series]) -> pl.Series:
        """Return the time columns joined by one blank; a time of day gets back its zeros."""
        if len(columns) == 1:
            return columns[0]
        parts = [column.str.strip_chars() for column in columns]
        patterns = self._form.pattern.split(" ")
        if self._version > 1 and len(patterns) == len(parts):
            widths = {"%H%M": 4, "%H%M%S": 6, **({"%j": 3} if self._form.rolls else {})}
            parts = [
                part.str.zfill(widths[pattern]) if pattern in widths else part
                for part, pattern in zip(parts, patterns, strict=True)
            ]
        frame = pl.DataFrame({f"p{i}": part for i, part in enumerate(parts)})
        return frame.select(pl.concat_str(pl.all(), separator=" ").alias("t"))["t"]

    def _counted(self, text: pl.Series) -> pl.Series:
        plain = text.str.strip_chars()
        if self._version > 1:  # whatever the decimal sign of values is, which may have none
            plain = plain.str.replace(",", ".", literal=True)
        number = plain.cast(pl.Float64, strict=False)
        return number.set(number.is_nan() | number.is_infinite(), None)

    def _local(self, text: pl.Series) -> pl.Series:
        """Return what a clock on a wall shows, UTC where the text says its offset."""
        pattern = self._form.pattern
        if pattern in _DAY_OF_1970:
            days = self._counted(text) - _DAY_OF_1970[pattern]
            return _to_the_second(days * DAY_MS)
        if pattern == "year":
            return _to_the_second(_of_years(self._counted(text)))
        if self._version == 1:
            return _moments(text, pattern)
        if self._form.period:
            text = of_period(text, self._form.period)
        if "%H" in pattern and "%M" not in pattern:  # the hour alone
            text, pattern = text.str.replace(r"(\d)\s*$", "${1}:00"), f"{pattern}:%M"
        if "%a" in pattern:
            text, pattern = without_weekdays(text), pattern.replace("%a ", "")
        if "%b" in pattern or ("%p" in pattern and text.str.contains(_DOTTED).any()):
            text = in_english(text)
        if "%Z" in pattern:
            text, pattern = with_offsets(text), pattern.replace("%Z", "%z")
        if self._form.rolls == "year":
            text = self._rolling.years(text, lambda one: _with_midnights(one, pattern))
        local = _with_midnights(text, pattern)
        return self._rolling.days(local) if self._form.rolls == "day" else local

    def _from_wall(self, local: pl.Series) -> pl.Series:
        """Return the instants at which a wall clock shows these times.

        In the hour that the end of daylight saving repeats, the lines up to a step back in time
        are its first pass, the ones after it its second; the other way round where the newest line
        comes first. A skipped hour gives null.
        """
        zone = self._form.zone
        try:
            early, late = (
                local.dt.replace_time_zone(zone, ambiguous=which, non_existent="null")
                .dt.convert_time_zone("UTC")
                .dt.epoch("ms")
                for which in ("earliest", "latest")
            )
        except (pl.exceptions.PolarsError, ValueError) as exc:
            raise InputError(f"{zone} is not a time zone; choose another one.") from exc
        twice = (early != late).fill_null(False).to_numpy()
        wall = local.dt.epoch("ms").fill_null(0).to_numpy()
        if self._is_backward is None and len(wall) > 1:
            steps = np.diff(local.drop_nulls().dt.epoch("ms").to_numpy())
            self._is_backward = bool((steps < 0).sum() > (steps > 0).sum())
        if not twice.any():
            if len(wall):
                self._last_local_ms, self._second_pass = int(wall[-1]), False
            return early
        at_edges = self._version > 2 and self._last_local_ms is None
        second = self._second_passes(wall, twice)
        last, first = (one.fill_null(0).to_numpy() for one in (late, early))
        if self._version > 1:
            _choose_passes(second, twice, first, last, early.is_not_null().to_numpy(), at_edges)
        series = pl.Series(np.where(second, last, first))
        return series.set(early.is_null(), None) if early.null_count() else series

    def _second_passes(self, wall: Times, twice: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """Return which lines show the repeated hour for the second time, bool (n,)."""
        sign = -1 if self._is_backward else 1
        second = np.zeros(len(wall), np.bool_)
        was_turned = self._second_pass
        for i in np.flatnonzero(twice):
            begins = i == 0 or not twice[i - 1]
            if begins:
                was_turned = was_turned and i == 0
            before = int(wall[i - 1]) if i else self._last_local_ms
            if (
                before is not None
                and sign * int(wall[i]) <= sign * before
                and (i == 0 or twice[i - 1])
            ):
                was_turned = True
            second[i] = was_turned != (sign < 0)
        self._last_local_ms = int(wall[-1])
        self._second_pass = was_turned and bool(twice[-1])
        return second


def _choose_passes(
    second: NDArray[np.bool_],
    twice: NDArray[np.bool_],
    first_ms: Times,
    last_ms: Times,
    known: NDArray[np.bool_],
    at_edges: bool,
) -> None:
    """Where only one pass of a repeated hour shows, take the one that makes distances even.

    Args:
        second: which lines show it for the second time, bool (n,), put right here; first_ms,
            last_ms: the instants of both passes, UTC ms; known: which lines have one; at_edges:
            the first and the last line too, by their one neighbour (they are the text's first
            lines, or its last ones, or nothing but the next piece of it speaks against that).
    """
    edges = np.flatnonzero(np.diff(twice.astype(np.int8), prepend=0, append=0))
    usual = _usual_step(first_ms[known])
    for begin, end in edges.reshape(-1, 2).tolist():
        if second[begin:end].any() != second[begin:end].all():
            continue  # both passes show
        if not at_edges and (begin == 0 or end == len(twice)):
            continue  # a neighbour lies in another piece
        beside = [
            (at, other)
            for at, other in ((begin, begin - 1), (end - 1, end))
            if 0 <= other < len(twice)
        ]
        if not beside or not all(known[other] for _, other in beside):
            continue
        uneven = [
            sum(abs(abs(int(one[at]) - int(first_ms[other])) - usual) for at, other in beside)
            for one in (first_ms, last_ms)
        ]
        if uneven[0] != uneven[1]:
            second[begin:end] = uneven[1] < uneven[0]


def _usual_step(times: Times) -> int:
    """Return the usual distance of lines; those of one instant have none (several stations)."""
    steps = np.abs(np.diff(times))
    steps = steps[steps > 0]
    return int(np.median(steps)) if len(steps) else 0


def _with_midnights(text: pl.Series, pattern: str) -> pl.Series:
    """Return what a clock shows; 24:00 is the next day's midnight."""
    series = _moments(text, pattern)
    if not series.null_count():
        return series
    is_midnight = (text.str.contains(_MIDNIGHT) & series.is_null()).fill_null(False)
    if not is_midnight.any():
        return series
    early = text.filter(is_midnight).str.replace(_MIDNIGHT, "${1}00${2}00${3}${4}")
    following = _moments(early, pattern).dt.offset_by("1d")
    return series.scatter(is_midnight.arg_true(), following)


def _moments(text: pl.Series, pattern: str) -> pl.Series:
    """Return what a clock shows, null where the text is not written by the pattern."""
    series = _as_written(text, pattern)
    return _as_written(text.str.strip_chars(), pattern) if series.null_count() else series


def _as_written(text: pl.Series, pattern: str) -> pl.Series:
    if "%H" not in pattern and "%I" not in pattern:
        return text.str.to_date(pattern, strict=False).cast(pl.Datetime("ms"))
    if "%z" in pattern:
        text = text.str.replace(r"Z\s*$", "+00:00")
    return text.str.to_datetime(pattern, strict=False, time_unit="ms")


def _to_the_second(since_1970_ms: pl.Series) -> pl.Series:
    """Return counted times as a clock shows them; no count of days is exact to the millisecond."""
    whole = (since_1970_ms / 1000).round() * 1000
    in_time = whole.set(whole.abs() > 1e15, None)
    return in_time.cast(pl.Int64, strict=False).cast(pl.Datetime("ms"))


def _of_years(years: pl.Series) -> pl.Series:
    """Return decimal years as ms since 1970: their fraction is one of that year's length."""
    usable = years.set((years < 1) | (years > 9998), None)
    year = usable.floor().cast(pl.Int32)
    frame = pl.DataFrame({"y": year})
    first, following = (
        frame.select(pl.date(pl.col("y") + more, 1, 1).cast(pl.Datetime("ms")).dt.epoch("ms"))
        .to_series()
        .cast(pl.Float64)
        for more in (0, 1)
    )
    return first + (usable - usable.floor()) * (following - first)
