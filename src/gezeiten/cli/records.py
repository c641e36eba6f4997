"""The command for what the archive holds: list."""

from __future__ import annotations

from pathlib import Path

import click

from gezeiten.cli.common import open_desk
from gezeiten.cli.options import archive_option, json_option, print_result, reports_errors
from gezeiten.desk.field.gaps import gaps
from gezeiten.desk.record.views.records import extent
from gezeiten.desk.sites.places import sites
from gezeiten.domain.base.wording import counted
from gezeiten.domain.series.timeline import iso_utc


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
