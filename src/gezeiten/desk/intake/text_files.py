"""Text files from anything else: proposed, tied to a point, taken in; ties kept and recognised."""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from gezeiten.archive import plans as kept_in
from gezeiten.archive.intake.missions import Circumstances
from gezeiten.archive.intake.texts import READER, Readings, Source, TextIntake, take_in_text
from gezeiten.archive.offloads import ways_of_reading
from gezeiten.archive.store.ids import fresh_id
from gezeiten.desk.context import Desk
from gezeiten.desk.record.excursion_book import refresh_excursions, to_assess
from gezeiten.domain.acts.offloads import TEXT_MODEL
from gezeiten.domain.acts.plans import TieForgotten, TieKept
from gezeiten.domain.quantities.quantities import QUANTITIES, quantity
from gezeiten.domain.quantities.units import text_unit
from gezeiten.domain.series.timeline import Times, Values
from gezeiten.errors import CancelledError, InputError
from gezeiten.exchange.text.doubts import Doubt
from gezeiten.exchange.text.form import ColumnTie, Tie, tie_from_dict
from gezeiten.exchange.text.proposing import NOTHING_KNOWN, Known, Proposal, propose
from gezeiten.exchange.text.reading import Piece, Rejected, read_text
from gezeiten.link.transfer import UNWATCHED, Meter, Watch

MOST_LISTED = 1_000
_STOPPED = "Taking was stopped; nothing of this file was kept."
PREVIEW_READINGS = 200


@dataclass(frozen=True, slots=True)
class Recognised:
    """A proposal, and the kept tie that fits it, if there is one. likely: the only one of a kind
    without words above its columns that looks the same: it is asked whether it is that."""

    proposal: Proposal
    tie: Tie | None
    likely: Tie | None = None

    @property
    def doubts(self) -> tuple[Doubt, ...]:
        """What is asked: what kind it is comes first."""
        if self.likely is None:
            return self.proposal.doubts
        question = f"It looks like “{self.likely.name}” of {self.likely.point}: is it?"
        choices = ((self.likely.name, "yes, of that kind"), ("", "no, of another one"))
        return (Doubt("kind", question, choices), *self.proposal.doubts)


@dataclass(frozen=True, slots=True)
class Preview:
    """The first readings by a tie: instants, one array a tied column, the lines left out, those
    without a cell that is no number, and the numbers of the lines that are read."""

    times: Times
    values: list[Values]
    rejected: list[Rejected]
    spoilt: list[Rejected] = field(default_factory=list)
    lines: NDArray[np.int64] = field(default_factory=lambda: np.empty(0, np.int64))


@dataclass(slots=True)
class TextTaken:
    """What a text file brought. rejected: the first MOST_LISTED lines that were left out, and those
    without a cell that is no number; rejected_in_all, spoilt_in_all: how many there are."""

    intake: TextIntake
    excursions_new: int = 0
    rejected: list[Rejected] = field(default_factory=list)
    rejected_in_all: int = 0
    spoilt_in_all: int = 0


def look_at_text(desk: Desk, path: Path, known: Known = NOTHING_KNOWN) -> Recognised:
    """Return how a text is proposed to be read; one of a kind seen before is recognised.

    known: what somebody knows better.

    Raises:
        InputError: it cannot be read, or holds no columns of times and numbers.
    """
    proposal = propose(path, known)
    ties = kept_ties(desk)
    tie = _fitting(ties, proposal)
    return Recognised(proposal, tie, None if tie else _likely(ties, proposal))


def zones_before(desk: Desk) -> dict[str, str]:
    """Return in which time zone the last text of each source was read, by its name.

    Read in another zone, the same file would come again at other instants.
    """
    with desk.archive.reading() as session:
        ties = [tie_from_dict(reading) for reading in ways_of_reading(session)]
    return {tie.name: tie.form.time.zone for tie in ties if tie.form.time.needs_zone}


def _fitting(ties: list[Tie], proposal: Proposal) -> Tie | None:
    """Return the kept tie of texts that look the same: signs, columns and words above them."""

    def looks(tie: Tie) -> tuple[object, ...]:
        form = tie.form
        return form.delimiter, form.columns, form.header, form.widths

    form = proposal.form
    wanted = (form.delimiter, form.columns, form.header, form.widths)
    for tie in ties:
        if looks(tie) == wanted and form.header:
            # the words above are the same, but how far down they stand is this file's own
            return replace(
                tie,
                form=replace(tie.form, first_line=form.first_line, encoding=form.encoding),
            )
    return None


