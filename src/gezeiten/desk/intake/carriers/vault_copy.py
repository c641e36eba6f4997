"""Both ends of one format: what is copied here is what is taken in elsewhere.

The whole vault copied to another disk, handed on as one file, or taken in elsewhere.

One file is a ZIP with every raw offload under its fingerprint and names for people beside it: who
took it, when, by which route, at which site and point, from when to when.
"""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import stat
import zipfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import asdict, dataclass, field
from functools import partial
from pathlib import Path
from typing import IO

from gezeiten.archive.files.atomic_files import sync_folder, write_atomic
from gezeiten.archive.intake.missions import Circumstances
from gezeiten.archive.queries.offloads import is_offloaded, raws_named
from gezeiten.archive.store.faults import translated
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.intake.texts.text_files import import_with_template
from gezeiten.desk.logger.incoming import import_left_behind
from gezeiten.desk.logger.offloading import import_file
from gezeiten.domain.actions.carriers import VaultCopyExported, VaultCopyImported
from gezeiten.domain.actions.offloads import LIVE_MODEL, TEXT_MODEL
from gezeiten.domain.base.untrusted import json_of
from gezeiten.domain.facts.sites import full_name
from gezeiten.domain.facts.stored import NamedRaw
from gezeiten.domain.series.timeline import iso_utc
from gezeiten.errors import ArchiveDamagedError, ArchiveLockedError, GezeitenError, InputError
from gezeiten.exchange.text.form import template_from_dict
from gezeiten.link.transfer import UNWATCHED, Meter, Watch, lock_incoming

SUFFIX = ".copy"
"""Of files in incoming/ that are being taken from a copy."""
LIST_NAME, PEOPLE_NAME = "offloads.json", "WHAT-IS-WHAT.txt"
_LARGEST_LIST = 256 << 20
_LIST_HEAD, _LARGEST_ENTRY = 1 << 20, 1 << 20
"""How long a list may be: so much, and so much more for each file of the copy."""
_PIECE = 1 << 20
_LARGEST_RAW = 4 << 30


@dataclass(slots=True)
class CopyImport:
    """What taking a copy in brought. already_stored: raw offloads with nothing new; mended: those
    of them that were damaged or gone here and are whole again; refused: why a raw offload was not
    taken, a sentence each."""

    offloads: int = 0
    readings: int = 0
    already_stored: int = 0
    mended: int = 0
    refused: list[str] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class WrittenCopy:
    """What a copy holds. damaged: a sentence for each raw offload that could not go with it."""

    count: int
    damaged: tuple[str, ...]


def named_raws(desk: Workspace) -> list[NamedRaw]:
    """Return every raw offload of the vault with its names, oldest first."""
    with desk.archive.reading() as session:
        return raws_named(session)


def hand_on(desk: Workspace, path: Path, watch: Watch = UNWATCHED) -> WrittenCopy:
    """Write the whole vault as one file. What is damaged in the vault is left out and named.

    The file appears under its name only when it is whole, and is read back before.

    Raises:
        CancelledError: as wished; no file is left.
        SurroundingsError: disk; no file is left.
    """
    raws = named_raws(desk)
    fresh = path.with_name(path.name + ".part")
    meter = _meter(raws, watch)
    with translated(path.parent):
        try:
            with zipfile.ZipFile(fresh, "w", zipfile.ZIP_STORED, allowZip64=True) as out:

                def add(raw: NamedRaw) -> None:
                    out.write(desk.archive.vault.path(raw.sha256), f"raw/{raw.sha256}")

                whole, damaged = _write_intact(desk, raws, add, meter)
                out.writestr(LIST_NAME, json.dumps([asdict(raw) for raw in whole], indent=1))
                out.writestr(PEOPLE_NAME, for_people(whole))
            with zipfile.ZipFile(fresh) as written:
                unreadable = written.testzip()
            if unreadable:
                raise InputError(f"{path.name} cannot be read back; export it to another disk.")
            with fresh.open("rb") as done:
                os.fsync(done.fileno())
            fresh.replace(path)
        finally:
            fresh.unlink(missing_ok=True)
    desk.do(VaultCopyExported(path.name, len(whole), tuple(damaged[:100]), as_folder=False))
    return WrittenCopy(len(whole), tuple(damaged))


