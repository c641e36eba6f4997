"""`gezeiten demo`: the demonstration with its window, or its tour where there is no screen."""

from __future__ import annotations

import os
from pathlib import Path

import click

from gezeiten.cli.demo import open_demo
from gezeiten.cli.options import reports_errors


@click.command("demo")
@click.option("--folder", type=click.Path(path_type=Path), default=Path("demo"), show_default=True)
@click.option(
    "--build-only", is_flag=True, help="Build the archive and the loggers' state, then exit."
)
@click.option("--tour", is_flag=True, help="Walk through all places and save pictures.")
@click.pass_context
@reports_errors
def demo_command(context: click.Context, folder: Path, build_only: bool, tour: bool) -> None:
    """Thirteen stand-in loggers, seventy days of history, and the window on them."""
    demo = open_demo(folder.absolute(), click.echo)
    try:
        if build_only:
            return
        if tour or not has_screen():
            from gezeiten.cli.tour import tour_demo

            tour_demo(demo, click.echo)
            return
        from gezeiten.cli.window import open_window

        context.exit(open_window(demo.folder / "archive"))
    finally:
        demo.close()


def has_screen() -> bool:
    """Whether a window can be shown to somebody."""
    return bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))
