"""`gezeiten watch`: following online loggers without a window."""

from __future__ import annotations

import json
import signal
import threading
from dataclasses import asdict
from pathlib import Path

import click

from gezeiten.cli.common import open_desk
from gezeiten.cli.options import archive_option, json_option, reports_errors
from gezeiten.desk.intake.follower import Follower, FollowingNews, PollingPace, followed_addresses
from gezeiten.domain.series.timeline import iso_utc
from gezeiten.errors import InputError


@click.command("watch")
@archive_option
@json_option
@click.option("--at", multiple=True, help="host:port or host:first-last; default: the settings.")
@click.option(
    "--search-every", default=10.0, show_default=True, help="Seconds between two searches."
)
@click.option(
    "--offload-every",
    type=float,
    help="Seconds between two offloads; default: the settings.",
)
@click.option("--for", "for_s", type=float, help="Exit after this many seconds; default: never.")
@reports_errors
def watch_command(
    folder: Path | None,
    as_json: bool,
    at: tuple[str, ...],
    search_every: float,
    offload_every: float | None,
    for_s: float | None,
) -> None:
    """Follow loggers that stay online until interrupted; prints a line for each thing that happens.

    A logger that does not answer, or a full disk, is reported and tried again.
    """
    ended = threading.Event()
    for kind in (signal.SIGINT, signal.SIGTERM):
        signal.signal(kind, lambda *_: ended.set())
    if for_s is not None:
        timer = threading.Timer(for_s, ended.set)
        timer.daemon = True
        timer.start()

    def print_news(news: FollowingNews) -> None:
        line = json.dumps(asdict(news)) if as_json else f"{iso_utc(news.at_ms)}  {news.sentence}"
        click.echo(line)

    with open_desk(folder) as desk:
        desk.archive.chain.way = "watch"
        addresses = followed_addresses(desk, ", ".join(at) if at else None)
        if not addresses:
            raise InputError("No logger to follow; give addresses in the settings or with --at.")
        fetch_s = desk.settings.follow_minutes * 60.0 if offload_every is None else offload_every
        pace = PollingPace(poll_s=search_every, fetch_s=fetch_s)
        follower = Follower(desk, addresses, print_news, pace, cancelled=ended.is_set)
        follower.run(ended.wait)
