"""A courier or a drive in the middle of the Field desk: its records, taking them, letting it go."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent, QResizeEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QHeaderView,
    QProgressBar,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from gezeiten.desk.intake.carriers.carried_records import KEPT, NEW, CarriedRecord
from gezeiten.desk.intake.carriers.couriers import CourierCard, clock_refusal, room_left
from gezeiten.desk.intake.carriers.drives import DriveCard
from gezeiten.domain.board.thresholds import is_clock_difference_notable
from gezeiten.domain.series.timeline import duration_text
from gezeiten.link.registers import CourierMode
from gezeiten.link.transfer import Progress
from gezeiten.ui.charts.ticks import TickDelegate
from gezeiten.ui.field.logger.logger_texts import clock_text
from gezeiten.ui.format.i18n import (
    clock_time,
    counted,
    day_and_time,
    home_zone,
    number,
    tr,
    zones_text,
)
from gezeiten.ui.format.progress import progress_text
from gezeiten.ui.parts.flow import FlowLayout
from gezeiten.ui.parts.plain import plain_tip
from gezeiten.ui.parts.widgets import Card, Facts, button, column, label
from gezeiten.ui.shell.theme import LIGHT, TARGET_PX, Theme

AT_LOGGERS_WORDS = {
    CourierMode.FIXED: "as configured",
    CourierMode.LEAVES_RUNNING: "leaves them running",
    CourierMode.LAUNCHES_AGAIN: "launches them again",
}
_KEY = Qt.ItemDataRole.UserRole
_SIGNS = {NEW: ("●", "tide"), KEPT: ("✓", "kelp")}
CarrierCard = CourierCard | DriveCard


class CarrierPage(QWidget):
    """asked: name of an action ("take", "ready", "cancel"). Space ticks a record. zones: of the
    sites, by the full names of their points."""

    asked = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("ground")
        self.theme: Theme = LIGHT
        self.card: CarrierCard | None = None
        self.zones: Mapping[str, str] = {}
        self._ticked: set[str] = set()
        self.title = label("", "big")
        self.facts = Facts(2)
        self.table = _records_table()
        self.table.itemChanged.connect(self._item_changed)
        self.times_note = label("", "muted")
        self.words = label("", wrap=True)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.hide()
        self.take = button("", lambda: self.asked.emit("take"), "primary")
        self.ready = button("", lambda: self.asked.emit("ready"))
        self.clear = button(tr("Clear saved records …"), lambda: self.asked.emit("clear"))
        self.clock = button(tr("Set the clock"), lambda: self.asked.emit("clock"))
        self.courier_mode = QCheckBox(tr("launches loggers again after collecting"))
        self.courier_mode.clicked.connect(lambda _=False: self.asked.emit("manner"))
        self.cancel = button(tr("Stop importing"), lambda: self.asked.emit("cancel"))
        self.cancel.hide()
        card = Card()
        for part in (
            self.title,
            self.facts,
            self.courier_mode,
            self.table,
            self.times_note,
            self.words,
            self.bar,
        ):
            card.body.addWidget(part, 1 if part is self.table else 0)
        buttons = (self.take, self.ready, self.clear, self.clock, self.cancel)
        card.body.addLayout(FlowLayout(*buttons))
        self.setLayout(column(card))
        self.setFocusProxy(self.table)

    def show_card(self, card: CarrierCard) -> None:
        """Show a courier or a drive as just seen; its new records are ticked."""
        is_same = self.card is not None and key_of(self.card) == key_of(card)
        self.card = card
        if not is_same:
            self.words.setText("")
        self._ticked = {record.key for record in card.new}
        self.title.setText(name_of(card))
        self.facts.show_facts(
            _courier_facts(card) if isinstance(card, CourierCard) else _drive_facts(card)
        )
        self._fill(card)
        here = (self.zones.get(r.point, home_zone()) for r in card.records)
        self.times_note.setText(zones_text(here))
        self.ready.setText(tr("Prepare …") if isinstance(card, CourierCard) else tr("Eject"))
        self._show_courier(card)
        self._show_buttons()

    def _show_courier(self, card: CarrierCard) -> None:
        """What can be done with a courier's clock and manner, or with a drive's files."""
        courier = card if isinstance(card, CourierCard) else None
        self.clear.setVisible(courier is None)
        self.clock.setVisible(courier is not None)
        at_loggers = courier.state.at_loggers if courier else CourierMode.FIXED
        self.courier_mode.setVisible(at_loggers != CourierMode.FIXED)
        self.courier_mode.setChecked(at_loggers == CourierMode.LAUNCHES_AGAIN)
        if courier is not None:
            reason = clock_refusal(courier)
            self.clock.setEnabled(not reason)
            self.clock.setToolTip(plain_tip(reason))
            if clock_off_text(courier) and not self.words.text():
                off = tr("Its clock is wrong, and it dates every launch: ")
                self.words.setText(off + (reason or tr("set it before the next round.")))

    def wanted(self) -> set[str]:
        """Return the keys of the ticked records."""
        return set(self._ticked)

    def show_transfer(self) -> None:
        """Records are being taken."""
        self.bar.setValue(0)
        for part in (self.bar, self.cancel):
            part.show()
        self.take.setEnabled(False)
        self.ready.setEnabled(False)

    def end(self) -> None:
        """Nothing is being taken any more."""
        for part in (self.bar, self.cancel):
            part.hide()
        self._show_buttons()

    def show_progress(self, progress: Progress) -> str:
        """Show where taking stands; returns it as a sentence."""
        self.bar.setMaximum(max(progress.of_readings, 1))
        self.bar.setValue(progress.readings)
        words = progress_text(tr("importing"), progress)
        self.words.setText(words)
        return words

    def set_theme(self, theme: Theme) -> None:
        self.theme = theme
        if self.card is not None:
            self._fill(self.card)

    # -- table -----------------------------------------------------------------------------------
    def _fill(self, card: CarrierCard) -> None:
        self.table.blockSignals(True)
        self.table.setRowCount(len(card.records))
        for line, record in enumerate(card.records):
            for place, (text, color) in enumerate(_cells(record, self.zones)):
                item = QTableWidgetItem(text)
                item.setForeground(self.theme.color(color))
                item.setToolTip(plain_tip(record.note or text))
                if place == 0:
                    item.setData(_KEY, record.key)
                    self._tickable(item, record)
                if place in (4, 5):
                    item.setTextAlignment(
                        Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
                    )
                self.table.setItem(line, place, item)
        self.table.blockSignals(False)
        QTimer.singleShot(0, self._fit_rows)  # once the columns have their widths

    def _fit_rows(self) -> None:
        self.table.resizeRowsToContents()
        least = TARGET_PX[self.theme.name] + 2  # a tick box of that size stands in the first cell
        for line in range(self.table.rowCount()):
            self.table.setRowHeight(line, max(self.table.rowHeight(line) + 8, least))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        QTimer.singleShot(0, self._fit_rows)

    def _tickable(self, item: QTableWidgetItem, record: CarriedRecord) -> None:
        if record.is_new:
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked)

    def _item_changed(self, item: QTableWidgetItem) -> None:
        key = item.data(_KEY)
        if key is None:
            return
        if item.checkState() == Qt.CheckState.Checked:
            self._ticked.add(key)
        else:
            self._ticked.discard(key)
        self._show_buttons()

    def _show_buttons(self) -> None:
        card = self.card
        if card is None or not self.bar.isHidden():
            return
        count = len(self._ticked)
        words = counted(count, "Import %n record (F6)", "Import %n records (F6)")
        self.take.setText(words if count else tr("No records selected"))
        self.take.setEnabled(bool(count))
        self.ready.setEnabled(bool(card.records) or isinstance(card, DriveCard))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        line = self.table.currentRow()
        item = self.table.item(line, 0) if line >= 0 else None
        if (
            event.key() == Qt.Key.Key_Space
            and item is not None
            and item.data(_KEY) in {r.key for r in (self.card.new if self.card else [])}
        ):
            ticked = item.checkState() == Qt.CheckState.Checked
            item.setCheckState(Qt.CheckState.Unchecked if ticked else Qt.CheckState.Checked)
        else:
            super().keyPressEvent(event)


def _records_table() -> QTableWidget:
    table = QTableWidget(0, 7)
    table.setAccessibleName(tr("Records"))
    table.setHorizontalHeaderLabels(
        [
            tr("Logger"),
            tr("Mission"),
            tr("Launched"),
            tr("Collected"),
            tr("Readings"),
            tr("Size"),
            tr("State"),
        ]
    )
    table.verticalHeader().hide()
    table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
    table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    table.setShowGrid(False)
    table.setWordWrap(True)
    table.setTabKeyNavigation(False)
    table.setItemDelegateForColumn(0, TickDelegate(table))
    head = table.horizontalHeader()
    head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
    for stretched in (1, 6):
        head.setSectionResizeMode(stretched, QHeaderView.ResizeMode.Stretch)
    head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
    return table


def key_of(card: CarrierCard) -> str:
    """Return what tells one courier or drive from another."""
    return card.serial if isinstance(card, CourierCard) else str(card.drive.root)


def name_of(card: CarrierCard) -> str:
    """Return how people call it."""
    if isinstance(card, CourierCard):
        return tr("Courier %1").replace("%1", card.serial)
    return tr("Drive %1").replace("%1", card.drive.label)


def clock_off_text(card: CarrierCard) -> str:
    """Return " · clock −12 min" of a courier whose clock is off: it dates every launch it makes."""
    if not isinstance(card, CourierCard) or not is_clock_difference_notable(
        card.clock.difference_ms
    ):
        return ""
    off = duration_text(round(card.clock.difference_ms))
    return " · " + tr("clock %1").replace("%1", off)


def _cells(record: CarriedRecord, zones: Mapping[str, str]) -> list[tuple[str, str]]:
    zone = zones.get(record.point, home_zone())
    sign, color = _SIGNS.get(record.state, ("✕", "ember"))
    state = {
        NEW: counted(record.new_readings, "%n new reading", "%n new readings"),
        KEPT: tr("already saved"),
    }.get(record.state, tr("cannot be imported"))
    texts = [f"{sign} {state}"]
    if record.left:
        texts.append(
            {
                "relaunched": tr("relaunched there"),
                "running": tr("left running"),
                "stopped": tr("left stopped"),
            }[record.left]
        )
    words = " · ".join(texts) + (f"\n{record.note}" if record.note else "")
    name = record.mission_name or record.key
    place = record.point.replace(" · ", ", ")
    return [
        (f"{record.serial}\n{record.model}".strip() or record.key, "ink"),
        (f"{name} ({number(record.mission)})\n{place}" if record.serial else record.key, "ink"),
        (day_and_time(record.launched_ms, zone) if record.launched_ms else "", "ink"),
        (day_and_time(record.collected_ms, zone) if record.collected_ms else "", "ink"),
        (number(record.readings) if record.readings else "", "ink"),
        (f"{number(record.size / 1000)} kB", "ink"),
        (words, color),
    ]


def _courier_facts(card: CourierCard) -> list[tuple[str, str]]:
    state = card.state
    full = 100 * state.memory_used / max(state.memory_size, 1)
    return [
        (tr("Address"), f"{card.address} · {tr(card.address.route)}"),
        (tr("Clock"), clock_text(card.clock.difference_ms)),
        (tr("Memory"), f"{number(full)} % {tr('used')}"),
        (
            tr("Main battery"),
            f"{number(state.main_permille / 10)} % · {number(state.main_mv / 1000, 2)} V",
        ),
        (tr("Battery of its clock"), f"{number(state.clock_battery_mv / 1000, 2)} V"),
        (tr("Space for full loggers"), _room(card)),
        (tr("At loggers"), tr(AT_LOGGERS_WORDS[CourierMode(state.at_loggers)])),
        (tr("Firmware"), card.firmware),
    ]


def _room(card: CourierCard) -> str:
    fits = [f"{number(count)} × {model}" for model, count in room_left(card) if count]
    return ", ".join(fits) or tr("none; prepare the courier")


def _drive_facts(card: DriveCard) -> list[tuple[str, str]]:
    reports = counted(len(card.reports), "%n report", "%n reports")
    if card.reports:
        reports += " · " + tr("saved with the records")
    return [
        (tr("Path"), str(card.drive.root)),
        (tr("Device"), card.drive.device or tr("a folder")),
        (tr("Logger's own reports"), reports),
        (tr("Read at"), clock_time(card.at_ms, home_zone())),
    ]
