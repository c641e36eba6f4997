"""Reading the logbook: its entries by what they are about, who, when and words; written out; held
against a head that somebody has on paper."""

from __future__ import annotations

import json
import re
from collections.abc import Iterable
from dataclasses import asdict, dataclass
from pathlib import Path

from gezeiten.archive.actions import logbook
from gezeiten.archive.actions.conflicts import unseen_conflicts
from gezeiten.archive.actions.verification.chain_check import chain_ends_match
from gezeiten.archive.files.atomic_files import write_atomic
from gezeiten.archive.local_cache.readings import offloads_within
from gezeiten.archive.store.faults import translated
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.sites.places import sites
from gezeiten.domain.actions.archives import ConflictAcknowledged
from gezeiten.domain.facts.entries import QUIET, Entry, Thing
from gezeiten.domain.limits.limits import limit_rule
from gezeiten.domain.series.timeline import Span, from_ms, iso_utc
from gezeiten.errors import InputError

MOST_SHOWN = 1_000
_HASH = re.compile(r"[0-9a-f]{8,64}")


@dataclass(frozen=True, slots=True)
class AboutFilter:
    """What entries are looked for about. things: any of them will do; subjects: what entries from
    before there were acts call it. span: only acts on a stretch that touches it, of the rule of
    `rule_key` where there is one, and what brought its readings (`brought`: fingerprints).
    hashes: of just these entries."""

    title: str
    things: frozenset[Thing]
    subjects: frozenset[str] = frozenset()
    rule_key: str = ""
    span: Span | None = None
    brought: frozenset[Thing] = frozenset()
    hashes: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class EntryFilter:
    """Which entries are looked for. person, entry_word: "" for any; quiet: without those that say
    nothing that a later one does not."""

    text: str = ""
    about: AboutFilter | None = None
    person: str = ""
    entry_word: str = ""
    since_ms: int | None = None
    until_ms: int | None = None
    quiet: bool = False


@dataclass(frozen=True, slots=True)
class Page:
    """Entries that were looked for, latest first, `MOST_SHOWN` at most. matching: how many there
    are; total: entries of the logbook; people, entry_words: all that occur; conflicts: what was
    found otherwise than an entry says and nobody has acknowledged, by the hash of the entry."""

    entries: tuple[Entry, ...]
    matching: int
    total: int
    people: tuple[str, ...]
    entry_words: tuple[str, ...]
    conflicts: dict[str, list[str]]


def logbook_is_intact(desk: Workspace) -> bool:
    """Whether the logbook ends as it did; nothing is asked of it but its end."""
    with desk.archive.reading() as session:
        return chain_ends_match(session, desk.archive.chains) and not desk.archive.chain.doubt(
            session
        )


def has_actions(desk: Workspace) -> bool:
    """Whether the logbook tells anything but that the archive was begun."""
    with desk.archive.reading() as session:
        return logbook.has_actions(session)


def logbook_entries(desk: Workspace, words: str = "", action: str = "") -> list[Entry]:
    """Return entries, latest first, that hold all the words and are of the action (any when "")."""
    return matching_entries(desk, EntryFilter(words, entry_word=action))


def matching_entries(desk: Workspace, entry_filter: EntryFilter) -> list[Entry]:
    """Return the entries that are looked for, latest first."""
    words = entry_filter.text.casefold().split()
    with desk.archive.reading() as session:
        entries = logbook.entries(session, entry_filter.entry_word)
        return [entry for entry in entries if _matches(entry, entry_filter, words)]


def logbook_page(desk: Workspace, entry_filter: EntryFilter) -> Page:
    """Return what the Logbook shows of the entries that are looked for."""
    entries = matching_entries(desk, entry_filter)
    with desk.archive.reading() as session:
        total, people, actions = logbook.known(session)
        conflicts = unseen_conflicts(session)
    return Page(tuple(entries[:MOST_SHOWN]), len(entries), total, people, actions, conflicts)


