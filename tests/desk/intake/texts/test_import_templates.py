"""Kinds of texts: recognised again, with what is each file's own; handed on as files."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import pytest

from gezeiten.desk.intake.texts.import_templates import (
    delete_template,
    export_kind,
    import_kind,
    proposed_template,
    recognise_text,
    stored_templates,
)
from gezeiten.desk.intake.texts.text_files import import_text
from gezeiten.errors import InputError
from gezeiten.exchange.text.form import ImportTemplate
from gezeiten.exchange.text.questions import FormatQuestion, apply_answer
from tests.conftest import Lab
from tests.desk.intake.texts.test_text_files import POINT


def yearless(path: Path, day: int, head: str = "") -> Path:
    rows = [f"{day:02}.05. {hour:02}:00;{hour / 4}" for hour in range(6)]
    path.write_text("\n".join([*([head] if head else []), "time;temp (°C)", *rows]) + "\n")
    return path


def tied(lab: Lab, path: Path, **answers: str) -> ImportTemplate:
    recognised = recognise_text(lab.desk, path)
    template = proposed_template(recognised, "Mast")
    form = template.form
    for doubt in recognised.doubts:
        form = apply_answer(form, doubt, answers[doubt.kind])
    return replace(template, point=POINT, form=form)


def asked(doubts: tuple[FormatQuestion, ...]) -> list[str]:
    return [doubt.kind for doubt in doubts]


def test_a_year_that_somebody_said_is_asked_for_the_next_file_again(
    lab: Lab, tmp_path: Path
) -> None:
    import_text(
        lab.desk, path := yearless(tmp_path / "a.txt", 13), tied(lab, path, year="2024", zone="UTC")
    )
    again = recognise_text(lab.desk, yearless(tmp_path / "b.txt", 14))
    assert again.template is not None
    assert asked(again.doubts) == ["year"]
    with pytest.raises(InputError, match="The year is in no line"):
        import_text(lab.desk, tmp_path / "b.txt", again.template)


def test_a_year_of_the_head_is_found_in_the_next_head(lab: Lab, tmp_path: Path) -> None:
    path = yearless(tmp_path / "a.txt", 13, "Year 2024")
    import_text(lab.desk, path, tied(lab, path, year="head:2024", zone="UTC"))
    again = recognise_text(lab.desk, yearless(tmp_path / "b.txt", 14, "Year 2025"))
    assert again.template is not None
    assert again.doubts == ()
    imported = import_text(lab.desk, tmp_path / "b.txt", again.template)
    assert imported.parts[0].first_ms == 1_747_180_800_000  # 14 May 2025, by another calendar


def test_a_station_that_a_kind_does_not_know_is_named_and_left_out(
    lab: Lab, tmp_path: Path
) -> None:
    head = "station;time;temp (°C)"
    path = tmp_path / "a.txt"
    path.write_text(f"{head}\nSiel;2024-05-01 00:00;4\nSiel;2024-05-01 01:00;5\n")
    import_text(lab.desk, path, tied(lab, path, zone="UTC"))
    more = tmp_path / "b.txt"
    more.write_text(
        f"{head}\nSiel;2024-05-01 02:00;6\nMole;2024-05-01 02:00;7\n"
        "Siel;2024-05-01 03:00;6\nMole;2024-05-01 03:00;8\n"
    )
    again = recognise_text(lab.desk, more)
    assert again.template is not None
    assert again.fresh == ("Mole",)
    imported = import_text(lab.desk, more, again.template)
    assert (imported.readings, imported.rejected_in_all) == (2, 0)
    assert recognise_text(lab.desk, more).fresh == ()  # it was left out by its name


def test_a_kind_goes_to_another_computer_as_a_file(lab: Lab, cold_lab: Lab, tmp_path: Path) -> None:
    workspace = cold_lab.desk
    path = yearless(tmp_path / "a.txt", 13)
    import_text(lab.desk, path, tied(lab, path, year="2024", zone="UTC"))
    [kept] = stored_templates(lab.desk)
    export_kind(kept, tmp_path / "mast.kind.json")
    assert import_kind(workspace, tmp_path / "mast.kind.json") == kept
    assert import_kind(workspace, tmp_path / "mast.kind.json") == kept  # twice is once
    assert stored_templates(workspace) == [kept]
    export_kind(replace(kept, point="Elsewhere · There"), tmp_path / "other.kind.json")
    with pytest.raises(InputError, match="delete it first, or have"):
        import_kind(workspace, tmp_path / "other.kind.json")
    delete_template(workspace, kept.name)
    assert stored_templates(workspace) == []


NO_KINDS = (
    "",
    "[]",
    "{",
    json.dumps({"format": "gezeiten kind of text 1"}),
    json.dumps({"format": "x", "kind": {}}),
    "[" * 99_999,
)


@pytest.mark.parametrize("content", NO_KINDS)
def test_a_file_that_is_no_kind_is_refused(lab: Lab, tmp_path: Path, content: str) -> None:
    path = tmp_path / "k.kind.json"
    path.write_text(content)
    with pytest.raises(InputError):
        import_kind(lab.desk, path)
    assert stored_templates(lab.desk) == []