def _likely(ties: list[Tie], proposal: Proposal) -> Tie | None:
    """Return the kept tie of texts without a head that are written alike, None of several."""
    form = proposal.form
    if form.header:
        return None
    alike = [
        tie for tie in ties
        if not tie.form.header
        and (tie.form.delimiter, tie.form.columns, tie.form.widths, tie.form.time.columns)
        == (form.delimiter, form.columns, form.widths, form.time.columns)
    ]  # fmt: skip
    if len(alike) != 1:
        return None
    of_this_file = replace(alike[0].form, first_line=form.first_line, encoding=form.encoding)
    return replace(alike[0], form=of_this_file)


def preview(path: Path, tie: Tie) -> Preview:
    """Return the first readings of a text by a tie.

    Raises:
        InputError: the tie cannot be used.
    """
    columns = tuple(one.column for one in tie.columns)
    for piece in itertools.islice(read_text(path, tie.form, columns), 1):
        values = [piece.values[column][:PREVIEW_READINGS] for column in columns]
        return Preview(piece.times[:PREVIEW_READINGS], values, piece.rejected[:MOST_LISTED],
                       piece.spoilt[:MOST_LISTED], piece.lines[:PREVIEW_READINGS])  # fmt: skip
    return Preview(np.empty(0, np.int64), [np.empty(0) for _ in columns], [])


def checked_tie(tie: Tie) -> Tie:
    """Return a tie that can be used.

    Raises:
        InputError: with what is missing.
    """
    used = [one for one in tie.columns if one.quantity]
    if not tie.name.strip():
        raise InputError("This kind of text has no name yet; give it one.")
    if not tie.point.strip():
        raise InputError("It is not said where this was measured; choose a point.")
    if not used:
        raise InputError("No column is tied to a quantity; choose at least one.")
    doubled = {one.quantity for one in used}
    if len(doubled) < len(used):
        raise InputError("Two columns are tied to the same quantity; take one of them off.")
    for one in used:
        if one.quantity not in QUANTITIES:
            raise InputError(f"“{one.quantity}” is no quantity; choose one of the list.")
        recorded = quantity(one.quantity).unit
        if recorded and not one.unit:
            raise InputError(
                f"It is not said in which unit {quantity(one.quantity).name} is; choose one."
            )
        if text_unit(recorded, one.unit).name != one.unit:
            raise InputError(
                f"{quantity(one.quantity).name} cannot be in “{one.unit}”; choose another unit."
            )
    if tie.form.time.needs_zone and not tie.form.time.zone:
        raise InputError("It is not said in which time zone the times are; choose one.")
    return replace(tie, name=tie.name.strip(), point=tie.point.strip(), columns=tuple(used))


def take_text(desk: Desk, path: Path, tie: Tie, watch: Watch = UNWATCHED) -> TextTaken:
    """Take a text file into the archive by a tie, and keep the tie.

    Raises:
        InputError: the tie or the file cannot be used; nothing was kept.
        CancelledError: as wished; nothing was kept.
        SurroundingsError: disk or database; nothing was kept.
    """
    taken = take_tied(desk, path, checked_tie(tie), TEXT_MODEL, "text file", watch)
    keep_tie(desk, checked_tie(tie))
    return taken


def take_tied(
    desk: Desk, path: Path, tie: Tie, model: str, route: str, watch: Watch = UNWATCHED
) -> TextTaken:
    """Take a text in by a tie that was checked; see `take_text`."""
    listed: list[Rejected] = []
    reading = {**tie.as_dict(), "rejected": 0, "spoilt": 0}
    source = source_of(tie, model)
    how = Circumstances(desk.now_ms(), desk.person, route)
    pieces = _counted(read_pieces(path, tie, watch), path, listed, reading, watch)
    intake = take_in_text(desk.archive, path, source, pieces, how, reading)
    if intake.offload_id is not None:
        refresh_excursions(desk, intake.point_id)
    at = {intake.point_id} if intake.offload_id is not None else set()
    new = to_assess(desk, at, found_since_ms=how.at_ms)
    many = (int(str(reading[name])) for name in ("rejected", "spoilt"))
    return TextTaken(intake, new, listed[:MOST_LISTED], *many)


