"""Fields for numbers and dates, typed and pasted into as a person does, in several regions."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QDateTime, QLocale, Qt, QTimeZone
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLineEdit
from pytestqt.qtbot import QtBot

from gezeiten.ui.parts.date_time_field import DateTimeField, moment_in, rewrite_dates
from gezeiten.ui.parts.field_error import FieldError
from gezeiten.ui.parts.number_field import number_of, plain_number, rewrite_numbers, write_number
from tests.ui_help import paste_into, type_into

REGIONS = ("en_GB", "en_US", "de_DE", "de_CH", "fr_FR", "sv_SE", "es_ES", "nl_NL", "it_IT", "da_DK")
WANTED = datetime(2026, 12, 2, 8, 0)


@pytest.fixture(autouse=True)
def _region() -> Iterator[None]:
    before = QLocale()
    QLocale.setDefault(QLocale("en_GB"))
    yield
    QLocale.setDefault(before)


@pytest.fixture
def field(qtbot: QtBot) -> DateTimeField:
    date_time_field = DateTimeField("When")
    qtbot.addWidget(date_time_field)
    date_time_field.show_instant(1_700_000_000_000, "Europe/Berlin")
    date_time_field.show()
    return date_time_field


@pytest.mark.parametrize("region", REGIONS)
def test_a_date_field_takes_what_it_shows(region: str, field: DateTimeField) -> None:
    QLocale.setDefault(QLocale(region))
    at = QDateTime.fromString("2026-03-29T14:05:00Z", Qt.DateFormat.ISODate)
    field.show_instant(at.toMSecsSinceEpoch(), "UTC")
    shown = field.text()
    type_into(field, "2020-01-01")
    paste_into(field, shown)
    assert field.instant_ms("UTC") == at.toMSecsSinceEpoch()


@pytest.mark.parametrize("region", REGIONS)
@pytest.mark.parametrize(
    "text",
    [
        "2 Dec 2026 08:00",
        "2026-12-02 08:00",
        "2026-12-02T08:00",
        "2026-12-02T08:00:00",
        "20261202T0800",
        "2026-12-02T07:00:00Z",
        "2026-12-02T08:00+01:00",
        "  2 Dec 2026   8:00 ",
    ],
)
def test_a_date_is_typed_or_pasted(region: str, text: str, field: DateTimeField) -> None:
    QLocale.setDefault(QLocale(region))
    type_into(field, text)
    assert field.shown() == WANTED
    paste_into(field, text)
    assert field.shown() == WANTED
    QTest.keyClick(field, Qt.Key.Key_Return)
    paste_into(field, field.text())
    assert field.shown() == WANTED


@pytest.mark.parametrize(
    ("region", "text"),
    [
        ("en_GB", "02/12/2026 08:00"),
        ("en_US", "12/2/2026 8:00 AM"),
        ("de_DE", "2.12.2026 08:00"),
        ("de_DE", "02.12.2026 8:00"),
        ("fr_FR", "02/12/2026 08:00"),
        ("de_DE", "2. Dez. 2026 08:00"),
    ],
)
def test_a_date_as_the_region_writes_it(region: str, text: str) -> None:
    QLocale.setDefault(QLocale(region))
    assert moment_in(text) == WANTED


def test_what_is_no_date_is_said_and_never_another_one(field: DateTimeField) -> None:
    for text in ("2 Dec 2026 08", "31 Feb 2026 08:00", "tomorrow", "2 Dec", "2 Dec 26 08:00x"):
        type_into(field, text)
        with pytest.raises(FieldError, match="type it like 2 Dec 2026 08:00 or 2026-12-02 08:00"):
            field.instant_ms("UTC")
        assert field.property("wrong")
        assert "type it like" in field.toolTip()
    type_into(field, "2 Dec 2026 08:00")
    assert not field.property("wrong")


@given(st.datetimes(datetime(1900, 1, 1), datetime(2199, 12, 31)), st.sampled_from(REGIONS))
def test_every_minute_comes_back_in_every_region(at: datetime, region: str) -> None:
    QLocale.setDefault(QLocale(region))
    wanted = at.replace(second=0, microsecond=0)
    qt = QDateTime(
        wanted.year, wanted.month, wanted.day, wanted.hour, wanted.minute, 0, 0, QTimeZone.utc()
    )
    assert moment_in(QLocale().toString(qt, "d MMM yyyy HH:mm")) == wanted


def test_the_arrows_change_the_part_at_the_cursor(field: DateTimeField) -> None:
    type_into(field, "31 Jan 2026 23:59")
    QTest.keyClick(field, Qt.Key.Key_Up)
    assert field.shown() == datetime(2026, 2, 1, 0, 0)
    type_into(field, "31 Jan 2026 23:59")
    for _ in range(3):
        QTest.keyClick(field, Qt.Key.Key_Left, Qt.KeyboardModifier.ControlModifier)
    field.setCursorPosition(4)  # in the month
    QTest.keyClick(field, Qt.Key.Key_Up)
    assert field.shown() == datetime(2026, 2, 28, 23, 59)


def test_a_time_that_comes_twice_stays_the_one_that_was_shown(field: DateTimeField) -> None:
    second = 1_761_442_200_000  # 2025-10-26 02:30 in Berlin, the second time
    field.show_instant(second, "Europe/Berlin")
    assert field.instant_ms("Europe/Berlin") == second
    type_into(field, "26 Oct 2025 02:30")
    with pytest.raises(
        FieldError,
        match="occurs twice",
    ):
        field.instant_ms("Europe/Berlin")


# -- numbers ---------------------------------------------------------------------------------------
@pytest.fixture
def value(qtbot: QtBot) -> QLineEdit:
    made = QLineEdit()
    qtbot.addWidget(made)
    made.show()
    return made


def test_a_change_of_region_rewrites_what_is_shown(value: QLineEdit, field: DateTimeField) -> None:
    """1,500 ppm became 1.5."""
    write_number(value, 1500.25)
    field.show_instant(1_700_000_000_000, "UTC")
    for region in ("de_DE", "en_US", "fr_FR", "de_CH", "en_GB"):
        before = QLocale()
        QLocale.setDefault(QLocale(region))
        rewrite_numbers(before, QLocale())
        rewrite_dates()
        assert number_of(value, "it") == 1500.25
        assert value.text() == plain_number(1500.25)
        paste_into(field, field.text())
        assert field.instant_ms("UTC") == 1_700_000_000_000 // 60_000 * 60_000


@pytest.mark.parametrize(
    ("region", "text", "both"),
    [
        ("en_GB", "1,500", ("1500", "1.5")),
        ("de_DE", "1.500", ("1500", "1,5")),
        ("en_GB", "0,500", ("0500", "0.5")),
    ],
)
def test_a_number_that_can_be_two_is_asked(
    region: str, text: str, both: tuple[str, str], value: QLineEdit
) -> None:
    QLocale.setDefault(QLocale(region))
    type_into(value, text)
    with pytest.raises(FieldError) as refused:
        number_of(value, "the limit")
    assert f"“{text}” can mean {both[0]} or {both[1]}" in str(refused.value)
    for one in both:
        type_into(value, one)
        number_of(value, "the limit")


@pytest.mark.parametrize(
    ("region", "text", "number"),
    [
        ("en_GB", "1,234,567", 1_234_567),
        ("en_GB", "1500", 1500),
        ("de_DE", "1500,5", 1500.5),
        ("de_DE", "1.234.567,5", 1_234_567.5),
        ("de_DE", "4.5", 4.5),
        ("en_GB", "-4.25", -4.25),
        ("en_GB", "12.3456", 12.3456),
        ("en_GB", "1.500", 1.5),
        ("de_DE", "1,500", 1.5),
    ],
)
def test_other_numbers_are_read_by_the_region(
    region: str, text: str, number: float, value: QLineEdit
) -> None:
    QLocale.setDefault(QLocale(region))
    type_into(value, text)
    assert number_of(value, "it") == number


@given(st.floats(-1e9, 1e9), st.sampled_from(REGIONS))
def test_what_a_field_is_filled_with_is_never_asked_about(number: float, region: str) -> None:
    QLocale.setDefault(QLocale(region))
    field = QLineEdit(plain_number(number))
    assert number_of(field, "it") == pytest.approx(number, abs=6e-5)
