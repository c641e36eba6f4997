"""Users of an archive; a name erased at its owner's request."""

from __future__ import annotations

from pathlib import Path

import click

from gezeiten.cli.common import open_desk
from gezeiten.cli.options import archive_option, json_option, print_result, reports_errors
from gezeiten.desk.sites.people import erase_name, names


@click.command("users")
@archive_option
@json_option
@click.option("--erase", help="A name to erase for good; its entries stay.")
@reports_errors
def people_command(folder: Path | None, as_json: bool, erase: str | None) -> None:
    """List the users of the archive, or erase a name at its owner's request."""
    with open_desk(folder, only_reads=not erase) as desk:
        if erase:
            erase_name(desk, erase)
        listed = names(desk)
    print_result(as_json, listed, listed)
