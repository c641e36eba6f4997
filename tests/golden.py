"""What an archive tells, whatever its form: for comparing it before and after a change of form.

    python -m tests.golden FOLDER          prints it as JSON; the folder is copied first

Everything is asked of the desk, nothing of tables, and named by words, never by row numbers. What
was measured is told by counts and fingerprints.
"""

from __future__ import annotations

import hashlib
import json
import shutil
import sys
import tempfile
from collections.abc import Callable
from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np

from gezeiten.archive.queries.missions import missions_at
from gezeiten.desk.base.pin_store import MemoryPins
from gezeiten.desk.base.workspace import TrustedClock, Workspace, computer_now_ms
from gezeiten.desk.field.gaps import gaps
from gezeiten.desk.field.rounds import open_round
from gezeiten.desk.intake.recovery import recover
from gezeiten.desk.intake.texts.import_templates import stored_templates
from gezeiten.desk.logger.launch.planning import stored_plans
from gezeiten.desk.office.issuing import issued_documents
from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.office.logger_history import life, loggers
from gezeiten.desk.office.verification import verify
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.record.excursion_book import BookedExcursion, excursions
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import points, sites
from gezeiten.domain.plan.plan import plan_from_dict
from gezeiten.domain.series.series import Series


def golden(desk: Workspace) -> dict[str, Any]:
    """Return everything that must stay what it is, as JSON gives it back."""
    told = {
        "sites": [_without(asdict(site), "id", "uid", "points") for site in sites(desk)],
        "records": _records(desk),
        "plans": {p.full_name: _plans(desk, p.id) for p in points(desk)},
        "gaps": [
            [b.point.full_name, list(b.channels), asdict(b.gap), b.state, b.reason]
            for b in gaps(desk)
        ],
        "excursions": sorted(
            (
                _without(
                    {
                        **asdict(e),
                        "point": e.point.full_name,
                        "key": e.rule.key,
                        "rule": _as_before(e),
                        "gone": e.is_gone,
                        "words": e.comment,
                    },
                    "is_gone",
                    "comment",
                    "id",
                    "changed",
                    "assessed",
                    "once",
                    "once_by",
                )
                for e in excursions(desk)
            ),
            key=lambda e: (e["point"], e["mission"], e["key"], e["start_ms"]),
        ),
        "loggers": [_life(desk, serial) for serial, _, _ in loggers(desk)],
        "documents": _documents(desk),
        "kept plans": [_without(asdict(kept), "uid") for kept in stored_plans(desk)],
        "kept ties": [_tie(tie.as_dict()) for tie in stored_templates(desk)],
        "round": _round(desk),
        "logbook": _logbook(desk),
        "whole": _whole(desk),
    }
    return json.loads(json.dumps(told, default=str, sort_keys=True))


def golden_of(folder: Path) -> dict[str, Any]:
    """Return what the archive in a folder tells; a copy is opened, the folder stays as it is."""
    with tempfile.TemporaryDirectory() as work:
        shutil.copytree(folder, Path(work) / "copy")
        desk = opened(Path(work) / "copy")
        try:
            return golden(desk)
        finally:
            desk.close()


def opened(folder: Path, now_ms: Callable[[], float] = computer_now_ms) -> Workspace:
    """Open an archive as the window and the commands do."""
    desk = open_workspace(
        folder, now_ms=now_ms, computer=TrustedClock(), pins=MemoryPins(), zone="Europe/Berlin"
    )
    try:
        recover(desk)
    except BaseException:
        desk.close()
        raise
    return desk


def fingerprint_of(series: Series) -> str:
    """Return a fingerprint of readings: instants, values with one NaN and no -0.0, qualities,
    intervals."""
    values = np.where(np.isnan(series.values), np.nan, series.values + 0.0)
    digest = hashlib.sha256()
    for column, kind in (
        (series.times_utc_ms, "<i8"),
        (values, "<f8"),
        (series.quality, "u1"),
        (series.interval_ms, "<i8"),
    ):
        digest.update(np.ascontiguousarray(column, kind).tobytes())
    return digest.hexdigest()


