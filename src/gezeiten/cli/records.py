"""Commands for what the archive holds: list, export, report, verify."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import click

from gezeiten.cli.common import open_desk, period_ms
from gezeiten.cli.options import (
    archive_option,
    json_option,
    look_option,
    print_result,
    reports_errors,
)
from gezeiten.desk.field.gaps import gaps
from gezeiten.desk.intake.raw_bytes import reread
from gezeiten.desk.office.issuing import HandoverResult, export_csv, export_pdf
from gezeiten.desk.office.verification import Verdict, WithLost
from gezeiten.desk.office.verification import rebuild as rebuild_archive
from gezeiten.desk.office.verification import verify as verify_archive
from gezeiten.desk.record.views.records import extent
from gezeiten.desk.sites.places import point_named, sites
from gezeiten.domain.base.wording import counted, readings_text
from gezeiten.domain.series.timeline import iso_utc
from gezeiten.errors import InputError


@click.command("list")
@archive_option
@json_option
@reports_errors
def list_points(folder: Path | None, as_json: bool) -> None:
    """List sites and points with what the archive holds of them."""
    rows, lines = [], []
    with open_desk(folder, only_reads=True) as desk:
        for site in sites(desk):
            lines.append(f"{site.name} ({site.kind})" if site.kind else site.name)
            for point in site.points:
                span = extent(desk, point.id, [c.channel for c in point.channels])
                open_count = sum(1 for gap in gaps(desk, point.id) if gap.state == "open")
                rows.append(
                    {
                        "site": site.name,
                        "point": point.name,
                        "logger": point.serial,
                        "channels": [c.channel for c in point.channels],
                        "from": iso_utc(span[0]) if span else None,
                        "until": iso_utc(span[1]) if span else None,
                        "open_gaps": open_count,
                    }
                )
                held = f"{iso_utc(span[0])} to {iso_utc(span[1])}" if span else "no readings"
                gaps_said = counted(open_count, "open gap", "open gaps")
                lines.append(f"  {point.name:18} {point.serial:8} {held}  {gaps_said}")
    print_result(as_json, rows, lines or ["The archive is empty."])


def _hand_over(
    folder: Path | None,
    as_json: bool,
    point: str,
    since: str | None,
    until: str | None,
    out: Path | None,
    replace: bool,
    kind: str,
) -> None:
    if out is not None and out.exists() and not replace:
        raise InputError(f"{out} is there already; give another name, or --replace.")
    with open_desk(folder, only_reads=True) as desk:
        place = point_named(desk, point)
        span = period_ms(since, until, place.zone, desk.now_ms())
        write = export_csv if kind == "csv" else export_pdf
        done: HandoverResult = write(desk, place, span, out)
    row = {"path": str(done.path), "sha256": done.sha256, "readings": done.readings}
    print_result(
        as_json, row, [f"{done.path}: {readings_text(done.readings)}, SHA-256 {done.sha256[:16]}…"]
    )


def _period_options(command: Callable[..., None]) -> Callable[..., None]:
    """Add what both documents ask for: archive, point, stretch, file."""
    options = (
        archive_option,
        json_option,
        click.argument("point"),
        click.option("--from", "since", help="Begin, like 2026-11-01 (site time)."),
        click.option("--until", help="End, exclusive; default: now."),
        click.option("--out", type=click.Path(path_type=Path), help="File to write."),
        click.option("--replace", is_flag=True, help="Write over a file that is there already."),
    )
    for option in reversed(options):
        command = option(command)
    return command


@click.command("export")
@_period_options
@reports_errors
def export_command(**options: Any) -> None:
    """Write the CSV of a point ("Site · Point", its name or its logger's serial)."""
    _hand_over(**options, kind="csv")


@click.command("report")
@_period_options
@reports_errors
def report_command(**options: Any) -> None:
    """Write the PDF report of a point."""
    _hand_over(**options, kind="pdf")


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
