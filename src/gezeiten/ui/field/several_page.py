"""Several loggers at once: five stages of each in a row, what cannot be applied, results."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QAbstractItemView,
    QButtonGroup,
    QHeaderView,
    QRadioButton,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from gezeiten.desk.logger.launch.several import LoggerResult, PreparedLaunch
from gezeiten.domain.base.intervals import interval_text
from gezeiten.ui.format.i18n import clock_time, counted, tr
from gezeiten.ui.parts.flow import FlowLayout
from gezeiten.ui.parts.plain import plain_tip
from gezeiten.ui.parts.widgets import Card, button, column, label, row
from gezeiten.ui.shell.theme import LIGHT, Theme

_SIGNS = {"passed": "✓", "look": "!", "blocking": "✕", "note": "·"}
_COLORS = {"passed": "kelp", "look": "brass", "blocking": "ember", "note": "muted"}


class SeveralPage(QWidget):
    """asked: name of an action ("labels", "again", "common", "untick")."""

    asked = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("ground")
        self.theme: Theme = LIGHT
        self.as_it_was = QRadioButton(tr("each with its last plan"))
        self.common = QRadioButton(tr("one plan for all"))
        self.as_it_was.setChecked(True)
        group = QButtonGroup(self)
        for choice, action in ((self.as_it_was, "again"), (self.common, "common")):
            group.addButton(choice)
            choice.clicked.connect(lambda _=False, action=action: self.asked.emit(action))
        self.table = QTableWidget(0, 7)
        self.table.setAccessibleName(tr("Selected loggers"))
        self.table.setHorizontalHeaderLabels(
            [
                tr("Logger"),
                tr("Identity"),
                tr("Offload"),
                tr("Health"),
                tr("Plan"),
                tr("Launch"),
                tr("Result"),
            ]
        )
        self.table.verticalHeader().hide()
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setShowGrid(False)
        self.table.setWordWrap(True)
        head = self.table.horizontalHeader()
        head.setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        head.setSectionResizeMode(6, QHeaderView.ResizeMode.Stretch)
        head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        self.lost = label("", "muted", wrap=True)
        self.labels = button(tr("Print labels"), lambda: self.asked.emit("labels"))
        self.labels.setEnabled(False)
        untick = button(tr("Clear selection"), lambda: self.asked.emit("untick"), "link")
        card = Card(tr("Several loggers"), untick)
        card.body.addLayout(FlowLayout(self.as_it_was, self.common, spacing=16))
        card.body.addWidget(self.table, 1)
        self._lost_title = label(tr("What cannot be applied"), "head")
        card.body.addWidget(self._lost_title)
        card.body.addWidget(self.lost)
        card.body.addLayout(row(self.labels, 1))
        self.setLayout(column(card))
        self._results: dict[str, LoggerResult] = {}
        self._prepared: list[PreparedLaunch] = []
        self._finished: list[PreparedLaunch] = []
        self._zones: dict[str, str] = {}

    def show_prepared(self, prepared: list[PreparedLaunch], zones: dict[str, str]) -> None:
        """Show what is meant for each logger; results of before stay for those still ticked."""
        before = {one.card.serial for one in self._rows}
        self._prepared, self._zones = prepared, zones
        serials = {prepared_launch.card.serial for prepared_launch in prepared}
        shown = serials | {prepared_launch.card.serial for prepared_launch in self._finished}
        self._results = {s: r for s, r in self._results.items() if s in shown}
        self._fill()
        for place in range(6):  # for other loggers only, else columns would jump; words wrap
            if serials - before:
                self.table.resizeColumnToContents(place)
        self._fit_rows()
        lost = [
            f"{prepared_launch.card.serial}: {sentence}"
            for prepared_launch in prepared
            for sentence in prepared_launch.unsupported
        ]
        self._lost_title.setVisible(bool(lost))
        self.lost.setVisible(bool(lost))
        self.lost.setText("\n".join(lost))

    def forget_results(self) -> None:
        """Begin a new run."""
        self._results = {}
        self._fill()

    def show_finished(self, prepared: list[PreparedLaunch], serials: list[str]) -> None:
        """Keep the rows of loggers that were launched, above those that are still ticked; none
        lets go of them."""
        by_serial = {one.card.serial: one for one in [*self._finished, *prepared]}
        self._finished = [by_serial[serial] for serial in serials if serial in by_serial]
        self._fill()

    @property
    def _rows(self) -> list[PreparedLaunch]:
        """What is listed: those that were launched, then those that are meant."""
        meant = {one.card.serial for one in self._prepared}
        return [
            *(
                prepared_launch
                for prepared_launch in self._finished
                if prepared_launch.card.serial not in meant
            ),
            *self._prepared,
        ]

    def show_result(self, result: LoggerResult) -> None:
        """Show what became of one logger."""
        self._results[result.serial] = result
        self.labels.setEnabled(any(r.launched is not None for r in self._results.values()))
        self._fill()

    def _fill(self) -> None:
        self.table.setRowCount(len(self._rows))
        for i, one in enumerate(self._rows):
            place = one.plan.point_name.split(" · ")[-1]
            self._set_cell(i, 0, f"{one.card.serial}\n{place}", "ink")
            result = self._results.get(one.card.serial)
            is_launched = result is not None and result.launched is not None
            for j, (weight, words) in enumerate(stage_states(one, is_launched=is_launched), 1):
                self._set_cell(i, j, f"{_SIGNS[weight]} {words}".strip(), _COLORS[weight])
            self._set_cell(i, 6, *self._result(one))
        self._fit_rows()

    def _fit_rows(self) -> None:
        self.table.resizeRowsToContents()
        for i in range(self.table.rowCount()):
            self.table.setRowHeight(i, self.table.rowHeight(i) + 8)

    def _result(self, launch: PreparedLaunch) -> tuple[str, str]:
        result = self._results.get(launch.card.serial)
        if result is None:
            if launch.needs_reason_only:
                return tr("reason required (F3)"), "brass"
            return launch.first_obstacle, "ember"
        if result.launched is None:
            return f"✕ {result.sentence}", "ember"
        zone = self._zones.get(launch.plan.point_name, "UTC")
        first = tr("waiting for its button")
        if result.launched.first_ms:
            at = clock_time(result.launched.first_ms, zone, seconds=True)
            first = tr("first reading %1").replace("%1", at)
        return f"✓ {result.sentence.rstrip('.')}; {first}.", "kelp"

    def _set_cell(self, line: int, place: int, text: str, color: str) -> None:
        item = QTableWidgetItem(text)
        item.setForeground(self.theme.color(color))
        item.setToolTip(plain_tip(text))
        self.table.setItem(line, place, item)

    def set_theme(self, theme: Theme) -> None:
        self.theme = theme
        self._fill()


def stage_states(launch: PreparedLaunch, *, is_launched: bool = False) -> list[tuple[str, str]]:
    """Return weight and words of the five stages of one logger."""
    card = launch.card
    label_ = next((c for c in launch.checks if c.key == "label"), None)
    compared = {"passed": tr("label compared"), "blocking": tr("wrong label!")}
    weight = "note" if label_ is None else label_.weight
    identity = (weight, compared.get(weight, tr("not compared")))
    if card.readings_to_offload and not is_launched:
        offload = ("look", counted(card.readings_to_offload, "%n to offload", "%n to offload"))
    else:
        offload = ("passed", tr("all saved"))
    about_plan = [c for c in launch.checks if c.field and c.weight in ("blocking", "look")]
    health = [c for c in launch.checks if c.weight == "look" and not c.field and c.key != "label"]
    fits = ("passed", interval_text(launch.plan.interval_s))
    if any(c.weight == "blocking" for c in about_plan):
        fits = ("blocking", tr("does not fit"))
    elif about_plan or launch.unsupported:
        fits = ("look", interval_text(launch.plan.interval_s))
    ready = ("blocking", tr("not yet")) if launch.first_obstacle else ("note", tr("ready"))
    if is_launched:
        ready = ("passed", tr("launched"))
    good = ("passed", tr("good"))
    warned = ("look", counted(len(health), "%n warning", "%n warnings"))
    return [identity, offload, warned if health else good, fits, ready]
