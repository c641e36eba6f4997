"""Texts of readings: proposed, read, compared with Python's own csv and zoneinfo; every bad line
named; nothing invented whatever the bytes."""

from __future__ import annotations

import contextlib
from datetime import UTC, datetime, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

import numpy as np
import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gezeiten.errors import GezeitenError, InputError
from gezeiten.exchange.text import reading
from gezeiten.exchange.text.form import ImportTemplate, TextForm, TimeForm, template_from_dict
from gezeiten.exchange.text.layout import lines
from gezeiten.exchange.text.layout.sample import sniff_encoding
from gezeiten.exchange.text.proposal import KnownFacts, Proposal, propose
from gezeiten.exchange.text.reading import RejectedLine, read_text
from gezeiten.exchange.text.times.wall_clock import WallClock

BEGIN = datetime(2026, 11, 20, 22, 0, tzinfo=UTC)


def rows(pattern: str, count: int = 30, minutes: int = 97) -> list[tuple[str, float, float]]:
    """Lines over more than two days, so that a day beyond the 12th is among them."""
    moments = [BEGIN + timedelta(minutes=minutes * i) for i in range(count)]
    return [(m.strftime(pattern), 20 + i / 8, 50 - i / 4) for i, m in enumerate(moments)]


def written(
    path: Path,
    pattern: str,
    separator: str = ",",
    decimal: str = ".",
    head: str = "",
    encoding: str = "utf-8",
    newline: str = "\n",
) -> Path:
    def sign(value: float) -> str:
        return f"{value:.4f}".replace(".", decimal)

    lines = [separator.join((t, sign(a), sign(b))) for t, a, b in rows(pattern)]
    text = newline.join([*([head] if head else []), *lines, ""])
    path.write_bytes(text.encode(encoding))
    return path


def everything(
    path: Path, form: TextForm, columns: tuple[int, ...], version: int = reading.VERSION
) -> tuple[list[int], list[list[float]], list[RejectedLine]]:
    times: list[int] = []
    values: list[list[float]] = [[] for _ in columns]
    rejected: list[RejectedLine] = []
    for piece in read_text(path, form, columns, version=version):
        times += piece.times.tolist()
        for i, column in enumerate(columns):
            values[i] += piece.values[column].tolist()
        rejected += piece.rejected
    return times, values, rejected


def as_proposed(proposal: Proposal, zone: str = "UTC") -> TextForm:
    from dataclasses import replace

    form = proposal.form
    return replace(form, time=replace(form.time, zone=zone))


EXPECTED = [round((BEGIN + timedelta(minutes=97 * i)).timestamp() * 1000) for i in range(30)]


@pytest.mark.parametrize(
    ("pattern", "separator", "decimal", "head", "encoding", "newline"),
    [
        ("%Y-%m-%d %H:%M:%S", ",", ".", "time,Temp (°C),RH (%)", "utf-8", "\n"),
        ("%Y-%m-%dT%H:%M:%S", ",", ".", "", "utf-8", "\r\n"),
        ("%d.%m.%Y %H:%M", ";", ",", "Zeit;Temperatur;Feuchte", "cp1252", "\r\n"),
        (
            "%d.%m.%Y;%H:%M:%S",
            ";",
            ",",
            "Datum;Uhrzeit;Temperatur [°C];Feuchte [%]",
            "cp1252",
            "\r\n",
        ),
        ("%m/%d/%Y %I:%M %p", ",", ".", "Date Time,Temp,Humidity", "utf-8", "\n"),
        (
            "%d/%m/%Y %H:%M",
            "\t",
            ".",
            "# made by a station\nTime\tT\tRH\nUTC\t°C\t%",
            "utf-16",
            "\r\n",
        ),
        ("%Y-%m-%d %H:%M", " ", ".", "", "utf-8", "\n"),
        ("%Y-%j %H:%M", ",", ".", "doy,a,b", "utf-8", "\n"),
        ("%s", ";", ".", "epoch;a;b", "utf-8", "\n"),
        ("%d-%b-%Y %H:%M:%S", ",", ".", "", "utf-8", "\n"),
        ("%y%m%d", ",", ".", "", "utf-8", "\n"),
    ],
)
def test_texts_of_many_kinds_are_proposed_rightly(
    tmp_path: Path,
    pattern: str,
    separator: str,
    decimal: str,
    head: str,
    encoding: str,
    newline: str,
) -> None:
    path = tmp_path / "text.txt"
    if pattern == "%s":
        lines = [f"{ms // 1000};{20 + i / 8};{50 - i / 4}" for i, ms in enumerate(EXPECTED)]
        path.write_text(f"{head}\n" + "\n".join(lines) + "\n")
    else:
        written(path, pattern, separator, decimal, head, encoding, newline)
    if pattern == "%y%m%d":  # a date without a century and without a clock is nobody's format
        with contextlib.suppress(InputError):
            assert propose(path).doubts
        return
    proposal = propose(path)
    form = as_proposed(proposal)
    says_zone = not form.time.needs_zone or proposal.form.time.zone == "UTC"
    assert [doubt.kind for doubt in proposal.doubts] == ([] if says_zone else ["zone"])
    wanted = tuple(i for i in range(form.columns) if i not in form.time.columns)
    times, (first, second), rejected = everything(path, form, wanted)
    assert rejected == []
    assert times == EXPECTED
    assert first == pytest.approx([20 + i / 8 for i in range(30)], abs=5e-4)
    assert second == pytest.approx([50 - i / 4 for i in range(30)], abs=5e-4)


