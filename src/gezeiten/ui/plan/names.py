"""Where the logger goes and how its mission is called."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import QLineEdit

from gezeiten.domain.plan.plan import Plan
from gezeiten.ui.format.i18n import tr
from gezeiten.ui.parts.widgets import button, row
from gezeiten.ui.plan.section import EditContext, QuietCombo, Section, captioned, line, narrow


class NamesSection(Section):
    """Point, mission name, remark."""

    fields = ("point_name", "mission_name", "remark")

    def __init__(self, pattern_name: Callable[[str], str]) -> None:
        """pattern_name: returns the mission name by the pattern for a point."""
        super().__init__()
        self._pattern_name = pattern_name
        self._point_shown = ""
        self._is_own = False  # whether somebody has typed the mission's name
        self.point = QuietCombo(tr("Point"))
        self.point.setEditable(True)
        narrow(self.point)
        self._typed().setMaxLength(200)
        self.mission = line(tr("Mission name"), self._mission_typed)
        self.remark = line(
            tr("Remark"), self._changed, hint=tr("printed on the label and in documents")
        )
        self.by_pattern = button(tr("From pattern"), self.apply_pattern, "link")
        self.by_pattern.setToolTip(tr("Name the mission from the pattern in Settings"))
        first = row(
            captioned(tr("Point"), self.point),
            captioned(tr("Mission"), self.mission, self.by_pattern),
            captioned(tr("Remark"), self.remark),
            spacing=10,
        )
        for i, span in enumerate((5, 6, 4)):
            first.setStretch(i, span)
        self.body.addLayout(first)
        self.body.addWidget(self.problem)
        self.point.currentTextChanged.connect(self._point_changed)

    def show_points(self, names: list[str]) -> None:
        """Offer these points."""
        with QSignalBlocker(self.point):
            selected = self.point.currentText()
            self.point.clear()
            self.point.addItems(names)
            self.point.setCurrentText(selected)

    def _typed(self) -> QLineEdit:
        field = self.point.lineEdit()
        assert field is not None  # the choice is editable
        return field

    def show_plan(self, plan: Plan, context: EditContext) -> None:
        with QSignalBlocker(self.point):
            self.point.setCurrentText(plan.point_name)
            self._typed().setCursorPosition(0)
        self._point_shown, self._is_own = plan.point_name, False
        self.mission.setText(plan.mission_name)
        self.remark.setText(plan.remark)
        for field in (self.mission, self.remark):
            field.setCursorPosition(0)

    def applied(self, plan: Plan, context: EditContext) -> Plan:
        return replace(
            plan,
            point_name=self.point.currentText().strip(),
            mission_name=self.mission.text().strip(),
            remark=self.remark.text().strip(),
        )

    def _mission_typed(self) -> None:
        self._is_own = True
        self._changed()

    def _point_changed(self, point: str) -> None:
        """A name by pattern, or one that tells the point of before, follows the point."""
        before, self._point_shown = self._point_shown, point.strip()
        bare = before.rpartition("·")[2].strip()
        name = self.mission.text().strip()
        tells_before = bool(bare) and bare.casefold() in name.casefold()
        if not self._is_own and (not name or tells_before or name == self._pattern_name(before)):
            self.mission.setText(self._pattern_name(self._point_shown))
        self._changed()

    def apply_pattern(self) -> None:
        """Name the mission by the pattern of the settings."""
        self._is_own = False
        self.mission.setText(self._pattern_name(self.point.currentText().strip()))
        self.changed.emit()
