"""The logbook on the command line: search, export, compare with a hash."""

from __future__ import annotations

from dataclasses import asdict, replace
from pathlib import Path

import click

from gezeiten.cli.common import instant_ms, open_desk
from gezeiten.cli.options import archive_option, json_option, print_result, reports_errors
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.office.logbook import (
    AboutFilter,
    EntryFilter,
    about_conflicts,
    about_logger,
    about_point,
    about_site,
    compare_hashes,
    matching_entries,
    text_of_document,
    write_json_lines,
    write_pdf,
)
from gezeiten.desk.office.logger_history import loggers
from gezeiten.desk.sites.places import point_named, sites
from gezeiten.domain.base.wording import counted
from gezeiten.domain.series.timeline import iso_utc


@click.command("logbook")
@archive_option
@json_option
@click.argument("words", nargs=-1)
@click.option("--about", help="A site, a point or a logger's serial.")
@click.option("--user", default="", help="Entries of this user.")
@click.option("--kind", default="", help="Entries of this kind, like “launch”.")
@click.option("--from", "since", help="Start, like 2026-11-01 (UTC).")
@click.option("--until", help="End, exclusive.")
@click.option("--out", type=click.Path(path_type=Path), help="Export them: .jsonl or .pdf.")
@click.option("--conflicts", is_flag=True, help="Only conflicts with another computer's actions.")
@click.option("--compare", help="A logbook hash, or a document that has one.")
@reports_errors
def logbook_command(
    folder: Path | None,
    as_json: bool,
    words: tuple[str, ...],
    about: str | None,
    user: str,
    kind: str,
    since: str | None,
    until: str | None,
    out: Path | None,
    conflicts: bool,
    compare: str | None,
) -> None:
    """Show logbook entries that contain all words, latest first."""
    with open_desk(folder, only_reads=True) as desk:
        if compare:
            held = Path(compare)
            text = text_of_document(held) if held.exists() else compare
            sentence = compare_hashes(desk, text)
            print_result(as_json, {"said": sentence}, [sentence])
            return
        what = about_conflicts(desk) if conflicts else _named(desk, about) if about else None
        wanted = EntryFilter(" ".join(words), what, user, kind)
        if since:
            wanted = replace(wanted, since_ms=instant_ms(since, "UTC"))
        if until:
            wanted = replace(wanted, until_ms=instant_ms(until, "UTC"))
        entries = matching_entries(desk, wanted)
        if out is None:
            rows = [asdict(entry) for entry in entries]
            lines = [
                f"{one.seq:>6}  {iso_utc(one.at_ms)}  {one.person:<4} {one.subject}: {one.sentence}"
                for one in entries
            ]
            print_result(as_json, rows, lines)
            return
        if out.suffix.casefold() == ".pdf":
            write_pdf(desk, entries, "Logbook", "UTC", out)
        else:
            write_json_lines(entries, out)
    words_ = f"{counted(len(entries), 'entry', 'entries')} written to {out}."
    print_result(as_json, {"entries": len(entries), "file": str(out)}, [words_])


def _named(desk: Workspace, name: str) -> AboutFilter:
    """Return the site, logger or point of a name.

    Raises:
        InputError: there is none.
    """
    folded = name.strip().casefold()
    for site in sites(desk):
        if site.name.casefold() == folded:
            return about_site(desk, site.id)
    for serial, _, _ in loggers(desk):
        if serial.casefold() == folded:
            return about_logger(serial)
    return about_point(desk, point_named(desk, name).id)
