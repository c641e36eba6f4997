"""What people said of where sources were, of which series they feed, of limits;
quantities that users added."""

from __future__ import annotations

from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"


def upgrade() -> None:
    whole = sa.BigInteger()
    key = whole.with_variant(sa.Integer(), "sqlite")

    def said(
        *columns: sa.Column[Any], point_optional: bool
    ) -> list[sa.Column[Any] | sa.Constraint]:
        return [
            sa.Column("id", key, nullable=False),
            sa.Column("uid", sa.String(), server_default="", nullable=False),
            sa.Column("logger_id", key, nullable=False),
            sa.Column("point_id", key, nullable=point_optional),
            sa.Column("start_ms", whole, nullable=False),
            sa.Column("end_ms", whole, nullable=True),
            *columns,
            sa.Column("said_ms", whole, nullable=False),
            sa.Column("said_by", sa.String(), nullable=False),
            sa.Column("undone_ms", whole, nullable=True),
            sa.Column("undone_by", sa.String(), nullable=True),
            sa.ForeignKeyConstraint(["logger_id"], ["logger.id"]),
            sa.ForeignKeyConstraint(["point_id"], ["point.id"]),
            sa.PrimaryKeyConstraint("id"),
        ]

    words = sa.Column("words", sa.String(), nullable=False)
    op.create_table("placing", *said(words, point_optional=True))
    channel = sa.Column("channel", sa.String(), nullable=False)
    label = sa.Column("label", sa.String(), nullable=False)
    op.create_table("feeding", *said(channel, label, point_optional=False))
    op.create_table(
        "series_limit",
        sa.Column("id", key, nullable=False),
        sa.Column("uid", sa.String(), server_default="", nullable=False),
        sa.Column("point_id", key, nullable=False),
        sa.Column("series", sa.String(), nullable=False),
        sa.Column("rule", sa.JSON(), nullable=False),
        sa.Column("start_ms", whole, nullable=False),
        sa.Column("end_ms", whole, nullable=True),
        sa.Column("words", sa.String(), nullable=False),
        sa.Column("said_ms", whole, nullable=False),
        sa.Column("said_by", sa.String(), nullable=False),
        sa.Column("undone_ms", whole, nullable=True),
        sa.Column("undone_by", sa.String(), nullable=True),
        sa.ForeignKeyConstraint(["point_id"], ["point.id"]),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_table(
        "own_quantity",
        sa.Column("id", key, nullable=False),
        sa.Column("uid", sa.String(), server_default="", nullable=False),
        sa.Column("key", sa.String(), nullable=False),
        sa.Column("facts", sa.JSON(), nullable=False),
        sa.Column("changed_ms", whole, nullable=False),
        sa.Column("changed_by", sa.String(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    for table in ("placing", "feeding", "series_limit", "own_quantity"):
        op.create_index(f"ix_{table}_uid", table, ["uid"], unique=True)
