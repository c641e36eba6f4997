"""Who measured what, where, from when to when: seen, and put right by saying so."""

from __future__ import annotations

from PySide6.QtWidgets import (
    QComboBox,
    QLineEdit,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from gezeiten.desk.record.statements.deployments import (
    DeploymentView,
    Sources,
    assign_source,
    place_source,
    sources,
    withdraw_statement,
)
from gezeiten.desk.sites.places import PointPlace, points
from gezeiten.domain.facts.stored import SourceStatement
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.series_keys import MAIN
from gezeiten.ui.format.i18n import home_zone, instant, number, tr
from gezeiten.ui.parts.field_error import FieldError
from gezeiten.ui.parts.period_fields import PeriodFields
from gezeiten.ui.parts.tables import fill, selected_item
from gezeiten.ui.parts.widgets import button, give_room, label, row
from gezeiten.ui.shell.app_context import AppContext
from gezeiten.ui.work.history_dialog import HistoryDialog, form, statement_table


class SourcesDialog(HistoryDialog):
    """Shows the deployments of a point, of one source, or all; what is said is kept at once."""

    kept_words = "Saved; the readings were assigned to their series."

    def __init__(
        self,
        parent: QWidget,
        context: AppContext,
        *,
        serial: str = "",
        point: PointPlace | None = None,
    ) -> None:
        super().__init__(
            parent,
            context,
            point.full_name if point else serial,
            tr("Deployments"),
            [
                tr("Source"),
                tr("Mission"),
                tr("Point"),
                tr("From"),
                tr("Until"),
                tr("Series"),
            ],
            table_name=tr("Deployments"),
        )
        self._serial, self._point = serial, point
        self._known = Sources((), ())
        self._points: list[PointPlace] = []
        self.said = statement_table(tr("Changes"), [tr("On"), tr("By"), tr("Change"), tr("Reason")])
        self.table.itemSelectionChanged.connect(self._selection_changed)
        self.what = QComboBox()
        self.what.setAccessibleName(tr("What to correct"))
        self.what.addItems([tr("Point"), tr("Series")])
        self.source = QComboBox()
        self.source.setAccessibleName(tr("Source"))
        self.where, self.channel = QComboBox(), QComboBox()
        self.where.setAccessibleName(tr("Was at"))
        self.channel.setAccessibleName(tr("Quantity"))
        self.label = QLineEdit()
        self.label.setAccessibleName(tr("Label of the series"))
        self.label.setPlaceholderText(tr("empty: the main series"))
        self.label.setMaxLength(60)
        self.period = PeriodFields()
        self.zone_note = label("", "muted")
        self.undo_button = button(tr("Withdraw"), self.withdraw)
        self.typed = (self.words, self.label)
        self.lay_out(
            self._build_form(),
            self.undo_button,
            body=(
                (label(tr("Deployments"), "head"), 0),
                (self.table, 3),
                (label(tr("Changes"), "head"), 0),
                (self.said, 1),
            ),
        )
        self.resize(1060, 640)
        self._load()

    def _build_form(self) -> QVBoxLayout:
        self.forms = QStackedWidget()
        for parts in (
            (label(tr("was at"), "muted"), self.where, self.words),
            (label(tr("supplies"), "muted"), self.channel, self.label),
        ):
            line = QWidget()
            line.setLayout(row(*parts, spacing=6))
            give_room(line, 1, 1)
            give_room(line, 2, 2)
            self.forms.addWidget(line)
        self.what.currentIndexChanged.connect(self.forms.setCurrentIndex)
        self.source.currentIndexChanged.connect(lambda _: self._fill_channels())
        self.forms.setFixedHeight(self.forms.sizeHint().height())
        return form(
            label(tr("Correct a deployment"), "head"),
            row(self.what, self.source, self.forms, spacing=6),
            row(
                self.period.in_a_row(),
                self.zone_note,
                1,
                button(tr("Save"), self.enter, "primary"),
                spacing=6,
            ),
        )

    # -- showing -------------------------------------------------------------------------------
    def _read(self) -> tuple[Sources, list[PointPlace]]:
        desk, point = self._context.desk, self._point
        found = sources(desk, serial=self._serial, point_id=point.id if point else None)
        return found, points(desk)

    def _show(self, read: tuple[Sources, list[PointPlace]]) -> None:
        known, listed = read
        self._known, self._points = read
        fill(
            self.table,
            [_deployment(deployment) for deployment in known.deployments],
            list(known.deployments),
        )
        fill(self.said, [_statement_cells(one) for one in known.statements], list(known.statements))
        self.undo_button.setEnabled(bool(known.statements))
        if known.statements:
            self.said.setCurrentCell(0, 0)
        names = dict.fromkeys(deployment.source for deployment in known.deployments)
        before = self.source.currentText() or self._serial
        self.source.clear()
        self.source.addItems(list(names) or [name for name in (self._serial,) if name])
        self.source.setCurrentIndex(max(self.source.findText(before), 0))
        self.where.clear()
        for place in listed:
            self.where.addItem(place.full_name, place.id)
        self.where.addItem(tr("no point (bench, car, post)"), None)
        if known.deployments and self.table.currentRow() < 0:
            self.table.setCurrentCell(len(known.deployments) - 1, 0)
        self._fill_channels()

    def _selection_changed(self) -> None:
        """Begin with the chosen deployment: its source, its place, its stretch."""
        one = selected_item(self.table)
        if not isinstance(one, DeploymentView):
            return
        zone = one.point.zone
        self.source.setCurrentIndex(self.source.findText(one.source))
        self.where.setCurrentIndex(self.where.findData(one.point.id))
        now = self._context.desk.now_ms()
        end_ms = now if one.end_ms is None else one.end_ms
        self.period.show_period(max(one.start_ms, 0), end_ms, zone)
        self.period.open_end.setChecked(one.end_ms is None)
        self.zone_note.setText(zone)
        self._fill_channels()

    def _fill_channels(self) -> None:
        source = self.source.currentText()
        keys = dict.fromkeys(
            key
            for deployment in self._known.deployments
            if deployment.source == source
            for key in deployment.channels
        )
        self.channel.clear()
        for key in keys:
            self.channel.addItem(quantity(key).name, key)

    def _zone(self) -> str:
        one = selected_item(self.table)
        return one.point.zone if isinstance(one, DeploymentView) else home_zone()

    # -- acts ------------------------------------------------------------------------------------
    def enter(self) -> None:
        """Keep what was said."""
        desk, source = self._context.desk, self.source.currentText()
        try:
            start_ms, end_ms = self.period.entered(self._zone())
        except FieldError as exc:
            self._show_message(str(exc))
            return
        if self.what.currentIndex() == 0:
            point_id, words = self.where.currentData(), self.words.text()
            self._do(lambda: place_source(desk, source, point_id, start_ms, end_ms, words))
            return
        one = selected_item(self.table)
        if not isinstance(one, DeploymentView) or self.channel.currentData() is None:
            self._show_message(tr("Select a deployment above; the series belongs to its point."))
            return
        point, channel, text = one.point.id, self.channel.currentData(), self.label.text()
        self._do(lambda: assign_source(desk, point, channel, text, source, start_ms, end_ms))

    def withdraw(self) -> None:
        """Withdraw the selected statement."""
        said = selected_item(self.said)
        if isinstance(said, SourceStatement):
            self._do(lambda: withdraw_statement(self._context.desk, said))
        else:
            self._show_message(tr("Select a change first."))


def _deployment(deployment_view: DeploymentView) -> list[str]:
    zone = deployment_view.point.zone
    until = (
        tr("until now") if deployment_view.end_ms is None else instant(deployment_view.end_ms, zone)
    )
    series = ", ".join(quantity(key).name for key in deployment_view.series) or tr(
        "not offloaded yet"
    )
    return [
        deployment_view.source,
        number(deployment_view.mission) if deployment_view.is_logger else "",
        deployment_view.point.full_name,
        instant(deployment_view.start_ms, zone),
        until if deployment_view.is_logger else "",
        series,
    ]


def _statement_cells(statement: SourceStatement) -> list[str]:
    since = (
        instant(statement.start_ms, statement.zone)
        if statement.start_ms > 0
        else tr("its first reading")
    )
    until = (
        tr("further notice")
        if statement.end_ms is None
        else instant(statement.end_ms, statement.zone)
    )
    if statement.channel:
        name = quantity(statement.channel).name
        series = tr("main series") if statement.label == MAIN else f"“{statement.label}”"
        what = tr("%1 supplies %2 (%3) at %4").replace("%2", name).replace("%3", series)
        what = what.replace("%4", statement.point)
    else:
        what = tr("%1 was at %2").replace("%2", statement.point or tr("no point"))
    what = what.replace("%1", statement.source)
    span = tr("from %1 until %2").replace("%1", since).replace("%2", until)
    return [
        instant(statement.stated_ms, statement.zone),
        statement.stated_by,
        f"{what}, {span}",
        statement.reason,
    ]
