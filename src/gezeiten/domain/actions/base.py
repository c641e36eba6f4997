"""The base of all actions: kind, version, what it is about, and the sentence that describes it."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, ClassVar, Literal

from gezeiten.domain.actions.scope import Scope
from gezeiten.domain.series.timeline import from_ms

About = Literal[
    "site",
    "point",
    "logger",
    "plan",
    "tie",
    "round",
    "courier",
    "drive",
    "file",
    "to",
    "archive",
    "chain",
    "person",
    "entry",
    "quantity",
]
"""What an action can be about: the name of the field that holds its id, its serial where it is a
logger, its name where no table has it."""


@dataclass(frozen=True, slots=True)
class Subject:
    """What an action is about, as it is called when the action is described. zone: of the instants
    in the sentence. place: full name of the point where it happened, where the action names one."""

    name: str
    zone: str = "UTC"
    place: str = ""


BY_KIND: dict[str, type[Action]] = {}
"""Every kind of action by its name; a kind is registered when its module is imported."""


class Action(ABC):
    """Something that was done to an archive. Subclasses are frozen dataclasses that survive JSON
    unchanged; one field has the name that ABOUT says and holds the id of what it is about.

    KIND: the name of this kind, for ever. VERSION: of its fields; whoever changes them writes
    `upgrade` for the old ones. WORD: the kind of entry in the logbook. ABOUT: what kind of thing it
    is about. AFFECTS: returns which records such an action may change.
    """

    __slots__ = ()
    KIND: ClassVar[str]
    VERSION: ClassVar[int]
    WORD: ClassVar[str]
    ABOUT: ClassVar[About]
    AFFECTS: ClassVar[Callable[[Any], Scope]]

    def __init_subclass__(
        cls,
        *,
        kind: str = "",
        word: str = "",
        about: About | None = None,
        version: int = 1,
        affects: Callable[[Any], Scope] | None = None,
    ) -> None:
        """Register the kind that the class statement declares. A dataclass with slots is created
        twice, the second time without these arguments.

        Raises:
            TypeError: it does not say what it affects, or another class has its kind.
        """
        if about is not None:
            cls.KIND, cls.WORD, cls.ABOUT, cls.VERSION = kind, word, about, version
            if affects is None:
                raise TypeError(f"{cls.__name__} must say whose record it affects")
            cls.AFFECTS = affects
        if "KIND" in cls.__dict__:
            known = BY_KIND.setdefault(cls.KIND, cls)
            if known.__name__ != cls.__name__:
                raise TypeError(f"{known.__name__} and {cls.__name__} are both “{cls.KIND}”")
            BY_KIND[cls.KIND] = cls

    @property
    def subject_id(self) -> str:
        """Id of what it is about: the field of the name in ABOUT."""
        return str(getattr(self, self.ABOUT))

    @property
    def scope(self) -> Scope:
        """The records that it may change."""
        return type(self).AFFECTS(self)

    @property
    def entry_word(self) -> str:
        """What the logbook files it under."""
        return self.WORD

    @property
    def named(self) -> str:
        """What its thing is called where no table keeps that, else ""."""
        return ""

    @classmethod
    def upgrade(cls, content: dict[str, Any], version: int) -> dict[str, Any]:
        """Return what an action of an older version held in the present form."""
        return content

    @abstractmethod
    def describe(self, subject: Subject) -> str:
        """Return what was done, in a sentence."""


@dataclass(frozen=True, slots=True)
class Change:
    """One fact of a thing before and after, as JSON gives it back."""

    field: str
    before: Any
    after: Any


@dataclass(frozen=True, slots=True)
class Fact:
    """How a fact is told: what it is called, and its value in words."""

    name: str
    words: Callable[[Any, str], str] = lambda value, _zone: str(value)

    def describe(self, change: Change, zone: str) -> str:
        """Return "height of the rim 3.20 m → 3.08 m"."""
        before, after = self.worded(change.before, zone), self.worded(change.after, zone)
        return f"{self.name} {before} → {after}"

    def worded(self, value: Any, zone: str) -> str:
        """Return "3.20 m"."""
        return "none" if value in (None, "", []) else self.words(value, zone)


def changes_between(before: object, after: object) -> tuple[Change, ...]:
    """Return where two values of one frozen dataclass differ, in the order of its fields."""
    names: list[str] = list(getattr(type(before), "__slots__", ()))
    pairs = [(name, _plain(getattr(before, name)), _plain(getattr(after, name))) for name in names]
    return tuple(Change(name, old, new) for name, old, new in pairs if old != new)


def _plain(value: Any) -> Any:
    """As JSON gives it back."""
    return list(value) if isinstance(value, tuple) else value


def describe_changes(changes: tuple[Change, ...], facts: Mapping[str, Fact], zone: str) -> str:
    """Return all changes in words, with commas between."""
    return ", ".join(facts[change.field].describe(change, zone) for change in changes)


def instant_text(ms: int, zone: str) -> str:
    """Return "2026-12-14 16:20": an instant in a zone."""
    return f"{from_ms(ms, zone):%Y-%m-%d %H:%M}"


def day_text(ms: int, zone: str) -> str:
    """Return "2026-12-14": the day of an instant in a zone."""
    return f"{from_ms(ms, zone):%Y-%m-%d}"
