"""Units of the screen: of each quantity that is recorded, and of single series. What is recorded,
kept and handed over never changes its unit."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from PySide6.QtWidgets import QComboBox, QDialog, QGridLayout, QWidget

from gezeiten.desk.base.settings import series_name
from gezeiten.desk.sites.places import PointPlace
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.quantities.units import shown_units
from gezeiten.domain.series.series_keys import channel_of
from gezeiten.ui.format.i18n import tr
from gezeiten.ui.format.units import units_of
from gezeiten.ui.parts.widgets import button, column, label, row, scrolled
from gezeiten.ui.plan.section import QuietCombo
from gezeiten.ui.shell.app_context import AppContext


class UnitsDialog(QDialog):
    """A choice for each quantity of some points, and for each of their series; taken at once."""

    def __init__(self, parent: QWidget, context: AppContext, points: Iterable[PointPlace]) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Display units"))
        self._context = context
        self.choices: dict[str, QComboBox] = {}
        """By what they are kept under: a quantity, or a series of a point."""
        self._grid = QGridLayout()
        self._grid.setColumnStretch(0, 1)
        self._grid.setHorizontalSpacing(12)
        self._fill(list(points))
        page = QWidget()
        page.setLayout(column(self._grid, 1))
        laid = column(
            label(
                tr(
                    "On screen only: readings are recorded, saved and exported in their own "
                    "unit. The unit of a single series has priority where it is shown alone."
                ),
                "muted",
                wrap=True,
            ),
            scrolled(page),
            row(1, button(tr("Close"), self.accept)),
            spacing=8,
            margins=16,
        )
        laid.setStretch(1, 1)
        self.setLayout(laid)
        self.resize(560, 560)

    def _fill(self, points: list[PointPlace]) -> None:
        series = [(point, place) for point in points for place in point.channels]
        channels = list(dict.fromkeys(channel_of(place.channel) for _, place in series))
        for channel in channels:
            name = quantity(channel)
            if len(shown_units(name.unit)) < 2:
                continue
            usual = units_of(replace(self._context.desk.settings, units={})).of(channel).name
            self._add(channel, name.name, channel, tr("as in the settings: %1"), usual, "head")
            for point, place in series:
                if channel_of(place.channel) == channel:
                    words = f"{point.name} · {quantity(place.channel).name}"
                    asked = (
                        place.shown_unit or units_of(self._context.desk.settings).of(channel).name
                    )
                    key = series_name(point.uid, place.channel)
                    usual_words = tr("as in its plan: %1") if place.shown_unit else tr("the same")
                    self._add(key, words, channel, usual_words, asked, "")
        if not self.choices:
            words = tr("The quantities of these points have one unit only.")
            self._grid.addWidget(label(words, "muted"), 0, 0)

    def _add(
        self, key: str, words: str, channel: str, usual: str, usual_unit: str, role: str
    ) -> None:
        box = QuietCombo(tr("Unit of %1").replace("%1", words))
        box.addItem(usual.replace("%1", usual_unit), "")
        for unit in shown_units(quantity(channel).unit):
            box.addItem(unit.name, unit.name)
        box.setCurrentIndex(max(box.findData(self._context.desk.settings.units.get(key, "")), 0))
        box.currentIndexChanged.connect(lambda _: self._accept(key))
        line = self._grid.rowCount()
        self._grid.addWidget(label(words, role), line, 0)
        self._grid.addWidget(box, line, 1)
        self.choices[key] = box

    def _accept(self, key: str) -> None:
        settings = self._context.desk.settings
        units = {name: unit for name, unit in settings.units.items() if name != key}
        selected = self.choices[key].currentData()
        self._context.change_settings(
            replace(settings, units={**units, key: selected} if selected else units)
        )
        self._context.archive_changed.emit()  # every place shows its values anew
