"""One sheet, its model and its lines, for what is read by hand.

The points of a site, a line a series; values are typed one below the other, all are entered at
once. Made for gloves: high lines, the keyboard alone suffices.
"""

from __future__ import annotations

import json
import math
from contextlib import suppress
from dataclasses import dataclass, replace
from datetime import datetime, time

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QHeaderView,
    QLineEdit,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from gezeiten.desk.record.statements.check_readings import (
    CheckQuestion,
    TypedCheck,
    enter,
    questions,
)
from gezeiten.desk.sites.places import PointPlace, SitePlace, sites
from gezeiten.domain.facts.people import initials
from gezeiten.domain.quantities.quantities import ShownUnit, quantity
from gezeiten.domain.series.series_keys import channel_of, is_derived
from gezeiten.domain.series.timeline import local_instant_ms
from gezeiten.domain.steps.checks.reading import DIPPED
from gezeiten.errors import InputError
from gezeiten.ui.format.i18n import counted, number, tr
from gezeiten.ui.format.units import Units, units_of
from gezeiten.ui.parts.date_time_field import DateTimeField
from gezeiten.ui.parts.field_error import FieldError
from gezeiten.ui.parts.number_field import number_of
from gezeiten.ui.parts.plain import plain_tip
from gezeiten.ui.parts.widgets import button, column, label, row
from gezeiten.ui.shell.app_context import AppContext
from gezeiten.ui.work.acting import ActionRunner
from gezeiten.ui.work.draft_keeper import DraftKeeper

_LINE_PX = 40
_READ, _LOW, _HIGH, _SURE, _TIME, _WORDS = range(2, 8)
_MOST_QUESTIONS = 4


@dataclass(frozen=True, slots=True)
class SheetLine:
    """A line of the sheet: what can be read there. is_dip: a dip in metres, whatever the series is
    shown in."""

    point: PointPlace
    series: str
    unit: ShownUnit
    is_dip: bool

    @property
    def name(self) -> str:
        """What is read."""
        its = quantity(self.series).name
        if self.is_dip:
            return tr("%1: dip to the water, m").replace("%1", its)
        return f"{its}, {self.unit.name}" if self.unit.name else its

    @property
    def draft_key(self) -> str:
        """What is typed here is kept under, as long as it is not entered."""
        return f"{self.point.uid} {self.series} {'dip' if self.is_dip else ''}"

    def recorded(self, shown: float) -> float:
        """Return a typed value as it is kept."""
        return shown if self.is_dip else self.unit.recorded(shown)


def lines_of(site: SitePlace, units: Units) -> list[SheetLine]:
    """Return what can be read by hand at the points of a site that are in use: of each point dips
    first, then what is measured, then what is calculated."""
    found: list[SheetLine] = []
    for point in site.points:
        keys = [] if point.retired else [place.channel for place in point.channels]
        dipped = [(key, True) for key in keys if channel_of(key) in DIPPED]
        read = [(key, False) for key in sorted(keys, key=is_derived)]
        found += [
            SheetLine(point, key, units.of_series(point, key), is_dip)
            for key, is_dip in dipped + read
        ]
    return found


