"""Many gaps in one action: a rule, what it would do about each, then all that are ticked at
once."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QDialog,
    QHeaderView,
    QLineEdit,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from gezeiten.desk.field.gaps import BookedGap, gaps
from gezeiten.desk.field.several_gaps import GapRule, PlannedFill, do_all, listed
from gezeiten.domain.base.intervals import parse_interval_s
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.timeline import duration_text
from gezeiten.ui.format.i18n import counted, instant, number, tr
from gezeiten.ui.format.units import units_of
from gezeiten.ui.parts.field_error import FieldError
from gezeiten.ui.parts.plain import plain_tip
from gezeiten.ui.parts.widgets import button, column, label, row
from gezeiten.ui.plan.section import captioned, parsed
from gezeiten.ui.shell.app_context import AppContext
from gezeiten.ui.work.acting import ActionRunner
from gezeiten.ui.work.work_queue import Task

_RULES = (
    ("line", "a straight line, where the point allows it"),
    ("best", "the best estimate"),
    ("leave", "left open, with a reason"),
)
_ALL = ""


class SeveralGapsDialog(QDialog):
    """Lists what a rule would do about all gaps that are open, and does what is ticked."""

    def __init__(self, parent: QWidget, context: AppContext) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Fill several gaps"))
        self._context = context
        self._acting = ActionRunner(context, self._show_message)
        self._units = units_of(context.desk.settings)
        self._gaps: list[BookedGap] = []
        self._found: list[PlannedFill] = []
        self._task: Task | None = None
        self.site = QComboBox()
        self.site.setAccessibleName(tr("Site"))
        self.rule = QComboBox()
        self.rule.setAccessibleName(tr("Action"))
        for key, name in _RULES:
            self.rule.addItem(tr(name), key)
        self.longest = QLineEdit("2 h")
        self.longest.setAccessibleName(tr("Up to"))
        self.longest.setMaximumWidth(110)
        self.reason = QLineEdit()
        self.reason.setAccessibleName(tr("Reason for leaving open"))
        self.reason.setPlaceholderText(tr("reason"))
        self.look_button = button(tr("Preview"), self.look)
        heads = [
            tr("Fill gaps"),
            tr("Point"),
            tr("Gap"),
            tr("Readings"),
            tr("Action"),
            tr("Expected error"),
        ]
        self.table = QTableWidget(0, len(heads))
        self.table.setAccessibleName(tr("Preview"))
        self.table.setHorizontalHeaderLabels(heads)
        self.table.verticalHeader().hide()
        self.table.setShowGrid(False)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        head = self.table.horizontalHeader()
        head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        for wide in (4, 5):
            head.setSectionResizeMode(wide, QHeaderView.ResizeMode.Stretch)
        self.progress = label("", "muted")
        self.problem = label("", "ember", wrap=True)
        self.problem.hide()
        self.do_button = button("", self.apply, "primary")
        self.stop_button = button(tr("Stop"), self.stop)
        self.setLayout(self._build_layout())
        self.resize(1010, 600)
        self.rule.currentIndexChanged.connect(lambda _: self._update_rule_fields())
        self.site.currentIndexChanged.connect(lambda _: self._forget())
        self.table.itemChanged.connect(lambda _: self._show_count())
        self._update_rule_fields()
        self._load()

    def _build_layout(self) -> QVBoxLayout:
        boxes = []
        for caption, part in (
            (tr("Gaps of"), self.site),
            (tr("Action"), self.rule),
            (tr("Up to"), self.longest),
        ):
            box = QWidget()
            box.setLayout(captioned(caption, part))
            boxes.append(box)
        laid = column(
            row(*boxes, 1, spacing=10),
            self.reason,
            row(self.look_button, self.stop_button, self.progress, 1, spacing=10),
            self.table,
            self.problem,
            row(1, button(tr("Close"), self.reject), self.do_button),
            spacing=8,
            margins=16,
        )
        laid.setStretchFactor(self.table, 1)
        return laid

    # -- looking ---------------------------------------------------------------------------------
    def _load(self) -> None:
        desk = self._context.desk
        self._context.run(
            lambda _task: [gap for gap in gaps(desk) if gap.state == "open"],
            self._show_gaps,
            failed=self._show_message,
        )

    def _show_gaps(self, found: list[BookedGap]) -> None:
        self._gaps = found
        self.site.blockSignals(True)
        self.site.clear()
        self.site.addItem(tr("all sites"), _ALL)
        for name in dict.fromkeys(booked_gap.point.site for booked_gap in found):
            self.site.addItem(name, name)
        self.site.blockSignals(False)
        self._forget()
        if not found:
            self._show_message(tr("No gap is open."))

    def _update_rule_fields(self) -> None:
        self.reason.setVisible(self.rule.currentData() == "leave")
        self._forget()

    def _forget(self) -> None:
        """What was listed was by another rule."""
        self.stop()
        self._found = []
        self.table.setRowCount(0)
        count = len(self._selected())
        self.progress.setText(counted(count, "%n open gap", "%n open gaps"))
        self.look_button.setEnabled(count > 0)
        self.stop_button.hide()
        self._show_count()

    def _selected(self) -> list[BookedGap]:
        wanted = self.site.currentData()
        return [gap for gap in self._gaps if wanted in (_ALL, None, gap.point.site)]

    def look(self) -> None:
        """List what the rule would do about each gap; nothing is done yet."""
        try:
            longest_ms = round(parsed(self.longest, parse_interval_s) * 1000)
        except FieldError as exc:
            self._show_message(str(exc))
            return
        rule = GapRule(self.rule.currentData(), longest_ms, self.reason.text())
        desk, selected = self._context.desk, self._selected()
        self._forget()
        self._show_message("")
        self.look_button.setEnabled(False)
        self.stop_button.show()

        def work(task: Task) -> list[PlannedFill]:
            self._task = task
            return listed(desk, rule, selected, task.report, task.cancelled)

        self._context.run(
            work,
            lambda _: self._show_loaded(),
            failed=self._failed,
            progress=self._add,
            latest="many gaps",
        )

    def stop(self) -> None:
        """End looking; what was listed by then can be done."""
        if self._task is not None:
            self._task.cancel()

    def _show_loaded(self) -> None:
        self._task = None
        self.look_button.setEnabled(True)
        self.stop_button.hide()

    def _failed(self, sentence: str) -> None:
        self._show_loaded()
        self._show_message(sentence)

    def _add(self, fill: PlannedFill) -> None:
        self._found.append(fill)
        zone, gap = fill.booked.point.zone, fill.booked.gap
        errors = [
            self._units.error(fill.booked.point, key, rmse) for key, rmse in fill.errors.items()
        ]
        what = tr(fill.name) if not fill.refusal else tr(fill.refusal)
        series = ", ".join(quantity(key).name for key in fill.booked.channels)
        texts = [
            "",
            fill.booked.point.full_name,
            f"{instant(gap.start_ms, zone)} · {duration_text(gap.length_ms)}",
            number(gap.missing),
            what,
            " · ".join(errors) or "–",
        ]
        at = self.table.rowCount()
        self.table.blockSignals(True)
        self.table.setRowCount(at + 1)
        for j, text in enumerate(texts):
            item = QTableWidgetItem(text)
            item.setToolTip(plain_tip(f"{text}\n{series}" if j else series))
            self.table.setItem(at, j, item)
        first = self.table.item(at, 0)
        if first is not None:
            can = fill.action is not None
            flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
            first.setFlags(flags | Qt.ItemFlag.ItemIsUserCheckable if can else flags)
            if can:
                first.setCheckState(Qt.CheckState.Checked)
        self.table.resizeRowToContents(at)
        self.table.blockSignals(False)
        words = tr("%1 of %2 searched").replace("%1", number(len(self._found)))
        self.progress.setText(words.replace("%2", number(len(self._selected()))))
        self._show_count()

    def ticked(self) -> list[PlannedFill]:
        """Return what is ticked."""
        return [
            one
            for i, one in enumerate(self._found)
            if one.action is not None
            and (item := self.table.item(i, 0)) is not None
            and item.checkState() == Qt.CheckState.Checked
        ]

    def _show_count(self) -> None:
        count = len(self.ticked())
        self.do_button.setEnabled(count > 0)
        self.do_button.setText(counted(count, "Fill %n gap", "Fill %n gaps"))

    # -- doing -----------------------------------------------------------------------------------
    def apply(self) -> None:
        """Do what is ticked, in one action."""
        desk, selected = self._context.desk, self.ticked()

        def done(count: int) -> None:
            words = counted(
                count,
                "%n gap done; Ctrl+Shift+Z in Mend undoes the batch.",
                "%n gaps done; Ctrl+Shift+Z in Mend undoes the batch.",
            )
            self._context.show_message(words)
            self._context.archive_changed.emit()
            self.accept()

        self._acting.do(lambda: do_all(desk, selected), done)

    def _show_message(self, sentence: str) -> None:
        self.problem.setText(sentence)
        self.problem.setVisible(bool(sentence))
