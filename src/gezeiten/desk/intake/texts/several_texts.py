"""Several text files at once, a folder of them, folders that are watched: those of kinds that are
kept are taken, the others are named with what is missing."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from pathlib import Path

from gezeiten.archive.queries.offloads import are_in_record
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.intake.texts.import_templates import (
    RecognisedText,
    of_kind,
    recognise_text,
    stored_templates,
)
from gezeiten.desk.intake.texts.text_files import TextImport, checked_template, import_text
from gezeiten.desk.intake.texts.text_survey import survey
from gezeiten.errors import CancelledError, GezeitenError, InputError
from gezeiten.exchange.text.form import ImportTemplate
from gezeiten.link.transfer import UNWATCHED, Watch

MOST_FILES = 2_000
_PIECE_BYTES = 1 << 20
_QUIET_S = 10.0
"""A file of a watched folder that nobody wrote for so long is whole."""


@dataclass(frozen=True, slots=True)
class TextSeen:
    """A file of several. kind: the name of its kind, "" of none; summary: why it cannot be taken by
    itself, "" where it can; is_imported: exactly these bytes were taken before."""

    path: Path
    kind: str = ""
    summary: str = ""
    is_imported: bool = False
    template: ImportTemplate | None = None

    @property
    def needs_no_answer(self) -> bool:
        """Whether it can be taken without a question."""
        return self.template is not None and not self.summary and not self.is_imported


def texts_in(folder: Path) -> list[Path]:
    """Return the files of a folder that may be texts, by name.

    Raises:
        InputError: it cannot be read, or holds too many.
    """
    try:
        found = [
            Path(one.path)
            for one in os.scandir(folder)
            if one.is_file() and not one.name.startswith(".")
        ]
    except OSError as exc:
        raise InputError(f"{folder} cannot be read; check its name and rights.") from exc
    if len(found) > MOST_FILES:
        raise InputError(f"{folder} holds over {MOST_FILES:,} files; take them in parts.")
    return sorted(found)


def recognise_texts(
    desk: Workspace, paths: Iterable[Path], watch: Watch = UNWATCHED, kind: str = ""
) -> list[TextSeen]:
    """Look at several files; none of them keeps another from being looked at.

    kind: the name of the kind that they are said to be of, "" to find it out.

    Raises:
        CancelledError: as wished.
    """
    seen = []
    for path in paths:
        if watch.cancelled():
            raise CancelledError("Reading the files was cancelled.")
        seen.append(_recognise(desk, path, kind))
    return seen


def _recognise(desk: Workspace, path: Path, kind: str) -> TextSeen:
    try:
        recognised = recognise_text(desk, path)
        if kind:
            recognised = _of_named(desk, path, recognised, kind)
        if recognised.template is None:
            return TextSeen(path, "", "no import template fits; open it by itself")
        if _is_imported(desk, path):
            return TextSeen(
                path, recognised.template.name, "already saved", True, recognised.template
            )
        return TextSeen(
            path,
            recognised.template.name,
            _missing(path, recognised, desk.now_ms()),
            False,
            recognised.template,
        )
    except GezeitenError as exc:
        return TextSeen(path, "", str(exc))


def _of_named(desk: Workspace, path: Path, recognised: RecognisedText, kind: str) -> RecognisedText:
    template = next((known for known in stored_templates(desk) if known.name == kind), None)
    if template is None:
        raise InputError(
            f"There is no import template “{kind}”; import one such file in the window first."
        )
    return of_kind(path, recognised.proposal, template)


def _missing(path: Path, recognised: RecognisedText, now_ms: int) -> str:
    """Return why a file of a kind cannot be taken without a question, "" where it can."""
    assert recognised.template is not None  # it is of a kind
    if recognised.doubts:
        return recognised.doubts[0].question
    if recognised.fresh:
        return f"has columns its import template does not know: {', '.join(recognised.fresh)}"
    template = checked_template(recognised.template)
    counted = survey(path, template, now_ms, seen_words=recognised.proposal.words_by_column)
    if counted.doubts:
        return counted.doubts[0].question
    if counted.has_many_duplicates:
        return "many of its lines have the same time as another"
    return "" if counted.readings else "has no line that can be read"


def _is_imported(desk: Workspace, path: Path) -> bool:
    """Whether exactly these bytes were taken before."""
    digest = hashlib.sha256()
    try:
        with path.open("rb") as file:
            while piece := file.read(_PIECE_BYTES):
                digest.update(piece)
    except OSError as exc:
        raise InputError(f"{path.name} cannot be read; check its name and rights.") from exc
    with desk.archive.reading() as session:
        return are_in_record(session, digest.hexdigest())


@dataclass(slots=True)
class ManyImported:
    """What several files brought. failed: with why."""

    imported: list[tuple[Path, TextImport]] = field(default_factory=list)
    failed: list[tuple[Path, str]] = field(default_factory=list)

    @property
    def readings(self) -> int:
        """How many instants are new, of all files."""
        return sum(one.readings for _, one in self.imported)


def import_texts(
    desk: Workspace, texts: Iterable[TextSeen], watch: Watch = UNWATCHED
) -> ManyImported:
    """Take those that are ready, one by one: what is taken stays when it is stopped.

    Raises:
        SurroundingsError: disk or database; those before are kept.
    """
    done = ManyImported()
    for one in texts:
        if not one.needs_no_answer or one.template is None or watch.cancelled():
            continue
        try:
            done.imported.append((one.path, import_text(desk, one.path, one.template, watch)))
        except CancelledError:
            break
        except InputError as exc:
            done.failed.append((one.path, str(exc)))
    return done


class FolderWatch:
    """Takes what arrives in folders and is of a kind that is kept. Remembers what it looked at, by
    name, size and last change, as long as the program runs."""

    def __init__(self) -> None:
        self._looked_at: dict[Path, tuple[int, int]] = {}
        self.waiting: dict[Path, TextSeen] = {}

    def import_new(
        self, desk: Workspace, folders: Iterable[Path], now_s: float, watch: Watch = UNWATCHED
    ) -> ManyImported:
        """Look at what is new since last time, and take it.

        now_s: by the clock of files.

        Raises:
            SurroundingsError: disk or database.
        """
        fresh = []
        for path in (path for folder in folders for path in _text_paths(folder)):
            stamp = _stamp(path)
            if stamp is None or self._looked_at.get(path) == stamp:
                continue
            if now_s - stamp[1] / 1e9 < _QUIET_S:
                continue  # somebody may still be writing it
            self._looked_at[path] = stamp
            fresh.append(path)
        texts = recognise_texts(desk, fresh, watch)
        for one in texts:
            self.waiting.pop(one.path, None)
            if one.summary and not one.is_imported:
                self.waiting[one.path] = one
        done = import_texts(desk, texts, watch)
        for path, sentence in done.failed:
            self.waiting[path] = replace(TextSeen(path), summary=sentence)
        return done


def _text_paths(folder: Path) -> list[Path]:
    try:
        return texts_in(folder)
    except InputError:
        return []  # a folder may come and go, on a network say


def _stamp(path: Path) -> tuple[int, int] | None:
    try:
        found = path.stat()
    except OSError:
        return None
    return found.st_size, found.st_mtime_ns
