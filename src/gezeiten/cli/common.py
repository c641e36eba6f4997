"""What all commands share: the archive option, output as text or JSON, errors as exit codes."""

from __future__ import annotations

import functools
import json
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import click
from platformdirs import user_config_path, user_data_path

from gezeiten.desk.context import Desk
from gezeiten.desk.excursion_book import refresh_stale
from gezeiten.desk.recovery import recover
from gezeiten.domain.timeline import DAY_MS, to_ms
from gezeiten.errors import GezeitenError, InputError

archive_option = click.option(
    "--archive",
    "folder",
    type=click.Path(path_type=Path, file_okay=False),
    envvar="GEZEITEN_ARCHIVE",
    help="Folder of the archive; default: the user's data folder.",
)
json_option = click.option("--json", "as_json", is_flag=True, help="Print JSON.")


def default_folder() -> Path:
    """Return where the archive lies when nothing else is said."""
    return user_data_path("gezeiten") / "archive"


def settings_file(folder: Path) -> Path:
    """Return where the settings for an archive lie: with the user, unless the archive has its own
    (as the demonstration does)."""
    own = folder / "settings.json"
    return own if own.exists() else user_config_path("gezeiten") / "settings.json"


@contextmanager
def open_desk(folder: Path | None) -> Iterator[Desk]:
    """Open the archive, take in what a killed offload left, close it in the end."""
    target = folder or default_folder()
    target.mkdir(parents=True, exist_ok=True)
    desk = Desk(target, settings_file=settings_file(target))
    try:
        recover(desk)
        refresh_stale(desk)
        yield desk
    finally:
        desk.close()


def reports_errors(command: Callable[..., None]) -> Callable[..., None]:
    """Turn our errors into one line on standard error and their exit code."""

    @functools.wraps(command)
    def wrapped(*args: Any, **options: Any) -> None:
        try:
            command(*args, **options)
        except GezeitenError as exc:
            click.echo(str(exc), err=True)
            sys.exit(exc.exit_code)

    return wrapped


def put(as_json: bool, data: Any, lines: list[str]) -> None:
    """Print data as JSON, or lines for people."""
    if as_json:
        click.echo(json.dumps(data, ensure_ascii=False, indent=2))
    else:
        for line in lines:
            click.echo(line)


def instant_ms(text: str, zone: str) -> int:
    """Return the instant of "2026-11-20", "2026-11-20T14:00" (site time) or with an offset.

    Raises:
        InputError: the text is no instant.
    """
    try:
        moment = datetime.fromisoformat(text)
    except ValueError as exc:
        raise InputError(f"“{text}” is no date; write it like 2026-11-20 or with a time.") from exc
    return to_ms(moment if moment.tzinfo else moment.replace(tzinfo=ZoneInfo(zone)))


def stretch_ms(
    since: str | None, until: str | None, zone: str, now_ms: int, days: int = 14
) -> tuple[int, int]:
    """Return the stretch of two options; without them the last days.

    Raises:
        InputError: it ends before it begins.
    """
    end = instant_ms(until, zone) if until else now_ms
    start = instant_ms(since, zone) if since else end - days * DAY_MS
    if start >= end:
        raise InputError("The stretch ends before it begins; exchange --from and --until.")
    return start, end
