"""Plans kept under names: searched, taken, compared, renamed, dropped, handed on as files."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QAbstractItemView,
    QDialog,
    QFileDialog,
    QHeaderView,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from gezeiten.desk.field.sheets import sheets_path
from gezeiten.desk.logger.launch.planning import (
    delete_plan,
    export_plan,
    import_plans,
    rename_plan,
    save_plan,
    stored_plans,
)
from gezeiten.domain.facts.stored import StoredPlan
from gezeiten.domain.plan.plan import Plan
from gezeiten.domain.plan.plan_words import compared
from gezeiten.ui.format.i18n import counted, tr
from gezeiten.ui.parts.plain import plain_tip
from gezeiten.ui.parts.widgets import button, column, label, row
from gezeiten.ui.shell.app_context import AppContext
from gezeiten.ui.shell.theme import Theme
from gezeiten.ui.work.acting import ActionRunner

_KEPT = Qt.ItemDataRole.UserRole


class PlanTable(QTableWidget):
    """Two plans side by side; what differs is bold and marked with a sign."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(0, 3)
        self._theme = theme
        self.setAccessibleName(tr("Compare plans"))
        self.verticalHeader().hide()
        self.setShowGrid(False)
        self.setWordWrap(True)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
        head = self.horizontalHeader()
        head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        head.setSectionResizeMode(0, QHeaderView.ResizeMode.ResizeToContents)
        for place in (1, 2):
            head.setSectionResizeMode(place, QHeaderView.ResizeMode.Stretch)

    def show_plans(
        self, mine: Plan, other: Plan, names: tuple[str, str], zone: str, *, only_differing: bool
    ) -> int:
        """Show both; returns in how many fields they differ."""
        self.setHorizontalHeaderLabels(["", *names])
        lines = compared(mine, other, zone)
        shown = [line for line in lines if line.differs or not only_differing]
        self.setRowCount(len(shown))
        for i, line in enumerate(shown):
            texts = (("≠ " if line.differs else "") + tr(line.name), line.mine, line.other)
            for j, text in enumerate(texts):
                item = QTableWidgetItem(text)
                item.setToolTip(plain_tip(text))
                font = item.font()
                font.setBold(line.differs)
                item.setFont(font)
                item.setForeground(self._theme.color("ink" if line.differs else "muted"))
                self.setItem(i, j, item)
        self.resizeRowsToContents()
        return sum(line.differs for line in lines)


