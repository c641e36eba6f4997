"""What sits at a logger's address and does not behave as one costs its time limit, and is told in a
sentence."""

from __future__ import annotations

import socket
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import closing, suppress
from pathlib import Path

import pytest

from gezeiten.desk.logger.launch.launching import launch
from gezeiten.errors import DeviceError
from gezeiten.link import registers as reg
from gezeiten.link.lines.address import Address, TimeLimits
from gezeiten.link.lines.modbus import ModbusTcp
from gezeiten.link.offload import offload
from gezeiten.link.session import DirectoryEntry, LoggerSession
from tests.conftest import STORE_PLAN, Lab

LIMIT_S = 0.4
Manner = Callable[[bytes], Iterator[bytes]]
"""Gives what is sent, piece by piece, instead of a good answer."""


def is_silent(_answer: bytes) -> Iterator[bytes]:
    return iter(())


def floods(_answer: bytes) -> Iterator[bytes]:
    while True:
        yield b"\x55" * 4096


def floods_with_answers(answer: bytes) -> Iterator[bytes]:
    number = 0
    while True:
        number = (number + 7) % 65_536
        yield number.to_bytes(2, "big") + answer[2:]


def drips(answer: bytes) -> Iterator[bytes]:
    for i in range(len(answer)):
        time.sleep(LIMIT_S / 3)  # each byte well inside the limit
        yield answer[i : i + 1]


def says_a_huge_length(answer: bytes) -> Iterator[bytes]:
    yield answer[:4] + b"\xff\xff" + answer[6:]


def answers_something_else(answer: bytes) -> Iterator[bytes]:
    yield bytes([answer[0] ^ 0x40]) + answer[1:]


def is_another_unit(answer: bytes) -> Iterator[bytes]:
    yield answer[:6] + bytes([answer[6] ^ 0x0F]) + answer[7:]


def says_everything_twice(answer: bytes) -> Iterator[bytes]:
    yield answer + answer


def breaks_off(answer: bytes) -> Iterator[bytes]:
    yield answer[: len(answer) // 2]
    raise ConnectionError


MANNERS: list[Manner] = [
    is_silent,
    floods,
    floods_with_answers,
    drips,
    says_a_huge_length,
    answers_something_else,
    is_another_unit,
    says_everything_twice,
    breaks_off,
]


class Between:
    """Stands between a program and a stand-in, and answers in some manner."""

    def __init__(self, behind: Address, manner: Manner) -> None:
        self._behind, self._manner = behind, manner
        self._listening = socket.create_server(("127.0.0.1", 0))
        self.address = Address(*self._listening.getsockname()[:2])
        self._thread = threading.Thread(target=self._serve, daemon=True)
        self._thread.start()

    def _serve(self) -> None:
        with suppress(OSError):  # closed at the end, or by who had enough
            while True:
                front, _ = self._listening.accept()
                with front, suppress(OSError):
                    self._talk(front)

    def _talk(self, front: socket.socket) -> None:
        with closing(socket.create_connection((self._behind.host, self._behind.port))) as back:
            while question := front.recv(65_536):
                back.sendall(question)
                for piece in self._manner(back.recv(65_536)):
                    front.sendall(piece)

    def close(self) -> None:
        self._listening.close()
        self._thread.join(LIMIT_S * 4)


@pytest.mark.parametrize("manner", MANNERS, ids=lambda one: one.__name__)
def test_it_costs_at_most_its_time_limit(lab: Lab, manner: Manner) -> None:
    address = lab.standin.address
    assert isinstance(address, Address)
    between = Between(address, manner)
    began = time.monotonic()
    with ModbusTcp(between.address, TimeLimits(LIMIT_S, LIMIT_S)) as line:
        session = LoggerSession(line)
        with pytest.raises(DeviceError) as said:
            _ask_twice(session)  # an answer said twice is noticed at the next question
    assert time.monotonic() - began < 5 * LIMIT_S
    assert str(said.value).endswith((".", "!"))
    between.close()


def _ask_twice(session: LoggerSession) -> None:
    session.label()
    session.label()


class Endless:
    """A session whose mission never ends and never has a good block."""

    name = "D-9999"
    limit_bytes_per_s = None

    def __init__(self, header: bytes) -> None:
        self.header, self.blocks = header, 0

    def read_file(self, _file: int, _start: int, length: int) -> bytes:
        return self.header[:length]

    def stream_file(self, _file: int, _start: int, length: int) -> Iterator[bytes]:
        while length > 0:
            self.blocks += 1
            length -= 1024
            yield bytes(1024)


def test_a_mission_that_never_ends_ends(lab: Lab, tmp_path: Path) -> None:
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN, {})
    lab.later(60)
    address = lab.standin.address
    assert isinstance(address, Address)
    with ModbusTcp(address) as line:
        session = LoggerSession(line)
        entry = session.directory()[-1]
        header = session.read_file(entry.file, 0, entry.header_bytes)
    endless = Endless(header)
    claims = {name: getattr(entry, name) for name in DirectoryEntry.__slots__}
    claimed = DirectoryEntry(**{**claims, "readings": 2**31 - 1})
    done = offload(endless, claimed, [(0, 2**31 - 1)], tmp_path)  # type: ignore[arg-type]
    assert "sends only damaged blocks; check cable and plug, then offload again." in str(done.error)
    assert endless.blocks < 20_000
    done.release()


def test_a_file_that_claims_to_be_endless_is_not_read(lab: Lab) -> None:
    class Claiming(LoggerSession):
        def read_file(self, file: int, start: int, length: int) -> bytes:
            assert length < 5 * reg.FILE_BYTES
            return b"\xff" * length

    address = lab.standin.address
    assert isinstance(address, Address)
    with ModbusTcp(address) as line, pytest.raises(DeviceError):
        Claiming(line).directory()
