"""Actions on plans and ties that are kept under names."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from gezeiten.domain.actions.base import Action, Subject
from gezeiten.domain.actions.scope import no_scope


@dataclass(frozen=True, slots=True)
class PlanSaved(Action, kind="plan kept", word="plan kept", about="plan", affects=no_scope):
    """A plan kept under a name; before: the plan that it replaces there, None where it is new.
    model: of the logger it was made for. Plans are dicts as `Plan.as_dict` gives them."""

    plan: str
    name: str
    model: str
    kept: dict[str, Any]
    before: dict[str, Any] | None = None

    @property
    def named(self) -> str:
        return self.name

    def describe(self, subject: Subject) -> str:
        return f"Plan “{self.name}” saved{', replacing the one before' if self.before else ''}."


@dataclass(frozen=True, slots=True)
class PlanRenamed(Action, kind="plan renamed", word="plan renamed", about="plan", affects=no_scope):
    """A kept plan that has another name now."""

    plan: str
    before: str
    after: str

    @property
    def named(self) -> str:
        return self.after

    def describe(self, subject: Subject) -> str:
        return f"Plan “{self.before}” is now “{self.after}”."


@dataclass(frozen=True, slots=True)
class PlanDeleted(Action, kind="plan dropped", word="plan dropped", about="plan", affects=no_scope):
    """A kept plan taken away, with what it was."""

    plan: str
    name: str
    model: str
    kept: dict[str, Any]

    @property
    def named(self) -> str:
        return self.name

    def describe(self, subject: Subject) -> str:
        return f"Saved plan “{self.name}” deleted."


@dataclass(frozen=True, slots=True)
class ImportTemplateSaved(Action, kind="tie kept", word="tie kept", about="tie", affects=no_scope):
    """A tie kept under a name; before: the tie that it replaces there, None where it is new. Ties
    are dicts as `ImportTemplate.as_dict` gives them."""

    tie: str
    name: str
    kept: dict[str, Any]
    before: dict[str, Any] | None = None

    @property
    def named(self) -> str:
        return self.name

    def describe(self, subject: Subject) -> str:
        if self.before is None:
            return f"Import template “{self.name}” saved."
        return f"Import template “{self.name}” changed."


@dataclass(frozen=True, slots=True)
class ImportTemplateDeleted(
    Action, kind="tie forgotten", word="tie forgotten", about="tie", affects=no_scope
):
    """A kept tie taken away, with what it was; what was taken in by it stays."""

    tie: str
    name: str
    kept: dict[str, Any]

    @property
    def named(self) -> str:
        return self.name

    def describe(self, subject: Subject) -> str:
        return f"Import template “{self.name}” deleted; files already imported stay."