def test_quantities_are_told_by_words_and_units(tmp_path: Path) -> None:
    path = written(tmp_path / "t.csv", "%Y-%m-%d %H:%M", head="time,Water temp (°F),Level (cm)")
    columns = propose(path).columns
    assert [(c.column, c.quantity, c.unit) for c in columns] == [
        (1, "water_temperature", "°F"),
        (2, "water_level", "cm"),
    ]


def test_the_third_of_april_or_the_fourth_of_march_is_asked(tmp_path: Path) -> None:
    lines = [f"03/04/2026 {hour:02}:00,1.5" for hour in range(12)]
    path = tmp_path / "t.csv"
    path.write_text("\n".join(lines) + "\n")
    order, zone = propose(path).doubts
    assert (order.kind, zone.kind) == ("order", "zone")
    assert [said for _, said in order.choices] == ["3 April 2026", "4 March 2026"]
    path.write_text("\n".join([*lines, "13/04/2026 00:00,1.5"]) + "\n")
    assert [d.kind for d in propose(path).doubts] == ["zone"]
    assert propose(path).form.time.pattern.startswith("%d/%m")


def test_the_end_of_a_long_text_settles_its_dates(tmp_path: Path) -> None:
    early = [f"03/04/2026 {i // 60 % 24:02}:{i % 60:02},1.5" for i in range(30_000)]
    path = tmp_path / "t.csv"
    path.write_text("\n".join([*early, "25/04/2026 00:00,1.5"]) + "\n")
    assert [d.kind for d in propose(path).doubts] == ["zone"]


def test_who_knows_the_sign_between_columns_may_say_it(tmp_path: Path) -> None:
    path = tmp_path / "t.csv"
    path.write_text("".join(f"2026-11-{d:02} 00:00;1,5;2,5\n" for d in range(1, 29)))
    assert propose(path).form.delimiter == ";"
    forced = propose(path, KnownFacts(","))
    assert (forced.form.delimiter, forced.form.columns) == (",", 3)
    with pytest.raises(InputError, match="No columns"):
        propose(path, KnownFacts("\t"))


def test_a_line_without_an_end_is_refused_before_it_fills_memory(tmp_path: Path) -> None:
    path = tmp_path / "t.csv"
    good = "".join(f"2026-11-{d:02} 00:00,{d}\n" for d in range(1, 29))
    path.write_bytes(good.encode() + b"1" * (3 << 20))
    form = as_proposed(propose(path))
    with pytest.raises(InputError, match=r"Line 29 of .* has over a million"):
        everything(path, form, (1,))


