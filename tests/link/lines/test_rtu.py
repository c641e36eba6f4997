"""The serial route: framing against the standard and an independent client, speed and parity found
by trying, bursts, noise, and a cable that slips at any byte."""

from __future__ import annotations

import os
import random
import subprocess
import threading
from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pymodbus.pdu.register_message import ReadInputRegistersRequest

from gezeiten.errors import (
    CancelledError,
    GezeitenError,
    LoggerAnswerError,
    LoggerAwayError,
    LoggerBusyError,
)
from gezeiten.link import registers as reg
from gezeiten.link.files.mission_blocks import READINGS_PER_BLOCK
from gezeiten.link.files.mission_file import decode_mission_file
from gezeiten.link.lines.address import CablePort, TimeLimits, cable_port
from gezeiten.link.lines.cable import detect, ports, settings_to_try
from gezeiten.link.lines.modbus import ModbusTcp
from gezeiten.link.lines.rtu import ModbusRtu, answer_length, has_valid_crc, silence_s, with_crc
from gezeiten.link.offload import offload
from gezeiten.link.session import LoggerSession
from gezeiten.link.transfer import Progress, Watch, route_of
from gezeiten.standin.process import StandinProcess
from tests.conftest import ANCHOR_MS, DAY_MS, STORE_PLAN, StartStandin

HASTY_CABLE = TimeLimits(answer_s=1.5)


@pytest.fixture
def cable(tmp_path: Path, start_standin: StartStandin) -> StandinProcess:
    """A textile-store logger on a cable with ten days of readings."""
    begin = ANCHOR_MS - 20 * DAY_MS
    port = CablePort(str(tmp_path / "port"))
    standin = start_standin("D-2041", anchor_ms=ANCHOR_MS, base_ms=begin, cable=port)
    with ModbusTcp(standin.address) as line:
        session = LoggerSession(line)
        session.stage_plan(STORE_PLAN)
        session.command(reg.LoggerCommand.LAUNCH)
    standin.order("time", ms=begin + 10 * DAY_MS, speed=0.0)
    return standin


@pytest.fixture
def port(cable: StandinProcess) -> CablePort:
    assert cable.cable is not None
    return cable.cable