def _matches(entry: Entry, entry_filter: EntryFilter, texts: list[str]) -> bool:
    return (
        entry_filter.person in ("", entry.person)
        and (entry_filter.since_ms is None or entry.at_ms >= entry_filter.since_ms)
        and (entry_filter.until_ms is None or entry.at_ms < entry_filter.until_ms)
        and not (entry_filter.quiet and not entry_filter.entry_word and entry.act in QUIET)
        and (entry_filter.about is None or _is_about(entry, entry_filter.about))
        and (not texts or entry.matches(texts))
    )


def _is_about(entry: Entry, about_filter: AboutFilter) -> bool:
    if entry.hash in about_filter.hashes or entry.subjects & about_filter.brought:
        return True
    if not (entry.subject in about_filter.subjects or entry.subjects & about_filter.things):
        return False
    if about_filter.span is None:
        return True
    first, last = about_filter.span
    return any(
        about_filter.rule_key in ("", rule) and start_ms < last and end_ms > first
        for rule, (start_ms, end_ms) in entry_periods(entry)
    )


def entry_periods(entry: Entry) -> list[tuple[str, Span]]:
    """Return the stretches that an action is about, with the limit rule that it names, "" for
    none."""
    action = entry.details.get("act", {})
    found: list[tuple[str, Span]] = []
    for one in (action, *action.get("found", ())):
        own = one if one is not action else action.get("seen") or action.get("gap")
        if isinstance(own, dict):
            rule = one.get("rule")
            key = limit_rule(rule).key if isinstance(rule, dict) else ""
            found.append((key, (int(own["start_ms"]), int(own["end_ms"]))))
    return found


# -- what entries are about ------------------------------------------------------------------------
def about_site(desk: Workspace, site_id: int) -> AboutFilter:
    """Return a site with its points and the loggers there, to look for."""
    site = next(site for site in sites(desk) if site.id == site_id)
    things: set[Thing] = {("site", site.uid)}
    names = {site.name}
    for point in site.points:
        things.add(("point", point.uid))
        names.add(point.full_name)
        if point.serial:
            things.add(("logger", point.serial))
    return AboutFilter(site.name, frozenset(things), frozenset(names))


def about_point(
    desk: Workspace, point_id: int, span: Span | None = None, rule: str = ""
) -> AboutFilter:
    """Return a point to look for; with a stretch, what was done about that stretch and what brought
    its readings."""
    point = next(p for site in sites(desk) for p in site.points if p.id == point_id)
    things: frozenset[Thing] = frozenset({("point", point.uid)})
    if span is not None:
        with desk.archive.reading() as session:
            brought: frozenset[Thing] = frozenset(
                ("bytes", sha256) for sha256 in offloads_within(session, point_id, span)
            )
        words = _period_text(point.full_name, point.zone, span)
        return AboutFilter(words, things, rule_key=rule, span=span, brought=brought)
    return AboutFilter(point.full_name, things, frozenset({point.full_name}))


def _period_text(name: str, zone: str, span: Span) -> str:
    return f"{name}, {from_ms(span[0], zone):%Y-%m-%d %H:%M}"


def about_logger(serial: str, mission: int | None = None) -> AboutFilter:
    """Return a logger to look for, or one of its missions."""
    if mission is None:
        return AboutFilter(serial, frozenset({("logger", serial)}), frozenset({serial}))
    return AboutFilter(
        f"{serial}, mission {mission}", frozenset({("mission", f"{serial}/{mission}")})
    )


def about_document(uid: str, sha256: str, name: str) -> AboutFilter:
    """Return a document to look for."""
    return AboutFilter(name, frozenset({("document", uid), ("bytes", sha256)}))


def about_conflicts(desk: Workspace) -> AboutFilter:
    """Return the actions that found something otherwise than they say, and nobody has looked at."""
    with desk.archive.reading() as session:
        return AboutFilter(
            "found otherwise", frozenset(), hashes=frozenset(unseen_conflicts(session))
        )


