"""How a sensor hangs at a point through time: the height of the rim, and how far below it."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox, QLineEdit, QVBoxLayout, QWidget

from gezeiten.desk.record.statements.sensor_depths import (
    sensor_depths_of,
    set_sensor_depth,
    withdraw_sensor_depth,
)
from gezeiten.desk.sites.places import PointPlace
from gezeiten.domain.facts.stored import StoredSensorDepth
from gezeiten.domain.steps.sensor_depth import SensorDepth, depth_at, stayed_m
from gezeiten.ui.format.i18n import instant, number, tr
from gezeiten.ui.parts.date_time_field import DateTimeField
from gezeiten.ui.parts.field_error import FieldError
from gezeiten.ui.parts.flow import FlowLayout
from gezeiten.ui.parts.number_field import number_of, write_number
from gezeiten.ui.parts.tables import fill, selected_item
from gezeiten.ui.parts.widgets import button, label, row
from gezeiten.ui.plan.section import captioned
from gezeiten.ui.shell.app_context import AppContext
from gezeiten.ui.work.history_dialog import HistoryDialog, form

_WAYS = (
    ("typed", "at this distance below the reference mark"),
    ("with", "moved with the reference mark"),
    ("stayed", "stayed where it was"),
)
_MM = 3


class SensorDepthDialog(HistoryDialog):
    """Shows from when on the rim lay how high and the sensor how far below it, and asks of a new
    height of the rim whether the sensor came along."""

    kept_words = "Saved; calculated series were updated."

    def __init__(
        self, parent: QWidget, context: AppContext, point: PointPlace, rim_m: float | None = None
    ) -> None:
        super().__init__(
            parent,
            context,
            point.full_name,
            tr("Sensor depth"),
            [
                tr("From (%1)").replace("%1", point.zone),
                tr("Reference mark, m"),
                tr("Sensor below mark, m"),
                tr("Sensor, m"),
                tr("By"),
                tr("Reason"),
            ],
            table_name=tr("Sensor depths"),
            wide=(5,),
        )
        self._point = point
        self._known: list[StoredSensorDepth] = []
        self.since = DateTimeField(tr("From"))
        self.rim = QLineEdit("" if rim_m is None else number(rim_m, _MM))
        self.way = QComboBox()
        self.way.setAccessibleName(tr("The sensor"))
        for key, name in _WAYS:
            self.way.addItem(tr(name), key)
        self.length = QLineEdit()
        self.figures = label("", "muted", wrap=True)
        self.keep_button = button(tr("Save"), self.keep, "primary")
        self.undo_button = button(tr("Withdraw selected"), self.withdraw)
        for part, name in (
            (self.rim, tr("Reference mark above datum, m")),
            (self.length, tr("Sensor below reference mark, m")),
        ):
            part.setAccessibleName(name)
            part.editingFinished.connect(self._update_fields)
        self.lay_out(self._build_form(), self.undo_button)
        self.resize(820, 480)
        self.since.show_instant(context.desk.now_ms(), point.zone)
        self.since.editingFinished.connect(self._update_fields)
        self.way.currentIndexChanged.connect(lambda _: self._update_fields())
        self.table.itemSelectionChanged.connect(self._show_buttons)
        self._load()

    def _build_form(self) -> QVBoxLayout:
        holders = []
        for part in (self.since, self.rim, self.way, self.length):
            holder = QWidget()
            holder.setLayout(captioned(part.accessibleName(), part))
            holders.append(holder)
        return form(
            FlowLayout(*holders, spacing=10),
            self.figures,
            row(self.words, self.keep_button, spacing=6),
        )

    # -- showing ---------------------------------------------------------------------------------
    def _read(self) -> list[StoredSensorDepth]:
        return sensor_depths_of(self._context.desk, self._point)

    def _show(self, sensor_depths: list[StoredSensorDepth]) -> None:
        self._known = sensor_depths
        zone = self._point.zone
        rows = [
            [
                instant(stored.depth.since_ms, zone),
                number(stored.depth.rim_m, _MM),
                number(stored.depth.length_m, _MM),
                number(stored.depth.sensor_m, _MM),
                stored.stated_by,
                stored.reason,
            ]
            for stored in sensor_depths
        ]
        fill(self.table, rows, list(sensor_depths))
        self._update_fields()
        self._show_buttons()

    def _show_buttons(self) -> None:
        self.undo_button.setEnabled(selected_item(self.table) is not None)

    @property
    def previous_depth(self) -> SensorDepth | None:
        """How it hung at the instant that is typed, None where nobody said."""
        at_ms = self.since.instant_ms(self._point.zone)
        return depth_at([one.depth for one in self._known], at_ms)

    def _update_fields(self) -> None:
        """Show what the fields say, and what the sensor's height would be."""
        before, method = self.previous_depth, self.way.currentData()
        self.way.setEnabled(before is not None)
        if before is None and method != "typed":
            self.way.setCurrentIndex(0)
            return
        self.length.setEnabled(method == "typed")
        self.figures.clear()
        try:
            made = self._entered()
        except FieldError:
            return
        if method != "typed":
            write_number(self.length, made.length_m, _MM)
        words = tr("The sensor is then %1 m above datum.")
        if before is not None:
            words = tr("The sensor is then %1 m above datum, before %2 m.")
            words = words.replace("%2", number(before.sensor_m, _MM))
        self.figures.setText(words.replace("%1", number(made.sensor_m, _MM)))

    def _entered(self) -> SensorDepth:
        """Return what the fields say.

        Raises:
            FieldError: one says nonsense.
        """
        rim_m = number_of(self.rim, tr("Reference mark above datum, m"))
        before, method = self.previous_depth, self.way.currentData()
        since_ms = self.since.instant_ms(self._point.zone)
        if before is None or method == "typed":
            return SensorDepth(
                since_ms, rim_m, number_of(self.length, tr("Sensor below reference mark, m"))
            )
        return SensorDepth(
            since_ms, rim_m, before.length_m if method == "with" else stayed_m(before, rim_m)
        )

    # -- doing -----------------------------------------------------------------------------------
    def keep(self) -> None:
        """Keep what the fields say."""
        desk, point, words = self._context.desk, self._point, self.words.text()
        try:
            made = self._entered()
        except FieldError as exc:
            self._show_message(str(exc))
            return
        self._do(lambda: set_sensor_depth(desk, point, made, words))

    def withdraw(self) -> None:
        """Take the chosen one back."""
        desk, point, one = self._context.desk, self._point, selected_item(self.table)
        if isinstance(one, StoredSensorDepth):
            self._do(lambda: withdraw_sensor_depth(desk, point, one))