def source_of(tie: Tie, model: str) -> Source:
    """Return what a tie names."""
    channels = tuple((one.quantity, quantity(one.quantity).unit) for one in tie.columns)
    return Source(tie.name, tie.point, model, channels)


def read_pieces(
    path: Path, tie: Tie, watch: Watch = UNWATCHED, version: int = READER
) -> Iterator[tuple[Piece, Readings]]:
    """Yield the readings of a text in recorded units; each piece in order, no instant twice.

    Raises:
        CancelledError: as wished.
    """
    columns = tuple(one.column for one in tie.columns)
    units = [text_unit(quantity(one.quantity).unit, one.unit) for one in tie.columns]
    for piece in read_text(path, tie.form, columns, watch.cancelled, version):
        times, keep = np.unique(piece.times, return_index=True)
        doubled = np.setdiff1d(np.arange(len(piece.times)), keep, assume_unique=True)
        piece.rejected.extend(
            Rejected(int(piece.lines[i]), "", "its time is that of a line before") for i in doubled
        )
        values = []
        for column, unit in zip(columns, units, strict=True):
            raw = piece.values[column][keep]
            is_recorded = unit.factor == 1.0 and unit.offset == 0.0
            values.append(raw if is_recorded else (raw - unit.offset) / unit.factor)
        yield piece, Readings(times, values)
    if watch.cancelled():
        raise CancelledError(_STOPPED)


def _counted(
    pieces: Iterator[tuple[Piece, Readings]],
    path: Path,
    listed: list[Rejected],
    reading: dict[str, object],
    watch: Watch,
) -> Iterator[Readings]:
    """Pass readings on; gather what was left out, tell how far it is."""
    rejected, spoilt, heard = 0, 0, 0
    meter = Meter(watch, path.stat().st_size, None, _STOPPED)
    for piece, readings in pieces:
        rejected += len(piece.rejected)
        spoilt += len(piece.spoilt)
        reading["rejected"], reading["spoilt"] = rejected, spoilt
        both = sorted([*piece.rejected, *piece.spoilt], key=lambda one: one.line)
        listed.extend(both[: max(MOST_LISTED - len(listed), 0)])
        meter.settled(len(readings.times))
        meter.heard(piece.done_bytes - heard)
        heard = piece.done_bytes
        yield readings


# -- kept ties -------------------------------------------------------------------------------------
def kept_ties(desk: Desk) -> list[Tie]:
    """Return the kept ties, those used last first."""
    with desk.archive.reading() as session:
        return [tie_from_dict(tie) for tie in kept_in.kept_ties(session)]


def keep_tie(desk: Desk, tie: Tie) -> None:
    """Keep a tie under its name; one of the same name is replaced, one that is the same stays."""
    with desk.archive.writing() as session:
        there = kept_in.tie_named(session, tie.name)
        if there is None:
            desk.do_within(session, TieKept(fresh_id(), tie.name, tie.as_dict()))
        elif tie_from_dict(there[1]) != tie:
            desk.do_within(session, TieKept(there[0], tie.name, tie.as_dict(), there[1]))


def forget_tie(desk: Desk, name: str) -> None:
    """Forget a kept tie; what was taken by it stays."""
    with desk.archive.writing() as session:
        there = kept_in.tie_named(session, name)
        if there is not None:
            desk.do_within(session, TieForgotten(there[0], name, there[1]))


def proposed_tie(recognised: Recognised, name: str) -> Tie:
    """Return the tie to start from: the kept one that fits, else what was proposed."""
    if recognised.tie is not None:
        return recognised.tie
    proposal = recognised.proposal
    columns = tuple(
        one if _is_known(one) else ColumnTie(one.column, "", "") for one in proposal.columns
    )
    return Tie(name, "", proposal.form, columns)


def _is_known(tie: ColumnTie) -> bool:
    if tie.quantity not in QUANTITIES:
        return False
    # a unit that the text does not say is asked
    return not tie.unit or text_unit(quantity(tie.quantity).unit, tie.unit).name == tie.unit
