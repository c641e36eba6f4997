"""The command that verifies an archive and rebuilds its tables: verify."""

from __future__ import annotations

from pathlib import Path

import click

from gezeiten.cli.common import open_desk
from gezeiten.cli.options import (
    archive_option,
    json_option,
    print_result,
    read_only_option,
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
@read_only_option
@click.option("--rebuild", is_flag=True, help="First rebuild the tables, blocks and excursions.")
@click.option(
    "--restore-lost",
    "with_lost",
    flag_value="restore",
    help="With --rebuild: restore entries missing from the logbook, as the tables have them.",
)
@click.option(
    "--drop-lost",
    "with_lost",
    flag_value="drop",
    help="With --rebuild: drop entries missing from the logbook.",
)
@click.option(
    "--read-again",
    metavar="DIGITS",
    help="First read the file of this fingerprint again with the latest reader.",
)
@click.option(
    "--quick",
    is_flag=True,
    help="Skip files found right since the last complete verification began.",
)
@click.option("--from-start", is_flag=True, help="Do not resume a cancelled verification.")
@click.pass_context
@reports_errors
def verify(
    context: click.Context,
    folder: Path | None,
    as_json: bool,
    read_only: bool,
    rebuild: bool,
    with_lost: WithLost | None,
    read_again: str | None,
    quick: bool,
    from_start: bool,
) -> None:
    """Verify vault, readings, tables, excursions and logbook; exit code 6 when something is not
    as it was saved."""
    changes = rebuild or read_again is not None
    if with_lost and not rebuild:
        raise InputError("--restore-lost and --drop-lost need --rebuild.")
    if read_only and changes:
        raise InputError(
            "--rebuild and --read-again change the archive; they cannot be used with --read-only."
        )
    with open_desk(folder, only_reads=not changes, read_only=read_only) as desk:
        if read_again is not None:
            print_result(as_json, {"read_anew": read_again}, [reread(desk, read_again)])
        if rebuild:
            rebuild_archive(desk, with_lost=with_lost or "")
        verdict = verify_archive(desk, quick=quick, restart=from_start)
    row = {
        "offloads": verdict.offloads,
        "values": verdict.values,
        "logbook_entries": verdict.entries,
        "faults": verdict.faults,
        "left_out": verdict.skipped,
    }
    offloads = counted(verdict.offloads, "raw offload", "raw offloads")
    entries = counted(verdict.entries, "logbook entry", "logbook entries")
    lines = [
        f"{offloads}, {counted(verdict.values, 'value', 'values')} and {entries} verified.",
        *_not_verified(verdict),
        *verdict.faults,
        "Everything is as it was saved."
        if verdict.is_intact
        else "Something is not as it was saved.",
    ]
    print_result(as_json, row, lines)
    if not verdict.is_intact:
        context.exit(6)


def _not_verified(verdict: Verdict) -> list[str]:
    """What was not read again, in a sentence; nothing where everything was."""
    if not verdict.skipped:
        return []
    files = counted(verdict.skipped, "file was", "files were")
    why = (
        "a cancelled verification was resumed"
        if verdict.resumed
        else "this was a quick verification"
    )
    return [f"{files} verified before and skipped: {why}."]
