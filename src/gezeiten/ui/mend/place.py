"""Mend: gaps by site, the chosen gap in its surroundings, what could fill it, the chain."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from PySide6.QtWidgets import (
    QButtonGroup,
    QGridLayout,
    QLineEdit,
    QRadioButton,
    QVBoxLayout,
)

from gezeiten.desk.context import Desk
from gezeiten.desk.field.mending import (
    BookedGap,
    LineOffer,
    LoggerOffer,
    fill_by_line,
    fill_from_logger,
    gaps,
    leave_open,
    line_offer,
    logger_offer,
    steps_of,
    undo,
)
from gezeiten.desk.logger.offloading import Offloaded
from gezeiten.desk.office.logbook import About, about_point
from gezeiten.desk.places import PointPlace
from gezeiten.desk.record.records import around, extent, view
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.gaps import Gap
from gezeiten.domain.series.series import Series
from gezeiten.domain.series.timeline import DAY_MS, HOUR_MS, Span, duration_text
from gezeiten.domain.steps.fills import straight_line
from gezeiten.domain.steps.steps import LEFT_OPEN, LINE, RecordStep
from gezeiten.ui.parts.chart_lanes import Lane, Tint
from gezeiten.ui.parts.charts import LaneChart
from gezeiten.ui.parts.lanes import feed, made_ready, trace_of
from gezeiten.ui.parts.site_list import ListLine, SiteList
from gezeiten.ui.parts.widgets import Card, button, clear, column, label, row, rule
from gezeiten.ui.shell import house as places
from gezeiten.ui.shell.commands import Command
from gezeiten.ui.shell.draft_keeper import DraftKeeper
from gezeiten.ui.shell.house import House, Place, Rows
from gezeiten.ui.shell.i18n import counted, day_and_time, number, tr
from gezeiten.ui.shell.theme import Theme


@dataclass(frozen=True, slots=True)
class _Detail:
    """Everything about one gap, loaded off the main thread."""

    booked: BookedGap
    logger: LoggerOffer
    line: LineOffer
    lanes: list[Lane]
    steps: list[RecordStep]
    readings: int


class MendPlace(Place):
    """Makes a record whole: fill or leave open, each undone again."""

    kind_of_empty = "mend"

    def __init__(self, house: House) -> None:
        super().__init__(house)
        self._detail: _Detail | None = None
        self._wanted: object = None
        self._busy = False
        self._drafts = DraftKeeper(house)
        self.list = SiteList(tr("Gaps"))
        self.list.chosen.connect(self._choose)
        self.count_words = label("", "muted")
        left = Card(tr("Gaps"), self.count_words)
        left.body.addWidget(self.list, 1)
        left.give_way(256, 190)
        self.chart = LaneChart(house.theme, tr("The gap in its surroundings"))
        feed(house, self.chart, "mend pictures")
        self.picture = Card(" ", tr("dotted: estimated · dashed: proposed"))
        self.picture.body.addWidget(self.chart.scroll(), 1)
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
        self.choice.buttonToggled.connect(lambda *_: self._show_proposal())
        self.logger_cells = [label("", wrap=True), label(""), label("")]
        self.line_cells = [label("", wrap=True), label(""), label("")]
        for i, (radio, cells) in enumerate(
            ((self.by_logger, self.logger_cells), (self.by_line, self.line_cells))
        ):
            grid.addWidget(radio, 2 * i + 1, 0)
            for j, cell in enumerate(cells):
                grid.addWidget(cell, 2 * i + 1, j + 1)
            grid.addWidget(rule(), 2 * i + 2, 0, 1, 4)
        grid.setColumnStretch(1, 1)
        grid.setColumnMinimumWidth(1, 150)
        card.body.addLayout(grid)
        self.fill_button = button(tr("Fill"), self.fill, "primary")
        self.reason = QLineEdit()
        self.reason.setPlaceholderText(tr("Reason for leaving it open"))
        self.reason.setAccessibleName(tr("Reason for leaving it open"))
        self.reason.returnPressed.connect(self.leave_open)
        self.reason.textEdited.connect(self._keep_draft)
        self.leave_button = button(tr("Leave open"), self.leave_open)
        self.undo_button = button(tr("Undo"), self.undo)
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
                "gap.rows", tr("Readings around the gap as a table"), "Alt+R", self.show_rows, here
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
        order = sorted(listed, key=lambda b: b.state != "open")
        sites = list(dict.fromkeys(booked.point.site for booked in listed))
        order.sort(key=lambda b: sites.index(b.point.site))
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
            for booked in order
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
            self._detail = None
            self.picture.title.setText(tr("No gaps: every record here is whole."))
            self.chart.show_lanes([], (0, 1), "UTC")
            self._show_buttons()
            return
        desk = self.house.desk
        self.house.run(lambda _task: _load(desk, booked), self._show_detail)

    # -- showing -------------------------------------------------------------------------------
    def _show_detail(self, detail: _Detail) -> None:
        chosen = self.list.thing()
        if chosen is None or chosen.key != detail.booked.key:
            return  # another one was chosen meanwhile
        self._detail = detail
        reason = self._drafts.get(_draft_key(detail.booked))
        if self.reason.text() != reason:
            self.reason.setText(reason)
        booked, gap = detail.booked, detail.booked.gap
        filled = {
            "from the logger": counted(gap.missing, "%n reading came from the logger",
                                       "%n readings came from the logger"),
            "estimated": counted(gap.missing, "%n reading estimated", "%n readings estimated"),
        }  # fmt: skip
        missing = counted(gap.missing, "%n reading missing", "%n readings missing")
        missing = filled.get(booked.state, missing)
        self.picture.title.setText(
            f"{booked.point.name} · {duration_text(gap.length_ms)} · {missing} · "
            f"{booked.point.zone}"
        )
        self._show_offers(detail)
        self._show_chain(detail)
        self._show_proposal()

    def _show_offers(self, detail: _Detail) -> None:
        offer, line, missing = detail.logger, detail.line, detail.booked.gap.missing
        of_all = tr("%1 of %2")
        can_ask = bool(offer.readings) or offer.kept_offload is not None
        words = f"{offer.serial} · {tr(offer.sentence)}" if offer.serial else tr(offer.sentence)
        self.logger_cells[0].setText(words)
        self.logger_cells[1].setText(tr("measured") if can_ask else "—")
        covers = of_all.replace("%1", number(offer.readings)).replace("%2", number(missing))
        self.logger_cells[2].setText(covers if can_ask else tr("cannot serve"))
        errors = [
            f"± {number(e.rmse, quantity(c).decimals + 1)} {quantity(c).unit}"
            for c, e in line.errors.items()
        ]
        self.line_cells[0].setText(tr(line.refusal) if line.refusal else tr("between the two ends"))
        self.line_cells[1].setText("\n".join(errors) or "—")
        covers = of_all.replace("%1", number(line.readings)).replace("%2", number(missing))
        self.line_cells[2].setText(tr("over the rule") if line.refusal else covers)
        all_of_them = of_all.replace("%1", number(missing)).replace("%2", number(missing))
        if detail.booked.state == "from the logger":  # what it offers now is beside the point
            self.logger_cells[0].setText(tr("fetched; the record holds what it measured"))
            self.logger_cells[1].setText(tr("measured"))
            self.logger_cells[2].setText(all_of_them)
        if detail.booked.state in ("from the logger", "estimated"):
            by_line = detail.booked.state == "estimated"
            self.line_cells[0].setText(
                tr("filled between the two ends") if by_line else tr("not needed: it is measured")
            )
            self.line_cells[2].setText(all_of_them if by_line else "—")
            if by_line:
                self.logger_cells[0].setText(tr("undo the line to ask the logger"))
            else:
                self.line_cells[1].setText("—")
        is_open = detail.booked.state in ("open", "left open")
        self.by_logger.setEnabled(can_ask and is_open)
        self.by_line.setEnabled(not line.refusal and is_open)
        self.choice.setExclusive(False)
        self.by_logger.setChecked(can_ask and is_open)
        self.by_line.setChecked(not can_ask and not line.refusal and is_open)
        self.choice.setExclusive(True)

    def _show_proposal(self) -> None:
        detail = self._detail
        self._show_buttons()
        if detail is None:
            return
        lanes = detail.lanes
        if not self.by_line.isChecked():
            lanes = [replace(lane, proposal=None) for lane in lanes]
        span = _surroundings(detail.booked.gap)
        self.chart.show_lanes(lanes, span, detail.booked.point.zone)

    def _show_buttons(self) -> None:
        detail = self._detail
        state = detail.booked.state if detail else ""
        source = self.choice.checkedButton()
        self.fill_button.setEnabled(
            bool(detail) and source is not None and source.isChecked() and not self._busy
        )
        if detail and self.by_logger.isChecked():
            again = detail.logger.kept_offload is not None
            words = (
                tr("Switch on again")
                if again
                else tr("Fetch from %1").replace("%1", detail.logger.serial)
            )
            self.fill_button.setText(words)
        elif self.by_line.isChecked():
            self.fill_button.setText(tr("Fill by a straight line"))
        else:
            self.fill_button.setText(tr("Fill"))
        self.leave_button.setEnabled(state == "open")
        self.reason.setEnabled(state == "open")
        self.undo_button.setEnabled(state in ("left open", "estimated", "from the logger"))
        self.compare.setEnabled(detail is not None)

    def _show_chain(self, detail: _Detail) -> None:
        clear(self.chain)
        point = detail.booked.point
        kept = counted(detail.readings, "%n value as measured", "%n values as measured")
        self._chain_step("●", tr("As offloaded"), kept)
        for step in detail.steps:
            name, words = _step_words(step, point)
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
        detail, desk = self._detail, self.house.desk
        if detail is None or self._busy or not self.fill_button.isEnabled():
            return
        booked = detail.booked
        if self.by_line.isChecked():
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
        detail = self._detail
        if detail is not None and not self._busy:
            reason = self.reason.text()
            self._do(
                lambda: leave_open(self.house.desk, detail.booked, reason),
                tr("Left open, with its reason."),
            )

    def _keep_draft(self, text: str) -> None:
        if self._detail is not None:
            self._drafts.put(_draft_key(self._detail.booked), text)

    def undo(self) -> None:
        """Undo what was done about the chosen gap."""
        detail = self._detail
        if detail is not None and not self._busy:
            self._do(
                lambda: undo(self.house.desk, detail.booked),
                tr("Undone; the record is as it was before."),
            )

    def _do(self, act: Callable[[], object], said: str) -> None:
        self._busy = True
        booked = self._detail.booked if self._detail else None
        self._show_buttons()

        def done(result: object) -> None:
            self._busy = False
            if booked is not None:
                self._drafts.put(_draft_key(booked), "")
            self.house.archive_changed.emit()
            cut_short = isinstance(result, Offloaded) and result.error
            self.house.say(str(cut_short) if cut_short else said)

        def failed(_sentence: str) -> None:
            self._busy = False
            self._show_buttons()

        self.house.run(lambda _task: act(), done, failed=failed)

    def show_rows(self) -> None:
        """Show the readings around the gap as a table, from the last one before it on."""
        if self._detail:
            booked = self._detail.booked
            around = max(booked.gap.length_ms, 12 * HOUR_MS)
            span = (booked.gap.start_ms - around, booked.gap.end_ms + around)
            series = tuple((booked.point, key) for key in booked.channels)
            self.house.rows_wanted.emit(Rows(series, span, booked.gap.start_ms))

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


def _draft_key(booked: BookedGap) -> str:
    """Under which a reason is kept until the gap is left open."""
    return f"gap:{booked.point.id}:{booked.gap.start_ms}:{booked.gap.end_ms}"


def _load(desk: Desk, booked: BookedGap) -> _Detail:
    """Gather what is shown of a gap."""
    lanes = []
    for channel in booked.channels:
        name = quantity(channel)
        tint = _tint(booked)
        trace = trace_of(desk, booked.point, channel)
        proposal = _proposal(desk, booked, channel)
        lanes.append(Lane(name.name, name.unit, name.decimals, (trace,), (tint,), proposal))
    if not lanes and extent(desk, booked.point.id, [c.channel for c in booked.point.channels]):
        lanes = _all_lanes(desk, booked)
    lanes = made_ready(desk, lanes, _surroundings(booked.gap))
    steps = [
        s for s in steps_of(desk, booked.point.id)
        if s.touches(booked.gap.start_ms, booked.gap.end_ms)
    ]  # fmt: skip
    readings = sum(view(desk, booked.point.id, c.channel).measured for c in booked.point.channels)
    return _Detail(
        booked, logger_offer(desk, booked), line_offer(desk, booked), lanes, steps, readings
    )


def _tint(booked: BookedGap) -> Tint:
    """Hatched while readings are absent; what fills the gap lies on a plain ground."""
    span = (booked.gap.start_ms, booked.gap.end_ms)
    if booked.state in ("open", "left open"):
        return Tint(span, "muted", alpha=190, hatched=True)
    return Tint(span, "brass", alpha=36)


def _all_lanes(desk: Desk, booked: BookedGap) -> list[Lane]:
    """A gap filled from the logger names no channel: it was all of them."""
    tint = _tint(booked)
    return [
        Lane(quantity(c.channel).name, c.unit, quantity(c.channel).decimals,
             (trace_of(desk, booked.point, c.channel),), (tint,))
        for c in booked.point.channels
    ]  # fmt: skip


def _step_words(step: RecordStep, point: PointPlace) -> tuple[str, str]:
    when = day_and_time(step.made_ms, point.zone)
    if step.kind == LINE:
        name = quantity(step.channel)
        error = number(float(step.facts["rmse"]), name.decimals + 1)
        words = f"{name.name} · ± {error} {name.unit} · {step.made_by}, {when}"
        return tr("Filled by a straight line"), words
    if step.kind == LEFT_OPEN:
        return tr("Left open"), f"{step.facts.get('reason', '')} · {step.made_by}, {when}"
    return tr("Filled from the logger"), f"{tr('measured, code good')} · {step.made_by}, {when}"


def _proposal(desk: Desk, booked: BookedGap, channel: str) -> Series | None:
    """The straight line through the gap, drawn from the reading before to the one after."""
    gap = booked.gap
    beside = around(desk, booked.point.id, channel, (gap.start_ms, gap.end_ms), tolerant=True)
    fill = straight_line(beside, gap)
    return fill if len(fill) else None


def _surroundings(gap: Gap) -> Span:
    """The stretch in which a gap is shown."""
    beside_ms = max(gap.length_ms * 0.6, DAY_MS / 8)
    return (round(gap.start_ms - beside_ms), round(gap.end_ms + beside_ms))
