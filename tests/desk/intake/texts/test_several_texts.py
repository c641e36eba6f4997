"""Several texts at once: those of kept kinds are taken, the others named; folders are watched."""

from __future__ import annotations

import os
from dataclasses import replace
from pathlib import Path

import pytest

from gezeiten.desk.intake.texts.import_templates import change_kind, stored_templates
from gezeiten.desk.intake.texts.several_texts import (
    FolderWatch,
    import_texts,
    recognise_texts,
    texts_in,
)
from gezeiten.desk.intake.texts.text_files import import_text
from gezeiten.errors import CancelledError, InputError
from gezeiten.link.transfer import Watch
from tests.conftest import Lab
from tests.desk.intake.texts.test_text_files import station, tie_of

NOW_S = 1_800_000_000.0


@pytest.fixture
def folder(lab: Lab, tmp_path: Path) -> Path:
    """Five files: one of a kind that is kept by now, two more of it, one of another, one none."""
    made = tmp_path / "texts"
    made.mkdir()
    first = station(made / "a.txt", 30)
    import_text(lab.desk, first, tie_of(lab, first))
    station(made / "b.txt", 30, 30)
    station(made / "c.txt", 30, 60)
    (made / "d.csv").write_text("time,level (m)\n2024-01-01 00:00,1.5\n2024-01-01 01:00,1.6\n")
    (made / "e.bin").write_bytes(bytes(range(256)) * 9)
    (made / ".hidden").write_text("x")
    (made / "inner").mkdir()
    return made


def test_those_of_a_kept_kind_are_taken_and_the_others_named(lab: Lab, folder: Path) -> None:
    texts = recognise_texts(lab.desk, texts_in(folder))
    assert [(one.path.name, one.kind, one.needs_no_answer, one.is_imported) for one in texts] == [
        ("a.txt", "Weather station", False, True),
        ("b.txt", "Weather station", True, False),
        ("c.txt", "Weather station", True, False),
        ("d.csv", "", False, False),
        ("e.bin", "", False, False),
    ]
    assert "no import template fits; open it by itself" in texts[3].summary
    assert "This is not a text file" in texts[4].summary
    done = import_texts(lab.desk, texts)
    assert [path.name for path, _ in done.imported] == ["b.txt", "c.txt"]
    assert done.readings == 60
    again = recognise_texts(lab.desk, texts_in(folder))
    assert [one.is_imported for one in again] == [True, True, True, False, False]


def test_what_is_taken_stays_when_it_is_stopped(lab: Lab, folder: Path) -> None:
    texts = recognise_texts(lab.desk, texts_in(folder))
    stops = iter([False, False, False, False, True])
    done = import_texts(lab.desk, texts, Watch(cancelled=lambda: next(stops, True)))
    assert len(done.imported) <= 1
    with pytest.raises(CancelledError):
        recognise_texts(lab.desk, texts_in(folder), Watch(cancelled=lambda: True))


def test_a_folder_is_watched(lab: Lab, folder: Path) -> None:
    watch = FolderWatch()
    for path in texts_in(folder):
        os.utime(path, (NOW_S - 60, NOW_S - 60))
    os.utime(folder / "c.txt", (NOW_S - 2, NOW_S - 2))  # somebody is writing it
    done = watch.import_new(lab.desk, [folder, folder / "gone"], NOW_S)
    assert [path.name for path, _ in done.imported] == ["b.txt"]
    assert sorted(path.name for path in watch.waiting) == ["d.csv", "e.bin"]
    assert watch.import_new(lab.desk, [folder], NOW_S).imported == []
    later = watch.import_new(lab.desk, [folder], NOW_S + 60)
    assert [path.name for path, _ in later.imported] == ["c.txt"]
    station(folder / "b.txt", 70, 30)  # it grew
    os.utime(folder / "b.txt", (NOW_S + 100, NOW_S + 100))
    assert watch.import_new(lab.desk, [folder], NOW_S + 200).readings == 10


def test_a_kind_gets_another_name(lab: Lab, folder: Path) -> None:
    [kept] = stored_templates(lab.desk)
    change_kind(lab.desk, kept.name, replace(kept, name="Mast"))
    assert [template.name for template in stored_templates(lab.desk)] == ["Mast"]
    with pytest.raises(InputError, match=r"The import template has no name; enter one\."):
        change_kind(lab.desk, "Mast", replace(kept, name=" "))
    texts = recognise_texts(lab.desk, [folder / "b.txt", folder / "d.csv"], kind="Mast")
    assert [one.kind for one in texts] == ["Mast", "Mast"]
    assert texts[0].needs_no_answer
    assert not texts[1].needs_no_answer  # it is said to be of that kind, and cannot be read so
    [none] = recognise_texts(lab.desk, [folder / "b.txt"], kind="nothing")
    assert "There is no import template “nothing”" in none.summary