def whole_file(cable: StandinProcess) -> bytes:
    """The mission file as the network gives it."""
    with ModbusTcp(cable.address) as line:
        session = LoggerSession(line)
        [entry] = session.directory()
        blocks = -(-entry.readings // READINGS_PER_BLOCK)
        return session.read_file(entry.file, 0, entry.header_bytes + blocks * entry.block_bytes)


def test_check_sums_are_those_of_the_standard() -> None:
    # MODBUS over Serial Line V1.02, figure "CRC example": 02 07 gives 41 12
    assert with_crc(bytes.fromhex("0207")) == bytes.fromhex("02074112")
    assert has_valid_crc(bytes.fromhex("01030000000AC5CD"))
    assert not has_valid_crc(bytes.fromhex("01030000000BC5CD"))
    assert not has_valid_crc(b"")


def test_silence_is_that_of_the_standard() -> None:
    assert silence_s(CablePort("x", 115_200, "E", 1)) == 0.00175
    assert silence_s(CablePort("x", 9_600, "E", 1)) == pytest.approx(3.5 * 11 / 9_600)


def test_settings_as_people_write_them() -> None:
    assert cable_port("p", "9600 8N2") == CablePort("p", 9600, "N", 2)
    assert CablePort("p", 9600, "N", 2).settings == "9600 8N2"
    assert CablePort("p", 115_200, "N", 1).bytes_per_s == 11_520
    for wrong in ("9600", "9600 7E1", "9600 8X1", "8E1 9600"):
        with pytest.raises(ValueError, match="is not a serial port setting; type it like"):
            cable_port("p", wrong)


@pytest.mark.parametrize(
    ("start", "length"),
    [
        ("0104", None),
        ("018402", 5),
        ("010446", 75),
        ("0110", None),
        ("011000", 8),
        ("012b0e030100000200", None),
        ("010700", 0),
        ("01410000", None),
        ("01410000f8", 255),
    ],
)
def test_an_answer_tells_its_own_length(start: str, length: int | None) -> None:
    assert answer_length(bytes.fromhex(start)) == length


def test_the_same_conversation_as_over_the_network(cable: StandinProcess, port: CablePort) -> None:
    with ModbusRtu(port) as line, ModbusTcp(cable.address) as network:
        by_cable, by_network = LoggerSession(line), LoggerSession(network)
        assert by_cable.identify() == by_network.identify()
        assert by_cable.state() == by_network.state()
        assert by_cable.directory() == by_network.directory()
        assert by_cable.plan() == STORE_PLAN
        by_cable.command(reg.LoggerCommand.BLINK)
    assert cable.order("state")["blinks"] == 1


def test_an_independent_client_reads_the_state(cable: StandinProcess, port: CablePort) -> None:
    """mbpoll (libmodbus) asks for the clock's registers and the readings."""
    asked = [
        "mbpoll",
        "-m",
        "rtu",
        "-a",
        "1",
        "-b",
        "115200",
        "-P",
        "none",
        "-t",
        "3",
        "-r",
        "14",
        "-c",
        "2",
        "-1",
        "-q",
        port.path,
    ]
    said = subprocess.run(asked, capture_output=True, text=True, timeout=20, check=False)
    values = [
        int(line.split("\t")[1].split()[0]) for line in said.stdout.splitlines() if "\t" in line
    ]
    assert values[0] * 65_536 + values[1] == cable.order("state")["readings"]


@pytest.mark.parametrize("no_burst", [False, True])
def test_a_mission_comes_byte_for_byte(
    cable: StandinProcess, port: CablePort, tmp_path: Path, no_burst: bool
) -> None:
    cable.order("fault", no_burst=no_burst)
    progress_seen: list[Progress] = []
    with ModbusRtu(port) as line:
        session = LoggerSession(line)
        [entry] = session.directory()
        transfer = offload(
            session,
            entry,
            [entry.numbers_in_memory],
            tmp_path,
            Watch(progress_seen.append),
            "cable",
        )
    transfer.release()
    assert transfer.error is None
    assert route_of(transfer.path) == "cable"
    assert transfer.path.read_bytes().startswith(whole_file(cable))
    assert progress_seen[-1].limit_bytes_per_s == pytest.approx(115_200 / 11)
    assert progress_seen[-1].readings == entry.readings


def test_noise_is_asked_for_again(cable: StandinProcess, port: CablePort, tmp_path: Path) -> None:
    cable.order("fault", noise_every_bytes=1_500)
    with ModbusRtu(port, HASTY_CABLE) as line:
        session = LoggerSession(line)
        [entry] = session.directory()
        transfer = offload(session, entry, [entry.numbers_in_memory], tmp_path)
    transfer.release()
    cable.order("fault", noise_every_bytes=0)
    assert (transfer.error, transfer.damaged) == (None, [])
    assert transfer.path.read_bytes().startswith(whole_file(cable))


def test_a_cable_that_slips_at_any_byte_costs_at_most_one_block(
    cable: StandinProcess, port: CablePort, tmp_path: Path
) -> None:
    whole = whole_file(cable)
    dice = random.Random(4)
    got: dict[int, bytes] = {}
    with ModbusTcp(cable.address) as line:
        [entry] = LoggerSession(line).directory()
    for _ in range(40):
        wanted = [
            (number * READINGS_PER_BLOCK, (number + 1) * READINGS_PER_BLOCK)
            for number in range(-(-entry.readings // READINGS_PER_BLOCK))
            if number not in got
        ]
        if not wanted:
            break
        cable.order("plug")
        cable.order("fault", vanish_after_bytes=dice.randrange(1, 5_000))
        try:
            with ModbusRtu(port, HASTY_CABLE) as line:
                transfer = offload(LoggerSession(line), entry, wanted, tmp_path)
        except LoggerAwayError:
            continue  # before the header was whole
        transfer.release()
        assert transfer.error is None or isinstance(transfer.error, LoggerAwayError)
        mission_file = decode_mission_file(raw := transfer.path.read_bytes())
        assert mission_file.damaged == []
        assert len(raw) >= entry.header_bytes + len(mission_file.blocks) * entry.block_bytes
        for place, block in enumerate(mission_file.blocks):
            start = entry.header_bytes + place * entry.block_bytes
            got[block.first // READINGS_PER_BLOCK] = raw[start : start + entry.block_bytes]
    assert whole[entry.header_bytes :] == b"".join(got[number] for number in sorted(got))


def test_a_logger_that_hangs_is_given_up(cable: StandinProcess, port: CablePort) -> None:
    cable.order("fault", hang=True)
    with ModbusRtu(port, HASTY_CABLE) as line, pytest.raises(LoggerAwayError):
        LoggerSession(line).state()


@pytest.mark.parametrize("setting", [(9_600, "N", 2), (57_600, "E", 1)])
def test_speed_and_stop_bits_are_found(
    tmp_path: Path, start_standin: StartStandin, setting: tuple[int, str, int]
) -> None:
    port = CablePort(str(tmp_path / "port"), *setting)
    start_standin("W-0112", cable=port)
    tried: list[CablePort] = []
    found = detect(port.path, trying=tried.append)
    assert (found.baud, found.stop_bits) == (port.baud, port.stop_bits)
    assert tried[-1] == found
    assert len(tried) > 1
    assert detect(port.path, last=port, trying=tried.append) == port
    assert settings_to_try(port.path, port)[0] == port
    assert len(settings_to_try(port.path, port)) == len(settings_to_try(port.path))


def test_a_slow_logger_is_found_where_it_was_last_time(
    cable: StandinProcess, port: CablePort
) -> None:
    cable.order("fault", answer_after_s=0.6)
    tried: list[CablePort] = []
    assert detect(port.path, last=port, trying=tried.append) == port
    assert tried == [port]


def test_looking_can_be_stopped(cable: StandinProcess, port: CablePort) -> None:
    with pytest.raises(CancelledError):
        detect(port.path, cancelled=lambda: True)
    cable.order("unplug")
    with pytest.raises(LoggerAwayError):
        detect(port.path)


def test_ports_appear_and_vanish(cable: StandinProcess, port: CablePort) -> None:
    pattern = [str(Path(port.path).parent / "po*")]
    assert port.path in [seen.path for seen in ports(pattern)]
    cable.order("unplug")
    assert port.path not in [seen.path for seen in ports(pattern)]


def test_a_port_belongs_to_one_at_a_time(port: CablePort, cable: StandinProcess) -> None:
    with ModbusRtu(port), pytest.raises(LoggerBusyError, match="in use by another"):
        ModbusRtu(port)


@pytest.fixture
def babbler(tmp_path: Path) -> Iterator[str]:
    """A port on which something sends without end and in no protocol."""
    import pty
    import tty

    master, slave = pty.openpty()
    tty.setraw(slave)
    ended = threading.Event()
    dice = random.Random(7)

    def babble() -> None:
        while not ended.wait(0.001):
            os.write(master, dice.randbytes(64))

    os.set_blocking(master, False)

    def safe() -> None:
        while not ended.is_set():
            try:
                babble()
            except BlockingIOError:
                ended.wait(0.002)

    thread = threading.Thread(target=safe)
    thread.start()
    yield os.ttyname(slave)
    ended.set()
    thread.join()
    os.close(slave)
    os.close(master)


class _Forgetful:
    """A logger's end of a line that leaves chosen questions without an answer, or half of it."""

    def __init__(self, forget: dict[int, int]) -> None:
        import pty
        import tty

        self._forget, self.asked = forget, 0
        self._master, self._slave = pty.openpty()
        tty.setraw(self._slave)
        self.path = os.ttyname(self._slave)
        self._thread = threading.Thread(target=self._answer)
        self._thread.start()

    def _answer(self) -> None:
        whole = with_crc(bytes([1, 4, 4, 0, 7, 0, 9]))
        while len(os.read(self._master, 8)) == 8:  # a question for registers has eight bytes
            self.asked += 1
            os.write(self._master, whole[: self._forget.get(self.asked, len(whole))] or b"")

    def end(self) -> None:
        os.write(self._slave, b"end")  # seen at the other end: not a whole question
        self._thread.join()
        os.close(self._slave)
        os.close(self._master)


@pytest.mark.parametrize("came", [0, 4, 8])  # nothing, a part, all but the last byte
def test_a_lost_answer_is_asked_for_once_the_line_is_known(came: int) -> None:
    peer = _Forgetful({2: came})
    try:
        with ModbusRtu(CablePort(peer.path), TimeLimits(answer_s=0.3)) as line:
            request = ReadInputRegistersRequest(address=0, count=2, dev_id=1)
            for _ in range(3):
                [answer] = line.exchange([request])
                assert answer.registers == [7, 9]
        assert peer.asked == 4
    finally:
        peer.end()


def test_a_port_where_nobody_ever_answered_is_asked_once() -> None:
    peer = _Forgetful({1: 0, 2: 0, 3: 0})
    try:
        with ModbusRtu(CablePort(peer.path), TimeLimits(answer_s=0.2)) as line:
            request = ReadInputRegistersRequest(address=0, count=2, dev_id=1)
            with pytest.raises(LoggerAwayError):
                line.exchange([request])
        assert peer.asked == 1
    finally:
        peer.end()


def test_something_that_babbles_is_no_logger_and_ends(babbler: str) -> None:
    with ModbusRtu(CablePort(babbler), TimeLimits(answer_s=0.3)) as line:
        with pytest.raises(GezeitenError):
            LoggerSession(line).identify()
        request = ReadInputRegistersRequest(address=0, count=2, dev_id=1)
        with pytest.raises((LoggerAnswerError, LoggerAwayError)):
            line.exchange([request])


@settings(max_examples=500)
@given(st.binary(min_size=3, max_size=60))
def test_any_bytes_have_a_length_or_are_no_answer(start: bytes) -> None:
    length = answer_length(start)
    assert length is None or 0 <= length <= 2 * 256 + 8 * 256
    if has_valid_crc(start):
        assert with_crc(start[:-2]) == start