class CompareDialog(QDialog):
    """What differs from the last one?"""

    def __init__(
        self,
        parent: QWidget,
        theme: Theme,
        mine: Plan,
        other: Plan,
        names: tuple[str, str],
        zone: str,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Compare …"))
        self.table = PlanTable(theme)
        count = self.table.show_plans(mine, other, names, zone, only_differing=True)
        text = counted(count, "%n field differs", "%n fields differ")
        self.words = label(text if count else tr("The two plans are the same."), "head")
        close = button(tr("Close"), self.accept)
        self.setLayout(column(self.words, self.table, row(1, close), margins=16))
        self.resize(760, 420)


class StoredPlansDialog(QDialog):
    """taken: the plan that was chosen and the name under which it is kept."""

    taken = Signal(object, str)

    def __init__(
        self, parent: QWidget, context: AppContext, plan: Plan | None, model: str, zone: str
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Saved plans"))
        self._context, self._plan, self._model, self._zone = context, plan, model, zone
        self._acting = ActionRunner(context, self._failed)
        self.search = QLineEdit()
        self.search.setPlaceholderText(tr("name, model, point, remark"))
        self.search.setAccessibleName(tr("Search saved plans"))
        self.search.textChanged.connect(lambda _: self._load())
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Saved plans"))
        self.list.setFixedWidth(260)
        self.list.currentItemChanged.connect(lambda *_: self._show())
        self.list.itemActivated.connect(lambda _: self.use_selected())
        self.none = label("", "muted", wrap=True)
        self.table = PlanTable(context.theme)
        self.name = QLineEdit()
        self.name.setPlaceholderText(tr("name for this plan"))
        self.name.setAccessibleName(tr("Plan name"))
        self.name.setMaxLength(80)
        self.name.returnPressed.connect(self.keep)
        self.problem = label("", "ember", wrap=True)
        self.problem.hide()
        self.keep_button = button(tr("Save"), self.keep)
        self.keep_button.setEnabled(plan is not None)
        self.take_button = button(tr("Use this plan"), self.use_selected, "primary")
        self._for_chosen = [
            self.take_button,
            button(tr("Replace"), self.replace),
            button(tr("Rename"), self.rename),
            button(tr("Delete"), self.drop),
            button(tr("Export …"), self.write_file),
        ]
        read = button(tr("Import …"), self.read_files)
        self.setLayout(
            column(
                self.search,
                self.none,
                row(self.list, self.table),
                row(self.name, self.keep_button, spacing=6),
                self.problem,
                row(
                    *self._for_chosen[1:],
                    read,
                    1,
                    button(tr("Close"), self.reject),
                    self.take_button,
                    spacing=6,
                ),
                margins=16,
            )
        )
        self.resize(900, 560)
        self._load()

    # -- showing -------------------------------------------------------------------------------
    def _load(self, choose: str = "") -> None:
        desk, words = self._context.desk, self.search.text()
        self._context.run(
            lambda _task: stored_plans(desk, words),
            lambda found: self._fill(found, choose),
            latest="saved plans",
        )

    def _fill(self, plans: list[StoredPlan], choose: str) -> None:
        selected = self.chosen()
        before = choose or (selected.name if selected else "")
        self.list.clear()
        for stored in plans:
            item = QListWidgetItem(
                f"{stored.name}\n{stored.model}" if stored.model else stored.name
            )
            item.setData(_KEPT, stored)
            self.list.addItem(item)
            if stored.name == before:
                self.list.setCurrentItem(item)
        searched = bool(self.search.text().strip())
        self.none.setText(
            tr("No saved plan matches.")
            if searched
            else tr("No plan has been saved yet. Name the current plan below.")
        )
        self.none.setVisible(self.list.count() == 0)
        self.table.setVisible(self.list.count() > 0)
        self.list.setVisible(self.list.count() > 0)
        if self.list.currentItem() is None and self.list.count():
            self.list.setCurrentRow(0)
        self._show()

    def chosen(self) -> StoredPlan | None:
        """The chosen kept plan."""
        item = self.list.currentItem()
        return item.data(_KEPT) if item else None

    def _show(self) -> None:
        stored = self.chosen()
        for part in self._for_chosen:
            part.setEnabled(stored is not None)
        if stored is None:
            self.table.setRowCount(0)
            return
        mine = self._plan or stored.plan
        names = (tr("current plan") if self._plan else stored.name, stored.name)
        self.table.show_plans(mine, stored.plan, names, self._zone, only_differing=False)

    def _run_action(self, run: Callable[[], object], choose: str = "", text: str = "") -> None:
        """Do something; what is wrong with it is said here, at the field. choose: the plan chosen
        then, whose name was typed. text: what the foot line says then."""

        def done(_: object) -> None:
            self.problem.hide()
            if choose:
                self.name.clear()
            if text:
                self._context.show_message(text)
            self._load(choose)

        self._acting.do(run, done)

    def _failed(self, sentence: str) -> None:
        self.problem.setText(sentence)
        self.problem.show()

    # -- acts ------------------------------------------------------------------------------------
    def use_selected(self) -> None:
        """Take the chosen plan into the editor."""
        stored = self.chosen()
        if stored is not None:
            self.taken.emit(stored.plan, stored.name)
            self.accept()

    def keep(self) -> None:
        """Keep the plan in the editor under the name."""
        plan, name = self._plan, self.name.text()
        if plan is None:
            return
        clean = " ".join(name.split())
        self._run_action(lambda: save_plan(self._context.desk, name, plan, self._model), clean)

    def replace(self) -> None:
        """Put the plan in the editor in place of the chosen one."""
        stored, plan = self.chosen(), self._plan
        if stored is not None and plan is not None:
            desk = self._context.desk
            self._run_action(
                lambda: save_plan(desk, stored.name, plan, self._model, replacing=True)
            )

    def rename(self) -> None:
        """Give the chosen plan the name in the field."""
        stored, name = self.chosen(), self.name.text()
        if stored is not None:
            clean = " ".join(name.split())
            self._run_action(lambda: rename_plan(self._context.desk, stored, name), clean)

    def drop(self) -> None:
        """Take the chosen plan away."""
        stored = self.chosen()
        if stored is not None:
            self._run_action(lambda: delete_plan(self._context.desk, stored))

    def write_file(self) -> None:
        """Write the chosen plan as a file to hand on."""
        stored = self.chosen()
        if stored is None:
            return
        start = str(sheets_path(self._context.desk) / f"{stored.name}.plan.json")
        path, _ = QFileDialog.getSaveFileName(self, tr("Export plan"), start)
        if path:
            text = tr("%1 saved.").replace("%1", path)
            self._run_action(lambda: export_plan(self._context.desk, stored, Path(path)), text=text)

    def read_files(self) -> None:
        """Take in plans from files."""
        start = str(sheets_path(self._context.desk))
        kinds = tr("Plan files (*.plan.json *.json)")
        paths, _ = QFileDialog.getOpenFileNames(self, tr("Import plans"), start, kinds)
        if paths:
            self._run_action(
                lambda: import_plans(self._context.desk, [Path(path) for path in paths])
            )
