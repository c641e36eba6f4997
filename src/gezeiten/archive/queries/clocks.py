"""Clocks of missions that were put right, out of the archive."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import dataclass

from sqlalchemy import ColumnElement, func, select
from sqlalchemy.orm import Session

from gezeiten.archive.store.tables import ClockRow, Logger, Mission, Offload
from gezeiten.domain.base.untrusted import bounded_int, finite
from gezeiten.domain.board.thresholds import CLOCK_OFF_MS, is_clock_wrong
from gezeiten.domain.facts.stored import StoredClockCorrection
from gezeiten.domain.series.clocks.clock_map import RIGHT, ClockMap, clock_map
from gezeiten.domain.series.clocks.clock_uncertainty import ClockUncertainty
from gezeiten.domain.series.timeline import EVER_MS, Span
from gezeiten.domain.steps.clock_corrections import LEAST_DRIFTED_MS, usual_drifts
from gezeiten.errors import ArchiveDamagedError


def clocks_in_force(session: Session) -> dict[str, StoredClockCorrection]:
    """Return what puts clocks right, by mission (its id): of several the one said last. One that
    cannot be read is left out: its readings stand as they were written, and verifying the archive
    names it."""
    return _clocks_where(session, ClockRow.undone_ms.is_(None))


def disabled_clocks(session: Session) -> dict[str, StoredClockCorrection]:
    """Return what would put clocks right if it were switched on, by mission (its id); the one said
    last."""
    return _clocks_where(session, ClockRow.is_off.is_(True))


def _clocks_where(session: Session, which: ColumnElement[bool]) -> dict[str, StoredClockCorrection]:
    rows = session.execute(
        select(ClockRow, Mission.uid, Mission.number, Logger.serial)
        .join(Mission, Mission.id == ClockRow.mission_id)
        .join(Logger, Logger.id == Mission.logger_id)
        .where(which)
        .order_by(ClockRow.said_ms, ClockRow.uid)
    )
    found = {}
    for row, uid, number, serial in rows:
        with suppress(ArchiveDamagedError, ValueError, TypeError):
            its = clock_map(row.pairs, row.rate_beyond)
            found[uid] = StoredClockCorrection(
                row.uid,
                serial,
                uid,
                number,
                row.way,
                its,
                _uncertainty(row),
                row.words,
                row.said_ms,
                row.said_by,
            )
    return found


def _uncertainty(row: ClockRow) -> ClockUncertainty:
    us_ms = tuple(bounded_int(one) for one in row.us_ms or ())
    drift_ppm = None if row.drift_ppm is None else finite(row.drift_ppm)
    return ClockUncertainty(row.u_ms, us_ms, drift_ppm)


@dataclass(frozen=True, slots=True)
class ClockHistory:
    """What put the clock of a mission right, and when (UTC ms): said, undone (None: still)."""

    corrections: tuple[tuple[int, int | None, ClockMap], ...]

    def at(self, at_ms: int) -> ClockMap:
        """Return what stood at an instant."""
        deployments = [
            its
            for said_ms, undone_ms, its in self.corrections
            if said_ms <= at_ms and (undone_ms is None or undone_ms > at_ms)
        ]
        return deployments[-1] if deployments else RIGHT

    def current_span(self, span: Span, seen_ms: int) -> Span:
        """Return where a stretch lies now that was seen at an instant, as the clock stood then."""
        then, now = self.at(seen_ms), self.at(EVER_MS)
        if then == now:
            return span
        return (
            now.corrected_instant(then.shown_at(span[0])),
            now.corrected_instant(then.shown_at(span[1])),
        )


def clock_histories(session: Session) -> dict[str, ClockHistory]:
    """Return what ever put clocks right, by mission (its id)."""
    rows = session.execute(
        select(ClockRow, Mission.uid)
        .join(Mission, Mission.id == ClockRow.mission_id)
        .order_by(ClockRow.said_ms, ClockRow.uid)
    )
    found: dict[str, list[tuple[int, int | None, ClockMap]]] = {}
    for row, uid in rows:
        with suppress(ArchiveDamagedError, ValueError, TypeError):
            its = clock_map(row.pairs, row.rate_beyond)
            found.setdefault(uid, []).append((row.said_ms, row.undone_ms, its))
    return {uid: ClockHistory(tuple(said)) for uid, said in found.items()}


def wrong_clock_offsets_ms(session: Session) -> dict[str, float]:
    """Return the missions whose logger had a clock that was wrong when it was offloaded, with how
    far it was ahead then, ms, by mission (its id); those whose clock was corrected since are not
    among them."""
    query = (
        select(Mission.uid, Offload.clock_difference_ms)
        .join(Mission, Mission.id == Offload.mission_id)
        .where(func.abs(Offload.clock_difference_ms) >= CLOCK_OFF_MS, Offload.carried.is_not(True))
        .order_by(Offload.at_ms)
    )
    corrected = clocks_in_force(session)
    found = {uid: float(off_ms or 0.0) for uid, off_ms in session.execute(query)}
    return {
        uid: off_ms
        for uid, off_ms in found.items()
        if is_clock_wrong(off_ms) and uid not in corrected
    }


def drifts_of_models(session: Session) -> dict[str, float]:
    """Return by how much clocks of each model run wrong, k = 2, in millionths, of models of which
    enough is known: by the last contact of each mission that lasted for days."""
    latest: dict[str, tuple[str, float]] = {}
    query = (
        select(
            Mission.uid,
            Logger.model,
            Offload.at_ms - Mission.launched_ms,
            Offload.clock_difference_ms,
        )
        .join(Mission, Mission.id == Offload.mission_id)
        .join(Logger, Logger.id == Mission.logger_id)
        .where(
            Offload.clock_difference_ms.is_not(None),
            Offload.carried.is_not(True),
            Offload.at_ms - Mission.launched_ms >= LEAST_DRIFTED_MS,
        )
        .order_by(Offload.at_ms)
    )
    for uid, model, length_ms, off_ms in session.execute(query):
        latest[uid] = (model, 1e6 * float(off_ms or 0.0) / length_ms)
    rates: dict[str, list[float]] = {}
    for model, rate_ppm in latest.values():
        rates.setdefault(model, []).append(rate_ppm)
    return usual_drifts(rates)


def measured_differences(session: Session, mission: str) -> list[tuple[int, float, float]]:
    """Return when the clock of a mission's logger was read at an offload, how far it was ahead, and
    how sure that is; ms, oldest first."""
    query = (
        select(
            Offload.at_ms,
            Offload.clock_difference_ms,
            Offload.clock_uncertainty_ms,
            Offload.carried,
        )
        .join(Mission, Mission.id == Offload.mission_id)
        .where(Mission.uid == mission, Offload.clock_difference_ms.is_not(None))
        .order_by(Offload.at_ms)
    )
    # what a courier brought was read by the courier's clock
    return [
        (at_ms, float(off or 0.0), float(u or 0.0))
        for at_ms, off, u, carried in session.execute(query)
        if not carried
    ]
