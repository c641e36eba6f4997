"""Excursions as one place, about the one excursion that is chosen in it.

By site, those to assess first; the event in its surroundings; the assessment.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QPoint, QSignalBlocker
from PySide6.QtWidgets import QButtonGroup, QGridLayout, QMenu, QPlainTextEdit, QSizePolicy, QWidget

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.office.logbook import AboutFilter, about_point
from gezeiten.desk.record.excursion_book import (
    CAUSES,
    BookedExcursion,
    excursions,
    recent_comments,
    reopen,
    settle,
)
from gezeiten.domain.limits.assessments import AssessedExcursion
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.timeline import HOUR_MS, duration_text
from gezeiten.ui.charts.lane_chart import LaneChart
from gezeiten.ui.charts.lanes import connect_readings
from gezeiten.ui.excursions.detail import ExcursionDetail, load_detail, surroundings
from gezeiten.ui.excursions.model import Draft, arranged, assessment_of, next_open, to_replace
from gezeiten.ui.excursions.replace_dialog import ReplaceDialog
from gezeiten.ui.excursions.texts import listed, short_name
from gezeiten.ui.format.i18n import counted, date, day_and_time, number, tr
from gezeiten.ui.format.units import units_of
from gezeiten.ui.mend.provenance_dialog import ProvenanceDialog, connect_provenance
from gezeiten.ui.parts.flow import ElidingButton
from gezeiten.ui.parts.rule_signs import RULE_SIGNS
from gezeiten.ui.parts.site_list import ListLine, SiteList
from gezeiten.ui.parts.widgets import Card, Facts, button, column, label, row, scrolled
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.app_context import AppContext, Place, ReadingsRequest
from gezeiten.ui.shell.commands import Command
from gezeiten.ui.shell.theme import Theme
from gezeiten.ui.work.draft_keeper import DraftKeeper

_MOST_NAMED = 4
"""Of the marked excursions so many are named above the button."""


class ExcursionsPlace(Place):
    """Lists, shows and settles excursions."""

    kind_of_empty = "excursions"

    def __init__(self, context: AppContext) -> None:
        super().__init__(context)
        self._all: list[BookedExcursion] = []
        self._event: BookedExcursion | None = None
        self._wanted: object = None
        self._drafts = DraftKeeper(context)
        self.list = SiteList(tr("Excursions"), several=True)
        self.list.chosen.connect(self._select)
        self.list.marks_changed.connect(self._show_marks)
        self.open_only = button(tr("to assess"), lambda: self._filter(True), "link")
        self.everything = button(tr("all"), lambda: self._filter(False), "link")
        group = QButtonGroup(self)
        for choice in (self.open_only, self.everything):
            choice.setCheckable(True)
            group.addButton(choice)
        self.everything.setChecked(True)
        left = Card()
        left.body.addLayout(
            row(label(tr("By site"), "head"), 1, self.open_only, self.everything, spacing=2)
        )
        left.body.addWidget(self.list, 1)
        left.set_widths(308, 220)
        self.chart = LaneChart(context.theme, tr("The excursion in its surroundings"))
        connect_readings(context, self.chart, "excursions pictures")
        connect_provenance(
            self.chart, self, context, lambda: [self._event.point] if self._event else []
        )
        self.to_trends = button(tr("Show in Trends"), self.show_in_trends, "link")
        self.to_trends.setToolTip("Alt+T")
        self.picture = Card(" ", self.to_trends)
        self.picture.body.addWidget(self.chart.scroll(), 1)
        self.facts = Facts(2)
        facts = Card()
        facts.body.addWidget(self.facts)
        middle = column(self.picture, facts)
        middle.setStretch(0, 1)
        line = row(left, middle, self._assessment(), margins=14)
        line.setStretch(1, 1)
        self.setLayout(line)
        self.setFocusProxy(self.list)

    def _assessment(self) -> Card:
        card = Card(tr("Assessment"))
        asked = QWidget()  # scrolls where text is large and the screen small
        choice = QWidget()
        fields = column(choice, spacing=6)
        self.causes = QButtonGroup(self)
        grid = QGridLayout()
        grid.setSpacing(6)
        for i, cause in enumerate(CAUSES):
            made = button(tr(cause), lambda: None)
            made.setCheckable(True)
            made.setToolTip(f"Alt+{i + 1}")
            self.causes.addButton(made, i)
            grid.addWidget(made, i // 2, i % 2)
        chosen_from = column(label(tr("Cause"), "muted"), spacing=6)
        chosen_from.addLayout(grid)
        choice.setLayout(chosen_from)
        self.before_button = button(tr("Reuse comment …"), self.show_earlier_comments, "link")
        self.before_button.setToolTip("Ctrl+Shift+E")
        fields.addWidget(label(tr("Comment: what happened, what was done"), "muted", wrap=True))
        self.words = QPlainTextEdit()
        self.words.setTabChangesFocus(True)
        self.words.setAccessibleName(tr("Comment: what happened, what was done"))
        self.words.setMinimumHeight(64)
        self.words.setMaximumHeight(150)
        # the words give way before anything scrolls
        self.words.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Ignored)
        self.words.textChanged.connect(self._save_draft)
        self.causes.idToggled.connect(lambda *_: self._save_draft())
        fields.addWidget(self.words, 1)
        fields.addLayout(row(self.before_button, 1))
        self.state = label("", "muted", wrap=True)
        fields.addWidget(self.state)
        fields.addStretch()
        asked.setLayout(fields)
        card.body.addWidget(scrolled(asked), 1)
        self.under = label("", "muted", wrap=True)
        self.marks = label("", "muted", wrap=True)
        self.settle_button = button(tr("Save assessment"), self.settle, "primary")
        self.reopen_button = ElidingButton(tr("Reopen (Alt+Z)"))
        self.reopen_button.setAutoDefault(False)
        self.reopen_button.clicked.connect(lambda _=False: self.reopen())
        actions = QWidget()
        actions.setLayout(
            column(self.under, self.marks, self.settle_button, self.reopen_button, spacing=6)
        )
        card.body.addWidget(actions)
        if self.context.is_read_only:
            for one in (actions, choice, self.before_button):
                one.hide()
            self.words.setReadOnly(True)
        card.set_widths(262, 220)
        return card

    def commands(self) -> list[Command]:
        here = places.EXCURSIONS
        causes = [
            Command(
                f"cause.{i}",
                tr("Cause: %1").replace("%1", tr(cause)),
                f"Alt+{i + 1}",
                self.causes.button(i).click,
                here,
            )
            for i, cause in enumerate(CAUSES)
        ]
        return [
            Command(
                "event.next", tr("Next excursion"), "Ctrl+Down", lambda: self.list.step(1), here
            ),
            Command(
                "event.previous",
                tr("Previous excursion"),
                "Ctrl+Up",
                lambda: self.list.step(-1),
                here,
            ),
            *causes,
            Command("event.words", tr("Write the comment"), "Ctrl+E", self.words.setFocus, here),
            Command(
                "event.before",
                tr("Comments of earlier assessments"),
                "Ctrl+Shift+E",
                self.show_earlier_comments,
                here,
            ),
            Command("event.settle", tr("Save the assessment"), "Ctrl+Return", self.settle, here),
            Command("event.reopen", tr("Reopen the assessment"), "Alt+Z", self.reopen, here),
            Command(
                "event.rows",
                tr("Readings of the excursion as a table"),
                "Alt+R",
                self.show_rows,
                here,
            ),
            Command(
                "event.story",
                tr("Provenance of the reading at the cursor, or of the extreme"),
                "Alt+S",
                self.show_provenance,
                here,
            ),
            Command(
                "event.trends",
                tr("Show the excursion in Trends"),
                "Alt+T",
                self.show_in_trends,
                here,
            ),
        ]

    def hint(self) -> str:
        return tr(
            "Ctrl+↑ ↓ next · Shift+↑ ↓ select · Alt+1…8 cause · Ctrl+E comment · Ctrl+Enter save"
        )

    # -- loading -------------------------------------------------------------------------------
    def logbook_filter(self) -> Callable[[Workspace], AboutFilter] | None:
        event = self._event
        if event is None:
            return None
        span = (event.start_ms, event.end_ms)
        return lambda desk: about_point(desk, event.point.id, span, event.rule.key)

    def point_in_hand(self) -> int | None:
        return self._event.point.id if self._event is not None else None

    def refresh(self) -> None:
        self.under.setText(
            tr("Recorded in the logbook as %1").replace("%1", self.context.desk.person)
        )
        self.context.run(
            lambda _task: excursions(self.context.desk), self._set_events, latest="events"
        )

    def _set_events(self, events: list[BookedExcursion]) -> None:
        self._all = events
        self._show_list()

    def _filter(self, _open_only: bool) -> None:
        self._show_list()

    def _show_list(self) -> None:
        shown = arranged(self._all, open_only=self.open_only.isChecked())
        self.list.show_lines([self._line(event) for event in shown], lambda a, b: a.id == b.id)
        if self._wanted is not None:
            self.show_target(self._wanted)
        elif self.list.selected() is not None:
            self._select(self.list.selected())

    def _line(self, event: BookedExcursion) -> ListLine:
        name = quantity(event.rule.channel)
        unit = units_of(self.context.desk.settings).of_series(event.point, event.rule.channel)
        decimals = min(max(name.decimals + unit.extra_decimals, 0), 1)
        short = unit.name if len(unit.name) < 6 else ""
        beside = "" if short else unit.name  # a long unit stands below its number
        extreme = f"{number(unit.shown(event.extreme), decimals)} {short}"
        if not event.rule.has_value:
            extreme = tr("no sensor")
        sign, color = RULE_SIGNS[event.rule.side]
        state = tr("to assess") if not event.is_settled else tr(event.cause or "")
        if event.once:
            state += " · " + tr("was merged with another")
        if event.changed:
            state += " · " + tr("changed since assessment")
        if event.is_gone:
            state += " · " + tr("no longer in the record")
        return ListLine(
            event.point.site,
            event.point.name,
            extreme.strip(),
            " · ".join(filter(None, (day_and_time(event.start_ms, event.point.zone), beside))),
            state,
            event,
            sign=sign,
            sign_color=color,
            figure_right=duration_text(event.end_ms - event.start_ms),
            is_open=not event.is_settled,
        )

    def show_target(self, target: object) -> None:
        found = self.list.select(lambda event: event.id == target)
        self._wanted = None if found or self._all else target

    def _select(self, event: BookedExcursion | None) -> None:
        self._event = event
        for widget in (
            self.words,
            self.settle_button,
            self.before_button,
            self.to_trends,
            *self.causes.buttons(),
        ):
            widget.setEnabled(event is not None)
        if event is None:
            self.picture.title.setText(tr("Nothing was outside its limits."))
            self.chart.show_lanes([], (0, 1), "UTC")
            self.facts.show_facts([])
            self.reopen_button.setEnabled(False)
            return
        self._show_assessment(event)
        desk = self.context.desk
        self.context.run(lambda _task: load_detail(desk, event), self._show_detail)

    def _show_assessment(self, event: BookedExcursion) -> None:
        drafted = Draft.of(self._drafts.get(event.draft_key))
        cause, words = (drafted.cause, drafted.comment) if drafted else assessment_of(event)
        if self._displayed_assessment() != (cause, words):
            self._fill_assessment(cause, words)
        self.reopen_button.setEnabled(event.is_settled)
        if event.is_settled:
            when = day_and_time(event.settled_ms or 0, event.point.zone)
            text = tr("Assessed by %1, %2").replace("%1", event.settled_by).replace("%2", when)
            if event.changed and event.assessed:
                text += "\n" + self._as_assessed(event, event.assessed)
            self.state.setText(text)
        elif drafted:
            self.state.setText(tr("Not assessed yet; your comment is kept."))
        elif event.once:
            self.state.setText(
                tr(
                    "It was merged with another excursion, which %1 assessed as shown here. "
                    "Is it still the same?"
                ).replace("%1", event.once_by)
            )
        else:
            self.state.setText("")
        self._show_marks()

    def _as_assessed(self, event: BookedExcursion, excursion: AssessedExcursion) -> str:
        """What it was when it was assessed; it is another one now."""
        lasted = duration_text(excursion.end_ms - excursion.start_ms)
        if not event.rule.has_value:  # nothing was measured, so it went nowhere
            return tr("When it was assessed it lasted %1; assess it again.").replace("%1", lasted)
        name = quantity(event.rule.channel)
        unit = units_of(self.context.desk.settings).of_series(event.point, event.rule.channel)
        extreme = number(unit.shown(excursion.extreme), max(name.decimals + unit.extra_decimals, 0))
        words = tr("When it was assessed it lasted %1 and reached %2; assess it again.")
        words = words.replace("%1", lasted)
        return words.replace("%2", f"{extreme} {unit.name}")

    def _displayed_assessment(self) -> tuple[str, str]:
        at = self.causes.checkedId()
        return CAUSES[at] if at >= 0 else "", self.words.toPlainText()

    def _fill_assessment(self, cause: str, words: str) -> None:
        blocked = [QSignalBlocker(self.words), QSignalBlocker(self.causes)]
        self.causes.setExclusive(False)
        for i, known in enumerate(CAUSES):
            self.causes.button(i).setChecked(cause == known)
        self.causes.setExclusive(True)
        self.words.setPlainText(words)
        del blocked

    def _save_draft(self) -> None:
        """What is typed belongs to the excursion it is typed for, until that is settled."""
        event = self._event
        if event is None:
            return
        cause, words = self._displayed_assessment()
        is_new = (cause, words) != assessment_of(event)
        self._drafts.remember(event.draft_key, Draft(cause, words).text() if is_new else "")

    def _show_marks(self) -> None:
        """Name what would be assessed, wherever in the list it is."""
        marked = self.list.marked()
        several = len(marked) > 1
        self.marks.setText(
            listed([short_name(one) for one in marked], _MOST_NAMED) if several else ""
        )
        self.marks.setVisible(several)
        words = counted(len(marked), "Save %n assessment", "Save %n assessments")
        self.settle_button.setText(words if several else tr("Save assessment"))

    def show_earlier_comments(self) -> None:
        """Show the words of earlier assessments; the chosen ones can still be changed."""
        menu = QMenu(self)
        menu.setAccessibleName(tr("Comments of earlier assessments"))
        for cause, words in recent_comments(self._all):
            shown = " ".join(words.split())
            shown = shown if len(shown) < 60 else shown[:58] + "…"
            menu.addAction(f"{tr(cause)}: {shown}", partial(self.reuse_comment, cause, words))
        if menu.isEmpty():
            self.context.show_message(
                tr("No excursion has been assessed yet, so there is no comment to reuse.")
            )
            return
        menu.popup(self.before_button.mapToGlobal(QPoint(0, self.before_button.height())))

    def reuse_comment(self, cause: str, words: str) -> None:
        """Put cause and words into the fields, as if they had been typed."""
        self._fill_assessment(cause, words)
        self._save_draft()
        self.words.setFocus()

    def show_rows(self) -> None:
        """Show the readings of the excursion and shortly around it as a table."""
        if self._event is not None:
            event = self._event
            around = max((event.end_ms - event.start_ms) // 4, HOUR_MS)
            span = (event.start_ms - around, event.end_ms + around)
            series = ((event.point, event.rule.channel),)
            self.context.rows_wanted.emit(ReadingsRequest(series, span, event.start_ms))

    def show_provenance(self) -> None:
        """Show the provenance of the reading at the cursor, without one of the extreme."""
        event, at_ms = self._event, self.chart.cursor_ms
        if event is not None:
            at_ms = event.extreme_ms if at_ms is None else at_ms
            ProvenanceDialog(self, self.context, event.point, at_ms, event.rule.channel).open()

    def show_in_trends(self) -> None:
        """Show this excursion in Trends, with a way back."""
        event = self._event
        if event is not None:
            back = (places.EXCURSIONS, event.id, tr("Back to the excursion"))
            span = (event.start_ms, event.end_ms)
            self.context.go.emit(places.TRENDS, places.TrendsRequest(event.point.id, span, back))

    def _show_detail(self, detail: ExcursionDetail) -> None:
        if self._event is None or self._event.id != detail.event.id:
            return
        event = detail.event
        when = date(event.start_ms, event.point.zone)
        self.picture.title.setText(f"{event.point.full_name} · {when} · {event.point.zone}")
        self.chart.show_lanes(detail.lanes, surroundings(event), event.point.zone)
        self.facts.show_facts(detail.facts)

    # -- acts ----------------------------------------------------------------------------------
    def settle(self) -> None:
        """Assess the marked excursions, or the chosen one, with the chosen cause and the words;
        ask where some are assessed already."""
        marked = self.list.marked()
        if self._event is None or not self.settle_button.isEnabled():
            return
        standing = to_replace(marked)
        if not standing:
            self._assess(marked)
            return
        rest = [one for one in marked if one not in standing]
        asking = ReplaceDialog(self, standing, rest)
        asking.replace.connect(lambda: self._assess(marked))
        asking.rest_alone.connect(lambda: self._assess(rest))
        asking.open()

    def _assess(self, marked: list[BookedExcursion]) -> None:
        (cause, words), desk = self._displayed_assessment(), self.context.desk
        ids = [booked_excursion.id for booked_excursion in marked]
        replacing = [
            booked_excursion.id for booked_excursion in marked if booked_excursion.is_settled
        ]  # asked about
        self.settle_button.setEnabled(False)

        def settled(_result: object) -> None:
            self.settle_button.setEnabled(True)
            for one in marked:
                self._drafts.remember(one.draft_key, "")
            self._wanted = next_open(self.list.shown_items(), marked)
            self._event = None  # what stands in the fields is kept now, it is no draft
            self.list.forget_marks()
            self.context.archive_changed.emit()
            done = counted(len(marked), "%n excursion assessed", "%n excursions assessed")
            following = tr("the next one is shown.")
            rest = following if self._wanted is not None else tr("there are no more to assess.")
            self.context.show_message(f"{done}; {rest}")

        self.context.run(
            lambda _task: settle(desk, ids, cause, words, replacing=replacing),
            settled,
            failed=lambda _: self.settle_button.setEnabled(True),
        )

    def reopen(self) -> None:
        """Take the assessment of the chosen excursion back."""
        event, desk = self._event, self.context.desk
        if event is not None and event.is_settled:
            self.context.run(
                lambda _task: reopen(desk, event.id), lambda _: self.context.archive_changed.emit()
            )

    def set_theme(self, theme: Theme) -> None:
        self.list.theme = theme
        self.list.viewport().update()
        self.chart.set_theme(theme)
