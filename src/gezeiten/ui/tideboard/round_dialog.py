"""Prepare visit: sites of a day, the round in a sensible order, what to bring, plans ready."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QStackedWidget,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from gezeiten.desk.field.board import board
from gezeiten.desk.field.rounds import (
    Round,
    VisitTask,
    close_round,
    make_round,
    omit_task,
    open_round,
    set_task_plan,
)
from gezeiten.desk.field.sheets import write_round
from gezeiten.desk.logger.launch.planning import latest_plan_at, stored_plans
from gezeiten.domain.base.intervals import interval_text
from gezeiten.domain.board.board import Board
from gezeiten.domain.facts.stored import StoredPlan
from gezeiten.domain.series.timeline import DAY_MS, from_ms, midnight_ms
from gezeiten.errors import InputError
from gezeiten.ui.format.i18n import counted, date, day, home_zone, number, tr
from gezeiten.ui.parts.date_time_field import DateTimeField
from gezeiten.ui.parts.field_error import FieldError
from gezeiten.ui.parts.plain import plain_tip
from gezeiten.ui.parts.tables import plain_table, selected_item
from gezeiten.ui.parts.widgets import button, column, label, row
from gezeiten.ui.shell.app_context import AppContext
from gezeiten.ui.work.acting import ActionRunner
from gezeiten.ui.work.draft_keeper import DraftKeeper

_SITE = Qt.ItemDataRole.UserRole
_TASK = Qt.ItemDataRole.UserRole


class RoundDialog(QDialog):
    """Chooses the sites of a round, or shows the one under way."""

    def __init__(self, parent: QWidget, context: AppContext) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Prepare visit"))
        self._context = context
        self._round: Round | None = None
        self._acting = ActionRunner(context, self._failed)
        self._drafts = DraftKeeper(context)
        self._kept: list[StoredPlan] = []
        self.problem = label("", "ember", wrap=True)
        self.problem.hide()
        self.pages = QStackedWidget()
        self.pages.addWidget(self._choosing())
        self.pages.addWidget(self._build_open_round())
        self.setLayout(column(self.pages, self.problem, margins=16))
        self.resize(940, 620)
        self._load()

    # -- choosing ------------------------------------------------------------------------------
    def _choosing(self) -> QWidget:
        self.day = DateTimeField(tr("Day of the round"), has_time=False)
        self.day.show_day(from_ms(self._context.desk.now_ms() + DAY_MS, home_zone()).date())
        self.sites = QListWidget()
        self.sites.setProperty("ticks", True)
        self.sites.setAccessibleName(tr("Sites to visit"))
        self.make_button = button(tr("Prepare round"), self.make, "primary")
        page = QWidget()
        page.setLayout(
            column(
                row(label(tr("Which sites, on which day?"), "head"), 1, self.day),
                label(tr("Sites with a visit due are selected. Space selects."), "muted"),
                self.sites,
                row(1, button(tr("Cancel"), self.reject), self.make_button),
            )
        )
        return page

    def _show_board(self, shown: Board) -> None:
        due = {visit.site.id: visit for visit in shown.visits}
        self.sites.clear()
        for site, rows in shown.sites:
            if not rows:
                continue
            visit = due.get(site.id)
            words = site.name + " · " + counted(len(rows), "%n point", "%n points")
            if visit is not None:
                words += f" · {day(visit.due_ms, site.zone)}"
                words += "".join(f"\n      {need}" for need in visit.needs[:3])
            item = QListWidgetItem(words)
            item.setData(_SITE, site.id)
            soon = visit is not None and visit.is_urgent
            item.setCheckState(Qt.CheckState.Checked if soon else Qt.CheckState.Unchecked)
            self.sites.addItem(item)
        self.sites.setCurrentRow(0)
        self.sites.setFocus()

    def make(self) -> None:
        """Make the round of the ticked sites."""
        items = [self.sites.item(i) for i in range(self.sites.count())]
        selected = [i.data(_SITE) for i in items if i.checkState() == Qt.CheckState.Checked]
        try:
            day_ms = midnight_ms(self.day.day(), home_zone())
        except FieldError as exc:
            self.problem.setText(str(exc))
            self.problem.show()
            return
        desk = self._context.desk
        self._run(lambda: make_round(desk, selected, day_ms))

    # -- the round under way ---------------------------------------------------------------------
    def _build_open_round(self) -> QWidget:
        self.title = label("", "head")
        self.way = label("", "muted")
        self.bring = label("", wrap=True)
        self.tasks: QTableWidget = plain_table(
            tr("Points of the round"),
            [tr("Site"), tr("Point"), tr("Logger"), tr("Reason"), tr("Launch again"), tr("State")],
        )
        self.tasks.currentCellChanged.connect(lambda *_: self._task_selected())
        self.again = QCheckBox(tr("launch again there"))
        self.again.clicked.connect(lambda on: self._set_plan(on))
        self.plan = QComboBox()
        self.plan.setAccessibleName(tr("Plan to launch there"))
        self.plan.activated.connect(lambda _: self._set_plan(True))
        self.reason = QLineEdit()
        self.reason.setPlaceholderText(tr("reason for leaving it out"))
        self.reason.setAccessibleName(tr("Reason for leaving the point out"))
        self.reason.setMaxLength(200)
        self.reason.returnPressed.connect(self._omit_task)
        self.reason.textEdited.connect(self._save_draft)
        self.sheet_button = button(tr("Print sheet"), self.write_sheet, "primary")
        page = QWidget()
        page.setLayout(
            column(
                row(self.title, 1, self.way),
                label(tr("To bring"), "head"),
                self.bring,
                self.tasks,
                row(
                    self.again,
                    self.plan,
                    self.reason,
                    button(tr("Leave out"), self._omit_task),
                    spacing=8,
                ),
                row(
                    button(tr("Finish round"), self.end),
                    button(tr("New round"), self._select_again),
                    1,
                    button(tr("Close"), self.accept),
                    self.sheet_button,
                ),
                spacing=8,
            )
        )
        return page

    def _load(self) -> None:
        desk = self._context.desk
        self._context.run(
            lambda _task: (open_round(desk), board(desk), stored_plans(desk)),
            self._loaded,
            latest="round",
        )

    def _loaded(self, known: tuple[Round | None, Board, list[StoredPlan]]) -> None:
        self._kept = known[2]
        self._show_board(known[1])
        self._show(known[0])

    def _show(self, under_way: Round | None) -> None:
        self._round = under_way
        self.pages.setCurrentIndex(0 if under_way is None else 1)
        if under_way is None:
            return
        on = date(under_way.day_ms, home_zone(), "dddd d MMM yyyy")
        done = len(under_way.tasks) - len(under_way.left)
        words = tr("Round of %1 · %2 of %3 points done").replace("%1", on)
        words = words.replace("%2", number(done)).replace("%3", number(len(under_way.tasks)))
        self.title.setText(words)
        method = " → ".join(under_way.sites)
        km = f" · {number(under_way.distance_km)} km" if under_way.distance_km else ""
        self.way.setText(method + km)
        self.bring.setText("\n".join(f"☐ {item}" for item in under_way.bring))
        self._show_tasks(under_way)

    def _show_tasks(self, under_way: Round) -> None:
        at = max(self.tasks.currentRow(), 0)
        self.tasks.setRowCount(len(under_way.tasks))
        for i, task in enumerate(under_way.tasks):
            launch = interval_text(task.plan.interval_s) if task.plan else tr("no")
            if task.plan:
                launch = tr("every %1").replace("%1", launch)
            texts = (
                task.site,
                task.point,
                task.serial,
                ", ".join(task.reasons),
                launch,
                _state(task),
            )
            for j, text in enumerate(texts):
                item = QTableWidgetItem(text)
                item.setToolTip(plain_tip(text))
                item.setData(_TASK, task)
                self.tasks.setItem(i, j, item)
        self.tasks.resizeRowsToContents()
        self.tasks.setCurrentCell(min(at, len(under_way.tasks) - 1), 0)
        self._task_selected()

    def task(self) -> VisitTask | None:
        """The chosen point of the round."""
        item = selected_item(self.tasks)
        return item if isinstance(item, VisitTask) else None

    def _task_selected(self) -> None:
        task = self.task()
        if task is None:
            return
        self.again.setChecked(task.plan is not None)
        self.plan.setEnabled(task.plan is not None)
        self.reason.setText(self._drafts.get(_draft_key(task)) or task.omitted_because)
        self.plan.clear()
        self.plan.addItem(tr("as its last mission"), None)
        for stored in self._kept:
            self.plan.addItem(stored.name, stored.plan)

    def _set_plan(self, on: bool) -> None:
        task, desk = self.task(), self._context.desk
        if task is None:
            return
        selected = self.plan.currentData()

        def work() -> Round | None:
            plan = None
            if on:
                plan = selected or latest_plan_at(desk, f"{task.site} · {task.point}")
                if plan is None:
                    raise InputError(
                        tr("No plan is known for this point; save one on the Field desk first.")
                    )
            set_task_plan(desk, task, plan)
            return open_round(desk)

        self._run(work)

    def _save_draft(self, typed: str) -> None:
        task = self.task()
        if task is not None:
            self._drafts.remember(_draft_key(task), typed)

    def _omit_task(self) -> None:
        task, desk, reason = self.task(), self._context.desk, self.reason.text()
        if task is None:
            return

        def work() -> Round | None:
            omit_task(desk, task, reason)
            desk.drafts.remember(_draft_key(task), "")
            desk.save_drafts()
            return open_round(desk)

        self._run(work)

    def end(self) -> None:
        """End the round under way."""
        desk = self._context.desk

        def work() -> Round | None:
            close_round(desk)
            return None

        self._run(work)

    def _select_again(self) -> None:
        self.pages.setCurrentIndex(0)
        self.sites.setFocus()

    def write_sheet(self) -> None:
        """Write the sheet of the round as a PDF."""
        under_way, desk = self._round, self._context.desk
        if under_way is not None:
            self._context.run(
                lambda _task: write_round(desk, under_way),
                lambda path: self._show_message(tr("%1 saved.").replace("%1", str(path))),
                failed=self._show_message,
            )

    def _run(self, work: Callable[[], Round | None]) -> None:
        def done(under_way: Round | None) -> None:
            self._show_message("")
            self._show(under_way)
            self._context.archive_changed.emit()

        self._acting.do(work, done)

    def _failed(self, sentence: str) -> None:
        self._task_selected()
        self._show_message(sentence)

    def _show_message(self, sentence: str) -> None:
        self.problem.setText(sentence)
        self.problem.setVisible(bool(sentence))


def _draft_key(task: VisitTask) -> str:
    """Under which a reason is kept until the point is left out."""
    return f"round:{task.site}:{task.point}"


def _state(task: VisitTask) -> str:
    """Return how far a point of the round is."""
    if task.omitted_because:
        return tr("left out: %1").replace("%1", task.omitted_because)
    if task.is_done:
        return tr("✓ done")
    if task.offloaded:
        return tr("offloaded, to be launched")
    return tr("to do")
