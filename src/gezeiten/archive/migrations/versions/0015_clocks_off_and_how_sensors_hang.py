"""What puts a clock right can be switched off, and on again; how sensors hang at points."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"


def upgrade() -> None:
    op.add_column(
        "clock", sa.Column("is_off", sa.Boolean(), nullable=False, server_default=sa.false())
    )
    whole = sa.BigInteger()
    key = whole.with_variant(sa.Integer(), "sqlite")
    op.create_table(
        "hanging",
        sa.Column("id", key, nullable=False),
        sa.Column("uid", sa.String(), server_default="", nullable=False),
        sa.Column("point_id", key, nullable=False),
        sa.Column("since_ms", whole, nullable=False),
        sa.Column("rim_m", sa.Double(), nullable=False),
        sa.Column("length_m", sa.Double(), nullable=False),
        sa.Column("words", sa.String(), nullable=False),
        sa.Column("said_ms", whole, nullable=False),
        sa.Column("said_by", sa.String(), nullable=False),
        sa.Column("undone_ms", whole, nullable=True),
        sa.Column("undone_by", sa.String(), nullable=True),
        sa.ForeignKeyConstraint(["point_id"], ["point.id"]),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_hanging_uid", "hanging", ["uid"], unique=True)
