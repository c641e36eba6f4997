"""Packed texts and sheets of workbooks, made here by other libraries, read as the plain text is."""

from __future__ import annotations

import gzip
import json
import zipfile
from datetime import UTC, date, datetime, time, timedelta
from pathlib import Path

import openpyxl
import pytest
import xlwt

from gezeiten.errors import InputError
from gezeiten.exchange.text.form import TextForm
from gezeiten.exchange.text.layout.opening import openings
from gezeiten.exchange.text.proposal import KnownFacts, propose
from gezeiten.exchange.text.reading import read_text

BEGIN = datetime(2024, 3, 5, 10, 20)
COUNT = 30
TEXT = "time;temp (°C)\n" + "".join(
    f"{BEGIN + timedelta(minutes=20 * i):%Y-%m-%d %H:%M};{4 + i / 8:.3f}\n" for i in range(COUNT)
)
WANTED = {
    (BEGIN.replace(tzinfo=UTC) + timedelta(minutes=20 * i)).timestamp() * 1000: 4 + i / 8
    for i in range(COUNT)
}


def held(path: Path, form: TextForm, column: int = 1) -> dict[float, float]:
    found: dict[float, float] = {}
    for piece in read_text(path, form, (column,)):
        found |= dict(zip(piece.times.tolist(), piece.values[column].tolist(), strict=True))
    return found


def in_utc(form: TextForm) -> TextForm:
    from dataclasses import replace

    return replace(form, time=replace(form.time, zone="UTC"))


def workbook(path: Path) -> Path:
    book = openpyxl.Workbook()
    about = book.active
    about.title = "About"
    about["A1"] = "Weather mast"
    sheet = book.create_sheet("Data")
    sheet.append(["time", "temp (°C)", "note"])
    for i in range(COUNT):
        sheet.append([BEGIN + timedelta(minutes=20 * i), 4 + i / 8, "calm\tand clear"])
    book.save(path)
    return path


def old_workbook(path: Path) -> Path:
    book = xlwt.Workbook()
    sheet = book.add_sheet("Data")
    style = xlwt.easyxf(num_format_str="DD.MM.YYYY hh:mm")
    for column, words in enumerate(("time", "temp (°C)")):
        sheet.write(0, column, words)
    for i in range(COUNT):
        sheet.write(i + 1, 0, BEGIN + timedelta(minutes=20 * i), style)
        sheet.write(i + 1, 1, 4 + i / 8)
    book.save(str(path))
    return path


def open_document(path: Path) -> Path:
    """A sheet as its standard has it (OpenDocument 1.3, part 3), with as little as may be."""

    def row(i: int) -> str:
        at = BEGIN + timedelta(minutes=20 * i)
        return (
            f'<table:table-row><table:table-cell office:value-type="date" office:date-value='
            f'"{at.isoformat()}"/><table:table-cell office:value-type="float" office:value='
            f'"{4 + i / 8}"/></table:table-row>'
        )

    names = "".join(
        f' xmlns:{short}="urn:oasis:names:tc:opendocument:xmlns:{short}:1.0"'
        for short in ("office", "table", "text")
    )
    head = "".join(
        f'<table:table-cell office:value-type="string"><text:p>{words}</text:p></table:table-cell>'
        for words in ("time", "temp (°C)")
    )
    content = (
        f'<?xml version="1.0" encoding="UTF-8"?><office:document-content{names}>'
        f'<office:body><office:spreadsheet><table:table table:name="Data"><table:table-row>'
        f"{head}</table:table-row>{''.join(map(row, range(COUNT)))}</table:table>"
        "</office:spreadsheet></office:body></office:document-content>"
    )
    with zipfile.ZipFile(path, "w") as file:
        file.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        file.writestr("content.xml", content)
        file.writestr("META-INF/manifest.xml", "<manifest/>")
    return path


