"""Steps in the chains of series: calibration, marks, readings out of place; remarks."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"


def upgrade() -> None:
    whole = sa.BigInteger()
    key = whole.with_variant(sa.Integer(), "sqlite")
    op.create_table(
        "correction",
        sa.Column("id", key, nullable=False),
        sa.Column("uid", sa.String(), server_default="", nullable=False),
        sa.Column("point_id", key, nullable=False),
        sa.Column("series", sa.String(), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("version", whole, nullable=False),
        sa.Column("start_ms", whole, nullable=False),
        sa.Column("end_ms", whole, nullable=True),
        sa.Column("parameters", sa.JSON(), nullable=False),
        sa.Column("is_on", sa.Boolean(), nullable=False),
        sa.Column("words", sa.String(), nullable=False),
        sa.Column("said_ms", whole, nullable=False),
        sa.Column("said_by", sa.String(), nullable=False),
        sa.Column("undone_ms", whole, nullable=True),
        sa.Column("undone_by", sa.String(), nullable=True),
        sa.ForeignKeyConstraint(["point_id"], ["point.id"]),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_correction_uid", "correction", ["uid"], unique=True)
    op.create_table(
        "remark",
        sa.Column("id", key, nullable=False),
        sa.Column("uid", sa.String(), server_default="", nullable=False),
        sa.Column("point_id", key, nullable=False),
        sa.Column("series", sa.String(), nullable=False),
        sa.Column("whole_site", sa.Boolean(), nullable=False),
        sa.Column("start_ms", whole, nullable=False),
        sa.Column("end_ms", whole, nullable=False),
        sa.Column("words", sa.String(), nullable=False),
        sa.Column("said_ms", whole, nullable=False),
        sa.Column("said_by", sa.String(), nullable=False),
        sa.Column("undone_ms", whole, nullable=True),
        sa.Column("undone_by", sa.String(), nullable=True),
        sa.ForeignKeyConstraint(["point_id"], ["point.id"]),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_remark_uid", "remark", ["uid"], unique=True)
