"""Mend: gaps by site, the chosen gap in its surroundings, what could fill it, the chain."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from operator import is_

from PySide6.QtWidgets import (
    QButtonGroup,
    QGridLayout,
    QLineEdit,
    QRadioButton,
    QVBoxLayout,
)

from gezeiten.desk.context import Desk
from gezeiten.desk.field.beside import Measured, fill_by_measured
from gezeiten.desk.field.estimating import Way, estimates, fill_by_way
from gezeiten.desk.field.gaps import BookedGap, gaps
from gezeiten.desk.field.many_gaps import together, undo_all
from gezeiten.desk.field.mending import fill_by_line, fill_from_logger, leave_open, undo
from gezeiten.desk.logger.offloading import Offloaded
from gezeiten.desk.office.logbook import About, about_point
from gezeiten.desk.places import PointPlace
from gezeiten.domain.acts.gaps import way_words
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.timeline import duration_text
from gezeiten.domain.steps.steps import RecordStep
from gezeiten.ui.mend.detail import Detail, load_detail, with_other, with_way
from gezeiten.ui.mend.model import (
    Mending,
    Offers,
    arranged,
    draft_key,
    rows_around,
    surroundings,
)
from gezeiten.ui.mend.ways import WaysRows
from gezeiten.ui.parts.chart_lanes import Lane
from gezeiten.ui.parts.charts import LaneChart
from gezeiten.ui.parts.giving_way import GivingWay
from gezeiten.ui.parts.lanes import feed
from gezeiten.ui.parts.site_list import ListLine, SiteList
from gezeiten.ui.parts.widgets import Card, button, clear, column, label, row, rule
from gezeiten.ui.shell import house as places
from gezeiten.ui.shell.commands import Command
from gezeiten.ui.shell.draft_keeper import DraftKeeper
from gezeiten.ui.shell.house import House, Place, Rows
from gezeiten.ui.shell.i18n import counted, day_and_time, number, tr
from gezeiten.ui.shell.theme import Theme
from gezeiten.ui.shell.units import Units, units_of

_LINE_ROW = 40
"""Of what could fill a gap: what is measured stands above it, estimates below."""
_LEAST_PICTURE_PX = 130
"""The picture never gives way further: what could fill the gap scrolls then."""


class MendPlace(Place):
    """Makes a record whole: fill or leave open, each undone again."""

    kind_of_empty = "mend"

    def __init__(self, house: House) -> None:
        super().__init__(house)
        self._detail: Detail | None = None
        self._drawn: tuple[object, ...] = ()
        self.model = Mending()
        self._wanted: object = None
        self._drafts = DraftKeeper(house)
        self.list = SiteList(tr("Gaps"))
        self.list.chosen.connect(self._choose)
        self.count_words = label("", "muted")
        left = Card(tr("Gaps"), self.count_words)
        left.body.addWidget(self.list, 1)
        self.many_button = button(tr("Many gaps in one act …"), self.show_many)
        self.many_button.setToolTip("Ctrl+Shift+G")
        if house.is_looking:
            self.many_button.hide()
        left.body.addWidget(self.many_button)
        left.give_way(256, 190)
        self.chart = LaneChart(house.theme, tr("The gap in its surroundings"))
        feed(house, self.chart, "mend pictures")
        self.chart.tapped.connect(self.show_story)
        self.picture = Card(" ", tr("dotted: estimated · dashed: proposed"))
        self.picture.body.addWidget(self.chart.scroll(), 1)
        self.chart.scroll().setMinimumHeight(_LEAST_PICTURE_PX)
        self.right = self._chain_card()
        offers = self._offers_card()
        if house.is_looking:
            offers.hide()
        middle = column(self.picture, offers)
        middle.setStretch(0, 1)
        line = row(left, middle, self.right, margins=14)
        line.setStretch(1, 1)
        self.setLayout(line)
        self.setFocusProxy(self.list)

    def _offers_card(self) -> Card:
        card = Card(tr("What could fill it"), tr("error measured on known stretches as long"))
        grid = QGridLayout()
        grid.setHorizontalSpacing(14)
        grid.setVerticalSpacing(6)
        for j, text in enumerate((tr("Source"), tr("How"), tr("Expected error"), tr("Covers"))):
            grid.addWidget(label(text, "muted"), 0, j)
        self.by_logger = QRadioButton(tr("Ask the logger again"))
        self.by_line = QRadioButton(tr("Straight line"))
        self.choice = QButtonGroup(self)
        self.choice.addButton(self.by_logger)
        self.choice.addButton(self.by_line)
        self.choice.buttonToggled.connect(lambda *_: self._choose_source())
        self.logger_cells = [label("", wrap=True), label(""), label("")]
        self.line_cells = [label("", wrap=True), label(""), label("")]
        for at, radio, cells in (
            (1, self.by_logger, self.logger_cells), (_LINE_ROW, self.by_line, self.line_cells),
        ):  # fmt: skip
            grid.addWidget(radio, at, 0)
            for j, cell in enumerate(cells):
                grid.addWidget(cell, at, j + 1)
            grid.addWidget(rule(), at + 1, 0, 1, 4)
        grid.setColumnStretch(1, 1)
        grid.setColumnMinimumWidth(1, 150)
        card.body.addWidget(GivingWay(grid))
        self.ways = WaysRows(grid, 3, _LINE_ROW + 2)
        self.ways.chosen.connect(self._choose_row)
        self.fill_button = button(tr("Fill"), self.fill, "primary")
        self.reason = QLineEdit()
        self.reason.setPlaceholderText(tr("Reason for leaving it open"))
        self.reason.setAccessibleName(tr("Reason for leaving it open"))
        self.reason.returnPressed.connect(self.leave_open)
        self.reason.textEdited.connect(self._keep_draft)
        self.leave_button = button(tr("Leave open"), self.leave_open)
        self.undo_button = button(tr("Undo"), self.undo)
        self.undo_button.setToolTip(tr("Ctrl+Shift+Z undoes the whole act, of all its gaps"))
        card.body.addLayout(
            row(self.fill_button, self.reason, self.leave_button, self.undo_button, spacing=8)
        )
        return card

    def _chain_card(self) -> Card:
        card = Card(tr("From logger to record"))
        self.chain = QVBoxLayout()
        self.chain.setSpacing(5)
        card.body.addLayout(self.chain)
        card.body.addStretch(1)
        self.whole_chain = button(tr("Whole chain"), self.show_chain)
        self.whole_chain.setToolTip("Alt+C")
        card.body.addWidget(self.whole_chain)
        self.compare = button(tr("Look in Trends"), self._to_trends)
        self.compare.setToolTip("Alt+T")
        card.body.addWidget(self.compare)
        card.body.addWidget(rule())
        words = tr("Every step can be undone. What was offloaded never changes.")
        card.body.addWidget(label(words, "muted", wrap=True))
        card.give_way(230, 180)
        return card

    def commands(self) -> list[Command]:
        here = places.MEND
        return [
            Command("gap.next", tr("Next gap"), "N", lambda: self.list.step(1), here),
            Command("gap.previous", tr("Previous gap"), "P", lambda: self.list.step(-1), here),
            Command("gap.fill", tr("Fill the chosen gap"), "Ctrl+Return", self.fill, here),
            Command(
                "gap.leave", tr("Leave the chosen gap open"), "Ctrl+L", self.reason.setFocus, here
            ),
            Command("gap.trends", tr("Look at the gap in Trends"), "Alt+T", self._to_trends, here),
            Command(
                "gap.chain", tr("Chain of the series: corrections"), "Alt+C", self.show_chain, here
            ),
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
                tr("Story of the reading at the cursor"),
                "Alt+S",
                lambda: self.show_story(self.chart.cursor_ms),
                here,
            ),
            Command(
                "gap.rows", tr("Readings around the gap as a table"), "Alt+R", self.show_rows, here
            ),
            Command("gap.many", tr("Many gaps in one act"), "Ctrl+Shift+G", self.show_many, here),
            Command(
                "gap.undo.all",
                tr("Undo the whole act that the chosen gap was part of"),
                "Ctrl+Shift+Z",
                self.undo_whole_act,
                here,
            ),
            Command("gap.undo", tr("Undo what was done about the gap"), "Ctrl+Z", self.undo, here),
        ]

    def hint(self) -> str:
        return tr(
            "N, P next and previous gap · Ctrl+Enter fills · Ctrl+L leaves open · Ctrl+Z undoes"
        )

    # -- loading -------------------------------------------------------------------------------
    def about(self) -> Callable[[Desk], About] | None:
        if self._detail is None:
            return None
        point, gap = self._detail.booked.point, self._detail.booked.gap
        return lambda desk: about_point(desk, point.id, (gap.start_ms, gap.end_ms))

    def refresh(self) -> None:
        self.house.run(lambda _task: gaps(self.house.desk), self._show_list, latest="gaps")

    def _show_list(self, listed: list[BookedGap]) -> None:
        open_count = sum(1 for booked in listed if booked.state == "open")
        settled = len(listed) - open_count
        done = counted(settled, "%n settled", "%n settled")
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
        elif self.list.thing() is not None:
            self._choose(self.list.thing())

    def show_target(self, target: object) -> None:
        found = self.list.choose(lambda booked: booked.key == target)
        self._wanted = None if found else target

    def _choose(self, booked: BookedGap | None) -> None:
        if booked is None:
            self._detail, self._drawn = None, ()
            self.model.leave()
            self.picture.title.setText(tr("No gaps: every record here is whole."))
            self.chart.show_lanes([], (0, 1), "UTC")
            self._show_buttons()
            return
        desk = self.house.desk
        cards = list(self.house.carriers.values())
        self.house.run(lambda _task: load_detail(desk, booked, cards), self._show_detail)

    # -- showing -------------------------------------------------------------------------------
    def _show_detail(self, detail: Detail) -> None:
        chosen = self.list.thing()
        if chosen is None or chosen.key != detail.booked.key:
            return  # another one was chosen meanwhile
        self._detail = detail
        reason = self._drafts.get(draft_key(detail.booked))
        if self.reason.text() != reason:
            self.reason.setText(reason)
        booked, gap = detail.booked, detail.booked.gap
        filled = {
            "from the logger": counted(gap.missing, "%n reading came from the logger",
                                       "%n readings came from the logger"),
            "from another source": counted(gap.missing, "%n reading measured by another source",
                                           "%n readings measured by another source"),
            "estimated": counted(gap.missing, "%n reading estimated", "%n readings estimated"),
        }  # fmt: skip
        missing = counted(gap.missing, "%n reading missing", "%n readings missing")
        missing = filled.get(booked.state, missing)
        self.picture.title.setText(
            f"{booked.point.name} · {duration_text(gap.length_ms)} · {missing} · "
            f"{booked.point.zone}"
        )
        self.model.take(booked, detail.offers, detail.others)
        self._show_offers(detail.offers, booked)
        self._show_chain(detail)
        self._show_proposal()
        self._look_for_ways()

    def _show_offers(self, told: Offers, booked: BookedGap) -> None:
        words = [*_logger_words(told, booked), *self._line_words(told, booked)]
        for cell, text in zip([*self.logger_cells, *self.line_cells], words, strict=True):
            cell.setText(text)
        self.by_logger.setEnabled(told.can_ask)
        self.by_line.setEnabled(told.can_draw)
        self._check_sources()

    def _line_words(self, told: Offers, booked: BookedGap) -> tuple[str, str, str]:
        """How the line is drawn, its expected errors, what it covers."""
        how = {
            "refusal": tr(told.line.refusal),
            "between the ends": tr("between the two ends"),
            "filled": tr("filled between the two ends"),
            "not needed": tr("not needed: it is measured"),
        }[told.line_says]
        units = units_of(self.house.desk.settings)
        errors = [units.error(booked.point, key, one.rmse) for key, one in told.line.errors.items()]
        none = "—" if told.line_says == "not needed" else tr("over the rule")
        shown = "\n".join(errors) if told.shows_errors else ""
        return how, shown or "—", _covers(told.line_covers, booked, none)

    def _choose_source(self) -> None:
        self.model.choose("line" if self.by_line.isChecked() else "logger")
        self.ways.check(None)
        self._show_proposal()

    def _choose_row(self, thing: Way | Measured) -> None:
        if isinstance(thing, Way):
            self.model.choose_way(thing)
        else:
            self.model.choose_other(thing)
        self._check_sources()
        self._show_proposal()

    def _check_sources(self) -> None:
        """Show which source is chosen."""
        self.choice.blockSignals(True)
        self.choice.setExclusive(False)
        self.by_logger.setChecked(self.model.source == "logger")
        self.by_line.setChecked(self.model.source == "line")
        self.choice.setExclusive(True)
        self.choice.blockSignals(False)
        self.ways.check(self.model.way or self.model.other)

    def _look_for_ways(self) -> None:
        """Find what could estimate the gap; the best known so far is shown at once."""
        booked, desk = self.model.booked, self.house.desk
        if booked is None or not self.model.is_open or not booked.channels:
            self.ways.show_words("")
            return
        looking = tr("Looking for companions and cycles …")
        self.ways.show_measured(self.model.others, booked, units_of(desk.settings), looking)
        self.ways.check(self.model.other)

        def show(ways: list[Way]) -> None:
            if self.model.booked is not booked:
                return  # another gap was chosen meanwhile
            self.model.know_ways(ways)
            units = units_of(desk.settings)
            self.ways.show_ways(ways, booked, units, is_settled=not self.model.is_open)
            self._check_sources()
            self._show_proposal()

        def failed(sentence: str) -> None:
            others = self.model.others
            self.ways.show_measured(others, booked, units_of(desk.settings), sentence)
            self.ways.check(self.model.other)

        self.house.run(
            lambda task: estimates(desk, booked, task.tell, task.cancelled), show,
            failed=failed, progress=show, latest="gap estimates",
        )  # fmt: skip

    def _show_proposal(self) -> None:
        detail = self._detail
        self._show_buttons()
        if detail is None:
            return
        way, other = self.model.way, self.model.other
        fills = tuple(way.of.values()) if way is not None else (other or self.model.shows_line,)
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
        detail, way = self._detail, self.model.way
        if detail is None:
            return []
        if way is not None:
            units = units_of(self.house.desk.settings)
            return with_way(detail.lanes, detail.booked, way, units)
        if self.model.other is not None:
            units = units_of(self.house.desk.settings)
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
            again = offer.kept_offload is not None
            words = (
                tr("Switch on again") if again else tr("Fetch from %1").replace("%1", offer.serial)
            )
        self.fill_button.setText(words)
        for part in (self.leave_button, self.reason):
            part.setEnabled(model.can_leave)
        self.undo_button.setEnabled(model.can_undo)
        for part in (self.compare, self.whole_chain):
            part.setEnabled(self._detail is not None)

    def _show_chain(self, detail: Detail) -> None:
        clear(self.chain)
        point, units = detail.booked.point, units_of(self.house.desk.settings)
        kept = counted(detail.readings, "%n value as measured", "%n values as measured")
        self._chain_step("●", tr("As offloaded"), kept)
        for step in detail.steps:
            name, words = _step_words(step, point, units)
            undone = step.undone_ms is not None
            if undone:
                words += " · " + tr("undone by %1").replace("%1", step.undone_by)
            self._chain_step("○" if undone else "●", name, words)
        if not detail.steps:
            self._chain_step("○", tr("Gaps filled"), tr("none yet"))

    def _chain_step(self, sign: str, name: str, words: str) -> None:
        mark = label(sign)
        mark.setFixedWidth(18)
        self.chain.addLayout(row(mark, label(name, "head"), 1, spacing=2))
        below = label(words, "muted", wrap=True)
        below.setContentsMargins(20, 0, 0, 4)
        self.chain.addWidget(below)

    # -- acts ----------------------------------------------------------------------------------
    def fill(self) -> None:
        """Fill the chosen gap by the chosen source."""
        booked, desk = self.model.booked, self.house.desk
        if booked is None or not self.model.can_fill:
            return
        way, other = self.model.way, self.model.other
        if other is not None:
            self._do(lambda: fill_by_measured(desk, booked, other), tr("Filled; Ctrl+Z undoes it."))
        elif way is not None:
            self._do(lambda: fill_by_way(desk, booked, way), tr("Filled; Ctrl+Z undoes it."))
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
                lambda: leave_open(self.house.desk, booked, reason),
                tr("Left open, with its reason."),
            )

    def _keep_draft(self, text: str) -> None:
        if self.model.booked is not None:
            self._drafts.put(draft_key(self.model.booked), text)

    def undo(self) -> None:
        """Undo what was done about the chosen gap."""
        booked = self.model.booked
        if booked is not None and self.model.can_undo:
            self._do(
                lambda: undo(self.house.desk, booked),
                tr("Undone; the record is as it was before."),
            )

    def _do(self, act: Callable[[], object], said: str) -> None:
        self.model.is_busy = True
        booked = self.model.booked
        self._show_buttons()

        def done(result: object) -> None:
            self.model.is_busy = False
            if booked is not None:
                self._drafts.put(draft_key(booked), "")
            self.house.archive_changed.emit()
            taken = result if isinstance(result, list) else [result]
            cut_short = next((one.error for one in taken
                              if isinstance(one, Offloaded) and one.error), "")  # fmt: skip
            self.house.say(str(cut_short) if cut_short else said)

        def failed(_sentence: str) -> None:
            self.model.is_busy = False
            self._show_buttons()

        self.house.run(lambda _task: act(), done, failed=failed)

    def show_many(self) -> None:
        """Do one thing about many gaps."""
        from gezeiten.ui.mend.many_dialog import ManyGapsDialog

        ManyGapsDialog(self, self.house).open()

    def undo_whole_act(self) -> None:
        """Undo what was done about the chosen gap and about all others in the same act."""
        booked, desk = self.model.booked, self.house.desk
        if booked is not None and self.model.can_undo:
            self._do(lambda: undo_all(desk, together(desk, booked)), tr("Undone."))

    def show_chain(self) -> None:
        """Show how the series of the gap comes about, and correct it."""
        from gezeiten.ui.mend.chain_dialog import ChainDialog

        if self._detail:
            booked = self._detail.booked
            series = booked.channels[0] if booked.channels else ""
            view = surroundings(booked.gap)
            ChainDialog(self, self.house, booked.point, series, view).open()

    def point_in_hand(self) -> int | None:
        return self._detail.booked.point.id if self._detail else None

    def show_coverage(self) -> None:
        """Show how much of each day of the series of the gap is held."""
        from gezeiten.ui.points.coverage_dialog import CoverageDialog

        if self._detail:
            booked = self._detail.booked
            series = booked.channels[0] if booked.channels else ""
            CoverageDialog(self, self.house, booked.point, series).open()

    def show_remarks(self) -> None:
        """Show the remarks on the point of the gap; a new one is about the gap."""
        from gezeiten.ui.points.remarks_dialog import RemarksDialog

        if self._detail:
            gap = self._detail.booked.gap
            span = (gap.start_ms, gap.end_ms)
            RemarksDialog(self, self.house, self._detail.booked.point, span).open()

    def show_story(self, at_ms: int | None) -> None:
        """Tell how the reading beside the gap that stands nearest to an instant came about."""
        from gezeiten.ui.mend.story_dialog import StoryDialog

        if self._detail:
            booked = self._detail.booked
            series = booked.channels[0] if booked.channels else ""
            at_ms = booked.gap.start_ms - 1 if at_ms is None else at_ms
            StoryDialog(self, self.house, booked.point, at_ms, series).open()

    def show_rows(self) -> None:
        """Show the readings around the gap as a table, from the last one before it on."""
        if self._detail:
            booked = self._detail.booked
            series = tuple((booked.point, key) for key in booked.channels)
            self.house.rows_wanted.emit(Rows(series, rows_around(booked.gap), booked.gap.start_ms))

    def _to_trends(self) -> None:
        if self._detail:
            booked = self._detail.booked
            back = (places.MEND, booked.key, tr("Back to the gap"))
            span = (booked.gap.start_ms, booked.gap.end_ms)
            self.house.go.emit(places.TRENDS, places.Look(booked.point.id, span, back))

    def set_theme(self, theme: Theme) -> None:
        self.list.theme = theme
        self.list.viewport().update()
        self.chart.set_theme(theme)


def _logger_words(told: Offers, booked: BookedGap) -> tuple[str, str, str]:
    """What the logger has of a gap, whether that is measured, what it covers."""
    logger = told.logger
    holds = f"{logger.serial} · {tr(logger.sentence)}" if logger.serial else tr(logger.sentence)
    how = {
        "what it holds": holds,
        "fetched": tr("fetched; the record holds what it measured"),
        "line first": tr("undo the line to ask the logger"),
        "not needed": tr("not needed: it is measured"),
    }[told.logger_says]
    measured = tr("measured") if told.is_measured else "—"
    return how, measured, _covers(told.logger_covers, booked, tr("cannot serve"))


def _covers(readings: int | None, booked: BookedGap, otherwise: str) -> str:
    words = tr("%1 of %2").replace("%2", number(booked.gap.missing))
    return otherwise if readings is None else words.replace("%1", number(readings))


def _step_words(step: RecordStep, point: PointPlace, units: Units) -> tuple[str, str]:
    when = day_and_time(step.made_ms, point.zone)
    if step.does.has_estimates:
        error = units.error(point, step.channel, float(step.facts["rmse"]))
        words = f"{quantity(step.channel).name} · {error} · {step.made_by}, {when}"
        return tr("Filled %1").replace("%1", tr(way_words(step.facts))), words
    if not step.does.changes_record:
        return tr("Left open"), f"{step.facts.get('reason', '')} · {step.made_by}, {when}"
    good = f"{tr('measured, code good')} · {step.made_by}, {when}"
    if step.does.feeds:
        source = str(step.facts["source"])
        return tr("Filled by %1").replace("%1", source), f"{quantity(step.channel).name} · {good}"
    if by := step.facts.get("by"):
        return tr("Filled from %1").replace("%1", tr(by)), good
    return tr("Filled from the logger"), good
