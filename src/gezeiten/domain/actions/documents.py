"""Actions on documents: handed over."""

from __future__ import annotations

from dataclasses import dataclass

from gezeiten.domain.actions.base import Action, Subject
from gezeiten.domain.actions.scope import no_scope
from gezeiten.domain.base.wording import readings_text


@dataclass(frozen=True, slots=True)
class DocumentIssued(
    Action, kind="document handed over", word="handover", about="point", version=2, affects=no_scope
):
    """A document of a point over a stretch that left the house. form: "csv" or "pdf"; file_name:
    where its copy was put. From version 2 on its bytes lie in the vault of documents."""

    point: str
    document: str
    form: str
    start_ms: int
    end_ms: int
    file_name: str
    sha256: str
    size: int
    readings: int

    def describe(self, subject: Subject) -> str:
        name = self.file_name.replace("\\", "/").rpartition("/")[2]
        return f"{self.form.upper()} with {readings_text(self.readings)} exported: {name}."


@dataclass(frozen=True, slots=True)
class DocumentReissued(
    Action, kind="document put out again", word="handover", about="point", affects=no_scope
):
    """A document that was handed over before, written once more from the vault: its copy was moved,
    deleted or changed. file_name: where the copy is now."""

    point: str
    document: str
    before: str
    file_name: str

    def describe(self, subject: Subject) -> str:
        name = self.file_name.replace("\\", "/").rpartition("/")[2]
        return f"{name} issued again, exactly as it was."
