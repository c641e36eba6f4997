"""Texts in the styles of instruments and agencies: imported right, after those questions alone that
are expected; never wrong in silence."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
import pytest

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.intake.texts.several_texts import recognise_texts
from gezeiten.desk.intake.texts.text_answers import preview_import
from gezeiten.desk.intake.texts.text_files import import_text, read_pieces
from gezeiten.desk.intake.texts.text_survey import SeriesSurvey, with_values_seen
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.exchange.text.form import ColumnMapping, ImportTemplate
from tests.desk.intake.instrument_texts import TEXTS, Wanted, iso, lines, times, wave


@pytest.fixture(scope="module")
def desk(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Workspace]:
    workspace = open_workspace(tmp_path_factory.mktemp("texts") / "archive")
    yield workspace
    workspace.close()


@pytest.mark.parametrize("name", TEXTS)
def test_it_is_imported_as_it_was_written(name: str, desk: Workspace, tmp_path: Path) -> None:
    case = TEXTS[name]
    path = tmp_path / case.name
    path.write_bytes(case.body if isinstance(case.body, bytes) else case.body.encode())
    # one answer after the other: each is to a question that is open, and without it nothing goes
    given: dict[str, str] = {}
    while (outlook := preview_import(desk, path, given)).questions:
        open_ = [question.id for question in outlook.questions]
        wanted = next((answer for answer in case.answers if answer not in given), None)
        assert wanted is not None, outlook.questions
        assert wanted in open_ or wanted.startswith("quantity:"), (wanted, outlook.questions)
        given[wanted] = case.answers[wanted]
    assert given == case.answers
    assert not outlook.unused
    assert outlook.survey is not None
    assert outlook.survey.rejected.total() == case.left_out
    filled = [one for one in outlook.survey.series if one.column.quantity and one.numbers.count]
    brought = {
        (one.column.column + 1, *(text for _, text in one.column.where)): one for one in filled
    }
    assert set(brought) == {(one.column, *one.lines_of) for one in case.series}
    for wanted_series in case.series:
        one = brought[(wanted_series.column, *wanted_series.lines_of)]
        assert (one.column.quantity, one.column.unit) == (
            wanted_series.quantity,
            wanted_series.unit,
        )
        check_figures(one, wanted_series)
        check_readings(path, outlook.template, one.column, wanted_series)


def check_figures(series_survey: SeriesSurvey, wanted: Wanted) -> None:
    found = (
        series_survey.numbers.count,
        series_survey.numbers.lowest,
        series_survey.numbers.highest,
        series_survey.numbers.mean,
    )
    values = np.array(wanted.values)
    assert found == pytest.approx((len(values), values.min(), values.max(), values.mean()))
    assert [series_survey.first_ms, series_survey.last_ms] == in_ms(
        [wanted.times[0], wanted.times[-1]]
    )


def check_readings(
    path: Path, template: ImportTemplate, column: ColumnMapping, wanted: Wanted
) -> None:
    """Every reading has its instant, and its number in the text's unit."""
    found: list[int] = []
    values: list[float] = []
    for piece, _ in read_pieces(path, replace(template, columns=(column,))):
        its = piece.of(column.where)
        numbers = piece.values[column.column][its]
        found += piece.times[its][~np.isnan(numbers)].tolist()
        values += numbers[~np.isnan(numbers)].tolist()
    assert found == in_ms(wanted.times)
    assert values == pytest.approx(wanted.values)


def in_ms(moments: list[datetime]) -> list[int]:
    return [round(at.timestamp() * 1000) for at in moments]


def test_there_are_forty_of_them() -> None:
    assert len(TEXTS) >= 40


@pytest.mark.parametrize("count", [398, 399, 400, 401, 799, 800, 801])
def test_the_last_line_counts_at_every_size_of_the_sample(
    count: int, desk: Workspace, tmp_path: Path
) -> None:
    """A flag that stands in the last line alone, one line below and above what is looked at."""
    at, values = times(count), wave(count)
    rows = [
        (iso(t), v, "" if i < count - 1 else "err")
        for i, (t, v) in enumerate(zip(at, values, strict=True))
    ]
    path = tmp_path / "a.csv"
    path.write_text(lines("time;T [°C];note", rows))
    asked = {question.id for question in preview_import(desk, path, {}).questions}
    assert asked == {"zone", "point", "flags:3", "suspects:3"}


@pytest.mark.parametrize("size", [256 << 10, 1 << 20, 1 << 23])
@pytest.mark.parametrize("more", [-1, 0, 1])
def test_no_line_is_lost_at_the_size_of_a_piece(
    size: int, more: int, desk: Workspace, tmp_path: Path
) -> None:
    head, line = "time;T [°C]\n", "2024-03-01 00:00;05.0\n"
    count = (size + more - len(head.encode())) // len(line)
    first = datetime(2000, 1, 1, tzinfo=UTC)
    at = [first + timedelta(minutes=i) for i in range(count)]
    body = head + "".join(f"{t:%Y-%m-%d %H:%M};{i % 50 / 10:04.1f}\n" for i, t in enumerate(at))
    path = tmp_path / "a.csv"
    path.write_text(body[:-1] + "0" * (size + more - len(body.encode())) + "\n")
    assert path.stat().st_size == size + more
    survey = preview_import(desk, path, {"zone": "UTC"}).survey
    assert survey is not None
    assert (survey.readings, survey.rejected.total(), survey.interval_ms) == (count, 0, 60_000)
    assert survey.last_ms == in_ms(at[-1:])[0]


def test_what_a_template_has_seen_is_not_asked_again(desk: Workspace, tmp_path: Path) -> None:
    """Answers hold for exactly what was seen; another flag, name or number is asked about, also of
    a file in a watched folder."""
    path = tmp_path / "a.csv"

    def write(far: float, flag: str, place: str) -> None:
        at, values = times(500), wave(500)
        values[300] = far
        rows = [
            (iso(t), v, flag if i == 450 else "ok", "Deich" if i < 499 else place)
            for i, (t, v) in enumerate(zip(at, values, strict=True))
        ]
        path.write_text(lines("time;T [°C];note;site", rows))

    write(85.0, "late", "Deich")
    answers = {
        "zone": "UTC",
        "point": "Krabbenkoog · Mast",
        "flags:3": "",
        "suspects:3": "late",
        "far:2/Deich": "value",
    }
    outlook = preview_import(desk, path, answers)
    assert outlook.questions == []
    import_text(desk, path, with_values_seen(outlook.template, outlook.survey))
    write(85.0, "late", "Deich")
    with path.open("a") as file:
        file.write("2024-04-01 00:00;7.0;ok;Deich\n")
    [seen] = recognise_texts(desk, [path])
    assert seen.summary == ""
    for change, asked in (
        ((86.0, "late", "Deich"), "far from all other"),
        ((85.0, "x", "Deich"), "holds flags"),
        ((85.0, "late", "Watt"), "Watt"),
    ):
        write(*change)
        [seen] = recognise_texts(desk, [path])
        assert asked in seen.summary
        assert not seen.needs_no_answer
