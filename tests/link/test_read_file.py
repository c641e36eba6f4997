"""Reading long files piece by piece: any stretch, over file borders, odd lengths, bad answers."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator, Sequence

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pymodbus.pdu import ExceptionResponse, ModbusPDU
from pymodbus.pdu.file_message import FileRecord, ReadFileRecordRequest, ReadFileRecordResponse

from gezeiten.errors import LoggerAnswerError, LoggerRefusedError
from gezeiten.link import registers as reg
from gezeiten.link.session import LoggerSession, directory_entry

CONTENT = bytes((i * 7 + i // 251) % 256 for i in range(3 * reg.FILE_BYTES))


class Shelf:
    """A transport that answers function 20 from CONTENT, starting at file 1000."""

    name = "shelf"

    def __init__(self) -> None:
        self.asked: list[FileRecord] = []
        self.bad: ModbusPDU | None = None
        self.short = False

    limit_bytes_per_s = None

    def answers(self, requests: Sequence[ModbusPDU]) -> Iterator[ModbusPDU]:
        return (self._answer(request) for request in requests)

    def exchange(self, requests: Sequence[ModbusPDU]) -> list[ModbusPDU]:
        return list(self.answers(requests))

    def burst(self, file: int, record: int, count: int) -> None:
        return None

    def _answer(self, request: ModbusPDU) -> ModbusPDU:
        assert isinstance(request, ReadFileRecordRequest)
        [record] = request.records
        self.asked.append(record)
        if self.bad is not None:
            return self.bad
        at = (record.file_number - 1000) * reg.FILE_BYTES + record.record_number * 2
        size = record.record_length * 2 - (2 if self.short else 0)
        return ReadFileRecordResponse([FileRecord(record_data=CONTENT[at : at + size])])

    def close(self) -> None:
        """Nothing to let go of."""


@settings(max_examples=150, deadline=None)
@given(st.integers(0, 2 * reg.FILE_BYTES), st.integers(1, reg.FILE_BYTES))
def test_any_stretch_comes_back_whole(start: int, length: int) -> None:
    assert LoggerSession(Shelf()).read_file(1000, start, length) == CONTENT[start : start + length]


def test_questions_keep_to_the_protocol() -> None:
    shelf = Shelf()
    LoggerSession(shelf).read_file(1000, reg.FILE_BYTES - 100, 5_000)
    for record in shelf.asked:
        assert record.record_length * 2 <= reg.RECORD_BYTES_MAX
        assert record.record_number + record.record_length <= reg.RECORDS_PER_FILE
    assert {record.file_number for record in shelf.asked} == {1000, 1001}


def test_a_short_answer_is_not_taken_for_the_whole() -> None:
    shelf = Shelf()
    shelf.short = True
    with pytest.raises(LoggerAnswerError, match="shelf sent less than was requested"):
        LoggerSession(shelf).read_file(1000, 0, 100)


def test_an_exception_is_said_in_words() -> None:
    shelf = Shelf()
    shelf.bad = ExceptionResponse(20, 2)
    with pytest.raises(LoggerRefusedError, match="shelf refused: it has nothing at this address"):
        LoggerSession(shelf).read_file(1000, 0, 100)


def test_an_answer_to_another_question_is_noticed() -> None:
    shelf = Shelf()
    shelf.bad = ReadFileRecordRequest([])
    with pytest.raises(LoggerAnswerError, match=r"answered another request; contact it again\."):
        LoggerSession(shelf).read_file(1000, 0, 100)


GOOD = {
    "mission": 12,
    "name": "Store",
    "point": "A · B",
    "launched_ms": 0,
    "first_ms": 600_000,
    "interval_ms": 600_000,
    "readings": 100,
    "first_held": 0,
    "header_bytes": 300,
    "block_bytes": 988,
    "file": 1000,
    "tail_file": 10,
}


@pytest.mark.parametrize(
    "change",
    [
        {"readings": -1},
        {"first_held": 101},
        {"interval_ms": 0},
        {"header_bytes": 10**12},
        {"block_bytes": 0},
        {"block_bytes": 2**40},
        {"file": 3},
        {"file": 10**6},
        {"readings": "many"},
        {"name": 7},
        {"surprise": 1},
        {"readings": 10**15},
    ],
)
def test_a_directory_that_cannot_be_is_refused(change: dict[str, object]) -> None:
    assert directory_entry(GOOD).numbers_in_memory == (0, 100)
    with pytest.raises((TypeError, ValueError)):
        directory_entry({**GOOD, **change})


@given(st.dictionaries(st.sampled_from(sorted(GOOD)), st.none() | st.integers() | st.text()))
def test_any_directory_is_read_or_refused(change: dict[str, object]) -> None:
    with contextlib.suppress(TypeError, ValueError):
        entry = directory_entry({**GOOD, **change})
        assert 0 <= entry.first_held <= entry.readings


def test_an_envelope_that_claims_too_much_is_refused() -> None:
    shelf = Shelf()
    shelf.bad = ReadFileRecordResponse([FileRecord(record_data=b"\xff" * 8)])
    with pytest.raises(
        LoggerAnswerError, match=r"arrives damaged every time; check cable and plug\."
    ):
        LoggerSession(shelf).read_enveloped(1000)
    assert len(shelf.asked) == 3
