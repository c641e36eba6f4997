"""Actions on people: named, and erased at their wish. Nowhere else in an action stands a name."""

from __future__ import annotations

from dataclasses import dataclass

from gezeiten.domain.actions.base import Action, Subject
from gezeiten.domain.actions.scope import no_scope

ERASED = "–"
"""What stands in place of a name that was erased."""


@dataclass(frozen=True, slots=True)
class PersonNamed(Action, kind="person named", word="person", about="person", affects=no_scope):
    """Somebody who acts here for the first time. name: as typed, initials mostly."""

    person: str
    name: str

    @property
    def named(self) -> str:
        return self.name

    def describe(self, subject: Subject) -> str:
        return f"{self.name} is a new user of this archive."


@dataclass(frozen=True, slots=True)
class PersonErased(Action, kind="person erased", word="person", about="person", affects=no_scope):
    """A name that goes at the wish of who had it; the actions stay."""

    person: str

    @property
    def named(self) -> str:
        return ERASED

    def describe(self, subject: Subject) -> str:
        return "A name was erased at its owner's request; the entries stay."
