"""What a program that was killed left in the incoming folder: taken in when an archive opens."""

from __future__ import annotations

import time
from dataclasses import dataclass
from functools import partial

from gezeiten.archive.files.unfinished_files import delete_stale
from gezeiten.archive.queries.people import finish_erasing
from gezeiten.archive.store.faults import translated
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.intake.block_repair import heal
from gezeiten.desk.intake.overviews import recover_overviews
from gezeiten.desk.intake.raw_bytes import make_missing_readings
from gezeiten.desk.logger.offloading import recover_incoming


@dataclass(frozen=True, slots=True)
class RecoveryResult:
    """taken: unfinished offloads, overviews and recordings that were taken in; rebuilt: missions
    whose readings were made from their bytes."""

    imported: int = 0
    rebuilt: int = 0


def recover(desk: Workspace) -> RecoveryResult:
    """Take in unfinished offloads, overviews and recordings; make readings that are missing here.

    What another program is writing just now is left alone. So is what intakes and exports that were
    killed began, for an hour; then it goes.
    """
    desk.heal = partial(heal, desk)
    desk.archive.on_caught_up = partial(make_missing_readings, desk)
    made = make_missing_readings(desk)
    if desk.archive.is_looked_at:
        return RecoveryResult(0, made)
    with translated(desk.archive.folder):
        for vault in (
            desk.archive.vault,
            desk.archive.overviews,
            desk.archive.certificates,
            desk.archive.reports,
        ):
            vault.delete_stale(time.time())  # the clock by which files are dated
    delete_stale(desk.archive.handovers, time.time())
    finish_erasing(desk.archive, desk.now_ms())
    if not any(desk.archive.incoming.iterdir()):
        return RecoveryResult(0, made)
    # brings polars along, which the window need not load to start
    from gezeiten.desk.intake.carriers.vault_copy import clear_copies
    from gezeiten.desk.intake.live import recover_journals

    clear_copies(desk)
    imported = len(recover_incoming(desk)) + recover_overviews(desk) + recover_journals(desk)
    return RecoveryResult(imported, made)
