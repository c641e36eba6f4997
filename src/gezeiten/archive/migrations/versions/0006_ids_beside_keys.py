"""Rows that people make get an id that names them on every computer, beside this database's key."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

from gezeiten.archive.ids import id_of_old_row

revision = "0006"
down_revision = "0005"

TABLES = (
    "site", "point", "kept_plan", "service", "kept_tie", "visit_round", "round_task", "handover",
    "step",
)  # fmt: skip


def upgrade() -> None:
    connection = op.get_bind()
    first = connection.execute(sa.text("SELECT hash FROM logbook WHERE seq = 1")).scalar() or ""
    for name in TABLES:
        with op.batch_alter_table(name, schema=None) as batch_op:
            batch_op.add_column(sa.Column("uid", sa.String(), nullable=False, server_default=""))
        keys = connection.execute(sa.text(f"SELECT id FROM {name}")).scalars().all()
        ids = [{"uid": id_of_old_row(first, name, key), "key": key} for key in keys]
        if ids:
            connection.execute(sa.text(f"UPDATE {name} SET uid = :uid WHERE id = :key"), ids)
        op.create_index(f"ix_{name}_uid", name, ["uid"], unique=True)