def test_who_knows_which_column_is_the_time_may_say_it(tmp_path: Path) -> None:
    path = tmp_path / "t.csv"
    lines = [f"2020-01-01 00:00;{d:02}.11.2026;12:{d:02};1.5" for d in range(1, 29)]
    path.write_text("installed;date;time;value\n" + "\n".join(lines) + "\n")
    assert propose(path).form.time.columns == (0,)  # the first that looks like one
    proposal = propose(path, KnownFacts(";", time_columns=(1, 2)))
    assert (proposal.form.time.columns, proposal.form.time.pattern) == ((1, 2), "%d.%m.%Y %H:%M")
    times, (values,), rejected = everything(path, as_proposed(proposal), (3,))
    assert (len(times), len(rejected), set(values)) == (28, 0, {1.5})
    assert times[0] == round(datetime(2026, 11, 1, 12, 1, tzinfo=UTC).timestamp() * 1000)
    doubts = propose(path, KnownFacts(";", time_columns=(3,))).doubts
    assert [doubt.kind for doubt in doubts] == ["time", "zone"]
    with pytest.raises(InputError, match="no column 9"):
        propose(path, KnownFacts(";", time_columns=(8,)))
    path.write_text("".join(f"1;{1_700_000_000 + i};{i}\n" for i in range(9)))
    assert propose(path, KnownFacts(time_columns=(1,))).form.time.pattern == "epoch_s"


def test_who_knows_where_fixed_columns_begin_may_say_it(tmp_path: Path) -> None:
    path = tmp_path / "t.txt"  # no blank between the columns: nobody can see where they part
    path.write_text("".join(f"2026-11-{d:02}12:00{d:04}55\n" for d in range(1, 29)))
    proposal = propose(path, KnownFacts(starts=(0, 10, 15, 19)))
    assert proposal.form.widths[:3] == (10, 5, 4)
    assert (proposal.form.time.columns, proposal.form.time.pattern) == ((0, 1), "%Y-%m-%d %H:%M")
    times, (count, last), rejected = everything(path, as_proposed(proposal), (2, 3))
    assert rejected == []
    assert count == [float(d) for d in range(1, 29)]
    assert set(last) == {55.0}
    assert times[1] - times[0] == 86_400_000


def test_a_comma_between_thousands_or_decimals_is_asked(tmp_path: Path) -> None:
    path = tmp_path / "t.csv"
    path.write_text("".join(f"2026-11-{d:02} 00:00;1,234\n" for d in range(1, 20)))
    assert {d.kind for d in propose(path).doubts} == {"decimal", "zone"}


def test_fixed_columns_with_empty_cells(tmp_path: Path) -> None:
    path = tmp_path / "t.txt"
    lines = [
        "2026-11-20 22:00   20.00   50.0",
        "2026-11-20 23:00           49.5",
        "2026-11-21 00:00   20.25       ",
        "2026-11-21 01:00   20.38   48.5",
    ]
    path.write_text("\n".join(lines) + "\n")
    form = as_proposed(propose(path))
    wanted = tuple(i for i in range(form.columns) if i not in form.time.columns)
    times, values, rejected = everything(path, form, wanted)
    assert (len(times), rejected) == (4, [])
    assert np.isnan(values[0][1])
    assert np.isnan(values[1][2])
    assert values[1][1] == 49.5


FORM = TextForm("utf-8", ",", ".", 2, 3, TimeForm((0,), "%Y-%m-%d %H:%M", "UTC"))


