"""Actions on the archive as a whole: begun, with what it held before there were acts."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from gezeiten.domain.actions.base import Action, Subject
from gezeiten.domain.actions.scope import no_scope
from gezeiten.domain.base.wording import counted, grouped

Why = Literal["first", "other"]


@dataclass(frozen=True, slots=True)
class ArchiveBegun(
    Action, kind="archive begun", word="archive begun", about="archive", affects=no_scope
):
    """An archive from here on made from actions. archive: its id for ever; tables: those that acts
    make; dump: fingerprint of what they held at this moment, "" for nothing; rows: how many."""

    archive: str
    tables: tuple[str, ...]
    dump: str
    rows: int

    @property
    def named(self) -> str:
        return "archive"

    def describe(self, subject: Subject) -> str:
        if not self.dump:
            return "The archive was created."
        held = counted(self.rows, "row", "rows")
        return f"The earlier contents of the archive, {held}, were saved as {self.dump[:12]}."


@dataclass(frozen=True, slots=True)
class ConflictAcknowledged(
    Action, kind="misfit seen", word="looked at", about="entry", affects=no_scope
):
    """Somebody looked at what an action had found otherwise than it says. entry: the hash of its
    entry; found: what, a sentence each; subject: what that action was about."""

    entry: str
    sentence: str
    found: tuple[str, ...]
    subject: str

    @property
    def named(self) -> str:
        return self.subject

    def describe(self, subject: Subject) -> str:
        return f"Acknowledged, {'; '.join(self.found)}: {self.sentence}"


@dataclass(frozen=True, slots=True)
class ChainBegun(Action, kind="chain begun", word="chain begun", about="chain", affects=no_scope):
    """A computer that begins a chain of its own. why: "first": it had not written in this folder;
    "other": the archive is not as this computer left it. follows: the number of the entry before.
    """

    chain: str
    computer: str
    why: Why
    follows: int

    @property
    def named(self) -> str:
        return "archive"

    def describe(self, subject: Subject) -> str:
        words = f"{self.computer} starts a chain of its own after entry"
        sentence = f"{words} {grouped(self.follows)}"
        if self.why == "first":
            return f"{sentence}; it had not written in this folder before."
        return (
            f"{sentence}; the archive is not as this computer left it: an older copy "
            "was restored, or the end of its logbook is missing."
        )


class _OnLostEntries(Action):
    """An action about entries [first, last] of a chain that its file had lost."""

    __slots__ = ()

    @property
    def named(self) -> str:
        return "archive"


@dataclass(frozen=True, slots=True)
class EntriesRestored(
    _OnLostEntries,
    kind="entries restored",
    word="entries restored",
    about="chain",
    affects=no_scope,
):
    """They were written again as the tables had them. hashes: those that they had before; restored:
    those that they have since."""

    chain: str
    first: int
    last: int
    hashes: tuple[str, ...]
    restored: tuple[str, ...]

    def describe(self, subject: Subject) -> str:
        if self.first == self.last:
            return (
                f"Entry {grouped(self.first)} of the chain {self.chain[:8]}, which its file had "
                "lost, was restored from the table."
            )
        return (
            f"Entries {grouped(self.first)} to {grouped(self.last)} of the chain {self.chain[:8]}, "
            "which its file had lost, were restored from the table."
        )


@dataclass(frozen=True, slots=True)
class EntriesRemoved(
    _OnLostEntries, kind="entries removed", word="entries removed", about="chain", affects=no_scope
):
    """They were removed from the tables as well. hashes: theirs; sentences: what they said."""

    chain: str
    first: int
    last: int
    hashes: tuple[str, ...]
    sentences: tuple[str, ...]

    def describe(self, subject: Subject) -> str:
        if self.first == self.last:
            return (
                f"Entry {grouped(self.first)} of the chain {self.chain[:8]}, which its file had "
                f"lost, was removed: {self.sentences[0]}"
            )
        return (
            f"Entries {grouped(self.first)} to {grouped(self.last)} of the chain {self.chain[:8]}, "
            f"which its file had lost, were removed: {' '.join(self.sentences)}"
        )
