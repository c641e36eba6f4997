"""One field for days and instants: it takes what it shows, what the region writes and what ISO 8601
writes, typed or pasted; what it cannot read it says."""

from __future__ import annotations

import re
from calendar import monthrange
from datetime import date, datetime, time, timedelta
from functools import cache
from zoneinfo import ZoneInfo

from PySide6.QtCore import QDate, QDateTime, QLocale, QPoint, Qt, QTime, Signal
from PySide6.QtGui import QKeyEvent, QWheelEvent
from PySide6.QtWidgets import (
    QApplication,
    QCalendarWidget,
    QLineEdit,
    QMenu,
    QToolButton,
    QWidgetAction,
)

from gezeiten.domain.series.timeline import MINUTE_MS, local_instant_ms
from gezeiten.errors import GezeitenError
from gezeiten.ui.format.i18n import tr
from gezeiten.ui.parts.field_error import FieldError, mark
from gezeiten.ui.parts.plain import plain_tip

_DAY, _CLOCK = "d MMM yyyy", "HH:mm"
_CLOCK_BEHIND = re.compile(
    r"[\s,T](\d{1,2})[:.h](\d{2})(?:[:.](\d{2}))?(?:\s?([AaPp])\.?[Mm]\.?)?$"
)
_EARLIEST, _LATEST = 1900, 2199
_PARTS = re.compile(r"[^\W_]+")
_UNITS = ("day", "month", "year", "hour", "minute")


def moment_in(text: str, *, has_time: bool = True, zone: str = "") -> datetime | None:
    """Return the date and time that a text says, None where it says none.

    Args:
        has_time: whether a time of day belongs to it; a date alone is its midnight then. zone: in
            which a text with an offset of its own is meant to be shown.
    """
    bare = " ".join(text.split())
    found = _iso(bare, zone) or _of_region(bare)
    if found is None or not _EARLIEST <= found.year <= _LATEST:
        return None
    return found if has_time else found.replace(hour=0, minute=0, second=0)


def _iso(text: str, zone: str) -> datetime | None:
    try:
        found = datetime.fromisoformat(text.replace("−", "-"))
    except ValueError:
        return None
    if found.tzinfo is None:
        return found
    return found.astimezone(ZoneInfo(zone)).replace(tzinfo=None) if zone else None


def _of_region(text: str) -> datetime | None:
    """Return what the region's own ways of writing say, and English months in every region."""
    found = _CLOCK_BEHIND.search(text)
    clock = _clock_in(found) if found else time()
    if clock is None:
        return None
    days = text[: found.start()].strip().rstrip(",") if found else text
    for region in (QLocale(), QLocale.c()):
        for pattern in _day_formats(region.name()):
            read = region.toDate(days, pattern)
            if read.isValid():
                return datetime.combine(date(read.year(), read.month(), read.day()), clock)
    return None


def _clock_in(found: re.Match[str]) -> time | None:
    """Return the time of day that is written, None where no clock shows it."""
    hour, minute, second = (int(part or 0) for part in found.group(1, 2, 3))
    half = (found[4] or "").lower()[:1]
    if half and not 1 <= hour <= 12:
        return None
    if half:
        hour = hour % 12 + (12 if half == "p" else 0)
    try:
        return time(hour, minute, second)
    except ValueError:
        return None


@cache
def _day_formats(name: str) -> tuple[str, ...]:
    """Return how days may be written in a region: as it has them in numbers (with and without zeros
    in front; years in full), then with the month's name."""
    region = QLocale(name)
    own: tuple[str, ...] = ()
    if region != QLocale.c():
        short = re.sub(r"y+", "yyyy", region.dateFormat(QLocale.FormatType.ShortFormat))
        bare = re.sub(r"\bdd\b", "d", re.sub(r"\bMM\b", "M", short))
        own = (short, bare, region.dateFormat(QLocale.FormatType.LongFormat))
    named = tuple(
        pattern.replace("MMM", month)
        for month in ("MMM", "MMMM")
        for pattern in (
            "d MMM yyyy",
            "d. MMM yyyy",
            "MMM d, yyyy",
            "MMM d yyyy",
            "ddd d MMM yyyy",
            "ddd, d MMM yyyy",
            "dddd d MMM yyyy",
        )
    )
    return (*own, *named)