def acknowledge_conflict(desk: Workspace, entry: Entry) -> None:
    """Acknowledge a conflict of an entry.

    Raises:
        InputError: there is nothing to look at, or somebody did already.
    """
    with desk.archive.reading() as session:
        found = unseen_conflicts(session).get(entry.hash)
    if found is None:
        raise InputError("There is nothing left to acknowledge here; select another entry.")
    desk.do(ConflictAcknowledged(entry.hash, entry.sentence, tuple(found), entry.subject))


# -- heads -----------------------------------------------------------------------------------------
def newest_entry(desk: Workspace) -> Entry | None:
    """Return the newest entry: its hash covers all before it. None where there is none."""
    with desk.archive.reading() as session:
        return next(iter(logbook.entries(session)), None)


def head_hash_text(desk: Workspace) -> str:
    """Return the newest entry as documents print it; "" where there is none."""
    last = newest_entry(desk)
    return f"entry {last.seq}, {last.hash}" if last else ""


def compare_hashes(desk: Workspace, text: str) -> str:
    """Hold the hashes in a text, typed or out of a document, against the logbook; returns what that
    says, in a sentence.

    Raises:
        InputError: there is no hash in it.
    """
    typed = set(_HASH.findall(re.sub(r"(?<=[0-9a-f]) (?=[0-9a-f])", "", text.casefold())))
    if not typed:
        raise InputError("No hash was found; type at least eight of its digits.")
    with desk.archive.reading() as session:
        for entry in logbook.entries(session):
            if any(entry.hash.startswith(part) for part in typed):
                return (
                    f"That is entry {entry.seq:,} of {iso_utc(entry.at_ms)}: the logbook "
                    "up to there is unchanged."
                )
    return (
        "No entry of this logbook has this hash: it is of another archive, or "
        "the logbook was changed."
    )


def text_of_document(path: Path) -> str:
    """Return the text of a document that a head may be printed in: a PDF, or any text.

    Raises:
        InputError: it cannot be read.
    """
    try:
        if path.suffix.casefold() == ".pdf":
            from gezeiten.report.pages import pages_text

            return "\n".join(pages_text(path))
        with path.open(encoding="utf-8", errors="replace") as lines:
            return "".join(line for _, line in zip(range(200), lines, strict=False))
    except Exception as exc:  # a document from anywhere: whatever is wrong with it
        raise InputError(f"{path.name} cannot be read; type the hash instead.") from exc


# -- out -------------------------------------------------------------------------------------------
def write_json_lines(entries: Iterable[Entry], path: Path) -> int:
    """Write entries as JSON Lines, oldest first; returns how many.

    Raises:
        SurroundingsError: the disk.
    """
    listed = sorted(entries, key=lambda entry: entry.seq)
    lines = (
        json.dumps({**asdict(entry), "at": iso_utc(entry.at_ms)}, ensure_ascii=False)
        for entry in listed
    )
    with translated(path.parent):
        write_atomic(path, "".join(f"{line}\n" for line in lines))
    return len(listed)


def write_pdf(desk: Workspace, entries: Iterable[Entry], title: str, zone: str, path: Path) -> int:
    """Write entries as a PDF, oldest first; returns its pages.

    Raises:
        SurroundingsError: the disk.
    """
    # reportlab is slow to import and only documents need it
    from gezeiten.report.logbook_sheet import EntryLine, LogbookSheet, write_logbook

    listed = sorted(entries, key=lambda entry: entry.seq)
    lines = tuple(
        EntryLine(
            f"{entry.seq:,}",
            f"{from_ms(entry.at_ms, zone):%Y-%m-%d %H:%M}",
            entry.person,
            entry.act,
            entry.subject,
            entry.sentence,
            entry.hash[:16],
        )
        for entry in listed
    )
    sheet = LogbookSheet(title, zone, desk.person, head_hash_text(desk), lines)
    with translated(path.parent):
        return write_logbook(sheet, path)
