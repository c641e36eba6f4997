"""Rows that people make get an id that names them on every computer, beside this database's key;
assessments get a table of their own, so that excursions can be found anew without them."""

from __future__ import annotations

import json
import uuid

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"

TABLES = (
    "site",
    "point",
    "kept_plan",
    "service",
    "kept_tie",
    "visit_round",
    "round_task",
    "handover",
    "step",
)

# a copy of what stood in the code when this was written: history imports nothing that lives
_OURS = uuid.UUID("6f1c2ac4-0a59-5d0c-9a3e-7c1f0a6b2d10")

SEEN = (
    "start_ms",
    "end_ms",
    "alarm_ms",
    "extreme",
    "extreme_ms",
    "dose",
    "measured",
    "estimated",
)


def _id_of_old_row(first_hash: str, table: str, key: int) -> str:
    return uuid.uuid5(_OURS, f"{first_hash}/{table}/{key}").hex


def upgrade() -> None:
    connection = op.get_bind()
    first = connection.execute(sa.text("SELECT hash FROM logbook WHERE seq = 1")).scalar() or ""
    for name in TABLES:
        with op.batch_alter_table(name, schema=None) as batch_op:
            batch_op.add_column(sa.Column("uid", sa.String(), nullable=False, server_default=""))
        keys = connection.execute(sa.text(f"SELECT id FROM {name}")).scalars().all()
        ids = [{"uid": _id_of_old_row(first, name, key), "key": key} for key in keys]
        if ids:
            connection.execute(sa.text(f"UPDATE {name} SET uid = :uid WHERE id = :key"), ids)
        op.create_index(f"ix_{name}_uid", name, ["uid"], unique=True)
    _make_assessments(connection, first)


def _make_assessments(connection: sa.Connection, first: str) -> None:
    whole = sa.BigInteger()
    key = whole.with_variant(sa.Integer(), "sqlite")
    op.create_table(
        "assessment",
        sa.Column("id", key, nullable=False),
        sa.Column("uid", sa.String(), nullable=False, server_default=""),
        sa.Column("point_id", key, sa.ForeignKey("point.id"), nullable=False),
        sa.Column("mission_id", key, sa.ForeignKey("mission.id"), nullable=False),
        sa.Column("rule_key", sa.String(), nullable=False),
        sa.Column("rule", sa.JSON(), nullable=False),
        sa.Column("seen", sa.JSON(), nullable=False),
        sa.Column("cause", sa.String(), nullable=False),
        sa.Column("words", sa.String(), nullable=False),
        sa.Column("at_ms", whole, nullable=False),
        sa.Column("person", sa.String(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_assessment_uid", "assessment", ["uid"], unique=True)
    op.create_index("ix_assessment_point_id", "assessment", ["point_id"])
    settled = connection.execute(sa.text("SELECT * FROM excursion WHERE settled_ms IS NOT NULL"))
    for row in settled.mappings().all():
        connection.execute(
            sa.text(
                "INSERT INTO assessment (id, uid, point_id, mission_id, rule_key, rule, seen,"
                " cause, words, at_ms, person) VALUES (:id, :uid, :point_id, :mission_id,"
                " :rule_key, :rule, :seen, :cause, :words, :settled_ms, :settled_by)"
            ),
            {
                **row,
                "uid": _id_of_old_row(first, "assessment", row["id"]),
                "seen": json.dumps({name: row[name] for name in SEEN}),
                "cause": row["cause"] or "",
                "words": row["words"] or "",
                "settled_by": row["settled_by"] or "",
            },
        )
    with op.batch_alter_table("excursion", schema=None) as batch_op:
        batch_op.add_column(sa.Column("assessment_id", key, nullable=True))
        batch_op.create_foreign_key("excursion_assessment", "assessment", ["assessment_id"], ["id"])
        for name in ("cause", "words", "settled_ms", "settled_by"):
            batch_op.drop_column(name)
    op.execute("UPDATE excursion SET assessment_id = id WHERE id IN (SELECT id FROM assessment)")
    op.execute("UPDATE excursion SET assessment_id = NULL WHERE gone")
    op.execute("DELETE FROM excursion WHERE gone")
    with op.batch_alter_table("excursion", schema=None) as batch_op:
        batch_op.drop_column("gone")
