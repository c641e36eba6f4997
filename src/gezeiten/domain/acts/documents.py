"""Acts on documents: handed over."""

from __future__ import annotations

from dataclasses import dataclass

from gezeiten.domain.acts.base import Act, Subject
from gezeiten.domain.wording import readings_words


@dataclass(frozen=True, slots=True)
class DocumentHandedOver(Act, kind="document handed over", word="handover", about="point"):
    """A document of a point over a stretch that left the house. form: "csv" or "pdf"; file_name:
    where its copy was put."""

    point: str
    document: str
    form: str
    start_ms: int
    end_ms: int
    file_name: str
    sha256: str
    size: int
    readings: int

    def told(self, subject: Subject) -> str:
        name = self.file_name.replace("\\", "/").rpartition("/")[2]
        return f"{self.form.upper()} with {readings_words(self.readings)} written: {name}."