def _records(desk: Workspace) -> dict[str, Any]:
    told = {}
    for point in points(desk):
        for place in point.channels:
            series = record(desk, point.id, place.channel)
            ends = [int(series.times_utc_ms[i]) for i in (0, -1)] if len(series) else []
            told[f"{point.full_name} · {place.channel}"] = {
                "unit": place.unit,
                "readings": len(series),
                "from to": ends,
                "estimated": int(series.estimated.sum()),
                "sha256": fingerprint_of(series),
            }
    return told


def _as_before(event: BookedExcursion) -> dict[str, Any]:
    """Its limit; that one is of a plan, and of readings, was all that there could be up to 0009."""
    rule = asdict(event.rule)
    return _without(rule, *(name for name in ("origin", "mean_s") if not rule[name]))


def _plans(desk: Workspace, point_id: int) -> list[Any]:
    with desk.archive.reading() as session:
        listed = list(
            {mission.id: mission for mission, _ in missions_at(session, point_id)}.values()
        )
    return [
        [
            mission.number,
            mission.first_ms,
            later.first_ms if later else None,
            plan_from_dict(mission.plan).as_dict(),
        ]
        for mission, later in zip(listed, [*listed[1:], None], strict=False)
    ]


def _life(desk: Workspace, serial: str) -> dict[str, Any]:
    """As the golden files call it, which were written when fields had other names."""
    told = asdict(life(desk, serial))
    told["services"] = [
        {**_without(service, "id", "note"), "words": service["note"]}
        for service in told["services"]
    ]
    told["missions"] = [
        {**_without(mission, "stored"), "kept": mission["stored"]} for mission in told["missions"]
    ]
    return told


_OF_THE_COPY = ("point_id", "file_name", "state", "uid", "is_stored", "shown")
"""Of a document: what is only of this database or of its copy."""


def _documents(desk: Workspace) -> list[Any]:
    names = {point.id: point.full_name for point in points(desk)}
    return [
        {
            **_without(asdict(issued_document), *_OF_THE_COPY),
            "point": names[issued_document.point_id],
        }
        for issued_document in issued_documents(desk)
    ]


def _round(desk: Workspace) -> Any:
    under_way = open_round(desk)
    if under_way is None:
        return None
    return [[t.site, t.point, t.serial, t.omitted_because, t.is_done] for t in under_way.tasks]


def _logbook(desk: Workspace) -> list[Any]:
    entries = sorted(logbook_entries(desk), key=lambda entry: entry.seq)
    return [
        [e.seq, e.at_ms, e.person, e.act, e.subject, e.sentence, e.hash]
        for e in entries
        if e.act not in ("archive begun", "found")  # entered when an older archive is opened
    ]


def _whole(desk: Workspace) -> dict[str, Any]:
    told = _without(asdict(verify(desk)), "skipped", "resumed", "unnamed", "lost")
    return {**told, "entries": len(_logbook(desk))}


_SINCE_0012 = (
    "where",
    "point",
    "label",
    "opening",
    "beside",
    "thousands",
    "glued",
    "flags",
    "ragged",
    "period",
    "rolls",
)


def _tie(told: dict[str, Any]) -> dict[str, Any]:
    """A tie without what ties had no word for before, where it says nothing."""

    def bare(part: dict[str, Any]) -> dict[str, Any]:
        return {name: value for name, value in part.items() if value or name not in _SINCE_0012}

    form = bare(told["form"])
    form["time"] = bare(form["time"])
    return {**told, "form": form, "columns": [bare(one) for one in told["columns"]]}


def _without(told: dict[str, Any], *names: str) -> dict[str, Any]:
    return {name: value for name, value in told.items() if name not in names}


if __name__ == "__main__":
    print(json.dumps(golden_of(Path(sys.argv[1])), indent=1, sort_keys=True, ensure_ascii=False))
