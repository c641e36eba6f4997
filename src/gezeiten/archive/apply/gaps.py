"""What was done about gaps, as acts make it: steps on a point's record."""

from __future__ import annotations

from typing import Any

from sqlalchemy import Connection, select, update

from gezeiten.archive.apply.rows import Family, Misfits, Said, add, key_of, only
from gezeiten.archive.store.estimates import encode_estimates
from gezeiten.archive.store.tables import Offload, Point, Step
from gezeiten.domain.acts.gaps import (
    GapEstimated,
    GapFetched,
    GapFilledByLine,
    GapLeftOpen,
    GapTakenBack,
)
from gezeiten.domain.series.gaps import Gap
from gezeiten.domain.steps.fills import estimates_in, line_between
from gezeiten.domain.steps.steps import ESTIMATE, KINDS, LEFT_OPEN, LINE, REFETCH
from gezeiten.errors import InputError


def _filled_by_line(connection: Connection, act: GapFilledByLine, said: Said) -> None:
    for line in act.lines:
        ends = (line.from_ms, line.from_value), (line.to_ms, line.to_value)
        fill = line_between(act.gap, *ends)
        facts = {"readings": len(fill), "rmse": line.rmse, "low": line.low, "high": line.high,
                 "stretches": line.stretches}  # fmt: skip
        _step(connection, act.point, line.step, act.gap, said, kind=LINE, channel=line.channel,
              data=encode_estimates(fill), facts=facts)  # fmt: skip


def _estimated(connection: Connection, act: GapEstimated, said: Said) -> None:
    for one in act.estimates:
        fill = estimates_in(act.gap, one.values)
        _step(connection, act.point, one.step, act.gap, said, kind=ESTIMATE, channel=one.channel,
              data=encode_estimates(fill), facts={"readings": len(fill), **one.facts})  # fmt: skip


def _fetched(connection: Connection, act: GapFetched, said: Said) -> None:
    of_these = select(Offload.id).where(Offload.sha256 == act.sha256).order_by(Offload.id)
    offload = only(connection, of_these.limit(1))[0]
    _step(connection, act.point, act.step, act.gap, said, kind=REFETCH, offload_id=offload)


def _left_open(connection: Connection, act: GapLeftOpen, said: Said) -> None:
    of_some = {"series": list(act.series)} if act.series else {}
    _step(connection, act.point, act.step, act.gap, said, kind=LEFT_OPEN,
          facts={"reason": act.reason, **of_some})  # fmt: skip


def _taken_back(connection: Connection, act: GapTakenBack, said: Said) -> Misfits:
    standing = update(Step).where(Step.uid.in_(act.steps), Step.undone_ms.is_(None))
    done = connection.execute(standing.values(undone_ms=said.at_ms, undone_by=said.person))
    missed = len(act.steps) - done.rowcount
    return [f"{missed} of the steps had been taken back already"] if missed else []


def _step(
    connection: Connection, point: str, step: str, gap: Gap, said: Said, **values: Any
) -> None:
    usual = {"channel": "", "facts": {}}
    add(connection, Step.__table__, uid=step, point_id=key_of(connection, Point.__table__, point),
        start_ms=gap.start_ms, end_ms=gap.end_ms, interval_ms=gap.interval_ms,
        made_ms=said.at_ms, made_by=said.person, **{**usual, **values})  # fmt: skip


def _refuse_left_open(_connection: Connection, act: GapLeftOpen) -> None:
    if not act.reason:
        raise InputError("Give a reason in a few words; it stands beside the gap from then on.")


_ESTIMATING = tuple(key for key, kind in KINDS.items() if kind.has_estimates)


def _refuse_filled(connection: Connection, act: GapFilledByLine | GapEstimated) -> None:
    """Refuse a fill over another one: somebody was quicker."""
    parts = act.lines if isinstance(act, GapFilledByLine) else act.estimates
    point = key_of(connection, Point.__table__, act.point)
    standing = (
        select(Step.id)
        .where(Step.point_id == point, Step.undone_ms.is_(None), Step.kind.in_(_ESTIMATING),
               Step.channel.in_([one.channel for one in parts]),
               Step.start_ms < act.gap.end_ms, Step.end_ms > act.gap.start_ms)
        .limit(1)
    )  # fmt: skip
    if connection.execute(standing).first() is not None:
        raise InputError("Somebody filled this gap meanwhile; look at it as it is now.")


FAMILY = Family(
    {
        GapFilledByLine: _filled_by_line, GapEstimated: _estimated, GapFetched: _fetched,
        GapLeftOpen: _left_open, GapTakenBack: _taken_back,
    },
    {
        GapLeftOpen: _refuse_left_open, GapFilledByLine: _refuse_filled,
        GapEstimated: _refuse_filled,
    },
)  # fmt: skip