def copy_to(desk: Workspace, folder: Path, watch: Watch = UNWATCHED) -> WrittenCopy:
    """Copy the vault into a folder of another disk; what is there already is compared, not copied.

    What is damaged in the vault is left out and named; whole bytes that the folder has of it from
    an earlier copy stay there.

    Raises:
        CancelledError: as wished; what was copied stays. SurroundingsError: disk.
    """
    raws = named_raws(desk)
    meter = _meter(raws, watch)

    def is_stored(raw: NamedRaw) -> bool:
        target = folder / "raw" / raw.sha256
        return target.exists() and _fingerprint(target) == raw.sha256

    def copy(raw: NamedRaw) -> None:
        target = folder / "raw" / raw.sha256
        if is_stored(raw):
            return
        fresh = target.with_suffix(".part")
        shutil.copyfile(desk.archive.vault.path(raw.sha256), fresh)
        with fresh.open("rb") as done:
            os.fsync(done.fileno())
        fresh.replace(target)

    with translated(folder):
        (folder / "raw").mkdir(parents=True, exist_ok=True)
        whole, damaged = _write_intact(desk, raws, copy, meter)
        here = {raw.sha256 for raw in whole}
        listed = [raw for raw in raws if raw.sha256 in here or is_stored(raw)]
        sync_folder(folder / "raw")
        write_atomic(folder / LIST_NAME, json.dumps([asdict(raw) for raw in listed], indent=1))
        write_atomic(folder / PEOPLE_NAME, for_people(listed))
    desk.do(VaultCopyExported(str(folder), len(whole), tuple(damaged[:100]), as_folder=True))
    return WrittenCopy(len(whole), tuple(damaged))


def _write_intact(
    desk: Workspace, raws: list[NamedRaw], write: Callable[[NamedRaw], None], meter: Meter
) -> tuple[list[NamedRaw], list[str]]:
    """Write each raw offload once that is as it was kept; returns those, and what is not.

    One damaged file must not keep the others from being saved.
    """
    whole: list[NamedRaw] = []
    damaged: dict[str, str] = {}
    written: set[str] = set()
    for raw in raws:
        if raw.sha256 not in written and raw.sha256 not in damaged:
            try:
                desk.archive.vault.check(raw.sha256)
            except ArchiveDamagedError as exc:
                damaged[raw.sha256] = f"{raw.site}, {raw.point}: {exc}"
            else:
                write(raw)
                written.add(raw.sha256)
        if raw.sha256 in written:
            whole.append(raw)
        meter.count_bytes(raw.size)
    return whole, list(damaged.values())


def for_people(raws: list[NamedRaw]) -> str:
    """Return a table that tells without any program which fingerprint is what."""
    lines = ["fingerprint        site · point · logger, mission · from · until · imported by, when"]
    for raw in raws:
        since = iso_utc(raw.from_ms) if raw.from_ms is not None else "?"
        until = iso_utc(raw.until_ms) if raw.until_ms is not None else "?"
        lines.append(
            f"{raw.sha256[:16]}…  {raw.site} · {raw.point} · {raw.serial}, {raw.mission} · "
            f"{since} · {until} · {raw.person}, {iso_utc(raw.at_ms)}, {raw.route}"
        )
    return "\n".join(lines) + "\n"


