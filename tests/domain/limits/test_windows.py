"""Weekly windows: typed by people, kept as data, true at the site also when the clocks change."""

from __future__ import annotations

import contextlib
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.domain.base.untrusted import plain, validated
from gezeiten.domain.limits.windows import (
    NIGHTS,
    WEEKENDS,
    WORKING_HOURS,
    WeeklyWindow,
    parse_window,
    window_choice,
)
from gezeiten.domain.series.timeline import (
    from_ms,
    local_instant_ms,
    to_ms,
    utc_offsets_ms,
)
from gezeiten.errors import PlanError, RepeatedHourError, SkippedHourError

BERLIN = "Europe/Berlin"
ZONES = (BERLIN, "UTC", "America/St_Johns", "Australia/Lord_Howe", "Asia/Kathmandu")
MONDAY = datetime(2026, 11, 23)

windows = st.builds(
    WeeklyWindow,
    st.sets(st.integers(0, 6), min_size=1).map(lambda days: tuple(sorted(days))),
    st.integers(0, 1439),
    st.integers(0, 1439),
    st.booleans(),
)


def at(moment: datetime, zone: str = BERLIN) -> np.ndarray:
    return np.array([to_ms(moment.replace(tzinfo=ZoneInfo(zone)))], np.int64)


def by_hand(window: WeeklyWindow, moment: datetime) -> bool:
    """The definition, minute by minute of the wall clock, without arrays."""
    minute = moment.hour * 60 + moment.minute
    inside = False
    for day in window.days:
        length = (window.end_min - window.start_min) % 1440 or 1440
        since = ((moment.weekday() - day) % 7) * 1440 + minute - window.start_min
        inside = inside or 0 <= since % (7 * 1440) < length
    return inside != window.inverted


@given(windows, st.integers(1_700_000_000, 1_900_000_000), st.sampled_from(ZONES))
def test_windows_follow_the_wall_clock(window: WeeklyWindow, at_s: int, zone: str) -> None:
    instant = np.array([at_s * 1000], np.int64)
    local = from_ms(at_s * 1000, zone).replace(tzinfo=None)
    assert bool(window.contains(instant, zone)[0]) == by_hand(window, local)


@given(windows)
def test_windows_survive_dict_text_and_inversion(window: WeeklyWindow) -> None:
    assert validated(plain(window), WeeklyWindow) == window
    assert window.other().other() == window
    parsed = parse_window(window.text)
    assert parsed is not None
    # a window of a whole day is written without hours, wherever it begins at midnight
    if window.length_min < 1440 or window.start_min == 0:
        assert parsed == (
            window
            if window.length_min < 1440
            else WeeklyWindow(window.days, inverted=window.inverted)
        )
    assert parse_window(window_choice(WORKING_HOURS)) == WORKING_HOURS


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("always", None),
        ("", None),
        ("working hours", WORKING_HOURS),
        ("Outside Weekends", WEEKENDS.other()),
        ("Mon-Fri 8-17", WORKING_HOURS),
        ("mon–fri 08:00–17:00", WORKING_HOURS),
        ("20:00-6:00", NIGHTS),
        ("Sat, Sun", WEEKENDS),
        ("Fri-Mon", WeeklyWindow((0, 4, 5, 6))),
        ("Tue 22:00-24:00", WeeklyWindow((1,), 1320, 0)),
    ],
)
def test_people_type_windows_like_this(text: str, wanted: WeeklyWindow | None) -> None:
    assert parse_window(text) == wanted


@pytest.mark.parametrize(
    "text", ["sometimes", "Mon 25-26", "8:61-9", "Mo-Fr", "outside", "-", "🌊"]
)
def test_other_text_is_one_sentence(text: str) -> None:
    with pytest.raises(
        PlanError,
        match=r"is not a weekly window",
    ):
        parse_window(text)


@given(st.text(max_size=30))
def test_no_text_breaks_the_parser(text: str) -> None:
    with contextlib.suppress(PlanError):
        window = parse_window(text)
        assert window is None or parse_window(window.text) is not None


def test_a_window_past_midnight_belongs_to_the_day_it_begins() -> None:
    friday_night = WeeklyWindow((4,), 22 * 60, 4 * 60)
    saturday = MONDAY + timedelta(days=5)
    assert friday_night.contains(at(saturday + timedelta(hours=3, minutes=59)), BERLIN)[0]
    assert not friday_night.contains(at(saturday + timedelta(hours=4)), BERLIN)[0]
    assert not friday_night.contains(at(saturday + timedelta(hours=23)), BERLIN)[0]


def test_edges_of_a_window_begin_inside_and_end_outside() -> None:
    assert WORKING_HOURS.contains(at(MONDAY + timedelta(hours=8)), BERLIN)[0]
    assert not WORKING_HOURS.contains(at(MONDAY + timedelta(hours=17)), BERLIN)[0]


def test_the_night_of_the_clock_change_is_an_hour_longer_or_shorter() -> None:
    night = WeeklyWindow((5,), 22 * 60, 6 * 60)  # Saturday to Sunday
    for day, hours in ((datetime(2026, 10, 24), 9), (datetime(2027, 3, 27), 7)):
        begin = to_ms((day + timedelta(hours=12)).replace(tzinfo=ZoneInfo(BERLIN)))
        minutes = begin + np.arange(24 * 60, dtype=np.int64) * 60_000
        assert night.contains(minutes, BERLIN).sum() == hours * 60