@pytest.mark.parametrize("make", [workbook, old_workbook, open_document])
def test_a_sheet_is_read_as_a_text(tmp_path: Path, make: object) -> None:
    assert callable(make)
    path = make(tmp_path / "mast.book")
    proposal = propose(path)
    assert proposal.form.opening == (("sheet", "Data"),)
    assert [(column.quantity, column.unit) for column in proposal.columns][:1] == [
        ("air_temperature", "°C")
    ]
    assert held(path, in_utc(proposal.form)) == WANTED


def test_cells_of_a_sheet_say_what_they_hold(tmp_path: Path) -> None:
    book = openpyxl.Workbook()
    sheet = book.active
    for i in range(12):
        sheet.append([date(2024, 3, 5 + i), time(10, 20), 0.125, i, True, None, "x"])
    book.save(tmp_path / "a.xlsx")
    proposal = propose(tmp_path / "a.xlsx")
    assert proposal.lines[0] == "2024-03-05\t10:20:00\t0.125\t0\tTRUE\t\tx"
    assert [doubt.kind for doubt in proposal.doubts] == ["zone"]


def packed(path: Path, kind: str) -> Path:
    data = TEXT.encode("cp1252")
    if kind == "gz":
        path.write_bytes(gzip.compress(data))
        return path
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as file:
        if kind == "zip in a folder":
            file.writestr("2024/.hidden", "x")
            file.writestr("2024/mast.txt", data)
        elif kind == "workbook in a zip":
            inner = workbook(path.with_suffix(".xlsx"))
            file.write(inner, "mast.xlsx")
        else:
            file.writestr("readme.txt", "nothing to see")
            file.writestr("mast.txt.gz", gzip.compress(data))
    return path


@pytest.mark.parametrize("kind", ["gz", "zip in a folder", "workbook in a zip", "gz in a zip"])
def test_what_is_packed_is_read_as_it_was(tmp_path: Path, kind: str) -> None:
    path = packed(tmp_path / "mast.packed", kind)
    proposal = propose(path)
    assert held(path, in_utc(proposal.form)) == WANTED
    assert len(proposal.others) == (0 if kind in ("gz", "zip in a folder") else 2)


def test_another_of_several_texts_can_be_chosen(tmp_path: Path) -> None:
    path = tmp_path / "two.zip"
    with zipfile.ZipFile(path, "w") as file:
        file.writestr("a.txt", TEXT)
        file.writestr("b.txt", TEXT.replace("2024", "2025"))
    proposal = propose(path)
    assert [words for _, words in proposal.others] == ["a.txt", "b.txt"]
    other = propose(path, KnownFacts(opening=proposal.others[1][0]))
    assert min(held(path, in_utc(other.form))) > max(WANTED)


