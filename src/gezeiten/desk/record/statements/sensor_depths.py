"""Sensor depths at a point through time: set, listed, withdrawn. What is calculated from them
follows."""

from __future__ import annotations

import math

from gezeiten.archive.queries.sensor_depths import hangings
from gezeiten.archive.queries.sites import stored_point
from gezeiten.archive.store.ids import fresh_id
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.sites.places import PointPlace
from gezeiten.domain.actions.sensor_depths import SensorDepthSet, SensorDepthWithdrawn
from gezeiten.domain.facts.stored import StoredSensorDepth
from gezeiten.domain.steps.sensor_depth import SensorDepth
from gezeiten.errors import InputError

_LONGEST_M = 5_000.0


def sensor_depths_of(desk: Workspace, point: PointPlace) -> list[StoredSensorDepth]:
    """Return how the sensor hangs at a point, in order of time."""
    with desk.archive.reading() as session:
        return hangings(session).get(point.uid, [])


def set_sensor_depth(desk: Workspace, point: PointPlace, depth: SensorDepth, words: str) -> None:
    """Say how the sensor hangs from an instant on.

    Raises:
        InputError: no words; a length below 0; the same is said already.
    """
    if not words.strip():
        raise InputError("Enter a reason; it is shown beside the sensor depth.")
    if not all(math.isfinite(one) for one in (depth.rim_m, depth.length_m)):
        raise InputError("Both heights must be numbers; correct them.")
    if not 0 <= depth.length_m <= _LONGEST_M:
        raise InputError(
            f"A sensor hangs 0 to {_LONGEST_M:g} m below its measuring point; correct the length."
        )
    if any(sensor_depth.depth == depth for sensor_depth in sensor_depths_of(desk, point)):
        raise InputError("This is already saved; nothing would change.")
    with desk.archive.reading() as session:
        uid = stored_point(session, point.id).uid
    desk.do(
        SensorDepthSet(uid, fresh_id(), depth.since_ms, depth.rim_m, depth.length_m, words.strip())
    )


def withdraw_sensor_depth(
    desk: Workspace, point: PointPlace, sensor_depth: StoredSensorDepth
) -> None:
    """Withdraw a sensor depth."""
    desk.do(SensorDepthWithdrawn(sensor_depth.point, sensor_depth.uid, sensor_depth.depth.since_ms))