def test_every_line_left_out_is_named_with_its_reason(tmp_path: Path) -> None:
    path = tmp_path / "t.csv"
    path.write_text(
        "time,a,b\n2026-11-20 10:00,1,2\n2026-11-20 10:10,x1,2\n\n2026-11-20 10:20,1\n"
        "2026-13-20 10:30,1,2\n2026-11-20 10:40,NaN,2\n2026-11-20 10:50,1,2,3\n"
        '2026-11-20 11:00,"1",2\nrubbish\n2026-11-20 11:10,inf,2\n2326-11-20 11:20,1,2\n'
    )
    lines = [
        (5, "it has 2 columns; 3 are expected"),
        (6, "its time cannot be read or does not exist in this zone"),
        (8, "it has 4 columns; 3 are expected"),
        (10, "it has 1 column; 3 are expected"),
        (12, "its time is outside the years 1900 to 2200"),
    ]
    cells = [(3, "“x1” in column 2 is not a number"), (11, "“inf” in column 2 is not a number")]
    times, (a, b), rejected = everything(path, FORM, (1, 2))
    assert [(r.line, r.reason) for r in rejected] == lines
    [piece] = read_text(path, FORM, (1, 2))
    assert [(r.line, r.reason) for r in piece.spoilt] == cells
    assert [datetime.fromtimestamp(t / 1000, UTC).strftime("%H:%M") for t in times] == [
        "10:00",
        "10:10",
        "10:40",
        "11:00",
        "11:10",
    ]
    assert np.isnan(a).tolist() == [False, True, True, False, True]
    assert b == [2] * 5
    # as texts were read that are kept since before: such a cell cost its line
    times, _, rejected = everything(path, FORM, (1, 2), version=1)
    assert [(r.line, r.reason) for r in rejected] == sorted([*lines, *cells])
    assert len(times) == 3


def test_the_repeated_hour_and_the_skipped_one(tmp_path: Path) -> None:
    """Every half hour of two days by the wall clock of Berlin, as a logger writes it."""
    zone, path = ZoneInfo("Europe/Berlin"), tmp_path / "t.csv"
    for begin in (datetime(2026, 10, 24, 20, tzinfo=UTC), datetime(2026, 3, 28, 20, tzinfo=UTC)):
        moments = [begin + timedelta(minutes=30 * i) for i in range(30)]
        path.write_text(
            "t,a,b\n" + "".join(f"{m.astimezone(zone):%Y-%m-%d %H:%M},1,2\n" for m in moments)
        )
        form = TextForm("utf-8", ",", ".", 2, 3, TimeForm((0,), "%Y-%m-%d %H:%M", zone.key))
        times, _, rejected = everything(path, form, (1, 2))
        assert times == [round(m.timestamp() * 1000) for m in moments]
        assert rejected == []
    path.write_text("t,a,b\n2026-03-29 02:30,1,2\n2026-03-29 03:30,1,2\n")
    times, _, rejected = everything(path, form, (1, 2))
    assert [r.line for r in rejected] == [2]
    assert len(times) == 1