# -- bad input -------------------------------------------------------------------------------------
def test_what_is_cut_off_or_locked_is_refused_in_words(tmp_path: Path) -> None:
    whole = packed(tmp_path / "a.gz", "gz").read_bytes()
    (tmp_path / "cut.gz").write_bytes(whole[: len(whole) // 2])
    with pytest.raises(
        InputError, match=r"is a damaged or incomplete compressed file; ask for it again\."
    ):
        propose(tmp_path / "cut.gz")
    book = workbook(tmp_path / "b.xlsx").read_bytes()
    for name, data in (
        ("cut.xlsx", book[: len(book) // 2]),
        ("no.zip", b"PK\x03\x04" + b"x" * 99),
        ("old.xls", b"\xd0\xcf\x11\xe0" + b"y" * 600),
    ):
        (tmp_path / name).write_bytes(data)
        with pytest.raises(InputError):
            propose(tmp_path / name)


def test_a_workbook_that_unpacks_to_far_more_is_not_opened(tmp_path: Path) -> None:
    path = workbook(tmp_path / "bomb.xlsx")
    with (
        zipfile.ZipFile(path, "a", zipfile.ZIP_DEFLATED) as file,
        file.open("xl/worksheets/more.xml", "w", force_zip64=True) as more,
    ):
        for _ in range(96):
            more.write(b" " * (1 << 20))
    assert path.stat().st_size < 300_000
    with pytest.raises(InputError, match="far more than its size"):
        propose(path)


def test_a_packed_text_that_never_ends_a_line_is_refused_early(tmp_path: Path) -> None:
    """A gigabyte of blanks in a megabyte is not unpacked to its end."""
    path = tmp_path / "bomb.gz"
    with gzip.open(path, "wb", compresslevel=1) as file:
        for _ in range(64):
            file.write(b" " * (1 << 20))
    with pytest.raises(
        InputError,
        match=r"has over a million characters, so this is not a text file of readings",
    ):
        propose(path)


def test_a_million_empty_rows_are_no_readings(tmp_path: Path) -> None:
    book = openpyxl.Workbook()
    sheet = book.active
    sheet.append(["time", "temp (°C)"])
    sheet.append([BEGIN, 4.5])
    sheet.append([BEGIN + timedelta(hours=1), 4.6])
    sheet.cell(1_000_000, 1).value = ""
    sheet.cell(1_000_000, 1).font = openpyxl.styles.Font(bold=True)
    book.save(tmp_path / "a.xlsx")
    proposal = propose(tmp_path / "a.xlsx")
    assert len(held(tmp_path / "a.xlsx", in_utc(proposal.form))) == 2


def test_macros_of_a_workbook_are_bytes_like_others(tmp_path: Path) -> None:
    path = workbook(tmp_path / "m.xlsm")
    with zipfile.ZipFile(path, "a") as file:
        file.writestr("xl/vbaProject.bin", b"\x00\x01macro")
    assert held(path, in_utc(propose(path).form)) == WANTED


def test_openings_of_a_plain_text_are_itself(tmp_path: Path) -> None:
    (tmp_path / "a.txt").write_text(TEXT)
    assert openings(tmp_path / "a.txt") == [()]


def test_hours_across_in_a_sheet_become_lines_or_stay(tmp_path: Path) -> None:
    book = openpyxl.Workbook()
    book.active.append(["Day", *(f"{hour}:00" for hour in range(24))])
    for i in range(3):
        book.active.append([date(2024, 3, 5 + i), *(i + hour / 32 for hour in range(24))])
    book.save(tmp_path / "wide.xlsx")
    proposal = propose(tmp_path / "wide.xlsx")
    found = held(tmp_path / "wide.xlsx", in_utc(proposal.form))
    begin = datetime(2024, 3, 5, tzinfo=UTC).timestamp() * 1000
    assert found == {begin + i * 3_600_000: i // 24 + i % 24 / 32 for i in range(72)}
    [across, as_it_is] = proposal.others
    assert across[0] == proposal.form.opening
    other = propose(tmp_path / "wide.xlsx", KnownFacts(opening=as_it_is[0])).form
    assert (other.columns, proposal.form.columns) == (25, 2)


@pytest.mark.parametrize("names", [["t", "a"], ["a", "t"]])
def test_packed_objects_are_read_as_the_lines_they_are(tmp_path: Path, names: list[str]) -> None:
    rows = [{"t": f"{BEGIN + timedelta(minutes=20 * i)}", "a": 4 + i / 8} for i in range(COUNT)]
    path = tmp_path / "readings.json.gz"
    ordered = [{name: row[name] for name in names} for row in rows]
    a_list = json.dumps(ordered, indent=2)
    a_line_each = "\n".join(map(json.dumps, ordered))
    side_by_side = json.dumps({"of": {name: [row[name] for row in rows] for name in names}})
    for text in (a_list, a_line_each, side_by_side):
        path.write_bytes(gzip.compress(text.encode()))
        assert held(path, in_utc(propose(path).form), names.index("a")) == WANTED


def test_an_object_that_is_cut_off_is_refused_in_a_sentence(tmp_path: Path) -> None:
    path = tmp_path / "readings.json"
    whole = json.dumps({"of": [{"t": f"{BEGIN}", "a": 1.5}] * 30})
    path.write_text(whole[:-30])
    with pytest.raises(InputError, match=r"choose another|once more"):
        propose(path)
