"""Check readings, as actions state them."""

from __future__ import annotations

from gezeiten.archive.projection.rows import Family
from gezeiten.archive.projection.statements import StatementTable
from gezeiten.archive.store.tables import CheckReadingRow
from gezeiten.domain.actions.check_readings import CheckRead, CheckWithdrawn

_CHECKS = StatementTable(CheckReadingRow.__table__, "check")

FAMILY = Family(_CHECKS.applying(CheckRead, CheckWithdrawn), {})
