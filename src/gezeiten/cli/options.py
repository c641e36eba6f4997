"""What every command asks for and how it answers: the archive's folder, text or JSON, exit codes.

Kept light on purpose: a stand-in or `--help` must not wait for the database's library.
"""

from __future__ import annotations

import functools
import json
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import click

from gezeiten.errors import GezeitenError, bug

_FOLDER = click.Path(path_type=Path, file_okay=False)
_ARCHIVE_HELP = "Folder of the archive; default: the user's data folder."

read_only_option = click.option(
    "--read-only",
    "read_only",
    is_flag=True,
    help="Open read-only: nothing in the archive's folder is changed.",
)
main_archive_option = click.option(
    "--archive", "folder", type=_FOLDER, envvar="GEZEITEN_ARCHIVE", help=_ARCHIVE_HELP
)
"""Before the command: for whatever command follows."""


def _or_previous(context: click.Context, _option: click.Parameter, folder: Path | None) -> Any:
    return folder or context.find_root().obj


archive_option = click.option(
    "--archive", "folder", type=_FOLDER, callback=_or_previous, help=_ARCHIVE_HELP
)
"""Behind the command: means the same, and counts where both are given."""
json_option = click.option("--json", "as_json", is_flag=True, help="Print JSON.")


def reports_errors(command: Callable[..., None]) -> Callable[..., None]:
    """Turn our errors into one line on standard error and their exit code."""

    @functools.wraps(command)
    def wrapped(*args: Any, **options: Any) -> None:
        try:
            command(*args, **options)
        except GezeitenError as exc:
            click.echo(str(exc), err=True)
            sys.exit(exc.exit_code)
        except (click.exceptions.Exit, click.ClickException, click.Abort, BrokenPipeError):
            raise  # nobody reads on, as with `| head`: click ends it quietly
        except Exception as exc:  # noqa: BLE001 - nobody in the field can read a traceback
            ours = bug(exc)
            click.echo(str(ours), err=True)
            sys.exit(ours.exit_code)

    return wrapped


def print_result(as_json: bool, data: Any, lines: list[str]) -> None:
    """Print data as JSON, or lines for people."""
    if as_json:
        click.echo(json.dumps(data, ensure_ascii=False, indent=2))
    else:
        for line in lines:
            click.echo(line)
