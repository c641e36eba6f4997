"""A whole text is taken out of the record again, and may come back: bytes stay, readings go."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from gezeiten.desk.field.gaps import gaps
from gezeiten.desk.intake.recovery import recover
from gezeiten.desk.intake.texts.import_templates import proposed_template, recognise_text
from gezeiten.desk.intake.texts.imported_texts import imported_texts, remove_text
from gezeiten.desk.intake.texts.several_texts import recognise_texts
from gezeiten.desk.intake.texts.text_files import import_text
from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.office.verification import rebuild, verify
from gezeiten.desk.record.statements.corrections import chain
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import point_named, points
from gezeiten.domain.series.quality import Quality
from gezeiten.errors import InputError
from gezeiten.exchange.text.questions import apply_answer
from tests.conftest import Lab
from tests.desk.intake.test_texts_of_several import LONG, MOLE, SIEL, tied, values
from tests.desk.intake.texts.test_text_files import series, station, tie_of


def held(lab: Lab) -> int:
    return len(series(lab)[0])


def test_of_two_texts_one_goes_and_what_both_held_stays(lab: Lab, tmp_path: Path) -> None:
    first = station(tmp_path / "a.txt", 30)
    second = station(tmp_path / "b.txt", 40, 20)
    for path in (first, second):
        import_text(lab.desk, path, tie_of(lab, path))
    assert held(lab) == 60
    [newer, older] = imported_texts(lab.desk)
    assert (older.file, newer.file, newer.readings) == ("a.txt", "b.txt", 40)
    remove_text(lab.desk, older.sha256, "of another mast")
    assert held(lab) == 40
    assert series(lab)[1][0] == pytest.approx(10 + 20 % 7)
    assert gaps(lab.desk) == []
    assert lab.desk.archive.vault.is_intact(older.sha256)
    assert verify(lab.desk).is_intact
    assert (
        "a.txt removed from the record of Krabbenkoog · Weather (of another mast)"
        in logbook_entries(lab.desk)[0].sentence
    )
    assert imported_texts(lab.desk)[1].removed_ms is not None
    with pytest.raises(InputError, match="This file is no longer in the record"):
        remove_text(lab.desk, older.sha256, "")
    [again] = recognise_texts(lab.desk, [first])
    assert again.needs_no_answer
    assert import_text(lab.desk, first, tie_of(lab, first)).readings == 20
    assert held(lab) == 60
    assert verify(lab.desk).is_intact


def test_the_only_text_goes_from_all_its_points_and_comes_back(lab: Lab, tmp_path: Path) -> None:
    path = tmp_path / "long.csv"
    tie = tied(lab, path, LONG)
    at = {"Siel": SIEL, "Mole": MOLE}
    columns = tuple(replace(column, point=at[column.label], label="") for column in tie.columns)
    import_text(lab.desk, path, replace(tie, columns=columns))
    sha256 = imported_texts(lab.desk)[0].sha256
    remove_text(lab.desk, sha256, "")
    assert [point.channels for point in points(lab.desk)] == [(), ()]
    assert verify(lab.desk).is_intact
    again = recognise_text(lab.desk, path).template
    assert again is not None
    import_text(lab.desk, path, again)
    assert values(lab, MOLE, "water_level") == [2.25, 2.26]
    assert verify(lab.desk).is_intact


def test_it_is_so_as_well_where_all_is_made_anew(lab: Lab, tmp_path: Path) -> None:
    for name, start in (("a.txt", 0), ("b.txt", 20)):
        path = station(tmp_path / name, 30, start)
        import_text(lab.desk, path, tie_of(lab, path))
    remove_text(lab.desk, imported_texts(lab.desk)[0].sha256, "")
    before = np.concatenate(series(lab))
    rebuild(lab.desk)
    recover(lab.desk)
    np.testing.assert_array_equal(np.concatenate(series(lab)), before)
    assert verify(lab.desk).is_intact


FLAGGED = """time;level (m);QC
2024-05-01 00:00;2.0;g
2024-05-01 01:00;2.1;s
2024-05-01 02:00;2.2;s
2024-05-01 03:00;9.9;b
2024-05-01 04:00;2.4;g
2024-05-01 05:00;2.5;s
"""


def test_flags_become_codes_that_go_and_come_with_their_file(lab: Lab, tmp_path: Path) -> None:
    path = tmp_path / "staff.csv"
    path.write_text(FLAGGED)
    recognised = recognise_text(lab.desk, path)
    form = proposed_template(recognised, "Staff").form
    for doubt in recognised.doubts:
        form = apply_answer(form, doubt, {"flags": "b", "suspects": "s"}.get(doubt.kind, "UTC"))
    tie = replace(proposed_template(recognised, "Staff"), point=SIEL, form=form)
    import_text(lab.desk, path, tie)

    def codes() -> list[str]:
        made = record(lab.desk, point_named(lab.desk, SIEL).id, "water_level")
        return [Quality(int(one)).file_code for one in made.quality]

    assert codes() == ["good", "suspect", "suspect", "good", "suspect"]
    point = point_named(lab.desk, SIEL)
    [step] = chain(lab.desk, point, "water_level").corrections
    assert (step.reason, len(step.parameters["stretches"])) == ("flags in staff.csv", 2)
    assert verify(lab.desk).is_intact
    [taken] = imported_texts(lab.desk)
    remove_text(lab.desk, taken.sha256, "of another staff")
    assert chain(lab.desk, point, "water_level").corrections == ()
    import_text(lab.desk, path, tie)
    assert codes() == ["good", "suspect", "suspect", "good", "suspect"]
    rebuild(lab.desk)
    assert verify(lab.desk).is_intact
    assert codes() == ["good", "suspect", "suspect", "good", "suspect"]
    again = recognise_text(lab.desk, path)
    assert [doubt.kind for doubt in again.doubts] == []  # all its flags are known
    path.write_text(FLAGGED + "2024-05-01 06:00;2.6;x\n")
    assert [doubt.kind for doubt in recognise_text(lab.desk, path).doubts] == ["flags", "suspects"]
