"""Commands for what is handed over: export, report."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import click

from gezeiten.cli.common import open_desk, period_ms
from gezeiten.cli.options import archive_option, json_option, print_result, reports_errors
from gezeiten.desk.office.issuing import HandoverResult, export_csv, export_pdf
from gezeiten.desk.sites.places import point_named
from gezeiten.domain.base.wording import readings_text
from gezeiten.errors import InputError


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
        raise InputError(f"{out} already exists; give another name, or --replace.")
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
        click.option("--from", "since", help="Start, like 2026-11-01 (site time)."),
        click.option("--until", help="End, exclusive; default: now."),
        click.option("--out", type=click.Path(path_type=Path), help="File to write."),
        click.option("--replace", is_flag=True, help="Overwrite an existing file."),
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
