"""Texts that are none, or broken: refused in a sentence, or read for what is left of them; never a
crash, never for minutes."""

from __future__ import annotations

import signal
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import Phase, given, settings
from hypothesis import strategies as st

from gezeiten.errors import GezeitenError, InputError
from gezeiten.exchange.text.form import TextForm
from gezeiten.exchange.text.proposal import propose
from gezeiten.exchange.text.reading import ReadingChunk, read_text
from tests.examples import examples

MANY = 45
HEAD = "time;temp (°C);hum (%)\n"
LINES = "".join(
    f"2024-03-05 {i // 60:02}:{i % 60:02};{4 + i / 8};{80 - i / 8}\n" for i in range(MANY)
)
TEXT = (HEAD + LINES).encode()


def in_utc(form: TextForm) -> TextForm:
    return replace(form, time=replace(form.time, zone=form.time.zone or "UTC"))


def pieces(path: Path) -> list[ReadingChunk]:
    form = in_utc(propose(path).form)
    wanted = tuple(i for i in range(form.columns) if i not in form.time.columns)
    return list(read_text(path, form, wanted))


def test_nuls_in_the_middle_cost_nothing_but_themselves(tmp_path: Path) -> None:
    """A memory card that lost its power leaves them."""
    path = tmp_path / "a.txt"
    at = TEXT.index(b"2024-03-05 00:40")
    path.write_bytes(TEXT[:at] + b"\0" * 300 + TEXT[at:])
    found = pieces(path)
    assert sum(len(piece.times) for piece in found) == MANY
    assert [rejected_line for piece in found for rejected_line in piece.rejected] == []


