"""What puts a clock right can be switched off, and on again."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"


def upgrade() -> None:
    op.add_column(
        "clock", sa.Column("is_off", sa.Boolean(), nullable=False, server_default=sa.false())
    )
