"""Excursions: detected again whenever a record changes, listed by site, settled by people.

Only excursions that alarmed are kept; an assessment holds for what it was made about, however
often and however else that is found again (`domain/limits/assessments.py`).
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from functools import partial

from gezeiten.archive.actions.execution import do_by_itself
from gezeiten.archive.database import ArchiveSession
from gezeiten.archive.local_cache.changes import stale_points
from gezeiten.archive.local_cache.excursion_store import (
    DetectionState,
    detection_states,
    differs,
    store_excursions,
)
from gezeiten.archive.local_cache.excursions import (
    StoredExcursion,
    count_to_assess,
    match_assessments,
    series_of,
    stored_excursions,
)
from gezeiten.archive.local_cache.layout import layout
from gezeiten.archive.queries.sites import stored_point
from gezeiten.archive.store.ids import fresh_id
from gezeiten.desk.base.fault_isolation import or_fault
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.record.excursion_detection import detect_excursions
from gezeiten.desk.sites.places import PointPlace, points
from gezeiten.domain.actions.assessments import (
    AssessmentWithdrawn,
    AssessmentWords,
    ExcursionAssessed,
    ExcursionsFound,
)
from gezeiten.domain.limits.assessments import AssessedExcursion
from gezeiten.domain.limits.limits import LimitRule
from gezeiten.errors import InputError

CAUSES = (
    "Door or lid",
    "Restocking",
    "Power",
    "Equipment",
    "Sensor",
    "Weather",
    "Own work",
    "Not known",
)


@dataclass(frozen=True, slots=True)
class BookedExcursion:
    """An excursion with its place and assessment. rule: its channel is the series it is in. cause
    is None while it is to assess. is_gone: the record has it no more, it is as it was seen.
    assessed: as it was seen when somebody assessed it; changed: it is another one now. once,
    once_by: what was said, and by whom, of a longer one of which it was a part; that holds for
    another part now.
    """

    id: int
    point: PointPlace
    mission: int
    rule: LimitRule
    start_ms: int
    end_ms: int
    alarm_ms: int
    extreme: float
    extreme_ms: int
    dose: float
    measured: int
    estimated: int
    found_ms: int
    is_gone: bool
    cause: str | None
    comment: str
    settled_ms: int | None
    settled_by: str
    changed: bool = False
    assessed: AssessedExcursion | None = None
    once: AssessmentWords | None = None
    once_by: str = ""

    @property
    def is_settled(self) -> bool:
        """Whether somebody has assessed it."""
        return self.settled_ms is not None

    @property
    def draft_key(self) -> str:
        """Under which words about it are kept until it is settled."""
        return f"excursion:{self.point.id}:{self.rule.key}:{self.start_ms}"


def refresh_excursions(desk: Workspace, point_id: int) -> None:
    """Detect the excursions of a point's record as it is now, and of those at other points that
    are calculated from it, and store what is new or changed.

    Nothing is entered in the logbook: only tables were rebuilt, or another computer imported the
    readings and enters it.
    """
    _refresh(desk, point_id, report=False)
    with desk.archive.reading() as session:
        resting = layout(session).resting_on(point_id)
    for at in resting:
        # what cannot be read there is named by the Tideboard, and spoils nothing here
        or_fault(partial(_refresh, desk, at, report=False))


def _refresh(desk: Workspace, point_id: int, *, report: bool) -> None:
    with desk.archive.reading() as session:
        points_now = detection_states(session, point_id)
    for point in points_now:
        anew = detect_excursions(desk, point)
        now_ms = desk.now_ms()
        with desk.archive.writing() as session:
            fresh = store_excursions(
                session, point, anew.excursions, now_ms, anew.basis, anew.scopes
            )
            if fresh and report:
                do_by_itself(session, ExcursionsFound(point.uid, tuple(fresh)), now_ms)


def refresh_affected(desk: Workspace, points: Iterable[str]) -> None:
    """Detect the excursions of points (ids) after actions on this computer changed their records;
    what is detected for the first time is entered in the logbook."""
    with desk.archive.reading() as session:
        keys = layout(session).keys
    for point in points:
        # the Tideboard names what cannot be
        or_fault(partial(_refresh, desk, keys[point], report=True))


def detect_all_excursions(desk: Workspace) -> None:
    """Find the excursions of all points anew; those of a point that cannot be read stay."""
    with desk.archive.reading() as session:
        points_kept = detection_states(session)
    for point in points_kept:
        or_fault(partial(_detect_all, desk, point))


def _detect_all(desk: Workspace, at: DetectionState) -> None:
    anew = detect_excursions(desk, at, all_of_it=True)
    with desk.archive.writing() as session:
        store_excursions(session, at, anew.excursions, desk.now_ms(), anew.basis)


def faulty_excursions(desk: Workspace) -> list[str]:
    """Find all excursions anew and return where others are kept, a sentence a point. Points whose
    record has changed since are left out: theirs are detected again in any case."""
    with desk.archive.reading() as session:
        current = [
            detection_state
            for detection_state in detection_states(session)
            if detection_state.is_current
        ]
    return [
        f"The stored excursions of {one.name} are not those of its record; gezeiten "
        "verify --rebuild updates them."
        for one in current
        if or_fault(partial(_differs, desk, one)) is not False
    ]


def _differs(desk: Workspace, at: DetectionState) -> bool:
    found = detect_excursions(desk, at, all_of_it=True).excursions
    with desk.archive.reading() as session:
        return differs(session, at, found)


def refresh_stale(desk: Workspace) -> None:
    """Find excursions anew where a record changed and the program ended before doing so."""
    with desk.archive.reading() as session:
        stale = stale_points(session)
    for point_id in stale:
        # the Tideboard names what cannot be
        or_fault(partial(refresh_excursions, desk, point_id))


def excursions(desk: Workspace, point_id: int | None = None) -> list[BookedExcursion]:
    """Return the excursions of one point or all, latest first."""
    with desk.archive.reading() as session:
        found = stored_excursions(session, point_id)
        made = layout(session)
    places = {point.id: point for point in points(desk)} if found else {}
    rules: dict[tuple[LimitRule, str], LimitRule] = {}  # few, for however many excursions
    listed = []
    for excursion in found:
        key = (excursion.rule, series_of(made, excursion))
        if key not in rules:
            rules[key] = replace(excursion.rule, channel=key[1])
        listed.append(_booked(excursion, places[excursion.point_id], rules[key]))
    return listed


def _booked(excursion: StoredExcursion, point: PointPlace, rule: LimitRule) -> BookedExcursion:
    now, said, part_of = excursion.excursion, excursion.assessment, excursion.merged_with
    is_above = excursion.rule.side == "above"
    return BookedExcursion(
        id=excursion.id,
        point=point,
        mission=excursion.mission.number,
        rule=rule,
        start_ms=now.start_ms,
        end_ms=now.end_ms,
        alarm_ms=now.alarm_ms,
        extreme=now.extreme,
        extreme_ms=now.extreme_ms,
        dose=now.dose,
        measured=now.measured,
        estimated=now.estimated,
        found_ms=excursion.found_ms,
        is_gone=excursion.is_only_assessment,
        cause=said.text.cause if said else None,
        comment=said.text.words if said else "",
        settled_ms=said.at_ms if said else None,
        settled_by=said.person if said else "",
        assessed=said.excursion if said else None,
        once=part_of.text if part_of else None,
        once_by=part_of.person if part_of else "",
        changed=bool(said and said.excursion.has_changed(now, is_above=is_above)),
    )


def to_assess(
    desk: Workspace, point_ids: set[int] | None = None, found_since_ms: int | None = None
) -> int:
    """Return how many excursions nobody has settled yet, at the given points or anywhere; on
    request only those that were found from an instant on."""
    with desk.archive.reading() as session:
        return count_to_assess(session, point_ids, found_since_ms)


def settle(
    desk: Workspace,
    excursion_ids: int | Iterable[int],
    cause: str,
    words: str,
    *,
    replacing: Iterable[int] = (),
) -> None:
    """Settle excursions with one cause and what happened.

    Args:
        replacing: those whose assessment, which is in force, is replaced.

    Raises:
        InputError: an unknown cause, or no words; or one is assessed that is not to be replaced:
            nobody is then.
    """
    if cause not in CAUSES:
        raise InputError("Choose a cause first; “Not known” is one of them.")
    if not words.strip():
        raise InputError("Enter a comment: what happened and what was done.")
    ids = [excursion_ids] if isinstance(excursion_ids, int) else list(excursion_ids)
    with desk.archive.writing() as session:
        chosen = _stored_by_id(session, ids)
        _refuse_replacing(chosen, set(replacing))
        for found in chosen:
            old = found.assessment
            action = ExcursionAssessed(
                stored_point(session, found.point_id).uid,
                old.uid if old else fresh_id(),
                found.mission,
                found.rule.as_dict(),
                found.excursion,
                AssessmentWords(cause, words.strip()),
                old.text if old else None,
            )
            desk.do_within(session, action)
        match_assessments(session, [found.point_id for found in chosen])


def _refuse_replacing(chosen: list[StoredExcursion], replacing: set[int]) -> None:
    stored = [found for found in chosen if found.assessment and found.id not in replacing]
    if stored:
        one = "One of these excursions is" if len(stored) == 1 else f"{len(stored)} of these are"
        raise InputError(f"{one} already assessed; confirm that the assessment is replaced.")


def _stored_by_id(session: ArchiveSession, ids: list[int]) -> list[StoredExcursion]:
    known = {found.id: found for found in stored_excursions(session)}
    if any(number not in known for number in ids):
        raise InputError("The selection is no longer in the archive; reload and select again.")
    return [known[number] for number in ids]


def recent_comments(events: Iterable[BookedExcursion], most: int = 8) -> list[tuple[str, str]]:
    """Return (cause, words) of assessments made last, each once, latest first."""
    settled = [event for event in events if event.is_settled and event.comment]
    settled.sort(key=lambda event: -(event.settled_ms or 0))
    return list(dict.fromkeys((event.cause or "", event.comment) for event in settled))[:most]


def reopen(desk: Workspace, excursion_id: int) -> None:
    """Take an assessment back; the logbook keeps it."""
    with desk.archive.writing() as session:
        [found] = _stored_by_id(session, [excursion_id])
        old = found.assessment
        if old is None:
            raise InputError("This excursion has not been assessed, so it cannot be reopened.")
        action = AssessmentWithdrawn(
            stored_point(session, found.point_id).uid,
            old.uid,
            found.rule.as_dict(),
            old.excursion,
            old.text,
        )
        desk.do_within(session, action)
        match_assessments(session, [found.point_id])