def test_the_repeated_hour_across_pieces(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(lines, "PIECE_BYTES", 64)
    test_the_repeated_hour_and_the_skipped_one(tmp_path)


def test_offsets_in_the_text_need_no_zone(tmp_path: Path) -> None:
    path = tmp_path / "t.csv"
    path.write_text("2026-11-20T10:00:00+0200,1\n2026-11-20T10:30:00+0100,2\n" * 2)
    proposal = propose(path)
    assert proposal.doubts == ()
    times, _, _ = everything(path, proposal.form, (1,))
    assert (times[1] - times[0]) == 90 * 60_000


@pytest.mark.parametrize("size", [16, 33, 1_000])
@pytest.mark.parametrize("encoding", ["utf-8", "utf-16", "cp1252"])
def test_pieces_of_any_size_make_the_same_whole(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, size: int, encoding: str
) -> None:
    path = written(
        tmp_path / "t.csv", "%Y-%m-%d %H:%M", head="time,T °C,µ", encoding=encoding, newline="\r\n"
    )
    form = as_proposed(propose(path))
    monkeypatch.setattr(lines, "PIECE_BYTES", size)
    times, (a, _), rejected = everything(path, form, (1, 2))
    assert times == EXPECTED
    assert a[3] == pytest.approx(20.375, abs=5e-4)
    assert rejected == []


def test_a_zone_has_to_be_said_and_to_exist(tmp_path: Path) -> None:
    path = written(tmp_path / "t.csv", "%Y-%m-%d %H:%M")
    with pytest.raises(InputError, match="time zone"):
        everything(path, propose(path).form, (1,))
    with pytest.raises(InputError, match="Sea/Bottom is not a time zone"):
        everything(path, as_proposed(propose(path), "Sea/Bottom"), (1,))


def test_what_is_no_text_is_said(tmp_path: Path) -> None:
    path = tmp_path / "t.bin"
    for content, words in (
        (b"\x00\x01\x02\xff" * 100, "This is not a text file"),
        (b"", "is empty"),
        (b"nothing here\nbut words\n", "No columns"),
    ):
        path.write_bytes(content)
        with pytest.raises(InputError, match=words):
            propose(path)
    with pytest.raises(InputError, match="cannot be read"):
        propose(tmp_path / "none.csv")
    assert sniff_encoding("Größe".encode("utf-16")) == "utf-16-le"


def test_a_tie_comes_back_from_json() -> None:
    import json

    template = ImportTemplate("Station", "A · B", FORM)
    assert template_from_dict(json.loads(json.dumps(template.as_dict()))) == template
    with pytest.raises(InputError, match=r"create it again\."):
        template_from_dict({"name": "x"})


@settings(max_examples=200)
@given(st.binary(max_size=400))
def test_any_bytes_give_readings_that_stand_in_them_or_a_sentence(
    tmp_path_factory: pytest.TempPathFactory, content: bytes
) -> None:
    path = tmp_path_factory.getbasetemp() / "fuzz.csv"
    path.write_bytes(content)
    with contextlib.suppress(GezeitenError):
        propose(path)
    times, (a,), rejected = everything(path, FORM, (1,))
    lines = content.replace(b"\r\n", b"\n").replace(b"\r", b"\n").split(b"\n")
    assert len(times) + len(rejected) <= len(lines)
    for value in a:
        assert np.isnan(value) or any(str(int(value)).encode() in line for line in lines)


CELL = st.sampled_from(["1", "2.5", "", "NaN", "x", "-3", "1e3", "--", '"', "é"])
TIME = st.sampled_from(["2026-11-20 10:00", "2026-02-30 10:00", "", "now", " 2026-11-20 10:01 "])


@settings(max_examples=200)
@given(st.lists(st.tuples(TIME, st.lists(CELL, min_size=1, max_size=4)), max_size=12))
def test_both_ways_of_reading_agree_with_the_csv_of_python(
    tmp_path_factory: pytest.TempPathFactory, made: list[tuple[str, list[str]]]
) -> None:
    """Lines are counted by hand: a good one has a time that exists and numbers or marks."""
    path = tmp_path_factory.getbasetemp() / "agree.csv"
    lines = [",".join([time, *cells]) for time, cells in made]
    path.write_text("t,a,b\n" + "".join(f"{line}\n" for line in lines))
    good = []
    for line in lines:
        cells = [cell.strip() for cell in line.split(",")]
        if '"' in line or len(cells) != 3:
            continue
        with contextlib.suppress(ValueError):
            moment = datetime.strptime(cells[0], "%Y-%m-%d %H:%M").replace(tzinfo=UTC)
            unreadable = [c for c in cells[1:] if c in ("x", "é")]
            numbers = [c for c in cells[1:] if c in ("1", "2.5", "-3", "1e3")]
            if not unreadable or numbers:
                good.append(round(moment.timestamp() * 1000))
    times, _, _ = everything(path, FORM, (1, 2))
    if not any('"' in line for line in lines):
        assert times == good
    else:
        assert set(good) <= set(times) or not good


@pytest.mark.parametrize(
    "written",
    [
        "5. März 2024 3:20 p.m.",
        "05 Mar 2024 03:20 PM",
        "5 mars 2024 3:20 P.M.",
        "5 marzo 2024 3:20 pm",
    ],
)
@pytest.mark.parametrize("many", [3, 3_000])
def test_words_of_times_mean_the_same_in_few_lines_and_in_many(written: str, many: int) -> None:
    others = pl.Series(["1. Januar 2024 1:00 a.m.", "2 Jan 2024 1:00 am"])
    times = pl.concat([pl.Series([written] * (many - 2)), others])
    clock = WallClock(TimeForm((0,), "%d %b %Y %I:%M %p", "UTC"), 3)
    dotted = WallClock(TimeForm((0,), "%d. %b %Y %I:%M %p", "UTC"), 3)
    made = pl.select(pl.coalesce(clock.instants([times]), dotted.instants([times]))).to_series()
    assert made.to_list()[:-2] == [1_709_652_000_000] * (many - 2)
    assert made.to_list()[-2:] == [1_704_070_800_000, 1_704_157_200_000]
