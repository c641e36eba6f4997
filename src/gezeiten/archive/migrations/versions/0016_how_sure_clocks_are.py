"""How sure the instants of a clock that was put right are at each contact, and beyond the last."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0016"
down_revision = "0015"


def upgrade() -> None:
    op.add_column("clock", sa.Column("us_ms", sa.JSON(none_as_null=True), nullable=True))
    op.add_column("clock", sa.Column("rate_beyond", sa.Double(), nullable=True))
    op.add_column("clock", sa.Column("drift_ppm", sa.Double(), nullable=True))
