"""The command that checks an archive and puts it right: verify."""

from __future__ import annotations

from pathlib import Path

import click

from gezeiten.cli.common import open_desk
from gezeiten.cli.options import (
    archive_option,
    json_option,
    look_option,
    print_result,
    reports_errors,
)
from gezeiten.desk.intake.raw_bytes import reread
from gezeiten.desk.office.verification import Verdict, WithLost
from gezeiten.desk.office.verification import rebuild as rebuild_archive
from gezeiten.desk.office.verification import verify as verify_archive
from gezeiten.domain.base.wording import counted
from gezeiten.errors import InputError


@click.command()
@archive_option
@json_option
@look_option
@click.option(
    "--rebuild", is_flag=True, help="First put right what is made from acts and found in readings."
)
@click.option(
    "--restore-lost",
    "with_lost",
    flag_value="restore",
    help="With --rebuild: write entries again that the logbook has lost, as the tables have them.",
)
@click.option(
    "--drop-lost",
    "with_lost",
    flag_value="drop",
    help="With --rebuild: let entries go that the logbook has lost.",
)
@click.option(
    "--read-anew",
    metavar="DIGITS",
    help="First take what the newest reader reads in the bytes of this fingerprint.",
)
@click.option(
    "--quick",
    is_flag=True,
    help="Leave out bytes that were read and right since the last whole check began.",
)
@click.option("--anew", is_flag=True, help="Do not go on with a check that was stopped.")
@click.pass_context
@reports_errors
def verify(
    context: click.Context,
    folder: Path | None,
    as_json: bool,
    look: bool,
    rebuild: bool,
    with_lost: WithLost | None,
    read_anew: str | None,
    quick: bool,
    anew: bool,
) -> None:
    """Check vault, readings, acts, excursions and logbook; exit code 6 when something is not as
    it was."""
    changes = rebuild or read_anew is not None
    if with_lost and not rebuild:
        raise InputError("--restore-lost and --drop-lost go with --rebuild alone.")
    if look and changes:
        raise InputError(
            "Rebuilding and reading anew change the archive; leave them out, or --look."
        )
    with open_desk(folder, only_reads=not changes, look=look) as desk:
        if read_anew is not None:
            print_result(as_json, {"read_anew": read_anew}, [reread(desk, read_anew)])
        if rebuild:
            rebuild_archive(desk, with_lost=with_lost or "")
        verdict = verify_archive(desk, quick=quick, restart=anew)
    row = {
        "offloads": verdict.offloads,
        "values": verdict.values,
        "logbook_entries": verdict.entries,
        "faults": verdict.faults,
        "left_out": verdict.skipped,
    }
    lines = [
        f"{counted(verdict.offloads, 'raw offload', 'raw offloads')}, "
        f"{counted(verdict.values, 'value', 'values')} and "
        f"{counted(verdict.entries, 'logbook entry', 'logbook entries')} checked.",
        *_not_verified(verdict),
        *verdict.faults,
        "Everything is as it was kept."
        if verdict.is_intact
        else "Something is not as it was kept.",
    ]
    print_result(as_json, row, lines)
    if not verdict.is_intact:
        context.exit(6)


def _not_verified(verdict: Verdict) -> list[str]:
    """What was not read again, in a sentence; nothing where everything was."""
    if not verdict.skipped:
        return []
    files = counted(verdict.skipped, "file was", "files were")
    why = "the check that was stopped went on" if verdict.resumed else "this was a quick check"
    return [f"{files} read before and left out: {why}."]
