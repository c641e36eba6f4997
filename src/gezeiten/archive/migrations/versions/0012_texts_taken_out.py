"""Texts that were taken out of the record again."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"


def upgrade() -> None:
    whole = sa.BigInteger()
    op.add_column("offload", sa.Column("taken_out_ms", whole, nullable=True))
    op.add_column("offload", sa.Column("taken_out_by", sa.String(), nullable=True))
