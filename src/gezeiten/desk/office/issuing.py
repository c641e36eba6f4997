"""Handing over: CSV and PDF of a point over a stretch, kept as bytes, put out again from there."""

from __future__ import annotations

import itertools
import os
import re
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Literal

from gezeiten.archive.files.atomic_files import sync_folder
from gezeiten.archive.files.chains import FOLDER as LOGBOOK_FOLDER
from gezeiten.archive.files.unfinished_files import synced, temporary_file
from gezeiten.archive.files.vault import fingerprint
from gezeiten.archive.queries.documents import StoredDocument, count_documents, documents
from gezeiten.archive.queries.sites import stored_point
from gezeiten.archive.store.faults import translated
from gezeiten.archive.store.ids import fresh_id
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.office.documents import csv_table, inside_record, point_report
from gezeiten.desk.office.logbook import head_hash_text
from gezeiten.desk.sites.places import PointPlace
from gezeiten.domain.actions.documents import DocumentIssued, DocumentReissued
from gezeiten.domain.series.timeline import Span, from_ms
from gezeiten.exchange.csv_description import Origin, described, description
from gezeiten.exchange.csv_out import CsvTable, write_csv

if TYPE_CHECKING:
    from gezeiten.report.pages import PagePicture

Kind = Literal["csv", "pdf"]
State = Literal["as it was", "changed", "missing"]


@dataclass(frozen=True, slots=True)
class HandoverResult:
    """A document as it left the house."""

    path: Path
    kind: Kind
    sha256: str
    readings: int
    pages: int


@dataclass(frozen=True, slots=True)
class IssuedDocument:
    """One handed over before; state of its copy: "as it was", "changed" or "missing". is_kept:
    whether the vault has it; shown: from where it can be shown as it was, None from nowhere."""

    uid: str
    at_ms: int
    person: str
    kind: str
    point_id: int
    span: Span
    file_name: str
    sha256: str
    readings: int
    state: State
    is_stored: bool
    shown: Path | None

    @property
    def can_be_reissued(self) -> bool:
        """Whether its copy is not what it was, and the vault has it."""
        return self.is_stored and self.state != "as it was"


def export_csv(
    desk: Workspace, point: PointPlace, span: Span, path: Path | None = None
) -> HandoverResult:
    """Write the CSV of a point over a stretch, read it back, keep its fingerprint; beside it stands
    what its columns are (`exchange/csv_description.py`).

    Raises:
        InputError: no reading in the stretch.
        SurroundingsError: the disk.
    """
    span = inside_record(desk, point, span)
    table = csv_table(desk, point, span)
    with translated(desk.archive.handovers):
        target, readings = _written(
            desk, point, span, "csv", path, lambda fresh: write_csv(table, fresh)
        )
    done = _book(desk, point, span, "csv", target, readings, 0)
    _describe(desk, table, done)
    return done


def _describe(desk: Workspace, table: CsvTable, done: HandoverResult) -> None:
    """Write beside a CSV what its columns are and where it comes from."""
    origin = Origin(desk.now_ms(), desk.person, done.sha256, done.readings, head_hash_text(desk))
    folder = done.path.parent
    with translated(folder), temporary_file(folder) as fresh:
        fresh.write_text(description(done.path.name, table, origin), encoding="utf-8")
        synced(fresh)
        _named(fresh, described(done.path))
        sync_folder(folder)


def export_pdf(
    desk: Workspace, point: PointPlace, span: Span, path: Path | None = None
) -> HandoverResult:
    """Write the PDF report of a point over a stretch, read it back, keep its fingerprint.

    Raises:
        InputError: no reading in the stretch.
        SurroundingsError: the disk.
    """
    # reportlab is slow to import and only this needs it
    from gezeiten.report.pdf import write_pdf

    report = point_report(desk, point, span)
    span = report.span
    with translated(desk.archive.handovers):
        target, pages = _written(
            desk, point, span, "pdf", path, lambda fresh: write_pdf(report, fresh)
        )
    return _book(desk, point, span, "pdf", target, report.readings, pages)


def _written(
    desk: Workspace,
    point: PointPlace,
    span: Span,
    kind: Kind,
    path: Path | None,
    write: Callable[[Path], int],
) -> tuple[Path, int]:
    """Write beside the target, sync, and only then give it its name: no half document is ever
    found. Among our own documents a name is never given twice; later ones are numbered."""
    folder = path.parent if path else desk.archive.handovers
    with temporary_file(folder) as fresh:
        result = write(fresh)
        synced(fresh)
        name = file_name(point, span, kind).removesuffix(f".{kind}")
        target = _named(fresh, path) if path else _free(fresh, folder, name, f".{kind}")
        sync_folder(folder)
    return target, result


def _named(fresh: Path, path: Path) -> Path:
    fresh.chmod(0o644)
    fresh.replace(path)
    return path


def _rename_into_place(fresh: Path, target: Path) -> None:
    """Give a written file its name, unless another has it: whole, whoever writes beside us.

    Raises:
        FileExistsError: the name is taken.
    """
    try:
        os.link(fresh, target)
    except FileExistsError:
        raise
    except OSError:  # a disk that knows no second names: the name is taken first, then filled
        target.touch(exist_ok=False)
        fresh.replace(target)


