"""What happened to drives, couriers, copies of the vault and incoming files: told, in no table."""

from __future__ import annotations

from gezeiten.archive.projection.rows import Family, apply_nothing
from gezeiten.domain.actions.carriers import (
    CopyTakenIn,
    CourierClockSet,
    CourierMadeReady,
    CourierTold,
    DriveCleared,
    DriveReleased,
    PutAside,
    ReportNotKept,
    VaultGiven,
)

FAMILY = Family(
    dict.fromkeys(
        (
            CourierMadeReady,
            CourierClockSet,
            CourierTold,
            DriveCleared,
            DriveReleased,
            ReportNotKept,
            VaultGiven,
            CopyTakenIn,
            PutAside,
        ),
        apply_nothing,
    ),
    {},
)
