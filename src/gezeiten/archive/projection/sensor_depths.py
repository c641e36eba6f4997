"""How deep sensors hang, as actions state it."""

from __future__ import annotations

from gezeiten.archive.projection.rows import Family
from gezeiten.archive.projection.statements import StatementTable
from gezeiten.archive.store.tables import SensorDepthRow
from gezeiten.domain.actions.sensor_depths import SensorDepthSet, SensorDepthWithdrawn

_DEPTHS = StatementTable(SensorDepthRow.__table__, "hanging")

FAMILY = Family(_DEPTHS.applying(SensorDepthSet, SensorDepthWithdrawn), {})
