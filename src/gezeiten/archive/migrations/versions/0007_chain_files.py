"""Entries of the logbook lie in chain files; the table knows where in which, and how far each was
applied. Names of people stand in a table of their own."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"


def upgrade() -> None:
    whole = sa.BigInteger()
    key = whole.with_variant(sa.Integer(), "sqlite")
    with op.batch_alter_table("logbook", schema=None) as batch_op:
        batch_op.add_column(sa.Column("chain", sa.String(), nullable=False, server_default=""))
        batch_op.add_column(sa.Column("number", whole, nullable=False, server_default="0"))
        batch_op.add_column(sa.Column("stamp", whole, nullable=False, server_default="0"))
    op.create_table(
        "chain",
        sa.Column("id", key, nullable=False),
        sa.Column("uid", sa.String(), nullable=False, server_default=""),
        sa.Column("number", whole, nullable=False),
        sa.Column("head", sa.String(), nullable=False),
        sa.Column("stamp", whole, nullable=False),
        sa.Column("bytes", whole, nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_chain_uid", "chain", ["uid"], unique=True)
    op.create_table(
        "person",
        sa.Column("id", key, nullable=False),
        sa.Column("uid", sa.String(), nullable=False, server_default=""),
        sa.Column("name", sa.String(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_person_uid", "person", ["uid"], unique=True)
    op.create_index("ix_person_name", "person", ["name"])
