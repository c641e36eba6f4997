"""Choosing one of the series of a point."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox

from gezeiten.desk.sites.places import ChannelPlace, PointPlace
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.ui.format.i18n import tr


class SeriesBox(QComboBox):
    """The series of a point by name; empty where it has none."""

    def __init__(self, point: PointPlace, series: str = "") -> None:
        super().__init__()
        self.setAccessibleName(tr("Series"))
        for place in point.channels:
            self.addItem(quantity(place.channel).name, place)
        keys = [place.channel for place in point.channels]
        self.setCurrentIndex(keys.index(series) if series in keys else 0)

    @property
    def place(self) -> ChannelPlace | None:
        """The series chosen, None where the point has none."""
        chosen: ChannelPlace | None = self.currentData()
        return chosen

    @property
    def key(self) -> str:
        """The key of the series chosen, "" where the point has none."""
        return self.place.channel if self.place else ""
