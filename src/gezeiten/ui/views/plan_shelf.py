"""Where the plan in the editor comes from: the round, the last mission here, the kept plans."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QWidget

from gezeiten.desk.contact import LoggerCard
from gezeiten.desk.planning import last_plan, usual_plan
from gezeiten.desk.rounds import Round
from gezeiten.desk.several import prepare_several
from gezeiten.domain.plan import Plan
from gezeiten.ui.house import House
from gezeiten.ui.i18n import tr
from gezeiten.ui.kept_plans import CompareDialog, KeptPlansDialog
from gezeiten.ui.plan.editor import PlanEditor


class PlanShelf:
    """Puts plans into the editor. into: shows a plan with its origin; zone: a logger's zone."""

    def __init__(
        self,
        house: House,
        parent: QWidget,
        editor: PlanEditor,
        into: Callable[[Plan, str], None],
        zone: Callable[[LoggerCard], str],
    ) -> None:
        self._house, self._parent, self._editor = house, parent, editor
        self._into, self._zone = into, zone

    def to_start_from(self, card: LoggerCard, under_way: Round | None) -> tuple[Plan, str]:
        """Return what the round has ready for a logger, else as the last mission here; with words
        for where that comes from."""
        for task in under_way.tasks if under_way else ():
            if task.serial == card.serial and task.plan is not None and not task.is_done:
                return task.plan, tr("Ready for the round")
        desk = self._house.desk
        if last_plan(desk, card) is None:
            return usual_plan(desk, card), tr("All channels, every 10 min")
        return usual_plan(desk, card), tr("As the last mission here")

    def take_last(self, card: LoggerCard) -> None:
        """Start over from the last mission at this point."""
        self._into(*self.to_start_from(card, None))

    def show_kept(self, card: LoggerCard) -> None:
        """Open the kept plans."""
        plan, model = self._editor.plan(), card.identity.model.name
        dialog = KeptPlansDialog(self._parent, self._house, plan, model, self._zone(card))
        dialog.taken.connect(lambda kept, name: self._take(card, kept, name))
        dialog.open()

    def _take(self, card: LoggerCard, kept: Plan, name: str) -> None:
        """A kept plan keeps its settings; where it goes and its names stay those of here."""
        [prepared] = prepare_several(self._house.desk, [card], kept, {})
        if prepared.lost:
            self._house.said.emit(" ".join(prepared.lost), True)
        self._into(prepared.plan, tr("Kept plan “%1”").replace("%1", name))

    def show_differences(self, card: LoggerCard) -> None:
        """Show what differs from the last plan here."""
        plan, other = self._editor.plan(), last_plan(self._house.desk, card)
        if plan is None or other is None:
            self._house.say(tr("There is no earlier plan to compare with."))
            return
        names = (tr("in the editor"), tr("last mission here"))
        theme, zone = self._house.theme, self._zone(card)
        CompareDialog(self._parent, theme, plan, other, names, zone).open()
