"""Overviews: missions looked at by every n-th reading or by means, beside the readings kept."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"

_KEY = sa.BigInteger().with_variant(sa.Integer(), "sqlite")


def upgrade() -> None:
    op.create_table(
        "overview",
        sa.Column("id", _KEY, nullable=False),
        sa.Column("mission_id", _KEY, nullable=False),
        sa.Column("at_ms", sa.BigInteger(), nullable=False),
        sa.Column("person", sa.String(), nullable=False),
        sa.Column("route", sa.String(), nullable=False),
        sa.Column("sha256", sa.String(), nullable=False),
        sa.Column("size", sa.BigInteger(), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("every", sa.BigInteger(), nullable=False),
        sa.Column("came", sa.JSON(), nullable=False),
        sa.ForeignKeyConstraint(["mission_id"], ["mission.id"]),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(op.f("ix_overview_mission_id"), "overview", ["mission_id"])
