"""Who acts in an archive; a name erased at the wish of who had it."""

from __future__ import annotations

from pathlib import Path

import click

from gezeiten.cli.common import open_desk
from gezeiten.cli.options import archive_option, json_option, print_result, reports_errors
from gezeiten.desk.sites.people import erase_name, names


@click.command("people")
@archive_option
@json_option
@click.option("--erase", help="A name that goes for good; what was done stays.")
@reports_errors
def people_command(folder: Path | None, as_json: bool, erase: str | None) -> None:
    """Show who acts in the archive, or erase a name at the wish of who had it."""
    with open_desk(folder, only_reads=not erase) as desk:
        if erase:
            erase_name(desk, erase)
        listed = names(desk)
    print_result(as_json, listed, listed)
