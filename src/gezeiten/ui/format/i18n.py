"""Translation and the formats of the region: every visible text passes through here."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime

from PySide6.QtCore import QCoreApplication, QDate, QLocale, QTime, QTimeZone

from gezeiten.domain.series.timeline import from_ms


def home_zone() -> str:
    """Return the computer's own zone, for what has no site (the logbook)."""
    return bytes(QTimeZone.systemTimeZoneId().data()).decode() or "UTC"


def zones_text(zones: Iterable[str]) -> str:
    """Return in which zones the times beside it are; "" without any."""
    named = ", ".join(dict.fromkeys(zones))
    return tr("Site times: %1").replace("%1", named) if named else ""


def region(wanted: str = "") -> QLocale:
    """Return the region whose formats are used: the wanted one, else the system's; the bare C
    locale stands for English with grouped digits."""
    if wanted:
        return QLocale(wanted)
    system = QLocale.system()
    return system if system.language() != QLocale.Language.C else QLocale("en_GB")


def tr(text: str, n: int = -1) -> str:
    """Return the translation of a text; with n, "%n" becomes the number."""
    translated = QCoreApplication.translate("gezeiten", text, None, n)
    return translated.replace("%n", number(n)) if n >= 0 else translated


def counted(n: int, one: str, many: str) -> str:
    """Return "1 gap" or "3 gaps": both forms are translated, "%n" is the number."""
    return tr(one if n == 1 else many).replace("%n", number(n))


def number(value: float, decimals: int = 0) -> str:
    """Return a number in the region's format."""
    if isinstance(value, int) or decimals == 0:
        return QLocale().toString(round(value))
    return QLocale().toString(float(value), "f", decimals)


def number_to_copy(value: float, decimals: int = 0) -> str:
    """Return a number as a spreadsheet of the region reads it: nothing between thousands, and the
    minus of the keyboard."""
    locale = QLocale()
    locale.setNumberOptions(QLocale.NumberOption.OmitGroupSeparator)
    return locale.toString(float(value), "f", decimals).replace("\u2212", "-")


def day(utc_ms: int, zone: str) -> str:
    """Return "Tue 24 Nov" at the site."""
    moment = from_ms(utc_ms, zone)
    return QLocale().toString(_qdate(moment), "ddd d MMM")


def day_and_time(utc_ms: int, zone: str) -> str:
    """Return "24 Nov 14:05" at the site."""
    moment = from_ms(utc_ms, zone)
    return QLocale().toString(_qdate(moment), "d MMM ") + clock_time(utc_ms, zone)


def date(utc_ms: int, zone: str, pattern: str = "d MMM yyyy") -> str:
    """Return a date at the site by a Qt pattern."""
    return QLocale().toString(_qdate(from_ms(utc_ms, zone)), pattern)


def instant(utc_ms: int, zone: str, *, weekday: bool = False, seconds: bool = False) -> str:
    """Return "29 Nov 2026 01:07": an instant with its year, in a zone."""
    pattern = "ddd d MMM yyyy" if weekday else "d MMM yyyy"
    return f"{date(utc_ms, zone, pattern)} {clock_time(utc_ms, zone, seconds)}"


def clock_time(utc_ms: int, zone: str, seconds: bool = False) -> str:
    """Return "14:05" (or "14:05:09") at the site."""
    moment = from_ms(utc_ms, zone)
    shown = QTime(moment.hour, moment.minute, moment.second)
    return shown.toString("HH:mm:ss" if seconds else "HH:mm")


def _qdate(moment: datetime) -> QDate:
    return QDate(moment.year, moment.month, moment.day)