class DateTimeField(QLineEdit):
    """A local date and time of the site, or a day alone.

    It holds plain local numbers: which instant they mean, and whether they exist at all on a day
    when the clocks change, is the domain's to say. The arrow keys change the part at the cursor,
    Alt+Down opens a calendar.

    changed: what it holds, at each key.
    """

    changed = Signal()

    def __init__(self, name: str, *, has_time: bool = True) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._has_time, self._zone = has_time, ""
        self._moment: datetime | None = None
        self._instant_ms: int | None = None
        self.setMinimumWidth(self.fontMetrics().averageCharWidth() * (24 if has_time else 17))
        self._calendar_button()
        self.textEdited.connect(self._typed)
        self.editingFinished.connect(self._tidy)

    def _calendar_button(self) -> None:
        opens = QToolButton(self)
        opens.setText("▾")
        opens.setCursor(Qt.CursorShape.ArrowCursor)
        opens.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        opens.setAccessibleName(tr("Calendar"))
        opens.setAutoRaise(True)
        opens.clicked.connect(self.open_calendar)
        action = QWidgetAction(self)
        action.setDefaultWidget(opens)
        self.addAction(action, QLineEdit.ActionPosition.TrailingPosition)

    # -- what it holds ---------------------------------------------------------------------------
    @property
    def pattern(self) -> str:
        """How it shows what it holds, in the signs of Qt."""
        return f"{_DAY} {_CLOCK}" if self._has_time else _DAY

    def show_moment(self, moment: datetime) -> None:
        """Show a local date and time."""
        self._moment = moment.replace(tzinfo=None, second=0, microsecond=0)
        self._instant_ms = None
        self.setText(self._written(self._moment))
        mark(self, wrong=False)
        self.setToolTip("")

    def _written(self, moment: datetime) -> str:
        at = QDateTime(
            QDate(moment.year, moment.month, moment.day), QTime(moment.hour, moment.minute)
        )
        return QLocale().toString(at, self.pattern)

    def show_day(self, day: date) -> None:
        """Show a day."""
        self.show_moment(datetime(day.year, day.month, day.day))  # noqa: DTZ001 - of a wall

    def show_instant(self, utc_ms: int, zone: str) -> None:
        """Show an instant, to the minute, as the site's wall clock does."""
        at = datetime.fromtimestamp(utc_ms / 1000, ZoneInfo(zone))
        self.show_moment(at)
        self._zone, self._instant_ms = zone, utc_ms // MINUTE_MS * MINUTE_MS

    @property
    def is_blank(self) -> bool:
        """Whether nothing was shown or typed yet."""
        return not self.text().strip()

    def shown(self) -> datetime:
        """Return what the field says, to the minute, of no zone.

        Raises:
            FieldError: it is no date and time.
        """
        if self._moment is None:
            raise FieldError(self, self._complaint())
        return self._moment

    def day(self) -> date:
        """Return the day that the field says.

        Raises:
            FieldError: it is none.
        """
        return self.shown().date()

    def instant_ms(self, zone: str, *, second: bool | None = None) -> int:
        """Return the instant that is meant: the one that was shown while nothing else was typed.

        second: where the clocks show the time twice, whether its second pass is meant.

        Raises:
            FieldError: it is no date and time, the clocks skip that time, or show it twice and
                nothing says which is meant.
        """
        if second is None and self._instant_ms is not None and zone == self._zone:
            return self._instant_ms
        try:
            return local_instant_ms(self.shown(), zone, second=bool(second))
        except FieldError:
            raise
        except GezeitenError as exc:
            raise FieldError(self, str(exc)) from exc

    def _complaint(self) -> str:
        example = self._written(datetime(2026, 12, 2, 8, 0))  # noqa: DTZ001 - of a wall
        iso = "2026-12-02 08:00" if self._has_time else "2026-12-02"
        words = (
            tr("“%1” is not a date and time; type it like %2 or %3.")
            if self._has_time
            else tr("“%1” is not a date; type it like %2 or %3.")
        )
        shown = "".join(sign for sign in self.text()[:30] if sign.isprintable())
        return words.replace("%1", shown).replace("%2", example).replace("%3", iso)

    # -- typing ----------------------------------------------------------------------------------
    def _typed(self, text: str) -> None:
        found = moment_in(text, has_time=self._has_time, zone=self._zone)
        self._moment = None if found is None else found.replace(second=0, microsecond=0)
        self._instant_ms = None
        mark(self, wrong=found is None)
        self.setToolTip(plain_tip("" if found is not None else self._complaint()))
        self.changed.emit()

    def _tidy(self) -> None:
        """Show what was typed as the field shows it."""
        if self._moment is not None:
            written = self._written(self._moment)
            if self.text() != written:
                self.setText(written)

    def rewrite(self) -> None:
        """Show what it holds as the region in force writes it."""
        if self._moment is not None:
            self.setText(self._written(self._moment))

    def wheelEvent(self, event: QWheelEvent) -> None:
        event.ignore()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, held = event.key(), event.modifiers()
        is_arrow = key in (Qt.Key.Key_Up, Qt.Key.Key_Down)
        if is_arrow and held == Qt.KeyboardModifier.AltModifier:
            self.open_calendar()
        elif is_arrow and self._moment is not None:
            self._step(1 if key == Qt.Key.Key_Up else -1)
        else:
            super().keyPressEvent(event)

    def _step(self, by: int) -> None:
        """Change the part at the cursor by one."""
        assert self._moment is not None  # asked before
        self._tidy()
        at = self.cursorPosition()
        parts = list(_PARTS.finditer(self.text()))
        index = next((i for i, part in enumerate(parts) if at <= part.end()), len(parts) - 1)
        unit = _UNITS[min(index, len(_UNITS) - 1)]
        self._set_moment(_shifted(self._moment, unit, by))
        part = list(_PARTS.finditer(self.text()))[index]
        self.setSelection(part.start(), part.end() - part.start())

    def _set_moment(self, moment: datetime) -> None:
        self.show_moment(moment)
        self.changed.emit()

    # -- calendar --------------------------------------------------------------------------------
    def open_calendar(self) -> None:
        """Let a day be chosen of a calendar."""
        menu = QMenu(self)
        calendar = QCalendarWidget()
        calendar.setFirstDayOfWeek(QLocale().firstDayOfWeek())
        now = self._moment or datetime.now().replace(second=0)  # noqa: DTZ005 - where it opens
        calendar.setSelectedDate(QDate(now.year, now.month, now.day))
        action = QWidgetAction(menu)
        action.setDefaultWidget(calendar)
        menu.addAction(action)

        def take(day: QDate) -> None:
            menu.close()
            self._set_moment(now.replace(year=day.year(), month=day.month(), day=day.day()))

        calendar.activated.connect(take)
        calendar.clicked.connect(take)
        menu.aboutToHide.connect(menu.deleteLater)
        menu.popup(self.mapToGlobal(QPoint(0, self.height())))
        calendar.setFocus()


def _shifted(moment: datetime, unit: str, by: int) -> datetime:
    """Return a date and time moved by one unit; a day beyond a month's end is its last."""
    if unit in ("month", "year"):
        months = moment.year * 12 + moment.month - 1 + by * (12 if unit == "year" else 1)
        year, month = divmod(months, 12)
        if not _EARLIEST <= year <= _LATEST:
            return moment
        last = monthrange(year, month + 1)[1]
        return moment.replace(year=year, month=month + 1, day=min(moment.day, last))
    step = {
        "day": timedelta(days=by),
        "hour": timedelta(hours=by),
        "minute": timedelta(minutes=by),
    }[unit]
    moved = moment + step
    return moved if _EARLIEST <= moved.year <= _LATEST else moment


def rewrite_dates() -> None:
    """Show the dates of all fields as the region in force writes them."""
    for widget in QApplication.allWidgets():
        if isinstance(widget, DateTimeField):
            widget.rewrite()
