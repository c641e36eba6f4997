"""What happened to drives, couriers, copies of the vault and incoming files: told, in no table."""

from __future__ import annotations

from gezeiten.archive.projection.rows import Family, apply_nothing
from gezeiten.domain.actions.carriers import (
    CourierCleared,
    CourierClockSet,
    CourierConfigured,
    DriveCleared,
    DriveReleased,
    FileQuarantined,
    ReportNotKept,
    VaultCopyExported,
    VaultCopyImported,
)

FAMILY = Family(
    dict.fromkeys(
        (
            CourierCleared,
            CourierClockSet,
            CourierConfigured,
            DriveCleared,
            DriveReleased,
            ReportNotKept,
            VaultCopyExported,
            VaultCopyImported,
            FileQuarantined,
        ),
        apply_nothing,
    ),
    {},
)
