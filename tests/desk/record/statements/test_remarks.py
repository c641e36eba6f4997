"""Remarks: on a series, a point, a whole site; shown where they are about, found in the logbook and
in papers."""

from __future__ import annotations

from pathlib import Path

import pypdf
import pytest

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.office.issuing import export_pdf
from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.office.verification import verify
from gezeiten.desk.record.statements.remarks import remarks, withdraw_remark, write_remark
from gezeiten.desk.sites.places import point_named
from gezeiten.domain.series.timeline import DAY_MS
from gezeiten.errors import InputError
from gezeiten.ui.charts.lanes import remarks_of


def test_a_remark_is_seen_where_it_is_about_and_nowhere_else(
    demo_desk: Workspace, tmp_path: Path
) -> None:
    room, other, away = (
        point_named(demo_desk, name) for name in ("Cold room A", "Cold room B", "Creek gauge")
    )
    at_ms = round(demo_desk.now_ms()) - 2 * DAY_MS
    key, second = (place.channel for place in room.channels)
    write_remark(demo_desk, room.id, (at_ms, at_ms), " Probe moved. ", series=key)
    write_remark(demo_desk, room.id, (at_ms, at_ms + 9), "Door open for painting.")
    write_remark(demo_desk, room.id, (at_ms, at_ms), "Power cut.", series=key, whole_site=True)
    assert {remark.text for remark in remarks_of(demo_desk, room, key)} == {
        "Probe moved.",
        "Door open for painting.",
        "Power cut.",
    }
    assert len(remarks_of(demo_desk, room, second)) == 2
    assert [remark.text for remark in remarks(demo_desk, other.id)] == ["Power cut."]
    assert remarks(demo_desk, away.id) == []
    assert "Power cut." in logbook_entries(demo_desk)[0].sentence
    span = (at_ms - DAY_MS, at_ms + DAY_MS)
    paper = export_pdf(demo_desk, room, span, tmp_path / "a.pdf").path
    words = " ".join(page.extract_text() for page in pypdf.PdfReader(paper).pages)
    assert "Door open for painting." in words
    assert "the whole site" in words.replace("\n", " ")
    withdraw_remark(demo_desk, remarks(demo_desk, other.id)[0])
    assert remarks(demo_desk, other.id) == []
    assert verify(demo_desk).faults == []


@pytest.mark.parametrize(
    ("span", "words", "reason"),
    [
        ((5, 5), "  ", "type one"),
        ((5, 4), "x", "The end must be after the start; correct one of the two."),
    ],
)
def test_a_remark_has_words_and_an_end_behind_its_begin(
    demo_desk: Workspace, span: tuple[int, int], words: str, reason: str
) -> None:
    point = point_named(demo_desk, "Cold room A")
    with pytest.raises(InputError, match=reason):
        write_remark(demo_desk, point.id, span, words)
