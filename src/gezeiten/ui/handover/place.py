"""Handover as one place: a choice of period and point that all of its acts share.

What is handed over, and what was handed over before and whether it is unchanged.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt, QUrl
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHeaderView,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.office.issuing import (
    HandoverResult,
    IssuedDocument,
    export_csv,
    export_pdf,
    file_name,
    issued_documents,
    reissue,
)
from gezeiten.desk.office.logbook import AboutFilter, about_document
from gezeiten.desk.record.named_periods import NamedPeriod, named_periods
from gezeiten.desk.record.views.records import extent
from gezeiten.desk.sites.places import PointPlace, points
from gezeiten.domain.series.timeline import Span
from gezeiten.ui.format.i18n import counted, date, day_and_time, number, tr
from gezeiten.ui.handover.model import (
    Contents,
    HandoverModel,
    Target,
    count,
    in_minutes,
    usual_span,
)
from gezeiten.ui.handover.pages import PageView
from gezeiten.ui.parts.date_time_field import DateTimeField
from gezeiten.ui.parts.field_error import FieldError
from gezeiten.ui.parts.plain import plain_tip
from gezeiten.ui.parts.widgets import Card, Facts, button, column, label, row, scrolled
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.app_context import AppContext, Place
from gezeiten.ui.shell.commands import Command

LINES_SHOWN = 5


@dataclass(frozen=True, slots=True)
class _Inventory:
    points: list[PointPlace]
    issued: list[IssuedDocument]


class HandoverPlace(Place):
    """Writes CSV and PDF of a point over a stretch and lists what left the house."""

    kind_of_empty = "handover"

    def __init__(self, context: AppContext) -> None:
        super().__init__(context)
        self.model = HandoverModel()
        self.point = QComboBox()
        self.point.setAccessibleName(tr("Point"))
        self.point.currentIndexChanged.connect(lambda _: self._selection_changed())
        self.named = QComboBox()
        self.named.setAccessibleName(tr("Period"))
        self.named.activated.connect(lambda _: self._select_named_period())
        self.since = self._date_time(tr("From"))
        self.until = self._date_time(tr("Until"))
        self.from_label, self.until_label = label("", "muted"), label("", "muted")
        self.contents = Facts()
        self.pdf = button(tr("Export PDF"), lambda: self.write("pdf"), "primary")
        self.csv = button(tr("Export CSV"), lambda: self.write("csv"), "primary")
        self.elsewhere = button(tr("Save a copy elsewhere"), lambda: self._save_as())
        left = Card(tr("New document"))
        selected = QWidget()  # scrolls where text is large and the screen small
        selected.setLayout(
            column(
                label(tr("Point"), "muted"),
                self.point,
                label(tr("Period"), "muted"),
                self.named,
                self.from_label,
                self.since,
                self.until_label,
                self.until,
                label(tr("Contents"), "head"),
                self.contents,
                1,
                spacing=6,
            )
        )
        left.body.addWidget(scrolled(selected), 1)
        left.body.addWidget(self.pdf)
        left.body.addWidget(self.csv)
        left.body.addWidget(self.elsewhere)
        left.set_widths(330, 280)
        self.count = label("", "muted")
        right = Card(tr("Issued documents"), self.count)
        self.empty = label(tr("No document has been issued yet."), "muted")
        self.table = self._table()
        right.body.addWidget(self.empty)
        right.body.addWidget(self.table)
        if context.is_read_only:
            self.elsewhere.hide()  # both others ask where to
        self._newest = self._shown_uid = ""
        self.pages = PageView(context)
        right.body.addWidget(self.pages, 1)
        self.open_button = button(tr("Open the file"), self.open_file)
        self.folder_button = button(tr("Show its folder"), self.open_folder)
        self.again_button = button(tr("Issue again"), self.reissue)
        self.again_button.setToolTip(
            tr("Issues the document again from the vault, exactly as it was")
        )
        right.body.addLayout(row(self.open_button, self.folder_button, self.again_button, 1))
        line = row(left, right, margins=14)
        line.setStretch(1, 1)
        self.setLayout(line)
        self.setFocusProxy(self.point)

    def _table(self) -> QTableWidget:
        table = QTableWidget(0, 6)
        table.setAccessibleName(tr("Issued documents"))
        table.setHorizontalHeaderLabels(
            [
                tr("When, at the site"),
                tr("Who"),
                tr("Point"),
                tr("Period"),
                tr("File"),
                tr("Status"),
            ]
        )
        table.verticalHeader().hide()
        table.setShowGrid(False)
        table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        table.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        table.horizontalHeader().setSectionResizeMode(4, QHeaderView.ResizeMode.Stretch)
        table.itemActivated.connect(lambda _: self.open_file())
        table.itemSelectionChanged.connect(self._show_document)
        # what is shown is the current line, selected or not
        table.currentItemChanged.connect(lambda *_: self._show_document())
        table.setWordWrap(False)  # file names are cut in the middle: both ends tell something
        table.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        return table

    def _date_time(self, name: str) -> DateTimeField:
        field = DateTimeField(name)
        field.changed.connect(self._typed)
        return field

    def commands(self) -> list[Command]:
        here = places.HANDOVER
        return [
            Command("report", tr("Export PDF"), "Ctrl+R", lambda: self.write("pdf"), here),
            Command("export", tr("Export CSV"), "Ctrl+E", lambda: self.write("csv"), here),
            Command(
                "handover.open", tr("Open the selected document"), "Ctrl+O", self.open_file, here
            ),
            Command(
                "handover.again",
                tr("Issue the selected document again"),
                "Ctrl+Shift+O",
                self.reissue,
                here,
            ),
        ]

    def hint(self) -> str:
        return tr("Ctrl+R PDF · Ctrl+E CSV · Ctrl+O open")

    # -- loading -------------------------------------------------------------------------------
    def logbook_filter(self) -> Callable[[Workspace], AboutFilter] | None:
        document = self._current()
        if document is None:
            return None
        name = Path(document.file_name).name
        return lambda _desk: about_document(document.uid, document.sha256, name)

    def refresh(self) -> None:
        def work(_task: object) -> _Inventory:
            listed = [point for point in points(self.context.desk) if point.channels]
            return _Inventory(listed, issued_documents(self.context.desk))

        self.context.run(work, self._show, latest="handover")

    def _show(self, known: _Inventory) -> None:
        stays = self.model.set_data(known.points, known.issued)
        self.point.blockSignals(True)
        self.point.clear()
        for point in known.points:
            self.point.addItem(point.full_name, point.id)
        self.point.blockSignals(False)
        self._show_choice()
        self._show_issued(known.issued)
        if self.model.target is not None:
            self._go_to(self.model.target)
        elif not stays:
            self._point_changed()
        else:
            self._show_contents()

    def _show_choice(self) -> None:
        point = self.model.point
        self.point.blockSignals(True)
        self.point.setCurrentIndex(self.point.findData(point.id) if point else -1)
        self.point.blockSignals(False)

    def _show_issued(self, past: list[IssuedDocument]) -> None:
        self.count.setText(counted(len(past), "%n document", "%n documents"))
        self.empty.setVisible(not past)
        self.table.setVisible(bool(past))
        self.table.blockSignals(True)
        self.table.setRowCount(len(past))
        for i, document in enumerate(past):
            point = self.model.point_of(document)
            zone = point.zone if point else "UTC"
            span = f"{date(document.span[0], zone)} – {date(document.span[1] - 1, zone)}"
            cells = (
                day_and_time(document.at_ms, zone),
                document.person,
                point.full_name if point else "—",
                span,
                Path(document.file_name).name,
                {"as it was": "✓ ", "changed": "✕ ", "missing": "✕ "}[document.state]
                + tr(document.state),
            )
            for j, text in enumerate(cells):
                item = QTableWidgetItem(text)
                item.setToolTip(plain_tip(f"{document.file_name}\nSHA-256 {document.sha256}"))
                if j == 5 and document.state != "as it was":
                    item.setForeground(self.context.theme.color("ember"))
                self.table.setItem(i, j, item)
        height = self.context.theme.row
        self.table.verticalHeader().setDefaultSectionSize(height)
        lines = min(max(len(past), 1), LINES_SHOWN)
        self.table.setFixedHeight(lines * height + self.table.horizontalHeader().height() + 6)
        self.table.blockSignals(False)
        if past:  # the one that was chosen stays, unless a newer one came on top
            is_new = self._newest not in ("", past[0].uid)
            its = (i for i, one in enumerate(past) if one.uid == self._shown_uid)
            self.table.selectRow(0 if is_new else next(its, 0))
            self._newest = past[0].uid
        self._show_document()
        self.folder_button.setEnabled(bool(past))

    def show_target(self, target: Any) -> None:
        """Choose a point and a stretch: (point, span), or with the fingerprint of a document."""
        self._go_to(Target(*target))

    def _go_to(self, target: Target) -> None:
        if not self.model.select_target(target):
            return
        self._show_choice()
        self._load_named()
        self._set_span(target.span)
        line = self.model.line_of(target.sha256)
        if line is not None:
            self.table.selectRow(line)
            self.table.scrollTo(self.table.model().index(line, 0))

    def chosen(self) -> PointPlace | None:
        """Return the chosen point."""
        return self.model.point

    def _selection_changed(self) -> None:
        self.model.select(self.point.currentData())
        self._point_changed()

    def _point_changed(self) -> None:
        point = self.model.point
        if point is None:
            self._show_contents()
            return
        desk, channels = self.context.desk, [c.channel for c in point.channels]
        self._load_named()

        def show(whole: Span | None) -> None:
            if whole and self.model.point == point:
                self._set_span(usual_span(whole))

        self.context.run(lambda _task: extent(desk, point.id, channels), show)

    def _load_named(self) -> None:
        """Offer the stretches of this point that have a name."""
        point, desk = self.chosen(), self.context.desk
        if point is None:
            return

        def show(periods: list[NamedPeriod]) -> None:
            self.named.clear()
            self.named.addItem(tr("custom period"), None)
            for span in periods:
                self.named.addItem(_period_text(span, point.zone), span.span)

        self.context.run(lambda _task: named_periods(desk, point), show, latest="named periods")

    def _select_named_period(self) -> None:
        span = self.named.currentData()
        if span is not None:
            self._set_span(span)

    def _set_span(self, span: Span) -> None:
        point = self.chosen()
        name = point.zone if point else "UTC"
        self.from_label.setText(tr("From (%1)").replace("%1", name))
        self.until_label.setText(tr("Until (%1)").replace("%1", name))
        for field, at_ms in zip((self.since, self.until), in_minutes(span), strict=True):
            field.show_instant(at_ms, name)
        self._show_contents()

    def span(self) -> Span:
        """Return the selected period.

        Raises:
            FieldError: a field holds no date and time.
        """
        point = self.chosen()
        zone = point.zone if point else "UTC"
        return self.since.instant_ms(zone), self.until.instant_ms(zone)

    def _typed(self) -> None:
        self.named.setCurrentIndex(0)  # what is typed has no name
        self._show_contents()

    def _show_contents(self) -> None:
        desk = self.context.desk
        try:
            self.model.span = self.span()
        except FieldError as exc:
            self.model.span = (0, 0)  # nothing can be written of it
            self.context.show_message(str(exc))
        self.model.contents = None
        asked = self.model.asks
        if asked is None:
            self._show_counts()
            return
        self._show_buttons()

        def show(contents: Contents) -> None:
            if self.model.set_contents(contents):
                self._show_counts()

        self.context.run(lambda _task: count(desk, *asked), show)

    def _show_counts(self) -> None:
        point, known = self.model.point, self.model.contents
        facts = [
            (tr("Series"), number(len(point.channels) if point else 0)),
            (tr("Values"), number(known.values if known else 0)),
            (tr("Estimated"), number(known.estimated if known else 0)),
        ]
        self.contents.show_facts(facts)
        self._show_buttons()

    def _show_buttons(self) -> None:
        for action in (self.pdf, self.csv, self.elsewhere):
            action.setEnabled(self.model.can_write)

    # -- acts ----------------------------------------------------------------------------------
    def write(self, kind: str, path: Path | None = None) -> None:
        """Write a document of the chosen stretch, read it back and keep its fingerprint."""
        point, span, desk = self.model.point, self.model.span, self.context.desk
        if point is None or not self.model.can_write:
            return
        if path is None and self.context.is_read_only:
            self._save_as(kind)
            return
        self.model.is_busy = True
        self._show_buttons()
        self.context.show_message(tr("Exporting …"))
        self.context.run(
            lambda _task: _write(desk, kind, point, span, path), self._written, failed=self._failed
        )

    def _failed(self, _sentence: str) -> None:
        self.model.is_busy = False
        self._show_contents()

    def _written(self, done: HandoverResult) -> None:
        self.model.is_busy = False
        self.context.archive_changed.emit()
        words = tr("%1 exported and read back:").replace("%1", done.path.name)
        words += " " + counted(done.readings, "%n reading", "%n readings")
        if done.pages:
            words += ", " + counted(done.pages, "%n page", "%n pages")
        self.context.show_message(words)

    def _save_as(self, kind: str = "pdf") -> None:
        point = self.chosen()
        if point is None:
            return
        suggested = file_name(point, self.span(), kind)
        both = [tr("PDF report (*.pdf)"), tr("CSV (*.csv)")]
        kinds = ";;".join(both if kind == "pdf" else both[::-1])
        path, kind = QFileDialog.getSaveFileName(self, tr("Save a copy"), suggested, kinds)
        if path:
            self.write("csv" if "csv" in kind.lower() else "pdf", Path(path))

    def _current(self) -> IssuedDocument | None:
        at = self.table.currentRow()
        return self.model.issued[at] if 0 <= at < self.table.rowCount() else None

    def _show_document(self) -> None:
        document = self._current()
        self._shown_uid = document.uid if document is not None else ""
        self.pages.show_document(
            document.shown if document else None, document.kind if document else "pdf"
        )
        self.open_button.setEnabled(document is not None and document.state != "missing")
        can = document is not None and document.can_be_reissued
        self.again_button.setVisible(can and not self.context.is_read_only)

    def reissue(self) -> None:
        """Write the chosen document once more as it was handed over."""
        document, desk = self._current(), self.context.desk
        if document is None or not document.can_be_reissued:
            return

        def done(path: Path) -> None:
            self.context.archive_changed.emit()
            self.context.show_message(
                tr("%1 issued again, exactly as it was.").replace("%1", path.name)
            )

        self.context.run(lambda _task: reissue(desk, document), done)

    def open_file(self) -> None:
        """Open the chosen document in the program the system has for it."""
        document = self._current()
        if document is None:
            return
        if not QDesktopServices.openUrl(QUrl.fromLocalFile(document.file_name)):
            words = tr("No program on this computer opens %1; it is in its folder.")
            self.context.said.emit(words.replace("%1", Path(document.file_name).name), True)

    def open_folder(self) -> None:
        """Show the folder of the chosen document."""
        document = self._current()
        if document is not None:
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(Path(document.file_name).parent)))


def _period_text(period: NamedPeriod, zone: str) -> str:
    return {
        "mission": tr("this mission"),
        "visit": tr("since the last visit"),
        "document": tr("since the last document"),
        "month": date(period.span[0], zone, "MMMM yyyy"),
        "excursion": tr("day of the excursion of %1").replace(
            "%1", date(period.at_ms, zone, "d MMM")
        ),
    }[period.kind]


def _write(
    desk: Workspace, kind: str, point: PointPlace, span: Span, path: Path | None
) -> HandoverResult:
    return (export_csv if kind == "csv" else export_pdf)(desk, point, span, path)
