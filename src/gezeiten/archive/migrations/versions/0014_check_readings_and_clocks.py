"""Values read by hand, how often that is a duty, and clocks of missions that were put right."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"


def upgrade() -> None:
    whole = sa.BigInteger()
    key = whole.with_variant(sa.Integer(), "sqlite")
    op.add_column("point", sa.Column("checks_a_day", whole, nullable=True))
    op.add_column(
        "point",
        sa.Column("checks_working_days", sa.Boolean(), nullable=False, server_default=sa.false()),
    )
    op.create_table(
        "check_reading",
        sa.Column("id", key, nullable=False),
        sa.Column("uid", sa.String(), server_default="", nullable=False),
        sa.Column("point_id", key, nullable=False),
        sa.Column("series", sa.String(), nullable=False),
        sa.Column("at_ms", whole, nullable=False),
        sa.Column("value", sa.Double(), nullable=True),
        sa.Column("u", sa.Double(), nullable=False),
        sa.Column("low", sa.Double(), nullable=True),
        sa.Column("high", sa.Double(), nullable=True),
        sa.Column("dip_m", sa.Double(), nullable=True),
        sa.Column("rim_m", sa.Double(), nullable=True),
        sa.Column("by", sa.String(), nullable=False),
        sa.Column("words", sa.String(), nullable=False),
        sa.Column("said_ms", whole, nullable=False),
        sa.Column("said_by", sa.String(), nullable=False),
        sa.Column("undone_ms", whole, nullable=True),
        sa.Column("undone_by", sa.String(), nullable=True),
        sa.ForeignKeyConstraint(["point_id"], ["point.id"]),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_check_reading_uid", "check_reading", ["uid"], unique=True)
    op.create_table(
        "clock",
        sa.Column("id", key, nullable=False),
        sa.Column("uid", sa.String(), server_default="", nullable=False),
        sa.Column("mission_id", key, nullable=False),
        sa.Column("way", sa.String(), nullable=False),
        sa.Column("pairs", sa.JSON(), nullable=False),
        sa.Column("u_ms", whole, nullable=False),
        sa.Column("words", sa.String(), nullable=False),
        sa.Column("said_ms", whole, nullable=False),
        sa.Column("said_by", sa.String(), nullable=False),
        sa.Column("undone_ms", whole, nullable=True),
        sa.Column("undone_by", sa.String(), nullable=True),
        sa.ForeignKeyConstraint(["mission_id"], ["mission.id"]),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_clock_uid", "clock", ["uid"], unique=True)
