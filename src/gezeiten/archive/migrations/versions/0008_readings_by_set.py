"""Readings lie in this computer's own tables, made from bytes; missions have ids that are the same
in every database; names may repeat. What was kept of readings before waits under old names until
all are made anew (`archive/intake/rescue.py`)."""

from __future__ import annotations

import uuid

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"

# copies of what stood in the code when this was written: history imports nothing that lives
_OURS = uuid.UUID("6f1c2ac4-0a59-5d0c-9a3e-7c1f0a6b2d10")
_SOURCES = ("Text", "Live line")


def _mission_id(serial: str, number: int, launched_ms: int) -> str:
    return uuid.uuid5(_OURS, f"mission/{serial}/{number}/{launched_ms}").hex


def _source_id(name: str, point: str) -> str:
    return uuid.uuid5(_OURS, f"source/{name}/{point}").hex


def upgrade() -> None:
    with op.batch_alter_table("mission", schema=None) as batch_op:
        batch_op.add_column(sa.Column("uid", sa.String(), nullable=False, server_default=""))
    with op.batch_alter_table("offload", schema=None) as batch_op:
        batch_op.add_column(sa.Column("rescued", sa.String(), nullable=True))
    _names_may_repeat()
    connection = op.get_bind()
    _name_missions(connection)
    op.create_index("ix_mission_uid", "mission", ["uid"], unique=True)
    if connection.execute(sa.text("SELECT count(*) FROM block")).scalar():
        op.rename_table("block", "old_block")
        op.rename_table("series", "old_series")
    else:
        op.drop_table("block")
        op.drop_table("series")


def _names_may_repeat() -> None:
    """Two computers may each have a site of one name; acts refuse it where it is seen."""
    for table, columns in (
        ("site", ["name"]),
        ("point", ["site_id", "name"]),
        ("kept_plan", ["name"]),
        ("kept_tie", ["name"]),
    ):
        inspector = sa.inspect(op.get_bind())
        found = [
            unique_constraint["name"] or f"uq_{table}_{columns[0]}"
            for unique_constraint in inspector.get_unique_constraints(table)
            if unique_constraint["column_names"] == columns
        ]
        convention = {"uq": "uq_%(table_name)s_%(column_0_name)s"}
        with op.batch_alter_table(table, naming_convention=convention) as batch_op:
            for name in found:
                batch_op.drop_constraint(name, type_="unique")


def _name_missions(connection: sa.Connection) -> None:
    missions = connection.execute(
        sa.text(
            "SELECT mission.id, serial, model, number, launched_ms, point.uid AS point "
            "FROM mission JOIN logger ON logger.id = mission.logger_id "
            "LEFT JOIN point ON point.id = mission.point_id"
        )
    ).all()
    for key, serial, model, number, launched_ms, point in missions:
        uid = (
            _source_id(serial, point)
            if model in _SOURCES
            else _mission_id(serial, number, launched_ms)
        )
        connection.execute(
            sa.text("UPDATE mission SET uid = :uid WHERE id = :id"), {"uid": uid, "id": key}
        )