def _fingerprint(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _meter(raws: list[NamedRaw], watch: Watch) -> Meter:
    """Return a meter over these raw offloads; it counts bytes."""
    total = sum(raw.size for raw in raws)
    return Meter(watch, total, total, "Copying was cancelled; the vault is unchanged.")


# -- taking in -------------------------------------------------------------------------------------
def import_copy(desk: Workspace, path: Path, watch: Watch = UNWATCHED) -> CopyImport:
    """Take in a handed-on file or a copied folder; what is kept already adds nothing.

    Raises:
        InputError: it is no such copy. CancelledError: as wished; what came is kept.
    """
    brought = CopyImport()
    with _opened(path) as (listed, fetch):
        meter = _meter(listed, watch)
        for raw in listed:
            _import_raw(desk, raw, fetch, brought)
            meter.count_bytes(raw.size)
    desk.do(
        VaultCopyImported(
            path.name,
            brought.offloads,
            brought.readings,
            brought.already_stored,
            brought.mended,
            tuple(brought.refused[:100]),
            len(brought.refused),
        )
    )
    return brought


_Fetch = Callable[[NamedRaw, Path], None]


@contextmanager
def _opened(path: Path) -> Iterator[tuple[list[NamedRaw], _Fetch]]:
    """Yield the list of a copy and a way to fetch a raw offload into a file."""
    if path.is_dir():
        yield _list_of_folder(path), partial(_fetch_from_folder, path)
        return
    try:
        whole = zipfile.ZipFile(path)
    except (*_DAMAGED, FileNotFoundError) as exc:
        raise _damaged_copy(path) from exc
    with whole:
        yield _list_of_file(whole, path), partial(_fetch_from_file, whole, path)


_DAMAGED = (zipfile.BadZipFile, KeyError, NotImplementedError)
"""What zipfile says of a file that is none, lacks a member, or packs as nobody asked it to."""


def _damaged_copy(path: Path) -> InputError:
    return InputError(f"{path.name} is not a vault copy, or is damaged; choose another file.")


def _list_of_folder(path: Path) -> list[NamedRaw]:
    with translated(path):
        try:
            members = len(os.listdir(path / "raw"))
            with _regular(path / LIST_NAME) as file:
                data = file.read(_largest_list(members) + 1)
        except FileNotFoundError:
            return _no_copy(path)
    if len(data) > _largest_list(members):
        return _no_copy(path)
    return _listed(data, path.name)


def _list_of_file(whole: zipfile.ZipFile, path: Path) -> list[NamedRaw]:
    try:
        info = whole.getinfo(LIST_NAME)
        is_list = _is_stored(info) and info.file_size <= _largest_list(len(whole.infolist()))
        data = whole.read(info) if is_list else b""
    except _DAMAGED as exc:
        raise _damaged_copy(path) from exc
    return _listed(data, path.name) if is_list else _no_copy(path)


def _largest_list(members: int) -> int:
    """Return how long the list of a copy with so many files may be."""
    return min(_LIST_HEAD + members * _LARGEST_ENTRY, _LARGEST_LIST)


def _fetch_from_folder(path: Path, raw: NamedRaw, to: Path) -> None:
    try:
        with _regular(path / "raw" / raw.sha256) as source:
            _copy_exactly(source, raw, to, path.name)
    except FileNotFoundError as exc:
        raise ArchiveDamagedError(
            f"{raw.sha256[:12]} is listed in {path.name} but missing; use another copy."
        ) from exc


def _fetch_from_file(whole: zipfile.ZipFile, path: Path, raw: NamedRaw, to: Path) -> None:
    try:
        info = whole.getinfo(f"raw/{raw.sha256}")
        if not _is_stored(info) or info.file_size != raw.size:
            raise InputError(
                f"{raw.sha256[:12]} in {path.name} does not have the size given in its list."
            )
        with whole.open(info) as source:
            _copy_exactly(source, raw, to, path.name)
    except _DAMAGED as exc:
        raise _damaged_copy(path) from exc


def _is_stored(info: zipfile.ZipInfo) -> bool:
    """Whether a member is a file as it is: nothing that unpacks to more, no link, no device."""
    mode = info.external_attr >> 16
    is_file = stat.S_IFMT(mode) in (0, stat.S_IFREG)
    is_plain = info.compress_type == zipfile.ZIP_STORED and info.file_size == info.compress_size
    return is_file and is_plain


@contextmanager
def _regular(path: Path) -> Iterator[IO[bytes]]:
    """Open a file of a copy that is one: a link may lead anywhere, a pipe or device has no end.

    Raises:
        InputError: it is something else; the sentence names it.
    """
    if path.is_symlink() or (path.exists() and not stat.S_ISREG(path.stat().st_mode)):
        raise InputError(
            f"{path.name} in this copy is a link or a device, not a file; it was skipped."
        )
    file = os.open(path, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK)
    with os.fdopen(file, "rb") as opened:
        yield opened


def _copy_exactly(source: IO[bytes], raw: NamedRaw, to: Path, name: str) -> None:
    """Copy as many bytes as the list says, and see that there are no more and no fewer."""
    copied = 0
    with to.open("wb") as out:
        while piece := source.read(min(_PIECE, raw.size - copied + 1)):
            copied += len(piece)
            if copied > raw.size:
                break
            out.write(piece)
    if copied != raw.size:
        raise InputError(f"{raw.sha256[:12]} in {name} does not have the size given in its list.")


def _no_copy(path: Path) -> list[NamedRaw]:
    raise InputError(f"{path.name} is not a vault copy; choose another file or folder.")


def _listed(data: bytes, name: str) -> list[NamedRaw]:
    try:
        listed = [NamedRaw(**entry) for entry in json_of(data)]
    except (TypeError, ValueError) as exc:
        raise InputError(
            f"The list in {name} cannot be read ({exc}); choose another copy."
        ) from exc
    for raw in listed:
        if not _has_declared_types(raw) or not _is_fingerprint(raw.sha256):
            raise InputError(f"The list in {name} is not valid; choose another file or folder.")
    return listed


def _has_declared_types(raw: NamedRaw) -> bool:
    """Whether every field is of the kind it is declared as: the list comes from elsewhere."""
    texts = (raw.sha256, raw.site, raw.point, raw.serial, raw.person, raw.route)
    whole = (raw.size, raw.mission, raw.at_ms)
    maybe = (raw.from_ms, raw.until_ms, raw.clock_difference_ms, raw.clock_uncertainty_ms)
    return (
        all(isinstance(text, str) for text in texts)
        and all(isinstance(one, int) and abs(one) < 2**53 for one in whole)
        and 0 <= raw.size <= _LARGEST_RAW
        and all(one is None or isinstance(one, int | float) for one in maybe)
        and all(one is None or isinstance(one, dict) for one in (raw.carried, raw.reading))
    )


def _is_fingerprint(text: str) -> bool:
    return len(text) == 64 and set(text) <= set("0123456789abcdef")


def _import_raw(desk: Workspace, raw: NamedRaw, fetch: _Fetch, brought: CopyImport) -> None:
    """Take one raw offload; its fingerprint has to be that of the list."""
    target = desk.archive.incoming / f"{raw.sha256[:24]}{SUFFIX}"
    with translated(desk.archive.folder):
        lock = lock_incoming(target)
    if lock is None:
        raise ArchiveLockedError(
            "Another window is importing the same copy; wait for it, then check the result."
        )
    try:
        with translated(desk.archive.folder):
            fetch(raw, target)
        if _fingerprint(target) != raw.sha256:
            raise InputError(f"The raw offload {raw.sha256[:12]} is damaged in this copy.")
        brought.mended += _mend(desk, raw, target)
        readings = _import_file(desk, raw, target)
    except (GezeitenError, KeyError) as exc:
        if isinstance(exc, GezeitenError) and exc.exit_code == 5:
            raise  # our own disk: the others would fare no better
        brought.refused.append(f"{raw.site}, {raw.point}, {raw.sha256[:12]}: {exc}")
    else:
        brought.offloads += bool(readings)
        brought.already_stored += not readings
        brought.readings += readings
    finally:
        target.unlink(missing_ok=True)
        os.close(lock)


def clear_copies(desk: Workspace) -> int:
    """Remove what a program that was killed had fetched from a copy: the copy still has it."""
    return len(import_left_behind(desk, SUFFIX, Path.unlink))


def _mend(desk: Workspace, raw: NamedRaw, path: Path) -> bool:
    """Put whole bytes where those of a kept raw offload are damaged or gone; whether they were."""
    with desk.archive.reading() as session:
        is_kept = is_offloaded(session, raw.sha256)
    if not is_kept or desk.archive.vault.is_intact(raw.sha256):
        return False
    with translated(desk.archive.folder):
        desk.archive.vault.store_file(path)
    return True


def _import_file(desk: Workspace, raw: NamedRaw, path: Path) -> int:
    if raw.reading is not None:
        model = LIVE_MODEL if raw.route == "live line" else TEXT_MODEL
        template = template_from_dict({**raw.reading, "point": full_name(raw.site, raw.point)})
        return import_with_template(desk, path, template, model, raw.route).readings
    circumstances = Circumstances(
        raw.at_ms,
        raw.person,
        raw.route,
        raw.clock_difference_ms,
        raw.clock_uncertainty_ms,
        carried=raw.carried,
        imported_by=desk.authorship,
    )
    return import_file(desk, path, circumstances).readings
