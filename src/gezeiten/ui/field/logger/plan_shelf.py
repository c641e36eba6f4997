"""Where the plan in the editor comes from: the round, the last mission here, the kept plans."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QWidget

from gezeiten.desk.field.readiness import Origin
from gezeiten.desk.logger.contact import LoggerCard
from gezeiten.desk.logger.launch.several import PreparedLaunch, prepare_several
from gezeiten.domain.plan.plan import Plan
from gezeiten.ui.field.dialogs.stored_plans_dialog import CompareDialog, StoredPlansDialog
from gezeiten.ui.field.model import FieldModel
from gezeiten.ui.format.i18n import tr
from gezeiten.ui.shell.app_context import AppContext


def origin_text(origin: Origin) -> str:
    """Return where a plan comes from."""
    return {
        "round": tr("Ready for the round"),
        "last": tr("As last mission"),
        "fresh": tr("All channels, every 10 min"),
    }[origin]


class PlanShelf:
    """Puts plans into the editor. into: shows a plan with its origin."""

    def __init__(
        self,
        context: AppContext,
        parent: QWidget,
        model: FieldModel,
        into: Callable[[Plan, str], None],
    ) -> None:
        self._context, self._parent = context, parent
        self._model, self._into = model, into
        self._before: tuple[str, Plan] | None = None

    def use_last(self, card: LoggerCard) -> None:
        """Start over from the last mission at this point."""
        start = self._model.starts[card.serial]
        self._into(start.usual, origin_text("fresh" if start.last_plan is None else "last"))

    def remember(self, serial: str, plan: Plan) -> None:
        """A logger was launched by this plan: the next one may want the same."""
        self._before = (serial, plan)

    def use_previous_loggers(self, card: LoggerCard) -> None:
        """Take the plan of the logger that was launched before, as this one can follow it."""
        if self._before is None:
            self._context.show_message(tr("No logger has been launched before this one."))
            return
        serial, plan = self._before
        self._update_fields(card, plan, tr("As %1, launched before").replace("%1", serial))

    def show_stored(self, card: LoggerCard, search: str = "") -> None:
        """Open the kept plans, those of a search."""
        plan, model = self._model.typed, card.identity.model.name
        dialog = StoredPlansDialog(
            self._parent, self._context, plan, model, self._model.zone_of(card)
        )
        dialog.taken.connect(lambda kept, name: self._accept(card, kept, name))
        dialog.search.setText(search)
        dialog.open()

    def _accept(self, card: LoggerCard, plan: Plan, name: str) -> None:
        """A kept plan keeps its settings; where it goes and its names stay those of here."""
        self._update_fields(card, plan, tr("Saved plan “%1”").replace("%1", name))

    def _update_fields(self, card: LoggerCard, plan: Plan, origin: str) -> None:
        def suited(prepared: list[PreparedLaunch]) -> None:
            if prepared[0].unsupported:
                self._context.said.emit(" ".join(prepared[0].unsupported), True)
            self._into(prepared[0].plan, origin)

        desk = self._context.desk
        self._context.run(
            lambda _task: prepare_several(desk, [card], plan, {}), suited, latest="suited plan"
        )

    def show_differences(self, card: LoggerCard) -> None:
        """Show what differs from the last plan here."""
        plan, other = self._model.typed, self._model.starts[card.serial].last_plan
        if plan is None or other is None:
            self._context.show_message(tr("There is no earlier plan to compare with."))
            return
        names = (tr("current plan"), tr("last mission here"))
        theme, zone = self._context.theme, self._model.zone_of(card)
        CompareDialog(self._parent, theme, plan, other, names, zone).open()
