"""The note of a launch says whose it is and how far it is; missions that are over say so."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    with op.batch_alter_table("launch_intent", schema=None) as batch_op:
        # a note of before belongs to nobody who still lives
        batch_op.add_column(sa.Column("owner", sa.String(), nullable=False, server_default=""))
        batch_op.add_column(sa.Column("state", sa.String(), nullable=False, server_default="begun"))
    # an earlier mission of a logger was over when the next one was launched, and nobody wrote it
    op.execute(
        "UPDATE mission SET state = 'relaunched' WHERE state IN ('', 'logging', 'waiting')"
        " AND EXISTS (SELECT 1 FROM mission AS later WHERE later.logger_id = mission.logger_id"
        " AND later.number > mission.number)"
    )
