"""Bytes are read as they were when they came, whatever a newer reader would make of them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from gezeiten.archive.intake import texts
from gezeiten.archive.intake.mission_decoding import TextRead
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.intake import raw_bytes
from gezeiten.desk.intake.texts.text_files import import_text
from gezeiten.desk.logger.launch.launching import launch
from gezeiten.desk.logger.offloading import offload_logger
from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.office.verification import rebuild, verify
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import point_named
from gezeiten.errors import InputError
from gezeiten.exchange.text import reading
from tests.conftest import ANCHOR_MS, STORE_PLAN, Lab
from tests.desk.intake.texts.test_text_files import POINT, station, tie_of
from tests.golden import fingerprint_of, opened


@pytest.fixture
def taken(lab: Lab, tmp_path: Path) -> Lab:
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    lab.go_to(ANCHOR_MS)
    offload_logger(lab.desk, lab.standin.address, lab.serial)
    path = station(tmp_path / "weather.txt", 200)
    import_text(lab.desk, path, tie_of(lab, path))
    return lab


def prints(desk: Workspace) -> dict[str, str]:
    points = ((POINT, "air_temperature"), ("Textile store", "relative_humidity"))
    return {
        name: fingerprint_of(record(desk, point_named(desk, name).id, channel))
        for name, channel in points
    }


def warmer(read: Callable[..., Any]) -> Callable[..., Any]:
    """A reader that makes half a degree more of the same bytes."""

    def reader(vault: Any, offload: Any) -> Any:
        found = read(vault, offload)
        if isinstance(found, TextRead):
            pieces = (
                replace(piece, values=[v + 0.5 for v in piece.values]) for piece in found.pieces
            )
            return replace(found, pieces=pieces)
        return replace(found, values=[np.asarray(v) + 0.5 for v in found.values])

    return reader


def bytes_of(desk: Workspace, kind: str) -> str:
    [entry] = [e for e in logbook_entries(desk) if e.details["kind"] == kind]
    return str(entry.details["act"]["raw"]["sha256"])


KINDS = ("mission offloaded", "text taken in")


def test_texts_are_looked_at_as_they_will_be_read() -> None:
    assert texts.READER == reading.VERSION == max(raw_bytes.TEXT_READERS)


def test_a_newer_reader_changes_nothing_until_somebody_wants_it(
    taken: Lab, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = prints(taken.desk)
    for readers in (raw_bytes.MISSION_READERS, raw_bytes.TEXT_READERS):
        monkeypatch.setitem(readers, max(readers) + 1, warmer(readers[max(readers)]))
    assert verify(taken.desk).is_intact
    folder = taken.desk.archive.folder
    taken.desk.close()
    for path in folder.glob("local.db*"):
        path.unlink()
    taken.desk = opened(folder, taken.clock.now_ms)
    assert prints(taken.desk) == before
    for kind in KINDS:
        raw_bytes.reread(taken.desk, bytes_of(taken.desk, kind)[:12])
    after = prints(taken.desk)
    assert all(after[name] != before[name] for name in before)
    assert verify(taken.desk).is_intact
    [told] = [e for e in logbook_entries(taken.desk) if e.details["kind"] == "read anew"][:1]
    assert "version 4 → 5 of the reader" in told.sentence  # of the text, which came last
    rebuild(taken.desk)
    assert prints(taken.desk) == after
    with pytest.raises(
        InputError, match=r"This file is read as it was when imported; there is nothing to do\."
    ):
        raw_bytes.reread(taken.desk, bytes_of(taken.desk, KINDS[0])[:12])


def test_a_reader_that_changed_unnoticed_is_noticed_and_what_is_kept_stays(
    taken: Lab, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = prints(taken.desk)
    for readers in (raw_bytes.MISSION_READERS, raw_bytes.TEXT_READERS):
        monkeypatch.setitem(readers, max(readers), warmer(readers[max(readers)]))
    faults = verify(taken.desk).faults
    assert len(faults) == 2
    assert all(
        "this version reads the file differently, and the readings as first imported are kept;"
        in fault
        for fault in faults
    )
    rebuild(taken.desk)
    assert prints(taken.desk) == before
    for kind in KINDS:
        raw_bytes.reread(taken.desk, bytes_of(taken.desk, kind)[:12])
    assert verify(taken.desk).is_intact
    assert prints(taken.desk) != before


def test_bytes_of_a_newer_programs_reader_are_named(
    taken: Lab, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = prints(taken.desk)
    monkeypatch.setitem(raw_bytes.TEXT_READERS, 7, raw_bytes.TEXT_READERS[1])
    monkeypatch.setattr("gezeiten.archive.intake.texts.READER", 7)
    path = taken.desk.archive.folder.parent / "more.txt"
    import_text(taken.desk, station(path, 50, start=500), tie_of(taken, path))
    monkeypatch.delitem(raw_bytes.TEXT_READERS, 7)
    [fault] = verify(taken.desk).faults
    assert "which this version of Gezeiten lacks" in fault
    assert prints(taken.desk)["Textile store"] == before["Textile store"]


@pytest.mark.parametrize("typed", ["", "abc", "f" * 12])
def test_what_names_no_bytes_is_refused(taken: Lab, typed: str) -> None:
    with pytest.raises(
        InputError,
        match="matches no file of this archive",
    ):
        raw_bytes.reread(taken.desk, typed)
