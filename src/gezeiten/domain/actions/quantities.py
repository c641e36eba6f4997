"""Actions on quantities that users add to those that ship."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from gezeiten.domain.actions.base import Action, Subject
from gezeiten.domain.actions.scope import NOTHING, Scope


def _if_changed(action: QuantitySaved) -> Scope:
    """How a quantity is averaged decides what limits of means compare."""
    is_other = action.before is not None and action.before != action.facts
    return Scope(channel=action.key) if is_other else NOTHING


def _channel_scope(action: QuantityDeleted) -> Scope:
    return Scope(channel=action.key)


@dataclass(frozen=True, slots=True)
class QuantitySaved(
    Action, kind="quantity kept", word="quantity", about="quantity", affects=_if_changed
):
    """A quantity of one's own: its key, and facts as `own_facts` gives them; before: those that
    they replace, None where it is new. quantity: its id."""

    quantity: str
    key: str
    facts: dict[str, Any]
    before: dict[str, Any] | None = None

    @property
    def named(self) -> str:
        return str(self.facts.get("name", self.key))

    def describe(self, subject: Subject) -> str:
        unit = self.facts.get("unit", "")
        return f"Quantity {subject.name}{f', {unit},' if unit else ''} " + (
            "changed." if self.before else "added."
        )


@dataclass(frozen=True, slots=True)
class QuantityDeleted(
    Action, kind="quantity dropped", word="quantity", about="quantity", affects=_channel_scope
):
    """A quantity of one's own taken out of the list, with what it was."""

    quantity: str
    key: str
    facts: dict[str, Any]

    @property
    def named(self) -> str:
        return str(self.facts.get("name", self.key))

    def describe(self, subject: Subject) -> str:
        return f"Quantity {subject.name} removed."
