"""Launches under way: entered before the first change, and again when it is known how they ended.

A launch that is cut off leaves its note (`launch_intent`). The next contact compares the note with
what the logger says, so that the archive always knows whether it is in the old mission or in the
new one. A note belongs to whoever launches: as long as that program lives, nobody else settles it.
"""

from __future__ import annotations

import os
import secrets
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from gezeiten.archive.database import ArchiveSession
from gezeiten.archive.files.machine import computer_name, machine_id
from gezeiten.archive.queries.launches import LaunchNote, launch_note, others_at
from gezeiten.archive.queries.sites import find_or_add_point
from gezeiten.archive.store.faults import translated
from gezeiten.desk.base.workspace import Workspace
from gezeiten.domain.actions import Subject
from gezeiten.domain.actions.launches import LaunchBegun, LaunchEnded, NewMission, Outcome
from gezeiten.domain.plan.plan import Plan, differences, plan_from_dict
from gezeiten.domain.series.timeline import MINUTE_MS
from gezeiten.errors import LoggerBusyError
from gezeiten.link.registers import LoggerState, State
from gezeiten.link.session import DirectoryEntry
from gezeiten.link.transfer import lock_incoming

OTHER_PLACE_MS = 30 * MINUTE_MS
"""So long a launch of another computer is taken to be under way: its programs cannot be seen."""


@dataclass(frozen=True, slots=True)
class Owner:
    """Who launches a logger: this computer, by its name and id, and a token of this one launch."""

    computer: str
    token: str

    def __str__(self) -> str:
        return f"{self.computer}/{self.token}"


def this_computer() -> str:
    """Return what tells this computer from others in a note: two may have one name."""
    return f"{computer_name()} {machine_id()}"


@contextmanager
def owning_launch(desk: Workspace, serial: str) -> Iterator[Owner]:
    """Be the only one on this computer who launches a logger; ends with the program, however.

    Raises:
        LoggerBusyError: another window or program is launching it.
    """
    owner = Owner(this_computer(), secrets.token_hex(8))
    path = _lock_path(desk, serial)
    with translated(desk.archive.folder):
        lock = lock_incoming(path)
        if lock is None:
            raise LoggerBusyError(
                f"{serial} is being launched by another window or program; wait for it."
            )
        os.truncate(lock, 0)
        os.pwrite(lock, owner.token.encode(), 0)
    try:
        yield owner
    finally:
        path.unlink(missing_ok=True)
        os.close(lock)


def _lock_path(desk: Workspace, serial: str) -> Path:
    return desk.archive.incoming / f"{serial}.launching"


def _is_launching(desk: Workspace, serial: str, note: LaunchNote) -> bool:
    """Whether the program that left a note still launches."""
    computer, _, token = note.owner.partition("/")
    if computer != this_computer():
        return bool(computer) and abs(desk.now_ms() - note.at_ms) < OTHER_PLACE_MS
    path = _lock_path(desk, serial)
    try:
        if path.read_text() != token:
            return False
    except FileNotFoundError:
        return False
    lock = lock_incoming(path)
    if lock is None:
        return True
    path.unlink(missing_ok=True)  # its program was killed
    os.close(lock)
    return False


def enter_launch_begin(
    desk: Workspace,
    owner: Owner,
    serial: str,
    plan: Plan,
    old_mission: int,
    accepted: Mapping[str, str],
) -> None:
    """Enter that a launch begins: from here the logger is told to launch, and what a cut leaves has
    to be found out. A note left by an earlier try is replaced.

    Raises:
        LoggerBusyError: another computer is launching it.
    """
    with desk.archive.writing() as db:
        known = launch_note(db, serial)
        if known is not None and _is_launching(desk, serial, known):
            raise LoggerBusyError(
                f"{serial} is being launched by {known.person} at another computer; wait for it."
            )
        begun = LaunchBegun(serial, str(owner), plan.as_dict(), old_mission, dict(accepted))
        desk.do_within(db, begun)


def launch_refused(
    desk: Workspace,
    owner: Owner,
    serial: str,
    old_mission: int,
    accepted: Mapping[str, str],
    reason: str,
) -> None:
    """Enter that the logger itself refused: its old mission stands."""
    desk.do(LaunchEnded(serial, str(owner), "refused", old_mission, dict(accepted), why=reason))


def settle_launch(
    desk: Workspace,
    db: ArchiveSession,
    serial: str,
    state: LoggerState,
    plan: Plan | None,
    directory: Sequence[DirectoryEntry],
) -> str:
    """Find out how a launch ended that was cut off; returns it as a sentence, "" without one, and
    while its owner is still at it."""
    note = launch_note(db, serial)
    if note is None or _is_launching(desk, serial, note):
        return ""
    mission: NewMission | None = None
    replaced: tuple[str, ...] = ()
    outcome: Outcome = "not happened"
    if state.mission_number > note.old_mission:
        outcome = "another"
        if plan is not None and directory and not differences(plan, plan_from_dict(note.plan)):
            mission, replaced = new_mission(desk, db, serial, directory[-1], plan)
            outcome = "happened"
    ended = LaunchEnded(
        serial,
        note.owner,
        outcome,
        state.mission_number,
        dict(note.accepted),
        mission,
        replaced,
        cut_off=True,
        doing=State(state.state).name.lower(),
    )
    desk.do_within(db, ended)
    return ended.describe(Subject(serial))


def launch_happened(
    desk: Workspace,
    owner: Owner,
    serial: str,
    entry: DirectoryEntry,
    plan: Plan,
    accepted: Mapping[str, str],
) -> None:
    """Enter the mission that a launch has begun, and where its logger is now."""
    with desk.archive.writing() as db:
        mission, replaced = new_mission(desk, db, serial, entry, plan)
        desk.do_within(
            db,
            LaunchEnded(
                serial,
                str(owner),
                "happened",
                entry.mission,
                dict(accepted),
                mission,
                replaced,
            ),
        )


def new_mission(
    desk: Workspace, db: ArchiveSession, serial: str, entry: DirectoryEntry, plan: Plan
) -> tuple[NewMission, tuple[str, ...]]:
    """Return a mission that a launch has begun, and the loggers whose place its logger takes: one
    logger a point. The point is made where it is new."""
    point = find_or_add_point(db, plan.point_name, desk.authorship)
    before = others_at(db, point.id, serial)
    mission = NewMission(
        entry.mission,
        entry.launched_ms,
        entry.first_ms,
        entry.interval_ms,
        point.uid,
        plan.as_dict(),
    )
    return mission, tuple(before)
