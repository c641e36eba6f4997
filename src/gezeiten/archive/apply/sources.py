"""What was said of sources, as acts make it: where one was, which series it feeds."""

from __future__ import annotations

from typing import Any

from sqlalchemy import Connection, Select, select, update

from gezeiten.archive.apply.missions import known_logger
from gezeiten.archive.apply.rows import Family, Misfits, Said, add, key_of
from gezeiten.archive.store.tables import Feeding, Logger, Placing, Point
from gezeiten.domain.acts.sources import (
    FeedingTakenBack,
    PlacingTakenBack,
    SeriesFed,
    SourcePlaced,
)
from gezeiten.errors import InputError


def _placed(connection: Connection, act: SourcePlaced, said: Said) -> None:
    point = key_of(connection, Point.__table__, act.point) if act.point else None
    add(connection, Placing.__table__, uid=act.placing,
        logger_id=known_logger(connection, act.logger), point_id=point, start_ms=act.start_ms,
        end_ms=act.end_ms, words=act.words, said_ms=said.at_ms, said_by=said.person)  # fmt: skip


def _fed(connection: Connection, act: SeriesFed, said: Said) -> None:
    add(connection, Feeding.__table__, uid=act.feeding,
        point_id=key_of(connection, Point.__table__, act.point), channel=act.channel,
        label=act.label, logger_id=known_logger(connection, act.source), start_ms=act.start_ms,
        end_ms=act.end_ms, said_ms=said.at_ms, said_by=said.person)  # fmt: skip


def _placing_taken_back(connection: Connection, act: PlacingTakenBack, said: Said) -> Misfits:
    return _taken_back(connection, Placing.__table__, act.placing, said)


def _feeding_taken_back(connection: Connection, act: FeedingTakenBack, said: Said) -> Misfits:
    return _taken_back(connection, Feeding.__table__, act.feeding, said)


def _taken_back(connection: Connection, table: Any, uid: str, said: Said) -> Misfits:
    standing = update(table).where(table.c.uid == uid, table.c.undone_ms.is_(None))
    done = connection.execute(standing.values(undone_ms=said.at_ms, undone_by=said.person))
    return [] if done.rowcount else ["it had been taken back already"]


# -- refusing --------------------------------------------------------------------------------------
def _refuse_placed(connection: Connection, act: SourcePlaced) -> None:
    _refuse_stretch(act.start_ms, act.end_ms)
    _refuse_unknown(connection, act.logger)


def _refuse_fed(connection: Connection, act: SeriesFed) -> None:
    _refuse_stretch(act.start_ms, act.end_ms)
    _refuse_unknown(connection, act.source)
    if act.label != act.source and connection.execute(_named(act.label)).first():
        raise InputError(
            f"“{act.label}” is the name of another source; choose another label for the series."
        )


def _refuse_stretch(start_ms: int, end_ms: int | None) -> None:
    if end_ms is not None and end_ms <= start_ms:
        raise InputError("The end has to lie after the beginning; correct one of them.")


def _refuse_unknown(connection: Connection, source: str) -> None:
    if connection.execute(_named(source)).first() is None:
        raise InputError(f"The archive knows no source {source}; look for it in Loggers.")


def _named(serial: str) -> Select[int]:
    return select(Logger.id).where(Logger.serial == serial)


FAMILY = Family(
    {
        SourcePlaced: _placed, PlacingTakenBack: _placing_taken_back, SeriesFed: _fed,
        FeedingTakenBack: _feeding_taken_back,
    },
    {SourcePlaced: _refuse_placed, SeriesFed: _refuse_fed},
)  # fmt: skip
