"""Cells that hold a begin and an end: "2024-03-05 00:00 - 00:10"."""

from __future__ import annotations

import re

import polars as pl

BETWEEN = r"\s(?:-|–|—|to|until|bis|à|au|a|tot)\s|[–—]"
"""What stands between the begin of a period and its end, beside blanks."""
_CLOCK = r"\d{1,2}[:.h]\d\d(?:[:.]\d\d)?$"
_PARTS = rf"^(.*?)(?:{BETWEEN})(.*)$"
_SLASHED = r"^(\d{4}-\d\d-\d\d[^/]*)/(\d.*)$"


def of_period(text: pl.Series, part: str) -> pl.Series:
    """Return the begins or the ends of periods; an end without a day is of its begin's.

    Args:
        part: "begin" or "end".
    """
    frame = pl.DataFrame({"text": text})
    found = frame.select(
        begin=pl.coalesce(
            pl.col("text").str.extract(_PARTS, 1), pl.col("text").str.extract(_SLASHED, 1)
        ).str.strip_chars(),
        end=pl.coalesce(
            pl.col("text").str.extract(_PARTS, 2), pl.col("text").str.extract(_SLASHED, 2)
        ).str.strip_chars(),
    )
    if part == "begin":
        return found["begin"]
    is_clock = pl.col("end").str.contains(rf"^{_CLOCK}")
    day = pl.col("begin").str.replace(_CLOCK, "")
    midnight = pl.col("end").str.replace(r"^0?0([:.h]?)00", "24${1}00")
    end = pl.when(pl.col("end").str.contains(r"^0?0[:.h]?00")).then(midnight).otherwise("end")
    return found.select(pl.when(is_clock).then(pl.concat_str([day, end])).otherwise("end"))["begin"]


def split_period(cell: str) -> tuple[str, str] | None:
    """Return begin and end of a cell that holds both, None of another."""
    found = re.match(_PARTS, cell) or re.match(_SLASHED, cell)
    if found is None or not found[2].strip():
        return None
    begin, end = found[1].strip(), found[2].strip()
    if re.fullmatch(_CLOCK, end):
        day = re.sub(_CLOCK, "", begin)
        end = f"{day}{end}"
    return begin, end
