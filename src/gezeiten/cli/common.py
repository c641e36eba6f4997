"""What commands on an archive share: opening it, instants and stretches."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path
from tempfile import TemporaryDirectory
from zoneinfo import ZoneInfo

import click

from gezeiten.archive.whereabouts import is_archive
from gezeiten.cli.whereabouts import default_folder, head_hashes_file, is_read_only, settings_file
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.intake.recovery import recover
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.domain.series.timeline import DAY_MS, to_ms
from gezeiten.errors import InputError, SurroundingsError


@contextmanager
def open_desk(
    folder: Path | None, *, only_reads: bool = False, read_only: bool = False
) -> Iterator[Workspace]:
    """Open the archive, take in what a killed offload left, close it in the end.

    only_reads: the command makes no archive where there is none, and only looks at one on a medium
    that cannot be written. read_only: nothing is changed.

    Raises:
        InputError: it only reads, and there is no archive.
        SurroundingsError: it does not only read, and the archive cannot be written; raised
            before any logger is contacted.
    """
    target = folder or default_folder()
    if only_reads and not is_archive(target):
        raise InputError(f"There is no archive in {target}; name its folder with --archive.")
    if not read_only and is_read_only(target):
        if not only_reads:
            raise SurroundingsError(
                f"The archive in {target} cannot be written, so no archive was created; "
                "check the rights of the folder and whether its disk is read-only."
            )
        read_only = True
    if not read_only:
        target.mkdir(parents=True, exist_ok=True)
    desk = open_workspace(
        target,
        settings_file=settings_file(target),
        heads_file=head_hashes_file(target),
        read_only=read_only,
    )
    desk.archive.listen(lambda words: click.echo(words, err=True))
    try:
        recover(desk)
        yield desk
    finally:
        desk.close()


@contextmanager
def desk_for_reading(folder: Path | None) -> Iterator[Workspace]:
    """Open the archive to look at loggers; where there is none, none is made for that."""
    target = folder or default_folder()
    if is_archive(target):
        with open_desk(target, only_reads=True) as desk:
            yield desk
        return
    with TemporaryDirectory() as nowhere:
        desk = open_workspace(Path(nowhere), settings_file=settings_file(target))
        try:
            yield desk
        finally:
            desk.close()


def instant_ms(text: str, zone: str) -> int:
    """Return the instant of "2026-11-20", "2026-11-20T14:00" (site time) or with an offset.

    Raises:
        InputError: the text is no instant.
    """
    try:
        moment = datetime.fromisoformat(text)
    except ValueError as exc:
        raise InputError(
            f"“{text}” is not a date; type it like 2026-11-20 or with a time."
        ) from exc
    return to_ms(moment if moment.tzinfo else moment.replace(tzinfo=ZoneInfo(zone)))


def period_ms(
    since: str | None, until: str | None, zone: str, now_ms: int, days: int = 14
) -> tuple[int, int]:
    """Return the stretch of two options; without them the last days.

    Raises:
        InputError: it ends before it begins.
    """
    end = instant_ms(until, zone) if until else now_ms
    start = instant_ms(since, zone) if since else end - days * DAY_MS
    if start >= end:
        raise InputError("The period ends before it begins; swap --from and --until.")
    return start, end
