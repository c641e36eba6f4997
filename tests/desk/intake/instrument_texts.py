"""Small texts in the styles of instruments and agencies, written from series that are known: what
importing each of them has to bring, or to ask."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta

import numpy as np

BEGIN = datetime(2024, 3, 1, tzinfo=UTC)


@dataclass(frozen=True)
class Wanted:
    """A series as it has to be imported: its column from 1, quantity and unit; the instants and
    numbers of its readings."""

    column: int
    quantity: str
    unit: str
    times: list[datetime]
    values: list[float]
    lines_of: list[str] = field(default_factory=list)


@dataclass(frozen=True)
class Text:
    """A text; what is asked, with the answers; the series that it has to bring then. name: of the
    file, where that tells something."""

    body: str | bytes
    answers: dict[str, str]
    series: list[Wanted]
    left_out: int = 0
    name: str = "text.csv"


def times(count: int, minutes: float = 10, begin: datetime = BEGIN) -> list[datetime]:
    return [begin + timedelta(minutes=minutes * i) for i in range(count)]


def wave(count: int, low: float = 5.0, high: float = 12.0, decimals: int = 1) -> list[float]:
    """A wave that takes all values between its ends."""
    shape = np.round((low + high) / 2 + (high - low) / 2 * np.sin(np.arange(count) / 7), decimals)
    return [float(value) for value in shape]


def lines(head: str, rows: Iterable[Iterable[object]], sign: str = ";") -> str:
    body = "\n".join(sign.join(str(cell) for cell in row) for row in rows)
    return (f"{head}\n" if head else "") + body + "\n"


def iso(at: datetime) -> str:
    return f"{at:%Y-%m-%d %H:%M}"


def temperature(
    at: list[datetime],
    values: list[float],
    column: int = 2,
    unit: str = "°C",
    key: str = "air_temperature",
) -> list[Wanted]:
    return [Wanted(column, key, unit, at, values)]


UTC_TOLD = {"zone": "UTC", "point": "Krabbenkoog · Mast"}
TEXTS: dict[str, Text] = {}


def text(make: Callable[[], Text]) -> Callable[[], Text]:
    TEXTS[make.__name__] = make()
    return make


# -- 1: marks for no value -------------------------------------------------------------------------
def _with_mark(mark: str, decimal: str = ".", sign: str = ";", pad: str = " ") -> Text:
    at, values = times(60), wave(60)
    shown = [str(value).replace(".", decimal) for value in values]
    gone = {3, 17, 44}
    rows = [(iso(t), pad + (mark if i in gone else shown[i])) for i, t in enumerate(at)]
    kept = [i for i in range(60) if i not in gone]
    return Text(
        lines(f"time{sign}T [°C]", rows, sign),
        UTC_TOLD,
        temperature([at[i] for i in kept], [values[i] for i in kept]),
    )


@text
def blank_before_a_mark() -> Text:
    return _with_mark("-9999")


@text
def two_blanks_before_a_short_mark_and_commas() -> Text:
    return _with_mark("-999", sign=",", pad="  ")


@text
def mark_with_two_decimals() -> Text:
    return _with_mark("-9999.00", pad="")


@text
def mark_with_five_nines_and_a_blank() -> Text:
    return _with_mark("-99999")


@text
def mark_with_a_decimal_comma() -> Text:
    return _with_mark("-9999,00", decimal=",")


@text
def mark_without_decimals_among_decimal_commas() -> Text:
    return _with_mark("-9999", decimal=",")


@text
def mark_with_blanks_behind_it_and_tabs() -> Text:
    return _with_mark("-999.0 ", sign="\t")


# -- 2: what only the whole file shows -------------------------------------------------------------
@text
def a_second_station_behind_line_700() -> Text:
    at, a, b = times(700), wave(700), wave(700, 15, 22)
    rows = [(iso(t), "Nord", v) for t, v in zip(at, a, strict=True)]
    rows += [(iso(t), "Süd", v) for t, v in zip(at, b, strict=True)]
    return Text(
        lines("time;site;T [°C]", rows),
        UTC_TOLD,
        [
            Wanted(3, "air_temperature", "°C", at, a, ["Nord"]),
            Wanted(3, "air_temperature", "°C", at, b, ["Süd"]),
        ],
    )


@text
def flags_behind_line_800() -> Text:
    at, values = times(1400), wave(1400)
    rows = [
        (iso(t), v, "err" if 800 <= i < 840 else "")
        for i, (t, v) in enumerate(zip(at, values, strict=True))
    ]
    kept = [i for i in range(1400) if not 800 <= i < 840]
    return Text(
        lines("time;T [°C];note", rows),
        {**UTC_TOLD, "flags:3": "err", "suspects:3": ""},
        temperature([at[i] for i in kept], [values[i] for i in kept]),
    )


@text
def a_number_that_cannot_be_once() -> Text:
    at, values = times(900), wave(900, 40, 70, 0)
    values[650] = 6553.5
    kept = [i for i in range(900) if i != 650]
    return Text(
        lines("time;RH [%]", zip(map(iso, at), values, strict=True)),
        {**UTC_TOLD, "range:2": "no value"},
        [Wanted(2, "relative_humidity", "%", [at[i] for i in kept], [values[i] for i in kept])],
    )


@text
def a_number_far_from_all_others_once() -> Text:
    at, values = times(900), wave(900)
    values[650] = 85.0
    kept = [i for i in range(900) if i != 650]
    return Text(
        lines("time;T [°C]", zip(map(iso, at), values, strict=True)),
        {**UTC_TOLD, "far:2": "no value"},
        temperature([at[i] for i in kept], [values[i] for i in kept]),
    )


@text
def two_marks_that_hide_each_other() -> Text:
    at, values = times(900), wave(900)
    values[100], values[650] = -99.9, 99.9
    kept = [i for i in range(900) if i not in (100, 650)]
    return Text(
        lines("time;T [°C]", zip(map(iso, at), values, strict=True)),
        {**UTC_TOLD, "far:2": "no value"},
        temperature([at[i] for i in kept], [values[i] for i in kept]),
    )


@text
def a_far_number_that_is_a_value() -> Text:
    at, values = times(900), wave(900)
    values[650] = 85.0
    return Text(
        lines("time;T [°C]", zip(map(iso, at), values, strict=True)),
        {**UTC_TOLD, "far:2": "value"},
        temperature(at, values),
    )


@text
def a_column_that_never_changes() -> Text:
    at, values = times(200), wave(200)
    rows = [(iso(t), v, "-327.6") for t, v in zip(at, values, strict=True)]
    return Text(
        lines("time;T [°C];water temp [°C]", rows),
        {**UTC_TOLD, "range:3": "no value"},
        temperature(at, values),
    )


@text
def a_column_of_one_likely_value() -> Text:
    at, values = times(200), wave(200)
    rows = [(iso(t), v, 20.0) for t, v in zip(at, values, strict=True)]
    return Text(
        lines("time;T [°C];soil temp [°C]", rows),
        {**UTC_TOLD, "constant:3": "value"},
        [*temperature(at, values), Wanted(3, "soil_temperature", "°C", at, [20.0] * 200)],
    )


# -- 3: months by name in long files ---------------------------------------------------------------
def _months(count: int) -> Text:
    at, values = times(count), wave(count)
    rows = [(f"{t:%d-%b-%Y %H:%M}", v) for t, v in zip(at, values, strict=True)]
    return Text(lines("time;T [°C]", rows), UTC_TOLD, temperature(at, values))


@text
def english_months_in_1_000_lines() -> Text:
    return _months(1000)


@text
def english_months_in_1_001_lines() -> Text:
    return _months(1001)


# -- 4: times in columns ---------------------------------------------------------------------------
def _in_parts(
    shown: Callable[[datetime], tuple[int, ...]],
    head: str = "",
    count: int = 300,
    begin: datetime = BEGIN,
) -> Text:
    at, values = times(count, 1, begin), wave(count)
    rows = [(*shown(t), v) for t, v in zip(at, values, strict=True)]
    column = len(rows[0])
    named = {} if head else {f"quantity:{column}": "Air temperature", f"unit:{column}": "°C"}
    return Text(lines(head, rows, " "), {**UTC_TOLD, **named}, temperature(at, values, column))


def _day(at: datetime) -> int:
    return at.timetuple().tm_yday


@text
def day_of_year_beside_month_and_day() -> Text:
    return _in_parts(lambda t: (t.year, _day(t), t.month, t.day, t.hour, t.minute))


@text
def day_of_year_below_thirteen() -> Text:
    begin = datetime(2024, 1, 9, 22, tzinfo=UTC)
    return _in_parts(lambda t: (t.year, _day(t), t.month, t.day, t.hour, t.minute), begin=begin)


@text
def day_of_year_behind_month_and_day_in_words() -> Text:
    return _in_parts(
        lambda t: (t.year, t.month, t.day, _day(t), t.hour, t.minute), "YEAR MO DY JDAY HR MN T[°C]"
    )


@text
def year_to_second() -> Text:
    return _in_parts(lambda t: (t.year, t.month, t.day, t.hour, t.minute, t.second))


# -- 5: units --------------------------------------------------------------------------------------
def _one(
    words: str,
    key: str,
    unit: str,
    answers: dict[str, str],
    low: float,
    high: float,
    decimals: int = 2,
) -> Text:
    at, values = times(60), wave(60, low, high, decimals)
    return Text(
        lines(f"time;{words}", zip(map(iso, at), values, strict=True)),
        {**UTC_TOLD, **answers},
        [Wanted(2, key, unit, at, values)],
    )


@text
def rain_in_inches() -> Text:
    return _one("Rain (in)", "precipitation", "in", {}, 0, 0.4)


@text
def rain_without_a_unit() -> Text:
    return _one("Rain", "precipitation", "mm", {"unit:2": "mm"}, 0, 4)


@text
def radiation_summed_over_the_hour() -> Text:
    return _one("Global radiation [Wh/m²]", "radiant_exposure", "Wh/m²", {}, 0, 800)


@text
def radiation_in_joules() -> Text:
    return _one("Global radiation [J/cm2]", "radiant_exposure", "J/cm²", {}, 0, 300)


@text
def pressure_in_psig() -> Text:
    return _one("Pressure (psig)", "gauge_pressure", "psi", {}, 1, 9)


@text
def snow_depth_in_cm() -> Text:
    return _one("Snow depth [cm]", "snow_depth", "cm", {}, 3, 60)


@text
def nitrogen_dioxide_in_ppb() -> Text:
    return _one(
        "NO2 [ppb]",
        "nitrogen_dioxide",
        "ppb (20 °C, 1013 hPa)",
        {"unit:2": "ppb (20 °C, 1013 hPa)"},
        4,
        60,
    )


@text
def ozone_without_a_unit() -> Text:
    return _one("O3", "ozone", "µg/m³", {"unit:2": "µg/m³"}, 20, 140)


@text
def wind_in_mph() -> Text:
    return _one("Wind speed (mph)", "wind_speed", "mph", {}, 0, 30)


@text
def stage_in_feet() -> Text:
    return _one("Gauge height, feet", "water_level", "ft", {}, 2, 9)


@text
def barometer_in_inches() -> Text:
    return _one("Barometer (inHg)", "air_pressure", "inHg", {}, 28.9, 30.4)


# -- 6: codes --------------------------------------------------------------------------------------
@text
def codes_beside_values() -> Text:
    at, dew, air = times(150), wave(150, 1, 4), wave(150)
    rows = [
        (iso(t), d, i % 3, a, "A" if i % 40 else "E", f"0.{i % 3 + 1}")
        for i, (t, d, a) in enumerate(zip(at, dew, air, strict=True))
    ]
    head = (
        "time,Dew-point temperature (°C),Dew-point source,Temperature (°C),"
        "Temperature qualifier,Temperature uncertainty"
    )
    none = {"flags:3": "", "suspects:3": "", "flags:5": "", "suspects:5": ""}
    return Text(
        lines(head, rows, ","),
        {**UTC_TOLD, **none},
        [Wanted(2, "dew_point", "°C", at, dew), Wanted(4, "air_temperature", "°C", at, air)],
    )


# -- 7: dates in merged or sparse cells ------------------------------------------------------------
@text
def sparse_dates_with_days_left_out() -> Text:
    at = [*times(48, 60), *times(72, 60, BEGIN + timedelta(days=5))]
    values = wave(120)
    rows = [
        (f"{t:%d.%m.%Y}" if t.hour == 0 else "", f"{t:%H:%M}", v)
        for t, v in zip(at, values, strict=True)
    ]
    return Text(lines("Date;Time;T [°C]", rows), UTC_TOLD, temperature(at, values, 3))


@text
def sparse_iso_dates() -> Text:
    at, values = times(100, 30), wave(100)
    rows = [
        (f"{t:%Y-%m-%d}" if (t.hour, t.minute) == (0, 0) else "", f"{t:%H:%M}", v)
        for t, v in zip(at, values, strict=True)
    ]
    return Text(lines("Date,Time,T [°C]", rows, ","), UTC_TOLD, temperature(at, values, 3))


# -- 8: refused before, or asked in vain -----------------------------------------------------------
@text
def day_of_year_and_hhmm_without_a_year() -> Text:
    at, values = times(200, 60), wave(200)
    rows = [(_day(t), t.hour * 100 + t.minute, v) for t, v in zip(at, values, strict=True)]
    return Text(
        lines("doy,hhmm,T (°C)", rows, ","),
        {**UTC_TOLD, "year": "2024"},
        temperature(at, values, 3),
    )


@text
def day_of_year_and_hhmm_beside_small_whole_numbers() -> Text:
    """0010 beside 6 is neither the year 10 nor its sixth day."""
    at, values = times(200, 10), np.arange(200) % 7 + 3.0
    rows = [(_day(t), f"{t:%H%M}", f"{v:.0f}") for t, v in zip(at, values, strict=True)]
    return Text(
        lines("doy,hhmm,T (°C)", rows, ","),
        {**UTC_TOLD, "year": "2024"},
        temperature(at, values, 3),
    )


@text
def day_of_year_and_a_clock_without_a_year() -> Text:
    at, values = times(200, 10), wave(200)
    rows = [(_day(t), f"{t:%H:%M}", v) for t, v in zip(at, values, strict=True)]
    return Text(
        lines("DOY;Time;T (°C)", rows), {**UTC_TOLD, "year": "2024"}, temperature(at, values, 3)
    )


@text
def a_station_number_before_day_of_year_and_hhmm() -> Text:
    at, values = times(200, 10), wave(200)
    rows = [(110, _day(t), t.hour * 100 + t.minute, v) for t, v in zip(at, values, strict=True)]
    said = {"year": "2024", "quantity:4": "air_temperature", "unit:4": "°C"}
    return Text(lines("", rows, ","), {**UTC_TOLD, **said}, temperature(at, values, 4))


@text
def day_month_year_and_a_clock_beside() -> Text:
    at, values = times(200, 10), wave(200)
    rows = [(t.day, t.month, t.year, f"{t:%H:%M}", v) for t, v in zip(at, values, strict=True)]
    return Text(lines("day;month;year;time;T (°C)", rows), UTC_TOLD, temperature(at, values, 5))


@text
def a_clock_with_points_and_decimal_commas() -> Text:
    at, values = times(200, 10), wave(200)
    rows = [
        (f"{t:%d.%m.%Y %H.%M}", str(v).replace(".", ",")) for t, v in zip(at, values, strict=True)
    ]
    return Text(lines("Zeit;T (°C)", rows), UTC_TOLD, temperature(at, values))


@text
def a_clock_before_day_of_year_and_year() -> Text:
    at, values = times(200, 10), wave(200)
    rows = [(f"{t:%H:%M}", _day(t), t.year, v) for t, v in zip(at, values, strict=True)]
    return Text(
        lines("time,day of year,year,T (°C)", rows, ","), UTC_TOLD, temperature(at, values, 4)
    )


@text
def day_of_year_over_new_year_without_words() -> Text:
    begin = datetime(2023, 12, 30, tzinfo=UTC)
    at, values = times(100, 60, begin), wave(100)
    rows = [(_day(t), t.hour * 100 + t.minute, v) for t, v in zip(at, values, strict=True)]
    said = {"year": "2023", "quantity:3": "air_temperature", "unit:3": "°C"}
    return Text(lines("", rows, ","), {**UTC_TOLD, **said}, temperature(at, values, 3))


@text
def negative_cells_first_and_no_head() -> Text:
    at, values = times(60), wave(60, -9, -1)
    rows = [
        (v, -1.5 - i % 3, -20 - i % 5, -0.5 - i % 2, f"{t:%Y%m%d%H%M}")
        for i, (t, v) in enumerate(zip(at, values, strict=True))
    ]
    return Text(
        lines("", rows, ","),
        {**UTC_TOLD, "quantity:1": "air_temperature", "unit:1": "°C"},
        temperature(at, values, 1),
    )


@text
def three_stations_in_long_form() -> Text:
    at, made = times(40), {}
    rows: list[tuple[object, ...]] = []
    for i, place in enumerate(("Deich", "Watt", "Koog")):
        made[place] = (wave(40, 3 + 9 * i, 9 + 9 * i), wave(40, 60, 80, 0))
        for t, a, h in zip(at, *made[place], strict=True):
            rows += [(iso(t), place, "Air temperature (°C)", a), (iso(t), place, "RH (%)", h)]
    keys = (("air_temperature", "°C", "Air temperature (°C)"), ("relative_humidity", "%", "RH (%)"))
    return Text(
        lines("time,station,variable,value", rows, ","),
        UTC_TOLD,
        [
            Wanted(4, key, unit, at, made[place][i], [place, words])
            for place in made
            for i, (key, unit, words) in enumerate(keys)
        ],
    )


@text
def a_day_beyond_the_twelfth_in_the_middle() -> Text:
    begins = (datetime(2024, 3, 1), datetime(2024, 3, 14), datetime(2024, 4, 1))
    at = [t for begin in begins for t in times(700, 1, begin.replace(tzinfo=UTC))]
    values = wave(2100)
    rows = [(f"{t:%d/%m/%Y %H:%M}", v) for t, v in zip(at, values, strict=True)]
    return Text(lines("time;T [°C]", rows), UTC_TOLD, temperature(at, values))


@text
def the_head_says_that_the_month_comes_first() -> Text:
    at, values = times(60), wave(60)
    rows = [(f"{t:%m/%d/%Y %H:%M}", v) for t, v in zip(at, values, strict=True)]
    return Text(lines("Date (MM/DD/YYYY HH:MM);T [°C]", rows), UTC_TOLD, temperature(at, values))


@text
def a_line_that_is_no_reading_is_counted() -> Text:
    at, values = times(900), wave(900)
    rows: list[tuple[object, ...]] = list(zip(map(iso, at), values, strict=True))
    rows.insert(600, ("battery changed", ""))
    return Text(lines("time;T [°C]", rows), UTC_TOLD, temperature(at, values), left_out=1)
