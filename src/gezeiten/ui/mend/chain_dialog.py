"""One dialog about one chain, tried as a whole before it is kept.

From the source to the record: the chain of a series, each step switched."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

from PySide6.QtWidgets import (
    QHeaderView,
    QVBoxLayout,
    QWidget,
)

from gezeiten.desk.record.fills import switch_fill
from gezeiten.desk.record.statements.corrections import (
    Chain,
    Effect,
    chain,
    effect,
    effect_of_fill,
    fitted_on_another_state,
    of_another_sensor,
    proposed,
    save_correction,
    step_text,
    switch,
    withdraw_correction,
)
from gezeiten.desk.record.statements.losses import ValueLoss, losses_of_correction
from gezeiten.desk.record.statements.proposals import (
    Certificate,
    ProposedCorrection,
    by_rule,
    by_the_visit,
    certificates,
    not_in_place,
    points_by_hand,
    usual_number,
)
from gezeiten.desk.record.views.records import extent
from gezeiten.desk.sites.places import PointPlace
from gezeiten.domain.actions.gaps import fill_method_text
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.timeline import DAY_MS, EVER_MS, Span
from gezeiten.domain.steps.steps import RecordStep
from gezeiten.errors import InputError
from gezeiten.ui.charts.chart_lanes import Lane, Tint
from gezeiten.ui.charts.lane_chart import LaneChart
from gezeiten.ui.charts.lanes import (
    connect_readings,
    prepared_lanes,
    remarks_of,
    shown_checks,
    trace_of,
)
from gezeiten.ui.format.i18n import counted, instant, number, tr
from gezeiten.ui.format.units import units_of
from gezeiten.ui.mend.chain_model import (
    Link,
    TrialStep,
    changed_spans,
    correction_of,
    drawn,
    fill_of,
    links,
    number_recorded,
    trial_span,
)
from gezeiten.ui.mend.loss_texts import caught_text, loss_text
from gezeiten.ui.mend.provenance_dialog import connect_provenance
from gezeiten.ui.mend.step_fields import StepFields
from gezeiten.ui.parts.field_error import FieldError
from gezeiten.ui.parts.number_field import number_of
from gezeiten.ui.parts.period_fields import PeriodFields
from gezeiten.ui.parts.tables import fill, plain_table, selected_item
from gezeiten.ui.parts.widgets import button, column, label, row
from gezeiten.ui.points.reason_field import reason_field
from gezeiten.ui.points.series_box import SeriesBox
from gezeiten.ui.shell.app_context import AppContext
from gezeiten.ui.work.acting_dialog import ActingDialog

_MOST_SHOWN_MS = 400 * DAY_MS


class ChainDialog(ActingDialog):
    """Shows how a series of a point comes from its source to the record, and corrects it."""

    kept_words = "Saved; excursions were updated."

    def __init__(
        self,
        parent: QWidget,
        context: AppContext,
        point: PointPlace,
        series: str = "",
        view: Span | None = None,
    ) -> None:
        super().__init__(parent, context)
        self.setWindowTitle(tr("From source to record") + f" · {point.full_name}")
        self._context, self._point = context, point
        self._view, self._chain = view, Chain((), "", (), ())
        self._lane: Lane | None = None
        self._units = units_of(context.desk.settings)
        self.trying = TrialStep()
        self.series = SeriesBox(point, series)
        self.table = plain_table(
            tr("Correction steps"),
            [
                tr("Step"),
                tr("Details"),
                tr("Valid (%1)").replace("%1", point.zone),
                tr("By"),
                tr("Reason"),
            ],
        )
        for wide in (1, 2, 4):
            self.table.horizontalHeader().setSectionResizeMode(wide, QHeaderView.ResizeMode.Stretch)
        self.chart = LaneChart(context.theme, tr("Record now and with the change"))
        connect_readings(context, self.chart, "chain pictures")
        self.chart.marked.connect(self._marked)
        connect_provenance(self.chart, self, context, lambda: [point])
        self.figures = label("", "muted", wrap=True)
        self._make_fields()
        self.switch_button = button(tr("Disable selected step"), self.toggle_selected)
        self.undo_button = button(tr("Undo selected step"), self.withdraw)
        self.clock_button = button(tr("Clock …"), self.show_clock)
        self.typed = (self.words, self.fields.cause)
        self.setLayout(self._build_layout())
        self.resize(1010, 690)
        self.table.itemSelectionChanged.connect(self._selection_changed)
        self.series.currentIndexChanged.connect(lambda _: self._load())
        self._load()

    # -- making ----------------------------------------------------------------------------------
    def _make_fields(self) -> None:
        self.fields = StepFields(self.trying)
        self.words = reason_field()
        self.period = PeriodFields(self._try)
        self.fields.changed.connect(self._try)
        self.fields.rule_chosen.connect(self._rule_changed)
        self.fields.trim_asked.connect(self.propose_trim)
        self.fields.points_asked.connect(self.propose_points)

    def _build_layout(self) -> QVBoxLayout:
        self.entry = QWidget()
        self.keep_button = button(tr("Save"), self.keep, "primary")
        self.entry.setLayout(
            column(
                self.fields,
                row(self.period.in_a_row(), 1),
                row(self.words, self.keep_button, spacing=6),
                spacing=6,
            )
        )
        hint = tr("%1 · Shift+drag selects a period · dashed: with the change").replace(
            "%1", self._point.zone
        )
        laid = column(
            row(self.series, 1, self.clock_button, self.switch_button, self.undo_button, spacing=8),
            self.table,
            self.chart.scroll(),
            self.figures,
            self.entry,
            self.problem,
            row(
                label(tr("What was offloaded never changes."), "muted"),
                label(hint, "muted"),
                1,
                button(tr("Close"), self.accept),
            ),
            spacing=8,
            margins=16,
        )
        laid.setStretchFactor(self.table, 2)
        laid.setStretchFactor(self.chart.scroll(), 3)
        if self._context.is_read_only:
            for part in (self.entry, self.switch_button, self.undo_button):
                part.hide()
        return laid

    # -- showing ---------------------------------------------------------------------------------
    @property
    def key(self) -> str:
        """The series shown, "" where the point has none."""
        return self.series.key

    def _load(self) -> None:
        key, point, desk = self.key, self._point, self._context.desk
        if not key:
            self._show_message(
                tr("There is no reading at this point yet; offload its logger first.")
            )
            return
        self.trying.unit = unit = self._units.of_series(point, key)
        self.trying.decimals = quantity(key).decimals
        self.fields.offer_rules(key)
        given_view = self._view

        def look(_task: object) -> tuple[Chain, Lane, Span, list[Certificate]]:
            whole = extent(desk, point.id, [key]) or (0, 1)
            span = trial_span(given_view or whole, whole, _MOST_SHOWN_MS)
            name = quantity(key)
            decimals = max(name.decimals + unit.extra_decimals, 0)
            lane = Lane(
                name.name,
                unit.name,
                decimals,
                (trace_of(desk, point, key, unit),),
                remarks=remarks_of(desk, point, key),
                checks=shown_checks(desk, point, key, unit),
            )
            known = certificates(desk, point, key)
            return chain(desk, point, key), prepared_lanes(desk, [lane], span)[0], span, known

        self._context.run(look, self._show, failed=self._show_message, latest="chain")

    def _show(self, seen: tuple[Chain, Lane, Span, list[Certificate]]) -> None:
        self._chain, self._lane, self._view, known = seen
        self.fields.offer_certificates(known, self._point.zone)
        self.fields.lay_out()
        listed = links(self._chain)
        fill(self.table, [self._row(link) for link in listed], list(listed))
        steps = [i for i, one in enumerate(listed) if one.kind == "correction"]
        self.table.setCurrentCell(steps[-1] if steps else 0, 0)
        self.chart.show_lanes([self._lane], self._view, self._point.zone)
        if self.period.since.is_blank:  # nobody said anything yet
            self.period.show_period(*self._view, self._point.zone)
        self._show_figures(None)
        self._show_buttons()

    def _row(self, link: Link) -> list[str]:
        item, zone = link.item, self._point.zone
        if link.kind == "source":
            mission = tr("%1, mission %2").replace("%2", number(item.mission))
            what = mission.replace("%1", item.source) if item.is_logger else item.source
            since, until = item.assignment.start_ms, item.assignment.end_ms
            return [tr("Source"), what, self._period_text(since, until), "", ""]
        if link.kind in ("clock", "clock off"):
            what = tr("%1, mission %2").replace("%1", item.serial)
            first, last = item.map.moves_ms
            moved = f"{first / 1000:+.0f} s" + (f" – {last / 1000:+.0f} s" if last != first else "")
            name = tr("Clock") + (" · " + tr("off") if link.kind == "clock off" else "")
            return [
                name,
                f"{what.replace('%2', number(item.number))}: {moved}",
                tr(item.method),
                f"{item.stated_by}, {instant(item.stated_ms, zone)}",
                item.reason,
            ]
        if link.kind == "calculated":
            return [tr("Calculated"), tr(item), tr("always"), "", ""]
        if link.kind == "correction":
            name = tr(item.does.name) + ("" if item.is_on else " · " + tr("off"))
            if item.is_on and item.is_stale:
                name += " · " + tr("fitted before another correction changed; fit it again")
            other = of_another_sensor(item, (feed.assignment for feed in self._chain.assignments))
            if item.is_on and other is not None:
                words = tr("the certificate is not for %1, which measured here too")
                name += " · " + words.replace("%1", other.deployment.stay.source)
            return [
                name,
                tr(step_text(item)),
                self._period_text(item.start_ms, item.until_ms),
                f"{item.stated_by}, {instant(item.stated_ms, zone)}",
                item.reason,
            ]
        error = self._units.error(self._point, item.channel, float(item.facts["rmse"]))
        old = fitted_on_another_state(item, self._chain.corrections)
        note = (
            tr("filled before the readings beside it were corrected; fill it again") if old else ""
        )
        name = tr("Gap filled") + ("" if item.undone_ms is None else " · " + tr("off"))
        return [
            name,
            f"{tr(fill_method_text(item.facts))}, {error}",
            self._period_text(item.start_ms, item.end_ms),
            f"{item.made_by}, {instant(item.made_ms, zone)}",
            note,
        ]

    def _period_text(self, start_ms: int, end_ms: int) -> str:
        zone = self._point.zone
        begin = tr("the first") if start_ms <= -EVER_MS else instant(start_ms, zone)
        return f"{begin} – {tr('still') if end_ms >= EVER_MS else instant(end_ms, zone)}"

    def propose_trim(self, by: str, at_end: bool) -> None:
        """Propose the stretch in which the sensor was not in its place: as its readings seem to
        show, or by the visit then."""
        desk, point, key = self._context.desk, self._point, self.key
        ask = by_the_visit if by == "visit" else not_in_place
        self._context.run(
            lambda _task: ask(desk, point, key, at_end=at_end),
            self._show_proposed,
            failed=self._show_message,
            latest="chain trim",
        )

    def _show_proposed(self, span: Span) -> None:
        minute_ms = 60_000  # what is typed is to the minute: all of the stretch lies in it
        self._view = (span[0] - DAY_MS, span[1] + DAY_MS)
        self._marked((span[0] // minute_ms * minute_ms, -(-span[1] // minute_ms) * minute_ms))

    def propose_points(self) -> None:
        """Propose calibration points by what was read by hand in the stretch."""
        desk, point, key = self._context.desk, self._point, self.key
        span = self._typed_period()
        self._context.run(
            lambda _task: points_by_hand(desk, point, key, span),
            self.fields.show_points,
            failed=self._show_message,
            latest="chain points",
        )

    def _typed_period(self) -> Span:
        start_ms, end_ms = self.period.entered(self._point.zone)
        return (start_ms, EVER_MS if end_ms is None else end_ms)

    def _rule_changed(self) -> None:
        rule = self.fields.rule
        if rule is None or self._view is None:
            return
        desk, point, key, span = self._context.desk, self._point, self.key, self._view
        self._context.run(
            lambda _task: usual_number(desk, point, key, span, rule.key),
            self.fields.show_usual,
            failed=self._show_message,
            latest="chain rule",
        )

    def _marked(self, span: Span | None) -> None:
        """A stretch marked with the mouse is the one that is tried."""
        if span is None:
            return
        self.period.show_period(*span, self._point.zone)
        self.period.open_end.setChecked(False)
        self._try()

    # -- trying ----------------------------------------------------------------------------------
    def _entered(self) -> Callable[[], ProposedCorrection]:
        """Return what makes the step that the fields say, off the main thread.

        Raises:
            FieldError: a field says nonsense.
            InputError: so do all together.
        """
        point, key, desk = self._point, self.key, self._context.desk
        kind, parameters = self.trying.kind, self.fields.parameters()
        span = self.period.entered(point.zone)
        rule = self.fields.rule if kind == "mark" else None
        if rule is None:
            step = proposed(point, key, kind, span, parameters)
            return lambda: ProposedCorrection(step)
        typed = number_of(self.fields.number, tr("Number")) if rule.unit else 0.0
        value = number_recorded(rule, typed, self.trying.unit)
        return lambda: by_rule(desk, point, key, span, rule.key, value, parameters)

    def _try(self) -> None:
        """Show what the step that the fields say would do."""
        if self._lane is None:
            return
        if self.fields.is_untouched(is_open=self.period.open_end.isChecked()):
            self._show_message("")
            self._show_figures(None)
            return
        try:
            wanted = self._entered()
        except (FieldError, InputError) as exc:
            self._show_message(str(exc))
            return
        self._show_message("")
        self._preview(wanted)

    def _selection_changed(self) -> None:
        step, filled = correction_of(self._selected()), fill_of(self._selected())
        self._show_buttons()
        if step is not None and self._lane is not None:
            self._preview(switched=step.uid)
        elif filled is not None and self._lane is not None:
            self._preview_fill(filled)
        elif self._lane is not None:
            self._show_figures(None)

    def _preview(
        self, wanted: Callable[[], ProposedCorrection] | None = None, switched: str = ""
    ) -> None:
        desk, point, key, span = self._context.desk, self._point, self.key, self._view
        assert span is not None  # something is shown

        def look(_task: object) -> tuple[Effect, list[ValueLoss], ProposedCorrection | None]:
            caught = wanted() if wanted is not None else None
            step = caught.step if caught is not None else None
            seen = effect(desk, point, key, span, step=step, switched=switched)
            return seen, losses_of_correction(desk, point, key, span, seen), caught

        def show(found: tuple[Effect, list[ValueLoss], ProposedCorrection | None]) -> None:
            self._show_figures(*found)

        self._context.run(look, show, failed=self._show_message, latest="chain effect")

    def _preview_fill(self, filled: RecordStep) -> None:
        """Show a fill in its surroundings, and what the record is without it, or again with it."""
        desk, point = self._context.desk, self._point
        beside_ms = max(filled.end_ms - filled.start_ms, DAY_MS // 4)
        self._view = span = (filled.start_ms - beside_ms, filled.end_ms + beside_ms)
        self._context.run(
            lambda _task: effect_of_fill(desk, point, filled, span),
            self._show_figures,
            failed=self._show_message,
            latest="chain effect",
        )

    def _show_figures(
        self,
        seen: Effect | None,
        value_losses: Sequence[ValueLoss] = (),
        caught: ProposedCorrection | None = None,
    ) -> None:
        if self._lane is None or self._view is None:
            return
        unit, lane = self.trying.unit, self._lane
        if seen is not None and (seen.changed or seen.removed or seen.restored or seen.suspect):
            lane = replace(lane, proposal=drawn(seen, unit), tints=self._tints(seen))
        self.chart.show_lanes([lane], self._view, self._point.zone)
        by_rule = caught_text(caught) if caught is not None else ""
        words = filter(
            None, (by_rule, self._effect_text(seen) if seen else "", *map(loss_text, value_losses))
        )
        self.figures.setText(" ".join(words))

    def _tints(self, seen: Effect) -> tuple[Tint, ...]:
        """Where readings would go, hatched as all that is absent; where they would be suspect."""
        gone, doubted = changed_spans(seen)
        return (
            *(Tint(span, "muted", alpha=150, hatched=True) for span in gone),
            *(Tint(span, "brass", alpha=70) for span in doubted),
        )

    def _effect_text(self, seen: Effect) -> str:
        unit = self.trying.unit
        decimals = quantity(self.key).decimals + max(unit.extra_decimals, 0) + 1

        def shown(value: float) -> str:
            words = number(unit.shown_difference(value), decimals)
            return f"{'+' if value > 0 else ''}{words} {unit.name}".rstrip()

        parts = []
        if seen.changed:
            words = counted(
                seen.changed,
                "%n changes by %1 on average, at most by %2",
                "%n change by %1 on average, at most by %2",
            )
            parts.append(words.replace("%1", shown(seen.mean)).replace("%2", shown(seen.most)))
        parts += [counted(seen.removed, "%n removed", "%n removed")] if seen.removed else []
        parts += [counted(seen.restored, "%n restored", "%n restored")] if seen.restored else []
        if seen.suspect:
            more = tr("%1 more suspect") if seen.suspect > 0 else tr("%1 fewer suspect")
            parts.append(more.replace("%1", number(abs(seen.suspect))))
        of = counted(len(seen.before), "Of %n reading shown", "Of %n readings shown")
        return f"{of}: {' · '.join(parts) if parts else tr('none changes')}."

    # -- doing -----------------------------------------------------------------------------------
    def _selected(self) -> Link | None:
        one = selected_item(self.table)
        return one if isinstance(one, Link) else None

    def _show_buttons(self) -> None:
        step, filled = correction_of(self._selected()), fill_of(self._selected())
        self.switch_button.setEnabled(step is not None or filled is not None)
        self.undo_button.setEnabled(step is not None)
        is_off = (step is not None and not step.is_on) or (
            filled is not None and filled.undone_ms is not None
        )
        self.switch_button.setText(
            tr("Enable selected step") if is_off else tr("Disable selected step")
        )

    def toggle_selected(self) -> None:
        """Switch the chosen step off, or on again."""
        desk, point, words = self._context.desk, self._point, self.words.text()
        step, filled = correction_of(self._selected()), fill_of(self._selected())
        if step is not None:
            self._do(lambda: switch(desk, point, step, words))
        elif filled is not None:
            self._do(lambda: switch_fill(desk, point, filled, words))

    def withdraw(self) -> None:
        """Take the chosen step back."""
        step, desk, point = correction_of(self._selected()), self._context.desk, self._point
        if step is not None:
            self._do(lambda: withdraw_correction(desk, point, step))

    def show_clock(self) -> None:
        """Show the clocks of the missions that feed the series."""
        from gezeiten.ui.mend.clock_dialog import ClockDialog

        if self.key:
            dialog = ClockDialog(self, self._context, self._point, self.key)
            dialog.finished.connect(lambda _: self._load())
            dialog.open()

    def keep(self) -> None:
        """Keep the step that the fields say."""
        desk, point, words = self._context.desk, self._point, self.words.text()
        try:
            wanted = self._entered()
        except (FieldError, InputError) as exc:
            self._show_message(str(exc))
            return
        self._do(lambda: save_correction(desk, point, wanted().step, words))
