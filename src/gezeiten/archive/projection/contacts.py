"""Loggers as they answered, as actions make them."""

from __future__ import annotations

from sqlalchemy import Connection, bindparam, or_, select, update

from gezeiten.archive.projection.missions import find_or_add_logger, set_logger, set_mission
from gezeiten.archive.projection.rows import Authorship, Family, apply_nothing
from gezeiten.archive.store.prepared import PreparedStatement
from gezeiten.archive.store.tables import Mission
from gezeiten.domain.actions.contacts import (
    AttemptFailed,
    FollowedBack,
    LoggerBlinked,
    LoggerContacted,
    MemoryErased,
    MissionStopped,
    SensorsChecked,
)
from gezeiten.domain.facts.stored import GOING_ON

_RELAUNCHED = PreparedStatement(
    update(Mission)
    .where(Mission.logger_id == bindparam("its_logger"), Mission.number < bindparam("now"))
    .where(or_(*(Mission.state == state for state in GOING_ON)))
    .values(state="relaunched")
)
"""Whoever launched the next mission ended those before."""
_LAST = PreparedStatement(
    select(Mission.id, Mission.first_ms)
    .where(Mission.logger_id == bindparam("its_logger"), Mission.number == bindparam("now"))
    .order_by(Mission.launched_ms.desc())
    .limit(1)
)


def _contacted(connection: Connection, action: LoggerContacted, authorship: Authorship) -> None:
    state = action.state
    logger = find_or_add_logger(connection, action.logger, action.model, action.firmware)
    set_logger(
        connection,
        logger,
        practice=bool(state["practice"]),
        seen_ms=authorship.at_ms,
        state=state,
        clock_difference_ms=action.clock_difference_ms,
        clock_uncertainty_ms=action.clock_uncertainty_ms,
    )
    number = state["mission_number"]
    _RELAUNCHED.run(connection, its_logger=logger, now=number)
    mission = _LAST.first_row(connection, its_logger=logger, now=number)
    if mission is None:
        return
    set_mission(
        connection,
        mission[0],
        readings=state["readings"],
        first_held=state["first_held"],
        state=action.doing,
    )
    if not mission[1] and state["first_due_ms"]:  # its button has been pressed
        set_mission(connection, mission[0], first_ms=state["first_due_ms"])


FAMILY = Family(
    {
        LoggerContacted: _contacted,
        **dict.fromkeys(
            (
                MissionStopped,
                MemoryErased,
                LoggerBlinked,
                SensorsChecked,
                FollowedBack,
                AttemptFailed,
            ),
            apply_nothing,
        ),
    },
    {},
)
