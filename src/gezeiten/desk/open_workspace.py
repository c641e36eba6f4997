"""A desk as everybody opens it: what rests on the record follows whatever is done at it."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import Any

from gezeiten.desk.base.fault_isolation import or_fault
from gezeiten.desk.base.workspace import Workspace


def open_workspace(folder: Path, **options: Any) -> Workspace:
    """Return a desk at the archive of a folder; options: as `Workspace` takes them."""
    desk = Workspace(folder, **options)
    desk.follow = partial(_follow, desk)
    return desk


def _follow(desk: Workspace, points: Sequence[str]) -> None:
    """Refresh what rests on records; whatever fails there, the actions are done, and whoever did
    them must not be told otherwise: what is not refreshed is found at the next start."""
    or_fault(partial(_refresh, desk, points))


def _refresh(desk: Workspace, points: Sequence[str]) -> None:
    # looking and launching need nothing of this
    from gezeiten.desk.record.excursion_book import refresh_affected
    from gezeiten.desk.sites.quantities import load_quantities

    load_quantities(desk)  # an action may have changed how one is averaged
    refresh_affected(desk, points)
