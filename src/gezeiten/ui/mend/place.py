"""Mend as one place, about the one gap that is chosen in it.

Gaps by site, the chosen gap in its surroundings, what could fill it, the chain.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from operator import is_
from typing import Literal

from PySide6.QtGui import QHideEvent, QShowEvent
from PySide6.QtWidgets import QLineEdit

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.alternative_sources import AlternativeReadings, fill_by_measured
from gezeiten.desk.field.estimates import FillMethod, estimates, fill_by_method
from gezeiten.desk.field.gap_filling import fill_by_line, fill_from_logger, leave_open, undo
from gezeiten.desk.field.gaps import BookedGap, gaps, gaps_of_calculated
from gezeiten.desk.field.several_gaps import gaps_of_same_action, undo_all
from gezeiten.desk.logger.offloading import Offloaded
from gezeiten.desk.office.logbook import AboutFilter, about_point
from gezeiten.desk.sites.places import PointPlace, points
from gezeiten.domain.series.timeline import duration_text
from gezeiten.domain.steps.steps import NOT_CALCULATED
from gezeiten.ui.charts.chart_lanes import Lane
from gezeiten.ui.charts.lane_chart import LaneChart
from gezeiten.ui.charts.lanes import connect_readings
from gezeiten.ui.format.i18n import counted, day_and_time, tr
from gezeiten.ui.format.units import units_of
from gezeiten.ui.mend.chain_card import ChainCard
from gezeiten.ui.mend.detail import GapDetail, load_detail, with_method, with_other
from gezeiten.ui.mend.model import (
    SelectedGap,
    arranged,
    draft_key,
    surroundings,
    table_span,
)
from gezeiten.ui.mend.offers import OffersTable
from gezeiten.ui.mend.provenance_dialog import ProvenanceDialog, connect_provenance
from gezeiten.ui.parts.site_list import ListLine, SiteList
from gezeiten.ui.parts.widgets import Card, button, column, label, row
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.app_context import AppContext, ClockWanted, Place, ReadingsRequest
from gezeiten.ui.shell.commands import Command
from gezeiten.ui.shell.theme import Theme
from gezeiten.ui.work.draft_keeper import DraftKeeper

_LEAST_PICTURE_PX = 130
"""The picture never gives way further: what could fill the gap scrolls then."""


class MendPlace(Place):
    """Makes a record whole: fill or leave open, each undone again."""

    kind_of_empty = "mend"

    def __init__(self, context: AppContext) -> None:
        super().__init__(context)
        self._detail: GapDetail | None = None
        self._drawn: tuple[object, ...] = ()
        self.model = SelectedGap()
        self._wanted: object = None
        self._drafts = DraftKeeper(context)
        self.list = SiteList(tr("Gaps"))
        self.list.chosen.connect(self._select)
        self.count_words = label("", "muted")
        left = Card(tr("Gaps"), self.count_words)
        left.body.addWidget(self.list, 1)
        self.many_button = button(tr("Fill several gaps …"), self.show_several)
        self.many_button.setToolTip("Ctrl+Shift+G")
        if context.is_read_only:
            self.many_button.hide()
        left.body.addWidget(self.many_button)
        left.set_widths(256, 190)
        self.chart = LaneChart(context.theme, tr("The gap in its surroundings"))
        connect_readings(context, self.chart, "mend pictures")
        connect_provenance(
            self.chart,
            self,
            context,
            lambda: [self._detail.booked.point] if self._detail else [],
        )
        self.picture = Card(" ", tr("dotted: estimated · dashed: proposed"))
        self.picture.body.addWidget(self.chart.scroll(), 1)
        self.chart.scroll().setMinimumHeight(_LEAST_PICTURE_PX)
        self.chain = ChainCard(self.show_chain, self._to_trends)
        offers = self._offers_card()
        if context.is_read_only:
            offers.hide()
        middle = column(self.picture, offers)
        middle.setStretch(0, 1)
        line = row(left, middle, self.chain, margins=14)
        line.setStretch(1, 1)
        self.setLayout(line)
        self.setFocusProxy(self.list)
        context.carriers_changed.connect(self._carriers_changed)

    def _offers_card(self) -> Card:
        card = Card(tr("Ways to fill it"), tr("error measured on known periods of the same length"))
        self.offers = OffersTable()
        self.offers.source_chosen.connect(self._select_source)
        self.offers.row_chosen.connect(self._select_row)
        card.body.addWidget(self.offers)
        self.fill_button = button(tr("Fill"), self.fill, "primary")
        self.reason = QLineEdit()
        self.reason.setPlaceholderText(tr("Reason for leaving it open"))
        self.reason.setAccessibleName(tr("Reason for leaving it open"))
        self.reason.returnPressed.connect(self.leave_open)
        self.reason.textEdited.connect(self._save_draft)
        self.leave_button = button(tr("Leave open"), self.leave_open)
        self.undo_button = button(tr("Undo"), self.undo)
        self.undo_button.setToolTip(tr("Ctrl+Shift+Z undoes the whole batch, all its gaps"))
        card.body.addLayout(
            row(self.fill_button, self.reason, self.leave_button, self.undo_button, spacing=8)
        )
        return card

    def commands(self) -> list[Command]:
        here = places.MEND
        return [
            Command("gap.next", tr("Next gap"), "N", lambda: self.list.step(1), here),
            Command("gap.previous", tr("Previous gap"), "P", lambda: self.list.step(-1), here),
            Command("gap.fill", tr("Fill the selected gap"), "Ctrl+Return", self.fill, here),
            Command(
                "gap.leave", tr("Leave the selected gap open"), "Ctrl+L", self.reason.setFocus, here
            ),
            Command("gap.trends", tr("Show the gap in Trends"), "Alt+T", self._to_trends, here),
            Command("gap.chain", tr("Corrections of the series"), "Alt+C", self.show_chain, here),
            Command(
                "gap.coverage",
                tr("Coverage of the series, as a calendar"),
                "Alt+K",
                self.show_coverage,
                here,
            ),
            Command(
                "gap.remark",
                tr("Remarks on the point of the gap"),
                "Ctrl+B",
                self.show_remarks,
                here,
            ),
            Command(
                "gap.story",
                tr("Provenance of the reading at the cursor"),
                "Alt+S",
                lambda: self.show_provenance(self.chart.cursor_ms),
                here,
            ),
            Command(
                "gap.rows", tr("Readings around the gap as a table"), "Alt+R", self.show_rows, here
            ),
            Command("gap.many", tr("Fill several gaps"), "Ctrl+Shift+G", self.show_several, here),
            Command(
                "gap.undo.all",
                tr("Undo the whole batch that the selected gap was part of"),
                "Ctrl+Shift+Z",
                self.undo_whole_action,
                here,
            ),
            Command("gap.undo", tr("Undo the last change to the gap"), "Ctrl+Z", self.undo, here),
        ]

    def hint(self) -> str:
        return tr("N, P next and previous gap · Ctrl+Enter fill · Ctrl+L leave open · Ctrl+Z undo")

    # -- loading -------------------------------------------------------------------------------
    def logbook_filter(self) -> Callable[[Workspace], AboutFilter] | None:
        if self._detail is None:
            return None
        point, gap = self._detail.booked.point, self._detail.booked.gap
        return lambda desk: about_point(desk, point.id, (gap.start_ms, gap.end_ms))

    def refresh(self) -> None:
        desk = self.context.desk
        self.context.run(
            lambda _task: [*gaps(desk), *gaps_of_calculated(desk)], self._show_list, latest="gaps"
        )

    def _show_list(self, listed: list[BookedGap]) -> None:
        open_count = sum(1 for booked in listed if booked.state == "open")
        settled = sum(1 for booked in listed if booked.state not in ("open", NOT_CALCULATED))
        done = counted(settled, "%n done", "%n done")
        self.count_words.setText(f"{counted(open_count, '%n open', '%n open')} · {done}")
        lines = [
            ListLine(
                booked.point.site,
                booked.point.name,
                duration_text(booked.gap.length_ms),
                day_and_time(booked.gap.start_ms, booked.point.zone),
                tr(booked.state) + (f": {booked.reason}" if booked.reason else ""),
                booked,
                is_open=booked.state == "open",
            )
            for booked in arranged(listed)
        ]
        self.list.show_lines(lines, lambda a, b: a.key == b.key)
        if self._wanted is not None:
            self.show_target(self._wanted)
        elif self.list.selected() is not None:
            self._select(self.list.selected())

    def show_target(self, target: object) -> None:
        if isinstance(target, ClockWanted):
            self._show_clock(target)
            return
        found = self.list.select(lambda booked: booked.key == target)
        self._wanted = None if found else target

    def _select(self, booked: BookedGap | None) -> None:
        if booked is None:
            self._detail, self._drawn = None, ()
            self.model.leave()
            self.picture.title.setText(tr("No gaps: every record is complete."))
            self.chart.show_lanes([], (0, 1), "UTC")
            self._show_buttons()
            return
        desk = self.context.desk
        cards = list(self.context.carriers.values())
        self.context.run(lambda _task: load_detail(desk, booked, cards), self._show_detail)

    def showEvent(self, event: QShowEvent) -> None:
        self.context.watch_carriers(on=True)
        super().showEvent(event)

    def hideEvent(self, event: QHideEvent) -> None:
        self.context.watch_carriers(on=False)
        super().hideEvent(event)

    def _carriers_changed(self) -> None:
        """Look anew at what could fill the gap, unless somebody has chosen already."""
        model = self.model
        if self.isVisible() and model.is_open and not (model.by_hand or model.is_busy):
            self._select(self.list.selected())

    # -- showing -------------------------------------------------------------------------------
    def _show_detail(self, detail: GapDetail) -> None:
        selected = self.list.selected()
        if selected is None or selected.key != detail.booked.key:
            return  # another one was chosen meanwhile
        self._detail = detail
        reason = self._drafts.get(draft_key(detail.booked))
        if self.reason.text() != reason:
            self.reason.setText(reason)
        booked, gap = detail.booked, detail.booked.gap
        filled = {
            "from the logger": counted(
                gap.missing, "%n reading came from the logger", "%n readings came from the logger"
            ),
            "from another source": counted(
                gap.missing,
                "%n reading measured by another source",
                "%n readings measured by another source",
            ),
            NOT_CALCULATED: counted(
                gap.missing, "%n reading not calculated", "%n readings not calculated"
            ),
            "estimated": counted(gap.missing, "%n reading estimated", "%n readings estimated"),
        }
        missing = counted(gap.missing, "%n reading missing", "%n readings missing")
        missing = filled.get(booked.state, missing)
        self.picture.title.setText(
            f"{booked.point.name} · {duration_text(gap.length_ms)} · {missing} · "
            f"{booked.point.zone}"
        )
        self.model.set_gap(booked, detail.offers, detail.others)
        units = units_of(self.context.desk.settings)
        self.offers.show_offers(detail.offers, booked, units)
        self.offers.check(self.model)
        self.chain.show_detail(detail, units)
        self._show_proposal()
        self._find_fill_methods()

    def _select_source(self, source: Literal["logger", "line"]) -> None:
        self.model.select(source)
        self.offers.ways.check(None)
        self._show_proposal()

    def _select_row(self, item: FillMethod | AlternativeReadings) -> None:
        if isinstance(item, FillMethod):
            self.model.select_method(item)
        else:
            self.model.select_alternative(item)
        self.offers.check(self.model)
        self._show_proposal()

    def _find_fill_methods(self) -> None:
        """Find what could estimate the gap; the best known so far is shown at once."""
        booked, desk = self.model.booked, self.context.desk
        if booked is None or not self.model.is_open or not booked.channels:
            self.offers.ways.show_message("")
            return
        looking = tr("Searching for related series and cycles …")
        self.offers.ways.show_measured(self.model.others, booked, units_of(desk.settings), looking)
        self.offers.ways.check(self.model.other)

        def show(methods: list[FillMethod]) -> None:
            if self.model.booked is not booked:
                return  # another gap was chosen meanwhile
            self.model.set_methods(methods)
            units = units_of(desk.settings)
            self.offers.ways.show_methods(methods, booked, units, is_settled=not self.model.is_open)
            self.offers.check(self.model)
            self._show_proposal()

        def failed(sentence: str) -> None:
            others = self.model.others
            self.offers.ways.show_measured(others, booked, units_of(desk.settings), sentence)
            self.offers.ways.check(self.model.other)

        self.context.run(
            lambda task: estimates(desk, booked, task.report, task.cancelled),
            show,
            failed=failed,
            progress=show,
            latest="gap estimates",
        )

    def _show_proposal(self) -> None:
        detail = self._detail
        self._show_buttons()
        if detail is None:
            return
        method, other = self.model.method, self.model.other
        fills = (
            tuple(method.of.values()) if method is not None else (other or self.model.shows_line,)
        )
        drawn: tuple[object, ...] = (detail, *fills)
        if len(drawn) == len(self._drawn) and all(map(is_, drawn, self._drawn)):
            return  # what was found since is no better
        is_here = (
            bool(self._drawn) and self._drawn[0] is detail
        )  # the view stays where somebody moved it
        span = self.chart.view() if is_here else surroundings(detail.booked.gap)
        self._drawn = drawn
        self.chart.show_lanes(self.with_proposals(), span, detail.booked.point.zone)

    def with_proposals(self) -> list[Lane]:
        """Return the lanes of the gap with what the chosen source would fill in."""
        detail, method = self._detail, self.model.method
        if detail is None:
            return []
        if method is not None:
            units = units_of(self.context.desk.settings)
            return with_method(detail.lanes, detail.booked, method, units)
        if self.model.other is not None:
            units = units_of(self.context.desk.settings)
            return with_other(detail.lanes, detail.booked, self.model.other, units)
        if self.model.shows_line:
            return detail.lanes
        return [replace(lane, proposal=None) for lane in detail.lanes]

    def _show_buttons(self) -> None:
        model = self.model
        self.fill_button.setEnabled(model.can_fill)
        words = tr("Fill")
        if model.source == "line":
            words = tr("Fill by a straight line")
        elif model.source == "way":
            words = tr("Fill by this estimate")
        elif model.other is not None:
            words = tr("Fill by %1").replace("%1", tr(model.other.name))
        elif model.source == "logger" and model.offers is not None:
            offer = model.offers.logger
            again = offer.undone_offload is not None
            words = tr("Enable again") if again else tr("Fetch from %1").replace("%1", offer.serial)
        self.fill_button.setText(words)
        for part in (self.leave_button, self.reason):
            part.setEnabled(model.can_leave)
        self.undo_button.setEnabled(model.can_undo)
        self.chain.allow(on=self._detail is not None)

    # -- acts ----------------------------------------------------------------------------------
    def fill(self) -> None:
        """Fill the chosen gap by the chosen source."""
        booked, desk = self.model.booked, self.context.desk
        if booked is None or not self.model.can_fill:
            return
        method, other = self.model.method, self.model.other
        if other is not None:
            self._do(lambda: fill_by_measured(desk, booked, other), tr("Filled; Ctrl+Z undoes it."))
        elif method is not None:
            self._do(lambda: fill_by_method(desk, booked, method), tr("Filled; Ctrl+Z undoes it."))
        elif self.model.source == "line":
            self._do(
                lambda: fill_by_line(desk, booked),
                tr("Filled by a straight line; Ctrl+Z undoes it."),
            )
        else:
            self._do(
                lambda: fill_from_logger(desk, booked),
                tr("Filled from the logger; Ctrl+Z undoes it."),
            )

    def leave_open(self) -> None:
        """Leave the chosen gap open with the reason typed."""
        booked = self.model.booked
        if booked is not None and self.model.can_leave:
            reason = self.reason.text()
            self._do(
                lambda: leave_open(self.context.desk, booked, reason),
                tr("Left open, with its reason."),
            )

    def _save_draft(self, text: str) -> None:
        if self.model.booked is not None:
            self._drafts.remember(draft_key(self.model.booked), text)

    def undo(self) -> None:
        """Undo what was done about the chosen gap."""
        booked = self.model.booked
        if booked is not None and self.model.can_undo:
            self._do(
                lambda: undo(self.context.desk, booked),
                tr("Undone; the record is as it was before."),
            )

    def _do(self, run: Callable[[], object], text: str) -> None:
        self.model.is_busy = True
        booked = self.model.booked
        self._show_buttons()

        def done(result: object) -> None:
            self.model.is_busy = False
            if booked is not None:
                self._drafts.remember(draft_key(booked), "")
            self.context.archive_changed.emit()
            results = result if isinstance(result, list) else [result]
            cut_short = next(
                (one.error for one in results if isinstance(one, Offloaded) and one.error), ""
            )
            self.context.show_message(str(cut_short) if cut_short else text)

        def failed(_sentence: str) -> None:
            self.model.is_busy = False
            self._show_buttons()

        self.context.run(lambda _task: run(), done, failed=failed)

    def show_several(self) -> None:
        """Do one thing about many gaps."""
        from gezeiten.ui.mend.several_gaps_dialog import SeveralGapsDialog

        SeveralGapsDialog(self, self.context).open()

    def undo_whole_action(self) -> None:
        """Undo what was done about the chosen gap and about all others in the same action."""
        booked, desk = self.model.booked, self.context.desk
        if booked is not None and self.model.can_undo:
            self._do(lambda: undo_all(desk, gaps_of_same_action(desk, booked)), tr("Undone."))

    def show_chain(self) -> None:
        """Show how the series of the gap comes about, and correct it."""
        from gezeiten.ui.mend.chain_dialog import ChainDialog

        if self._detail:
            booked = self._detail.booked
            series = booked.channels[0] if booked.channels else ""
            view = surroundings(booked.gap)
            ChainDialog(self, self.context, booked.point, series, view).open()

    def _show_clock(self, request: ClockWanted) -> None:
        """Show the clocks of a series, above its chain."""
        from gezeiten.ui.mend.chain_dialog import ChainDialog

        desk = self.context.desk

        def show(found: list[PointPlace]) -> None:
            point = next((place for place in found if place.id == request.point_id), None)
            if point is not None:
                dialog = ChainDialog(self, self.context, point, request.series)
                dialog.open()
                dialog.show_clock()

        self.context.run(lambda _task: points(desk), show)

    def point_in_hand(self) -> int | None:
        return self._detail.booked.point.id if self._detail else None

    def show_coverage(self) -> None:
        """Show how much of each day of the series of the gap is held."""
        from gezeiten.ui.points.coverage_dialog import CoverageDialog

        if self._detail:
            booked = self._detail.booked
            series = booked.channels[0] if booked.channels else ""
            CoverageDialog(self, self.context, booked.point, series).open()

    def show_remarks(self) -> None:
        """Show the remarks on the point of the gap; a new one is about the gap."""
        from gezeiten.ui.points.remarks_dialog import RemarksDialog

        if self._detail:
            gap = self._detail.booked.gap
            span = (gap.start_ms, gap.end_ms)
            RemarksDialog(self, self.context, self._detail.booked.point, span).open()

    def show_provenance(self, at_ms: int | None) -> None:
        """Show the provenance of the reading beside the gap that is nearest to an instant."""
        if self._detail:
            booked = self._detail.booked
            series = booked.channels[0] if booked.channels else ""
            at_ms = booked.gap.start_ms - 1 if at_ms is None else at_ms
            ProvenanceDialog(self, self.context, booked.point, at_ms, series).open()

    def show_rows(self) -> None:
        """Show the readings around the gap as a table, from the last one before it on."""
        if self._detail:
            booked = self._detail.booked
            series = tuple((booked.point, key) for key in booked.channels)
            self.context.rows_wanted.emit(
                ReadingsRequest(series, table_span(booked.gap), booked.gap.start_ms)
            )

    def _to_trends(self) -> None:
        if self._detail:
            booked = self._detail.booked
            back = (places.MEND, booked.key, tr("Back to the gap"))
            span = (booked.gap.start_ms, booked.gap.end_ms)
            self.context.go.emit(places.TRENDS, places.TrendsRequest(booked.point.id, span, back))

    def set_theme(self, theme: Theme) -> None:
        self.list.theme = theme
        self.list.viewport().update()
        self.chart.set_theme(theme)
