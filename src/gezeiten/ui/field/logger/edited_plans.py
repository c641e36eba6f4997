"""Which logger's plan is in the editor, what it started from, and what was typed for others."""

from __future__ import annotations

from gezeiten.domain.plan.plan import Plan


class EditedPlans:
    """serial: whose plan is in the editor, or None. usual: what that plan started from."""

    def __init__(self) -> None:
        self.serial: str | None = None
        self.usual: Plan | None = None
        self._typed: dict[str, Plan] = {}

    def keep(self, plan: Plan | None) -> None:
        """Remember what the editor holds where it was changed; None: it is no plan."""
        if self.serial is not None and plan is not None and plan != self.usual:
            self._typed[self.serial] = plan

    def change_to(self, serial: str, usual: Plan) -> Plan | None:
        """Go to another logger; returns what was typed for it, None: nothing, show the usual."""
        self.serial, self.usual = serial, usual
        return self._typed.pop(serial, None)

    def drop(self, serial: str) -> None:
        """Forget what was typed for a logger."""
        self._typed.pop(serial, None)

    def start_over(self) -> None:
        """Whatever is in the editor is done with."""
        self.serial = self.usual = None
