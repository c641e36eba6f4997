"""Couriers, drives and text files: how a record came, own instants, reports, kept ties."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"

_KEY = sa.BigInteger().with_variant(sa.Integer(), "sqlite")


def upgrade() -> None:
    op.create_table(
        "logger_report",
        sa.Column("id", _KEY, nullable=False),
        sa.Column("logger_id", _KEY, nullable=False),
        sa.Column("mission_number", sa.BigInteger(), nullable=True),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("sha256", sa.String(), nullable=False),
        sa.Column("size", sa.BigInteger(), nullable=False),
        sa.Column("at_ms", sa.BigInteger(), nullable=False),
        sa.Column("person", sa.String(), nullable=False),
        sa.ForeignKeyConstraint(["logger_id"], ["logger.id"]),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("logger_id", "sha256"),
    )
    op.create_index(op.f("ix_logger_report_logger_id"), "logger_report", ["logger_id"])
    op.create_table(
        "kept_tie",
        sa.Column("id", _KEY, nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("tie", sa.JSON(), nullable=False),
        sa.Column("changed_ms", sa.BigInteger(), nullable=False),
        sa.Column("changed_by", sa.String(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("name"),
    )
    with op.batch_alter_table("offload", schema=None) as batch_op:
        batch_op.add_column(sa.Column("carried", sa.JSON(), nullable=True))
        batch_op.add_column(sa.Column("reading", sa.JSON(), nullable=True))
    with op.batch_alter_table("block", schema=None) as batch_op:
        batch_op.add_column(sa.Column("times", sa.LargeBinary(), nullable=True))
        batch_op.add_column(sa.Column("end_ms", sa.BigInteger(), nullable=True))
