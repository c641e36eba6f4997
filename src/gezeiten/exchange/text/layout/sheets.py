"""Sheets of workbooks (XLSX, XLS, ODS) as lines of text: cells with tabs between them.

Nothing in a workbook is run: only the values that its cells hold are read.
"""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterable
from datetime import date, datetime, time, timedelta
from typing import IO, Any

from python_calamine import CalamineError, CalamineWorkbook, SheetTypeEnum, load_workbook

from gezeiten.errors import InputError

_OLD_WORKBOOK = b"\xd0\xcf\x11\xe0"
_MOST_BYTES = 1 << 30
_MOST_TIMES = 300
"""A workbook that unpacks to more than so many times its size, and to more than `_FAIR_BYTES`, is
not opened."""
_FAIR_BYTES = 64 << 20
_NEAR = timedelta(milliseconds=5)
_SHEETS = (SheetTypeEnum.WorkSheet,)


def is_workbook(head: bytes) -> bool:
    """Whether the first bytes of a file are those of an old workbook; new ones are zip files."""
    return head.startswith(_OLD_WORKBOOK)


def sheet_names(file: IO[bytes]) -> list[str]:
    """Return the names of a workbook's sheets with cells, [] where it is no workbook.

    Raises:
        InputError: it is one that cannot be read.
    """
    data = file.read(_MOST_BYTES)
    if not is_workbook(data) and not _is_new_workbook(data):
        return []
    book = _book(data)
    return [one.name for one in book.sheets_metadata if one.typ in _SHEETS]


def _is_new_workbook(data: bytes) -> bool:
    try:
        names = set(zipfile.ZipFile(io.BytesIO(data)).namelist())
    except zipfile.BadZipFile:
        return False
    return "[Content_Types].xml" in names or {"mimetype", "content.xml"} <= names


def _book(data: bytes) -> CalamineWorkbook:
    if not is_workbook(data):
        inside = sum(one.file_size for one in zipfile.ZipFile(io.BytesIO(data)).infolist())
        if inside > _MOST_BYTES or inside > max(_MOST_TIMES * len(data), _FAIR_BYTES):
            raise InputError(
                "This workbook unpacks to far more than its size, so it is not opened; "
                "save the sheet as CSV."
            )
    try:
        return load_workbook(io.BytesIO(data))
    except (CalamineError, OSError, ValueError) as exc:
        raise InputError(
            "This workbook cannot be read (damaged, or with a password); save it "
            "again without a password."
        ) from exc


def sheet_text(file: IO[bytes], name: str) -> bytes:
    """Return a sheet as UTF-8 text, a line a row from the first one on, cells with tabs between.

    Raises:
        InputError: the workbook cannot be read or has no such sheet.
    """
    book = _book(file.read(_MOST_BYTES))
    try:
        sheet = book.get_sheet_by_name(name)
        rows = sheet.to_python(skip_empty_area=False)
    except (CalamineError, OSError, ValueError) as exc:
        raise InputError(
            f"There is no sheet “{name}” that can be read; choose another one."
        ) from exc
    return ("\n".join(_lines(rows)) + "\n").encode()


def _lines(rows: Iterable[list[Any]]) -> Iterable[str]:
    return ("\t".join(_shown(cell) for cell in row) for row in rows)


def _shown(cell: Any) -> str:
    """Return a cell as text: numbers to the last digit, times as ISO has them."""
    if isinstance(cell, str):
        return " ".join(cell.split())
    if isinstance(cell, bool):
        return "TRUE" if cell else "FALSE"
    if isinstance(cell, float):
        return repr(int(cell)) if cell.is_integer() and abs(cell) < 1e15 else repr(cell)
    if isinstance(cell, datetime):
        return _to_the_second(cell).isoformat(" ")
    if isinstance(cell, date | time):
        return cell.isoformat()
    if isinstance(cell, timedelta):
        return _clock(cell)
    return str(cell)


def _to_the_second(moment: datetime) -> datetime:
    """Return a moment whose days are counted with decimals, without what these cannot say."""
    whole = (moment + timedelta(milliseconds=500)).replace(microsecond=0)
    return whole if abs(whole - moment) <= _NEAR else moment


def _clock(length: timedelta) -> str:
    seconds = round(length.total_seconds())
    return f"{seconds // 3600:02}:{seconds // 60 % 60:02}:{seconds % 60:02}"
