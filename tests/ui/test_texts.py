"""Text files in the window: columns said by hand, several files, kinds, what was taken; and the
model behind it, without a window."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtWidgets import QWidget
from pytestqt.qtbot import QtBot

from gezeiten.desk.intake.texts.import_templates import recognise_text, stored_templates
from gezeiten.desk.intake.texts.imported_texts import imported_texts
from gezeiten.desk.intake.texts.text_files import import_text, preview
from gezeiten.ui.shell.app_context import AppContext
from gezeiten.ui.texts.dialog import TextDialog
from gezeiten.ui.texts.folder_watching import TextWatching
from gezeiten.ui.texts.import_templates_dialog import ImportTemplatesDialog
from gezeiten.ui.texts.imported_texts_dialog import ImportedTextsDialog
from gezeiten.ui.texts.model import BEFORE, HEAD, LEFT_OUT, READING, TextModel
from gezeiten.ui.texts.several_texts_dialog import ManyTextsDialog
from tests.conftest import Lab
from tests.desk.intake.texts.test_text_files import POINT, station, tie_of

PATIENCE_MS = 60_000
TEXT = """Station: Weather
when;temp (°C);QC;air pressure
2024-05-01 00:00;4;ok;1010
2024-05-01 01:00;err;ok;1011
battery changed
2024-05-01 02:00;6;E;1012
2024-05-01 03:00;7;ok;1013
2024-05-01 04:00;8;ok;1014
"""


@pytest.fixture
def model(lab: Lab, tmp_path: Path) -> TextModel:
    path = tmp_path / "a.txt"
    path.write_text(TEXT)
    made = TextModel(path)
    made.points = ["Krabbenkoog · Weather", "Krabbenkoog · Siel"]
    made.set_recognised(recognise_text(lab.desk, path))
    return made


@pytest.fixture
def context(lab: Lab, qtbot: QtBot) -> AppContext:
    return AppContext(lab.desk)


@pytest.fixture
def parent(qtbot: QtBot) -> QWidget:
    made = QWidget()
    qtbot.addWidget(made)
    return made


def test_a_station_in_the_head_is_the_point_of_that_name(model: TextModel) -> None:
    assert model.template is not None
    assert model.template.point == "Krabbenkoog · Weather"
    assert [model.role(i) for i in range(4)] == ["time", "value", "flags", "value"]
    assert model.recognised is not None
    assert model.recognised.proposal.hints == {3: "hPa"}
    assert model.complaint == "Answer the question above first."


def test_a_place_of_the_head_that_no_point_is_called_by_is_offered(
    lab: Lab, tmp_path: Path
) -> None:
    path = tmp_path / "a.txt"
    path.write_text(TEXT.replace("Station: Weather", "Serial: 4711\nStation: Mole"))
    made = TextModel(path)
    made.set_recognised(recognise_text(lab.desk, path))
    assert made.places_in_head == ["Mole"]
    made.set_field("point", "Mole")
    assert made.places_in_head == []


def test_lines_and_cells_are_marked_as_they_are_understood(model: TextModel) -> None:
    assert model.trial is not None
    lines = model.lines(preview(model.path, model.trial))
    assert [line.kind for line in lines] == [
        BEFORE,
        HEAD,
        READING,
        READING,
        LEFT_OUT,
        READING,
        READING,
        READING,
    ]
    assert lines[3].spoilt == {1}
    assert "it has 1 column" in lines[4].reason


def test_what_was_chosen_stays_when_something_else_changes(lab: Lab, model: TextModel) -> None:
    model.set_field("point", "Elsewhere · There")
    model.set_field("zone", "Europe/Berlin")
    flags, suspects = [doubt for doubt in model.open if doubt.many]
    model.answer(suspects, "")
    model.answer(flags, "E")
    pressure = next(mapping for mapping in model.of_column(3))
    model.set_column(replace(pressure, unit="hPa"))
    assert model.complaint == ""
    model.be_time(0, alone=True)
    model.set_recognised(recognise_text(lab.desk, model.path, model.known))
    tie = model.template
    assert tie is not None
    assert (tie.point, tie.form.time.zone) == ("Elsewhere · There", "Europe/Berlin")
    assert tie.form.flags[0].none == ("E",)
    assert model.of_column(3)[0].unit == "hPa"
    assert model.complaint == ""


def test_a_column_is_said_to_hold_flags_or_values_by_hand(model: TextModel) -> None:
    model.exclude_column(3)
    assert model.role(3) == "untied"
    model.be_flags(3)
    assert model.role(3) == "flags"
    assert [doubt.about for doubt in model.open if doubt.kind == "flags"][-1] == 3


def test_a_column_is_said_in_the_window_and_all_is_taken_and_taken_out(
    lab: Lab, context: AppContext, parent: QWidget, qtbot: QtBot, tmp_path: Path
) -> None:
    path = tmp_path / "a.txt"
    path.write_text(TEXT)
    dialog = TextDialog(parent, context, path)
    qtbot.waitUntil(lambda: dialog.model.template is not None, timeout=PATIENCE_MS)
    words = [action.text() for action in dialog.column_menu(3).actions()]
    assert words[0] == "This column is the time"
    dialog.column_menu(3).actions()[-1].trigger()
    assert words[-1] == "Skip column"
    assert dialog.model.role(3) == "untied"
    dialog.point.setCurrentText(POINT)
    dialog.zone.setCurrentText("UTC")
    flags, suspects = [doubt for doubt in dialog.model.open if doubt.many]
    dialog.questions.answered.emit(flags, "E")
    dialog.questions.answered.emit(suspects, "")
    qtbot.waitUntil(lambda: "4 readings in total" in dialog.words.text(), timeout=PATIENCE_MS)
    dialog.take.click()
    qtbot.waitUntil(lambda: "4 readings saved" in dialog.words.text(), timeout=PATIENCE_MS)
    assert "battery changed" in dialog.left_out.toPlainText()
    dialog.take_back.click()
    qtbot.waitUntil(lambda: "Removed from the record" in dialog.words.text(), timeout=PATIENCE_MS)
    assert imported_texts(lab.desk)[0].removed_ms is not None


def test_several_files_are_taken_and_one_taken_out_again(
    lab: Lab, context: AppContext, parent: QWidget, qtbot: QtBot, tmp_path: Path
) -> None:
    first = station(tmp_path / "a.txt", 30)
    import_text(lab.desk, first, tie_of(lab, first))
    station(tmp_path / "b.txt", 30, 30)
    (tmp_path / "notes.md").write_text("nothing but words\n")
    dialog = ManyTextsDialog(
        parent, context, [tmp_path / n for n in ("a.txt", "b.txt", "notes.md")]
    )
    qtbot.waitUntil(dialog.take.isEnabled, timeout=PATIENCE_MS)
    assert dialog.words.text().startswith("1 file is ready; 1 is already saved;")
    with qtbot.waitSignal(dialog.taken, timeout=PATIENCE_MS):
        dialog.take.click()
    taken = ImportedTextsDialog(parent, context)
    qtbot.waitUntil(lambda: taken.table.rowCount() == 2, timeout=PATIENCE_MS)
    assert taken.table.item(0, 2).text() == "b.txt"
    taken.why.setText("wrong mast")
    taken.take_out.click()
    qtbot.waitUntil(lambda: "b.txt was removed" in taken.words.text(), timeout=PATIENCE_MS)
    qtbot.waitUntil(lambda: "removed" in taken.table.item(0, 5).text(), timeout=PATIENCE_MS)


def test_kinds_are_changed_exported_forgotten_and_read_in(
    lab: Lab, context: AppContext, parent: QWidget, qtbot: QtBot, tmp_path: Path
) -> None:
    path = station(tmp_path / "a.txt", 30)
    import_text(lab.desk, path, tie_of(lab, path))
    dialog = ImportTemplatesDialog(parent, context)
    qtbot.waitUntil(lambda: dialog.name.text() == "Weather station", timeout=PATIENCE_MS)
    assert dialog.table.item(0, 3).text() == "Air temperature, Air pressure"
    dialog.name.setText("Mast")
    assert dialog.column.itemText(1) == "Air pressure (hPa)"
    dialog.column.setCurrentIndex(1)
    assert (dialog.what.currentText(), dialog.unit.currentText()) == ("Air pressure", "hPa")
    dialog.what.setCurrentIndex(dialog.what.findData("gauge_pressure"))
    dialog.what.activated.emit(dialog.what.currentIndex())
    dialog.unit.setCurrentText("bar")
    dialog.unit.activated.emit(dialog.unit.currentIndex())
    dialog.change.click()
    qtbot.waitUntil(lambda: dialog.table.item(0, 0).text() == "Mast", timeout=PATIENCE_MS)
    assert dialog.table.item(0, 3).text() == "Air temperature, Gauge pressure"
    [tie] = stored_templates(lab.desk)
    assert [(column.quantity, column.unit) for column in tie.columns][1] == (
        "gauge_pressure",
        "bar",
    )
    dialog.export_to(tmp_path / "mast.kind.json")
    qtbot.waitUntil(lambda: "Exported" in dialog.words.text(), timeout=PATIENCE_MS)
    dialog.forget.click()
    qtbot.waitUntil(lambda: dialog.table.rowCount() == 0, timeout=PATIENCE_MS)
    dialog.read(tmp_path / "mast.kind.json")
    qtbot.waitUntil(lambda: dialog.table.rowCount() == 1, timeout=PATIENCE_MS)
    assert [template.name for template in stored_templates(lab.desk)] == ["Mast"]


def test_what_arrives_in_a_watched_folder_is_told(
    lab: Lab, context: AppContext, qtbot: QtBot, tmp_path: Path
) -> None:
    import os

    first = station(tmp_path / "a.txt", 30)
    import_text(lab.desk, first, tie_of(lab, first))
    arrives = tmp_path / "in"
    arrives.mkdir()
    for path in (station(arrives / "b.txt", 30, 30), arrives / "c.csv"):
        if not path.exists():
            path.write_text("time;level (m)\n2024-01-01 00:00;1\n2024-01-01 01:00;2\n")
        os.utime(path, (1e9, 1e9))
    lab.desk.settings = replace(lab.desk.settings, text_folders=f"{arrives}, {tmp_path / 'gone'}")
    watching = TextWatching(context)
    with qtbot.waitSignal(context.said, timeout=PATIENCE_MS) as said:
        watching.restart()
    assert said.args[0] == (
        "30 readings imported from watched folders; 1 text file waits for an answer: "
        "c.csv (Ctrl+O)."
    )
    watching.stop()
