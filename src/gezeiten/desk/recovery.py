"""What a program that was killed left in the incoming folder: taken in when an archive opens."""

from __future__ import annotations

import time
from functools import partial

from gezeiten.archive.faults import translated
from gezeiten.archive.people import finish_erasing
from gezeiten.desk.context import Desk
from gezeiten.desk.offloading import recover_incoming
from gezeiten.desk.overviews import recover_overviews
from gezeiten.desk.raw_bytes import make_missing_readings


def recover(desk: Desk) -> int:
    """Take in unfinished offloads, overviews and recordings; returns how many there were.

    What another program is writing just now is left alone. So is what intakes that were killed
    began in the vault, for an hour; then it goes.
    """
    desk.archive.on_caught_up = partial(make_missing_readings, desk)
    make_missing_readings(desk)
    if desk.archive.is_looked_at:
        return 0
    with translated(desk.archive.folder):
        for vault in (desk.archive.vault, desk.archive.overviews, desk.archive.certificates,
                      desk.archive.reports):  # fmt: skip
            vault.clear_begun(time.time())  # the clock by which files are dated
    finish_erasing(desk.archive, desk.now_ms())
    if not any(desk.archive.incoming.iterdir()):
        return 0
    # brings polars along, which the window need not load to start
    from gezeiten.desk.live import recover_journals
    from gezeiten.desk.vault_copy import clear_copies

    clear_copies(desk)
    return len(recover_incoming(desk)) + recover_overviews(desk) + recover_journals(desk)
