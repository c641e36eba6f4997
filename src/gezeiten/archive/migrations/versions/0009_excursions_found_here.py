"""Excursions found lie in this computer's own tables; when they were first found, an act tells.
Those of before wait under an old name until acts have told them (`archive/intake`).
Offloads name how their bytes are read."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"


def upgrade() -> None:
    whole = sa.BigInteger()
    key = whole.with_variant(sa.Integer(), "sqlite")
    op.create_table(
        "excursion_found",
        sa.Column("id", key, nullable=False),
        sa.Column("point_id", key, nullable=False),
        sa.Column("mission_id", key, nullable=False),
        sa.Column("rule_key", sa.String(), nullable=False),
        sa.Column("start_ms", whole, nullable=False),
        sa.Column("end_ms", whole, nullable=False),
        sa.Column("at_ms", whole, nullable=False),
        sa.ForeignKeyConstraint(["mission_id"], ["mission.id"]),
        sa.ForeignKeyConstraint(["point_id"], ["point.id"]),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_excursion_found_point_id", "excursion_found", ["point_id"])
    if op.get_bind().execute(sa.text("SELECT count(*) FROM excursion")).scalar():
        op.rename_table("excursion", "old_excursion")
    else:
        op.drop_table("excursion")
    op.create_index("logbook_in_chain", "logbook", ["chain", "number"])
    with op.batch_alter_table("offload", schema=None) as batch_op:
        batch_op.add_column(sa.Column("reader", whole, nullable=False, server_default="1"))
        batch_op.add_column(sa.Column("read_as", sa.String(), nullable=False, server_default=""))
    with op.batch_alter_table("point", schema=None) as batch_op:
        batch_op.drop_column("record_version")
        batch_op.drop_column("excursions_version")