class CheckSheet(QDialog):
    """Takes in what was read by hand at the points of a site."""

    def __init__(self, parent: QWidget, context: AppContext, point_id: int | None = None) -> None:
        """point_id: the point at hand, whose site is shown and whose lines come first."""
        super().__init__(parent)
        self.setWindowTitle(tr("Check reading sheet"))
        self._context, self._first = context, point_id
        self._acting = ActionRunner(context, self._show_message)
        self._units = units_of(context.desk.settings)
        self._sites: list[SitePlace] = []
        self._lines: list[SheetLine] = []
        self._asked: tuple[TypedCheck, ...] = ()
        self._drafts = DraftKeeper(context)
        self.site = QComboBox()
        self.site.setAccessibleName(tr("Site"))
        self.site.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.at = DateTimeField(tr("When"))
        self.by = QLineEdit(initials(context.desk.person))
        self.by.setAccessibleName(tr("Read by"))
        self.by.setMaxLength(40)
        self.by.setMaximumWidth(120)
        heads = [
            tr("Point"),
            tr("Quantity"),
            tr("Value"),
            tr("Lowest"),
            tr("Highest"),
            tr("± U"),
            tr("Time, if different"),
            tr("Remark"),
        ]
        self.table = QTableWidget(0, len(heads))
        self.table.setAccessibleName(tr("Check readings"))
        self.table.setHorizontalHeaderLabels(heads)
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(_LINE_PX)
        self.table.setTabKeyNavigation(True)
        head = self.table.horizontalHeader()
        head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        head.setSectionResizeMode(_WORDS, QHeaderView.ResizeMode.Stretch)
        head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        self.problem = label("", "ember", wrap=True)
        self.problem.hide()
        self.enter_button = button("", self.enter, "primary")
        self.setLayout(self._build_layout())
        self.resize(980, 620)
        self.site.currentIndexChanged.connect(lambda _: self._show_lines())
        self.table.itemChanged.connect(lambda _: self._changed())
        self._load()

    def _build_layout(self) -> QVBoxLayout:
        head = row(
            label(tr("Site"), "muted"),
            self.site,
            label(tr("time"), "muted"),
            self.at,
            label(tr("by"), "muted"),
            self.by,
            1,
            spacing=6,
        )
        hint = label(
            tr(
                "Type the values you read and leave the others empty. A dip is the "
                "distance from the reference mark down to the water."
            ),
            "muted",
            wrap=True,
        )
        laid = column(
            head,
            hint,
            self.table,
            self.problem,
            row(1, button(tr("Close"), self.reject), self.enter_button),
            spacing=8,
            margins=16,
        )
        laid.setStretchFactor(self.table, 1)
        return laid

    # -- showing ---------------------------------------------------------------------------------
    def _load(self) -> None:
        desk = self._context.desk
        self._show_count()
        self._context.run(lambda _task: sites(desk), self._show_sites, failed=self._show_message)

    def _show_sites(self, listed: list[SitePlace]) -> None:
        self._sites = [
            place for place in listed if not place.retired and lines_of(place, self._units)
        ]
        self.site.blockSignals(True)
        for site in self._sites:
            self.site.addItem(site.name)
        here = (
            i
            for i, one in enumerate(self._sites)
            if any(point.id == self._first for point in one.points)
        )
        self.site.setCurrentIndex(next(here, 0))
        self.site.blockSignals(False)
        if not self._sites:
            self._show_message(tr("There are no readings yet; offload a logger first."))
        self._show_lines()

    @property
    def _zone(self) -> str:
        place = self.site.currentIndex()
        return self._sites[place].zone if 0 <= place < len(self._sites) else "UTC"

    def _show_lines(self) -> None:
        place = self.site.currentIndex()
        lines = lines_of(self._sites[place], self._units) if place >= 0 else []
        self._lines = sorted(lines, key=lambda one: one.point.id != self._first)
        self.at.show_instant(round(self._context.desk.now_ms()), self._zone)
        known = self._stored_draft()
        self.table.blockSignals(True)
        self.table.setRowCount(len(self._lines))
        for i, line in enumerate(self._lines):
            for j in range(self.table.columnCount()):
                fixed = {0: line.point.name, 1: line.name}.get(j)
                item = QTableWidgetItem(fixed or known.get(f"{line.draft_key} {j}", ""))
                if fixed is not None or (line.is_dip and j in (_LOW, _HIGH)):
                    item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
                if fixed is not None:
                    item.setToolTip(plain_tip(fixed))
                self.table.setItem(i, j, item)
        self.table.blockSignals(False)
        if self._lines:
            self.table.setCurrentCell(0, _READ)
            self.table.setFocus()
        self._changed()

    @property
    def _draft_name(self) -> str:
        place = self.site.currentIndex()
        return f"check sheet {self._sites[place].uid}" if place >= 0 else ""

    def _stored_draft(self) -> dict[str, str]:
        """Return what was typed for this site and not entered yet."""
        with suppress(ValueError, AttributeError):
            return {
                str(key): str(text)
                for key, text in json.loads(self._drafts.get(self._draft_name) or "{}").items()
            }
        return {}

    def _save_draft(self) -> None:
        typed = {
            f"{line.draft_key} {j}": text
            for i, line in enumerate(self._lines)
            for j in range(_READ, _WORDS + 1)
            if (text := self._text(i, j))
        }
        if self._draft_name:
            self._drafts.remember(self._draft_name, json.dumps(typed) if typed else "")

    def _changed(self) -> None:
        self._asked = ()
        self._save_draft()
        self._show_message("")
        self._show_count()

    def _show_count(self) -> None:
        count = sum(self._is_filled(i) for i in range(len(self._lines)))
        self.enter_button.setEnabled(count > 0)
        words = tr("Save anyway") if self._asked else ""
        self.enter_button.setText(
            words or counted(count, "Save %n check reading", "Save %n check readings")
        )

    def _is_filled(self, i: int) -> bool:
        return any(self._text(i, j) for j in (_READ, _LOW, _HIGH))

    def _text(self, i: int, j: int) -> str:
        item = self.table.item(i, j)
        return item.text().strip() if item is not None else ""

    # -- entering --------------------------------------------------------------------------------
    def typed(self) -> tuple[TypedCheck, ...]:
        """Return what was typed, line by line.

        Raises:
            InputError: a cell makes no sense; it is made the current one.
        """
        at = self.at.shown()
        return tuple(self._typed(i, at) for i in range(len(self._lines)) if self._is_filled(i))

    def _typed(self, i: int, at: datetime) -> TypedCheck:
        line = self._lines[i]
        value, low, high, u = (self._number(i, j) for j in (_READ, _LOW, _HIGH, _SURE))
        uncertainty = None
        if u is not None:
            uncertainty = abs(u if line.is_dip else line.unit.recorded_difference(u))
        return TypedCheck(
            line.point,
            line.series,
            self._instant_ms(i, at),
            math.nan if value is None else line.recorded(value),
            self.by.text().strip(),
            line.is_dip,
            uncertainty,
            None if low is None else line.recorded(low),
            None if high is None else line.recorded(high),
            self._text(i, _WORDS),
        )

    def _number(self, i: int, j: int) -> float | None:
        text = self._text(i, j)
        if not text:
            return None
        field = QLineEdit(text)
        field.setLocale(self.locale())
        try:
            return number_of(field, tr("the value"))
        except FieldError:
            self.table.setCurrentCell(i, j)
            raise

    def _instant_ms(self, i: int, at: datetime) -> int:
        text = self._text(i, _TIME)
        if text:
            try:
                at = datetime.combine(at, time.fromisoformat(text.replace(".", ":").zfill(5)))
            except ValueError:
                self.table.setCurrentCell(i, _TIME)
                words = tr("“%1” is not a time; type it like 14:05.").replace("%1", text)
                raise InputError(words) from None
        return local_instant_ms(at, self._zone)

    def enter(self) -> None:
        """Enter what was typed; what cannot well be is asked about first."""
        desk = self._context.desk
        try:
            typed = self.typed()
        except InputError as exc:
            self._show_message(str(exc))
            return
        is_asked = _same(typed, self._asked)

        def act() -> list[CheckQuestion] | int:
            asks = [] if is_asked else questions(desk, typed)
            return asks or enter(desk, typed)

        self._acting.do(act, lambda answer: self._show_result(answer, typed))

    def _show_result(
        self, answer: list[CheckQuestion] | int, typed: tuple[TypedCheck, ...]
    ) -> None:
        if isinstance(answer, int):
            self._context.show_message(
                counted(answer, "%n check reading saved.", "%n check readings saved.")
            )
            self._drafts.remember(self._draft_name, "")
            self._context.archive_changed.emit()
            self.accept()
            return
        self._asked = typed
        texts = [self._question_text(one) for one in answer[:_MOST_QUESTIONS]]
        if len(answer) > _MOST_QUESTIONS:
            more = len(answer) - _MOST_QUESTIONS
            texts.append(counted(more, "And %n more.", "And %n more."))
        self._show_message(" ".join(texts))
        self._show_count()

    def _question_text(self, check_question: CheckQuestion) -> str:
        line = next(
            x
            for x in self._lines
            if x.point.id == check_question.typed.point.id
            and x.series == check_question.typed.series
            and x.is_dip == check_question.typed.is_dip
        )
        its = quantity(line.series)
        decimals = 3 if line.is_dip else max(its.decimals + line.unit.extra_decimals, 0)

        def shown(recorded: float) -> str:
            value = recorded if line.is_dip else line.unit.shown(recorded)
            return f"{number(value, decimals)} {'m' if line.is_dip else line.unit.name}".strip()

        words = tr("%1, %2: %3 was read, but about %4 is expected. %5")
        reason = DOUBTS[check_question.doubt]
        return (
            words.replace("%1", line.point.name)
            .replace("%2", its.name)
            .replace("%3", shown(check_question.typed.value))
            .replace("%4", shown(check_question.expected))
            .replace("%5", tr(reason).replace("%1", check_question.fits))
        )

    def _show_message(self, sentence: str) -> None:
        self.problem.setText(sentence)
        self.problem.setVisible(bool(sentence))


DOUBTS = {
    "sign": "Is the sign reversed?",
    "cm": "Was it read in centimetres?",
    "mm": "Was it read in millimetres?",
    "ft": "Was it read in feet?",
    "°F": "Was it read in °F?",
    "tenfold": "Is it ten times too large?",
    "tenth": "Is it ten times too small?",
    "other point": "It fits %1: was it read there?",
    "no reason": "Look again; save anyway if it is right.",
}
"""What is asked about a check that cannot well be."""


def _same(a: tuple[TypedCheck, ...], b: tuple[TypedCheck, ...]) -> bool:
    """Whether two sheets say the same; what was not read is no number, and unlike itself."""
    if len(a) != len(b):
        return False
    return all(
        replace(x, value=0.0) == replace(y, value=0.0)
        and (x.value == y.value or (math.isnan(x.value) and math.isnan(y.value)))
        for x, y in zip(a, b, strict=True)
    )
