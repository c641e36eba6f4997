"""The steps from the logger to the record in the stretch of the chosen gap, in short."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QVBoxLayout

from gezeiten.desk.sites.places import PointPlace
from gezeiten.domain.actions.gaps import fill_method_text
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.steps.steps import RecordStep
from gezeiten.ui.format.i18n import counted, day_and_time, tr
from gezeiten.ui.format.units import Units
from gezeiten.ui.mend.detail import GapDetail
from gezeiten.ui.parts.widgets import Card, button, clear, label, row, rule


class ChainCard(Card):
    """Shows each step, by whom and when, and the ways on from here."""

    def __init__(self, show_chain: Callable[[], None], to_trends: Callable[[], None]) -> None:
        super().__init__(tr("From logger to record"))
        self.steps = QVBoxLayout()
        self.steps.setSpacing(5)
        self.body.addLayout(self.steps)
        self.body.addStretch(1)
        self.whole_chain = button(tr("All steps"), show_chain)
        self.whole_chain.setToolTip("Alt+C")
        self.compare = button(tr("Show in Trends"), to_trends)
        self.compare.setToolTip("Alt+T")
        for part in (self.whole_chain, self.compare, rule()):
            self.body.addWidget(part)
        words = tr("Every step can be undone. What was offloaded never changes.")
        self.body.addWidget(label(words, "muted", wrap=True))
        self.set_widths(230, 180)

    def show_detail(self, detail: GapDetail, units: Units) -> None:
        """Show the steps of a gap."""
        clear(self.steps)
        stored = counted(detail.readings, "%n value as measured", "%n values as measured")
        self._add("●", tr("As offloaded"), stored)
        for step in detail.steps:
            name, words = _step_texts(step, detail.booked.point, units)
            undone = step.undone_ms is not None
            if undone:
                words += " · " + tr("undone by %1").replace("%1", step.undone_by)
            self._add("○" if undone else "●", name, words)
        if not detail.steps:
            self._add("○", tr("Gaps filled"), tr("none yet"))

    def allow(self, *, on: bool) -> None:
        """Whether there is a gap from which to go on."""
        for part in (self.compare, self.whole_chain):
            part.setEnabled(on)

    def _add(self, sign: str, name: str, words: str) -> None:
        mark = label(sign)
        mark.setFixedWidth(18)
        self.steps.addLayout(row(mark, label(name, "head"), 1, spacing=2))
        below = label(words, "muted", wrap=True)
        below.setContentsMargins(20, 0, 0, 4)
        self.steps.addWidget(below)


def _step_texts(step: RecordStep, point: PointPlace, units: Units) -> tuple[str, str]:
    when = day_and_time(step.made_ms, point.zone)
    if step.does.has_estimates:
        error = units.error(point, step.channel, float(step.facts["rmse"]))
        words = f"{quantity(step.channel).name} · {error} · {step.made_by}, {when}"
        return tr("Filled %1").replace("%1", tr(fill_method_text(step.facts))), words
    if not step.does.changes_record:
        return tr("Left open"), f"{step.facts.get('reason', '')} · {step.made_by}, {when}"
    good = f"{tr('measured, code good')} · {step.made_by}, {when}"
    if step.does.assigns_source:
        source = str(step.facts["source"])
        return tr("Filled by %1").replace("%1", source), f"{quantity(step.channel).name} · {good}"
    if by := step.facts.get("by"):
        return tr("Filled from %1").replace("%1", tr(by)), good
    return tr("Filled from the logger"), good