def _free(fresh: Path, folder: Path, stem: str, suffix: str) -> Path:
    """Give a written file the first free name; the second of a name carries a 2, and so on."""
    fresh.chmod(0o644)
    for number in itertools.count(1):
        target = folder / f"{stem}{f'_{number}' if number > 1 else ''}{suffix}"
        try:
            _rename_into_place(fresh, target)
        except FileExistsError:
            continue
        return target
    raise AssertionError("numbers do not end")


def _book(
    desk: Workspace,
    point: PointPlace,
    span: Span,
    kind: Kind,
    path: Path,
    readings: int,
    pages: int,
) -> HandoverResult:
    with translated(path.parent):
        data = path.read_bytes()
    if desk.archive.is_looked_at:  # it goes elsewhere; the archive does not hear of it
        return HandoverResult(path, kind, fingerprint(data), readings, pages)
    with translated(desk.archive.folder):
        sha256 = desk.archive.documents.store(data)
    with desk.archive.writing() as session:
        at = stored_point(session, point.id).uid
        desk.do_within(
            session,
            DocumentIssued(
                at,
                fresh_id(),
                kind,
                span[0],
                span[1],
                _stored_path(desk, path),
                sha256,
                len(data),
                readings,
            ),
        )
    return HandoverResult(path, kind, sha256, readings, pages)


def issued_documents(desk: Workspace) -> list[IssuedDocument]:
    """Return what was handed over, latest first, and whether it is still what it was."""
    with desk.archive.reading() as session:
        kept = documents(session)
    return [_issued_document(desk, document) for document in kept]


def _stored_path(desk: Workspace, path: Path) -> str:
    """Return the path of a copy as it is stored: from the archive's folder on where it is there."""
    path, folder = path.resolve(), desk.archive.folder.resolve()
    return path.relative_to(folder).as_posix() if path.is_relative_to(folder) else str(path)


def _copy_of(desk: Workspace, stored: str) -> Path:
    """Return where the copy of a document is. One among an archive's own documents is among those
    of the archive that is open, which may be a copy of that one, or have been moved."""
    path, folder = Path(stored), desk.archive.folder
    if not path.is_absolute():
        return folder / path
    # versions before stored it in whole
    of, own = path.parent.parent, desk.archive.handovers.name
    was_in_an_archive = not of.exists() or (of / LOGBOOK_FOLDER).is_dir()
    return folder / own / path.name if path.parent.name == own and was_in_an_archive else path


def count_handovers(desk: Workspace) -> int:
    """Return how many documents were handed over."""
    with desk.archive.reading() as session:
        return count_documents(session)


def _issued_document(desk: Workspace, document: StoredDocument) -> IssuedDocument:
    """What became of a document. One of before documents were kept is kept now, if it is there."""
    copy, vault = _copy_of(desk, document.file_name), desk.archive.documents
    state: State = "missing"
    with suppress(OSError):
        data = copy.read_bytes()
        state = "as it was" if fingerprint(data) == document.sha256 else "changed"
        is_lost = state == "as it was" and not vault.path(document.sha256).exists()
        if is_lost and not desk.archive.is_looked_at:
            vault.store(data)
    is_kept = vault.path(document.sha256).exists()
    shown = copy if state == "as it was" else vault.path(document.sha256) if is_kept else None
    return IssuedDocument(
        document.uid,
        document.at_ms,
        document.person,
        document.form,
        document.point_id,
        document.span,
        str(copy),
        document.sha256,
        document.readings,
        state,
        is_kept,
        shown,
    )


def reissue(desk: Workspace, past: IssuedDocument, path: Path | None = None) -> Path:
    """Write a document once more as it was handed over, under a name that is free among our own
    documents, or where it is wished.

    Raises:
        ArchiveDamagedError: the vault does not have it as it was. SurroundingsError: the disk.
    """
    data = desk.archive.documents.get(past.sha256)
    folder = path.parent if path else desk.archive.handovers
    with translated(folder), temporary_file(folder) as fresh:
        fresh.write_bytes(data)
        synced(fresh)
        name = Path(past.file_name)
        target = _named(fresh, path) if path else _free(fresh, folder, name.stem, name.suffix)
        sync_folder(folder)
    with desk.archive.writing() as session:
        point = stored_point(session, past.point_id).uid
        before = next(
            document.file_name for document in documents(session) if document.uid == past.uid
        )
        action = DocumentReissued(point, past.uid, before, _stored_path(desk, target))
        desk.do_within(session, action)
    return target


def document_pages(path: Path, width: int) -> list[PagePicture]:
    """Return the pages of a PDF that was handed over, `width` pixels wide.

    Raises:
        SurroundingsError: it is gone or is no PDF any more.
    """
    from gezeiten.report.pages import page_pictures

    return page_pictures(path, width)


def document_lines(path: Path, most: int) -> str:
    """Return the first lines of a CSV that was handed over.

    Raises:
        SurroundingsError: it is gone.
    """
    with translated(path), path.open(encoding="utf-8", errors="replace") as lines:
        return "".join(line for _, line in zip(range(most), lines, strict=False))


def file_name(point: PointPlace, span: Span, suffix: str) -> str:
    """Return a file name of site, point and stretch that every file system takes."""
    words = re.sub(r"[^\w-]+", "-", f"{point.site} {point.name}".lower()).strip("-")
    first, last = (from_ms(ms, point.zone) for ms in (span[0], span[1] - 1))
    return f"{words[:80]}_{first:%Y-%m-%d}_{last:%Y-%m-%d}.{suffix}"