@given(st.integers(1_500_000_000, 2_000_000_000), st.integers(0, 40), st.sampled_from(ZONES))
def test_offsets_are_those_of_the_time_zone_database(at_s: int, weeks: int, zone: str) -> None:
    times = at_s * 1000 + np.arange(0, weeks * 7 + 1, dtype=np.int64) * 86_400_000
    wanted = [from_ms(int(t), zone).utcoffset() for t in times]
    offsets = utc_offsets_ms(times, zone)
    assert offsets.tolist() == [
        round(delta.total_seconds() * 1000) for delta in wanted if delta is not None
    ]


def test_the_offset_changes_at_the_very_millisecond() -> None:
    change = to_ms(datetime(2026, 10, 25, 1, tzinfo=ZoneInfo("UTC")))
    offsets = utc_offsets_ms(np.array([change - 1, change], np.int64), BERLIN)
    assert offsets.tolist() == [7_200_000, 3_600_000]
    for begin in range(1, 40):  # however the search for it happens to step
        around = np.array([change - begin * 7_777_777, change - 1, change, change + 99], np.int64)
        assert utc_offsets_ms(around, BERLIN).tolist() == [7_200_000] * 2 + [3_600_000] * 2


# -- local times typed by people -----------------------------------------------------------------
def test_a_skipped_local_time_is_refused_and_a_repeated_one_asks() -> None:
    with pytest.raises(SkippedHourError, match=r"02:30 does not exist on 28\.03\.2027"):
        local_instant_ms(datetime(2027, 3, 28, 2, 30), BERLIN)
    with pytest.raises(RepeatedHourError, match=r"02:30 occurs twice on 31\.10\.2027"):
        local_instant_ms(datetime(2027, 10, 31, 2, 30), BERLIN)
    first = to_ms(datetime(2027, 10, 31, 0, 30, tzinfo=ZoneInfo("UTC")))
    second = local_instant_ms(datetime(2027, 10, 31, 2, 30), BERLIN, second=True)
    assert second - first == 3_600_000


@given(st.integers(1_500_000_000, 2_000_000_000), st.sampled_from(ZONES))
def test_any_instant_comes_back_from_its_wall_clock(at_s: int, zone: str) -> None:
    at_ms = at_s // 60 * 60_000
    shown = from_ms(at_ms, zone).replace(tzinfo=None, fold=0)
    try:
        assert local_instant_ms(shown, zone) == at_ms
    except RepeatedHourError:
        late = local_instant_ms(shown, zone, second=True)
        assert at_ms == late or late - at_ms in (1_800_000, 3_600_000)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"days": []}, "no days of a week"),
        ({"days": [7]}, "no days of a week"),
        ({"days": [-1]}, "no days of a week"),
        ({"start_min": -1}, "no time of day: -1 min"),
        ({"end_min": -1}, "no time of day: -1 min"),
        ({"start_min": 1441}, "no time of day: 1441 min"),
        ({"end_min": 1441}, "no time of day: 1441 min"),
    ],
)
def test_dicts_that_are_no_window(change: dict[str, object], words: str) -> None:
    with pytest.raises(ValueError, match=words):
        validated({**plain(WORKING_HOURS), **change}, WeeklyWindow)


def test_days_are_kept_once_in_order_and_midnight_is_zero() -> None:
    odd = {"days": [3, "1", 3, 0, 6], "start_min": 1440, "end_min": 1440, "inverted": 0}
    assert validated(odd, WeeklyWindow) == WeeklyWindow((0, 1, 3, 6))


@pytest.mark.parametrize(
    ("days", "words"),
    [
        ((0,), "Mon"),
        ((0, 1), "Mon Tue"),
        ((0, 1, 2), "Mon–Wed"),
        ((0, 1, 2, 3), "Mon–Thu"),
        ((0, 2, 3, 4, 6), "Mon Wed–Fri Sun"),
        ((5, 6), "Sat Sun"),
        ((1, 3, 5), "Tue Thu Sat"),
        (tuple(range(7)), "Mon–Sun"),
        ((0, 1, 3, 4, 5), "Mon Tue Thu–Sat"),
    ],
)
def test_days_in_words(days: tuple[int, ...], words: str) -> None:
    assert WeeklyWindow(days).text == words


@pytest.mark.parametrize(
    ("window", "key", "words"),
    [
        (None, None, "always"),
        (WORKING_HOURS, "01234@480-1020", "working hours"),
        (WEEKENDS.other(), "!56@0-0", "outside weekends"),
        (WeeklyWindow((1,), 5, 65), "1@5-65", "Tue 00:05–01:05"),
        (WeeklyWindow((1,), 600, 600, True), "!1@600-600", "outside Tue"),
    ],
)
def test_names_keys_and_words(window: WeeklyWindow | None, key: str | None, words: str) -> None:
    assert window_choice(window) == words
    assert window is None or window.key == key


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("8:59-9", WeeklyWindow(tuple(range(7)), 539, 540)),
        ("Sun-Sun 24:00-1", WeeklyWindow((6,), 0, 60)),
        ("outside Mon Wed-Thu, 0:01 - 23:59 ", WeeklyWindow((0, 2, 3), 1, 1439, True)),
        ("NIGHTS", NIGHTS),
        ("outside nights", NIGHTS.other()),
    ],
)
def test_more_that_people_type(text: str, wanted: WeeklyWindow) -> None:
    assert parse_window(text) == wanted


@pytest.mark.parametrize("text", ["8:60-9", "8-24:01", "24:01-1", "Mon- 8-9", "Mon-Moon", "8"])
def test_hours_and_days_beyond_the_clock(text: str) -> None:
    with pytest.raises(PlanError, match=f"^“{text}” is not a weekly window; type it like"):
        parse_window(text)
