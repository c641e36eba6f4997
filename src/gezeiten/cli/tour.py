"""A walk through all places on the demo data, for where there is no screen; leaves pictures.

The same walk makes the pictures of the docs.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path

from gezeiten.cli.demo import Demo
from gezeiten.desk.office.issuing import export_csv, export_pdf
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.sites.places import point_named
from gezeiten.domain.base.wording import readings_text
from gezeiten.domain.series.timeline import DAY_MS


def tour_demo(demo: Demo, say: Callable[[str], None]) -> Path:
    """Show every place, take its picture, write a CSV and a PDF; returns their folder."""
    out = demo.folder / "tour"
    out.mkdir(exist_ok=True)
    if not os.environ.get("DISPLAY"):
        say("No display: the tour runs in a virtual screen.")
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from gezeiten.ui.shell.tour import take_pictures

    for picture in take_pictures(demo.folder / "archive", out):
        say(f"  {picture.name}")
    desk = open_workspace(demo.folder / "archive")
    try:
        point = point_named(desk, "Cold room A")
        span = (desk.now_ms() - 14 * DAY_MS, desk.now_ms())
        for done in (
            export_csv(desk, point, span, out / "cold-room-a.csv"),
            export_pdf(desk, point, span, out / "cold-room-a.pdf"),
        ):
            say(f"  {done.path.name}, {readings_text(done.readings)}")
    finally:
        desk.close()
    say(f"Pictures, CSV and PDF are in {out}")
    return out
