"""Series that are calculated from others."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"


def upgrade() -> None:
    whole = sa.BigInteger()
    key = whole.with_variant(sa.Integer(), "sqlite")
    op.create_table(
        "derived",
        sa.Column("id", key, nullable=False),
        sa.Column("uid", sa.String(), server_default="", nullable=False),
        sa.Column("point_id", key, nullable=False),
        sa.Column("series", sa.String(), nullable=False),
        sa.Column("formula", sa.String(), nullable=False),
        sa.Column("version", whole, nullable=False),
        sa.Column("parameters", sa.JSON(), nullable=False),
        sa.Column("words", sa.String(), nullable=False),
        sa.Column("said_ms", whole, nullable=False),
        sa.Column("said_by", sa.String(), nullable=False),
        sa.Column("undone_ms", whole, nullable=True),
        sa.Column("undone_by", sa.String(), nullable=True),
        sa.ForeignKeyConstraint(["point_id"], ["point.id"]),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_table(
        "derived_input",
        sa.Column("id", key, nullable=False),
        sa.Column("derived_id", key, nullable=False),
        sa.Column("position", whole, nullable=False),
        sa.Column("point_id", key, nullable=False),
        sa.Column("series", sa.String(), nullable=False),
        sa.ForeignKeyConstraint(["derived_id"], ["derived.id"]),
        sa.ForeignKeyConstraint(["point_id"], ["point.id"]),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_derived_uid", "derived", ["uid"], unique=True)
    op.create_index("ix_derived_input_point_id", "derived_input", ["point_id"])