def test_an_encoding_that_changes_in_the_middle(tmp_path: Path) -> None:
    lines = [f"2024-03-05 {i // 60:02}:{i % 60:02};{4 + i / 8};trüb" for i in range(MANY)]
    data = [line.encode("utf-8" if i < MANY // 2 else "cp1252") for i, line in enumerate(lines)]
    path = tmp_path / "a.txt"
    path.write_bytes(b"Zeit;Tr\xc3\xbcbung (NTU);Wort\n" + b"\n".join(data) + b"\n")
    form = in_utc(propose(path).form)
    where = (((2, "trüb"),),)
    [piece] = list(read_text(path, form, (1,), rows=where))
    assert piece.values[1].tolist() == [4 + i / 8 for i in range(MANY)]


_RUN = 15_000
_STRETCHED = {
    "blanks around a sign before a date": "a{b}:{b}2024-01-01x",
    "blanks between begin and end": "2024-01-01 00:00 to {b}{b}2024-01-01 00:10",
    "blanks before and behind a date": "{b}2024-01-01{b}x",
    "digits": "{d}{d}",
    "commas": "{c}x{c}",
    "signs of a title": "Site{c}{b}x",
    "brackets": "T ({b}{b}",
    "day of the week": "Mon{b}{b}2024-01-01 00:00",
    "offsets": "2024-01-01 00:00{b}{b}x",
    "words": "water{w}{w}",
}


@pytest.mark.parametrize("line", _STRETCHED.values(), ids=list(_STRETCHED))
@pytest.mark.parametrize("at", [0, 20])
def test_no_run_of_signs_costs_more_than_its_length(tmp_path: Path, line: str, at: int) -> None:
    """64 kB at most; with a search that begins anew at every sign they took minutes."""
    run = {"b": " " * _RUN, "d": "1" * _RUN, "c": "=," * (_RUN // 2), "w": "water" * (_RUN // 5)}
    lines = TEXT.decode().splitlines()
    lines[at:at] = [f"{line.format(**run)};5;6"] * 2
    path = tmp_path / "a.txt"
    path.write_text("\n".join(lines) + "\n")

    def too_long(*_: object) -> None:
        raise AssertionError("it takes far too long")

    before = signal.signal(signal.SIGALRM, too_long)
    signal.alarm(20)  # s: hundreds of times what it takes
    try:
        propose(path)
    except InputError:
        pass
    finally:
        signal.alarm(0)
        signal.signal(signal.SIGALRM, before)


def test_twenty_thousand_columns(tmp_path: Path) -> None:
    path = tmp_path / "a.csv"
    rows = [f"2024-03-05 00:{i:02}," + ",".join(["4.5"] * 20_000) for i in range(4)]
    path.write_text("\n".join(rows) + "\n")
    form = in_utc(propose(path).form)
    assert form.columns == 20_001
    [piece] = list(read_text(path, form, (20_000,)))
    assert piece.values[20_000].tolist() == [4.5] * 4


JUNK: dict[str, Callable[[], bytes]] = {
    "empty": bytes,
    "binary": lambda: np.random.default_rng(1).bytes(300_000),
    "a line of ten megabytes": lambda: b"2024-03-05 00:00;" + b"4.5;" * 2_600_000,
    "a long line further down": lambda: TEXT + b"x" * (2 << 20),
    "a picture": lambda: b"\x89PNG\r\n\x1a\n" + bytes(range(256)) * 40,
    "words": lambda: b"Dear all,\nplease find it attached.\nRegards\n" * 9,
    "blanks": lambda: b" \n" * 400,
    "numbers alone": lambda: b"4.5\n4.6\n" * 50,
    "half of UTF-16": lambda: TEXT.decode().encode("utf-16-le")[:-1],
}


@pytest.mark.parametrize("name", JUNK)
def test_what_is_no_text_is_refused_in_a_sentence(tmp_path: Path, name: str) -> None:
    path = tmp_path / "a.txt"
    path.write_bytes(JUNK[name]())
    if name == "half of UTF-16":
        assert sum(len(piece.times) for piece in pieces(path)) >= MANY - 1
        return
    with pytest.raises(InputError) as refusal:
        pieces(path)
    assert str(refusal.value).endswith(".")


FUZZED = examples(150, 600)
PARTS = 4
SPOILS = st.lists(
    st.tuples(st.integers(0, len(TEXT) - 1), st.integers(0, 12), st.binary(max_size=9)),
    min_size=1,
    max_size=9,
)


@pytest.mark.parametrize("part", range(PARTS))
@settings(max_examples=FUZZED // PARTS, phases=[Phase.explicit, Phase.generate])
@given(spoils=SPOILS)
def test_spoilt_bytes_never_crash_and_never_change_what_is_whole(
    tmp_path_factory: pytest.TempPathFactory, part: int, spoils: list[tuple[int, int, bytes]]
) -> None:
    """Bytes of a good text are cut out and put in: it is refused, or what is read of the lines that
    were left alone is what they say."""
    data, touched = TEXT, set()
    for at, cut, more in sorted(spoils, reverse=True):
        touched |= {data[:at].count(b"\n"), data[: at + cut].count(b"\n")}
        data = data[:at] + more + data[at + cut :]
    path = tmp_path_factory.getbasetemp() / f"fuzz-{part}.txt"
    path.write_bytes(data)
    try:
        proposal = propose(path)
        form = in_utc(proposal.form)
        found = list(read_text(path, form, tuple(column.column for column in proposal.columns)))
    except GezeitenError:
        return
    if form.delimiter != ";" or form.decimal != "." or form.columns != 3:
        return  # the bytes that came in say something else of all lines
    whole = {f"{4 + i / 8}": 1_709_596_800_000 + 60_000 * i for i in range(MANY)}
    lines = set(TEXT.split(b"\n")) & set(data.split(b"\n"))
    kept = {
        at: value
        for piece in found
        if 1 in piece.values
        for at, value in zip(piece.times.tolist(), piece.values[1].tolist(), strict=True)
    }
    for line in lines:
        cells = line.decode().split(";")
        if len(cells) == 3 and cells[1] in whole:
            at = whole[cells[1]]
            assert at not in kept or kept[at] == float(cells[1]) or _again(data, cells[0])


def _again(data: bytes, when: str) -> bool:
    """Whether an instant stands in two lines by now."""
    return data.count(when.encode()) > 1
