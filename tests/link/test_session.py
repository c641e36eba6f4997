"""Conversations with a stand-in over a real socket, and with peers that are no logger."""

from __future__ import annotations

import socket
import threading
import time
from collections.abc import Iterator
from functools import partial

import pytest
from pymodbus.client import ModbusTcpClient

from gezeiten.errors import (
    LoggerAnswerError,
    LoggerAwayError,
    LoggerRefusedError,
    WrongLoggerError,
)
from gezeiten.link import registers as reg
from gezeiten.link.find import ask, search
from gezeiten.link.lines.address import Address, TimeLimits, addresses
from gezeiten.link.lines.modbus import ModbusTcp
from gezeiten.link.session import LoggerSession
from tests.conftest import HASTY, STORE_PLAN, Lab, StartStandin

SHORT = TimeLimits(connect_s=1.5, answer_s=1.5)


@pytest.fixture
def session(lab: Lab) -> Iterator[LoggerSession]:
    with ModbusTcp(lab.standin.address) as line:
        yield LoggerSession(line)


def test_a_logger_says_who_it_is(session: LoggerSession) -> None:
    identity = session.identify()
    assert (identity.serial, identity.model.name) == ("D-2041", "Düne T2")
    assert "stand-in" in identity.maker  # it is honest about it
    assert session.state().practice == 1


def test_another_serial_than_expected_is_refused(session: LoggerSession) -> None:
    with pytest.raises(WrongLoggerError, match=r"D-2041 answers .* where D-2044 was expected"):
        session.identify("D-2044")


def test_launch_by_two_steps_and_the_plan_reads_back(session: LoggerSession, lab: Lab) -> None:
    session.stage_plan(STORE_PLAN)
    assert session.state().state == reg.State.IDLE  # staging alone changes nothing
    session.command(reg.LoggerCommand.LAUNCH)
    assert session.plan() == STORE_PLAN
    state = session.state()
    assert state.state == reg.State.WAITING
    assert state.first_due_ms % 600_000 == 0
    lab.later(25)
    assert session.state().state == reg.State.LOGGING
    assert session.state().readings in (2, 3)


def test_a_stray_commit_does_nothing(session: LoggerSession) -> None:
    with pytest.raises(LoggerRefusedError, match=r"nothing was prepared; nothing on it"):
        session._write(reg.COMMIT_ADDRESS, b"\0\1")


def test_a_commit_with_another_token_does_nothing(session: LoggerSession) -> None:
    session.stage_plan(STORE_PLAN)
    session._write(reg.PREPARE_ADDRESS, reg.pack_prepare(reg.LoggerCommand.LAUNCH, 7, 0))
    with pytest.raises(LoggerRefusedError, match="another computer has prepared"):
        session._write(reg.COMMIT_ADDRESS, b"\0\x08")
    assert session.state().state == reg.State.IDLE


def test_a_preparation_grows_stale(session: LoggerSession, lab: Lab) -> None:
    session._write(reg.PREPARE_ADDRESS, reg.pack_prepare(reg.LoggerCommand.LAUNCH, 7, 0))
    lab.later(1)
    with pytest.raises(LoggerRefusedError, match="the preparation has expired"):
        session._write(reg.COMMIT_ADDRESS, b"\0\x07")


def test_no_launch_without_a_plan_and_none_over_readings_nobody_fetched(
    session: LoggerSession, lab: Lab
) -> None:
    with pytest.raises(
        LoggerRefusedError, match=r"refused: it has no complete plan; nothing on it was changed\."
    ):
        session.command(reg.LoggerCommand.LAUNCH)
    session.stage_plan(STORE_PLAN)
    session.command(reg.LoggerCommand.LAUNCH)
    lab.later(35)
    for expected in (reg.ANY_COUNT, 0, session.state().readings - 1):
        with pytest.raises(
            LoggerRefusedError, match="it has readings that were not offloaded"
        ) as caught:
            session.command(reg.LoggerCommand.LAUNCH, expected=expected)
        assert caught.value.reason == reg.Refusal.NOT_ALL_FETCHED
    number = session.state().mission_number
    session.command(reg.LoggerCommand.LAUNCH, expected=session.state().readings)
    assert session.state().mission_number == number + 1
    assert session.state().end_reason == reg.EndReason.NEW_MISSION
    with pytest.raises(LoggerRefusedError, match="still logging"):
        session.command(reg.LoggerCommand.ERASE)
    session.command(reg.LoggerCommand.STOP)
    session.command(reg.LoggerCommand.ERASE)
    assert session.directory() == []


def test_of_two_computers_preparing_at_once_only_the_last_one_acts(lab: Lab) -> None:
    with ModbusTcp(lab.standin.address) as first, ModbusTcp(lab.standin.address) as second:
        ours, theirs = LoggerSession(first), LoggerSession(second)
        ours.stage_plan(STORE_PLAN)
        ours._write(reg.PREPARE_ADDRESS, reg.pack_prepare(reg.LoggerCommand.LAUNCH, 7, 0))
        theirs._write(reg.PREPARE_ADDRESS, reg.pack_prepare(reg.LoggerCommand.BLINK, 9, 0))
        with pytest.raises(LoggerRefusedError, match="another computer has prepared something"):
            ours._write(reg.COMMIT_ADDRESS, (7).to_bytes(2, "big"))
        assert theirs.state().state == reg.State.IDLE


def test_a_plan_that_does_not_fit_is_refused_by_the_logger_itself(session: LoggerSession) -> None:
    from dataclasses import replace

    session.stage_plan(replace(STORE_PLAN, channels=("co2",), limits=()))
    with pytest.raises(LoggerRefusedError, match="does not fit this model"):
        session.command(reg.LoggerCommand.LAUNCH)
    assert session.state().mission_number == 0


def test_the_clock_is_measured_and_set(session: LoggerSession, lab: Lab) -> None:
    far_off = session.clock(lambda: lab.clock.now_ms() - 48_000)
    assert far_off.difference_ms == pytest.approx(48_000, abs=200)
    session.command(reg.LoggerCommand.SET_CLOCK, round(lab.clock.now_ms()) + 5_000)
    ahead = session.clock(lab.clock.now_ms)
    assert ahead.difference_ms == pytest.approx(5_000, abs=200)
    assert ahead.uncertainty_ms < 100


def test_blinking_is_noticed_by_the_stand_in(session: LoggerSession, lab: Lab) -> None:
    session.command(reg.LoggerCommand.BLINK)
    assert lab.standin.order("state")["blinks"] == 1


def test_present_values_come_in_the_models_order(session: LoggerSession) -> None:
    temp, humidity = session.live(session.identify().model)
    assert (temp.unit, humidity.unit) == ("°C", "%")
    assert 10 < temp.value < 30
    assert 30 < humidity.value < 80


def test_an_independent_modbus_client_reads_the_same_state(lab: Lab) -> None:
    """pymodbus's own client, its framing and its decoding."""
    client = ModbusTcpClient(lab.standin.address.host, port=lab.standin.address.port)
    assert client.connect()
    try:
        answer = client.read_input_registers(0, count=reg.STATE_REGISTERS, device_id=1)
        state = reg.unpack_state(reg.register_bytes(list(answer.registers)))
        assert state.state == reg.State.IDLE
        identity = client.read_device_information(read_code=3, object_id=0, device_id=1)
        assert bytes(identity.information[reg.SERIAL_OBJECT]) == b"D-2041"
        unknown = client.read_coils(0, count=1, device_id=1)
        assert unknown.exception_code == 1
        beyond = client.read_input_registers(5000, count=1, device_id=1)
        assert beyond.exception_code == 2
    finally:
        client.close()


def test_nobody_at_the_address() -> None:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    with pytest.raises(LoggerAwayError, match=r"No logger answers at .*; check cable"):
        ModbusTcp(Address("127.0.0.1", port), SHORT)


def test_a_logger_that_hangs_is_given_up(lab: Lab) -> None:
    lab.standin.order("fault", hang=True)
    with ModbusTcp(lab.standin.address, SHORT) as line:
        began = time.monotonic()
        with pytest.raises(
            LoggerAwayError,
            match=r"was disconnected",
        ):
            LoggerSession(line).identify()
        assert time.monotonic() - began < 30  # and not for ever


def test_a_logger_that_answers_nonsense_is_called_so(lab: Lab) -> None:
    lab.standin.order("fault", nonsense=True)
    with (
        ModbusTcp(lab.standin.address, HASTY) as line,
        pytest.raises(LoggerAnswerError, match="does not answer in Modbus"),
    ):
        LoggerSession(line).identify()


@pytest.fixture
def stranger() -> Iterator[Address]:
    """A server that answers every question with a greeting."""
    server = socket.create_server(("127.0.0.1", 0))

    def serve() -> None:
        while True:
            try:
                peer, _ = server.accept()
            except OSError:
                return
            with peer:
                peer.recv(300)
                peer.sendall(b"220 mail.example ready\r\n")

    thread = threading.Thread(target=serve, daemon=True)
    thread.start()
    yield Address("127.0.0.1", server.getsockname()[1])
    server.shutdown(socket.SHUT_RDWR)
    server.close()
    thread.join(5)


def test_something_else_on_the_port_is_no_logger(stranger: Address) -> None:
    with ModbusTcp(stranger, HASTY) as line, pytest.raises(LoggerAnswerError):
        LoggerSession(line).identify()


def test_finding_passes_over_silence_and_strangers(
    lab: Lab, start_standin: StartStandin, stranger: Address
) -> None:
    other = start_standin("W-0112")
    listed = [stranger, Address("127.0.0.1", 1), lab.standin.address, other.address]
    seen = []
    jobs = [partial(ask, address, lambda: time.time() * 1000, HASTY) for address in listed]
    found = search(jobs, on_found=lambda f: seen.append(f))
    assert [f.identity.serial for f in found] == ["D-2041", "W-0112"]
    assert len(seen) == 2


def test_addresses_of_a_text() -> None:
    assert list(addresses("127.0.0.1:5020-5022, logger.lan:502")) == [
        ("127.0.0.1", 5020),
        ("127.0.0.1", 5021),
        ("127.0.0.1", 5022),
        ("logger.lan", 502),
    ]
    for wrong in ("localhost", "x:1-5000", "x:70000", ":80", "x:9-3"):
        with pytest.raises(ValueError, match=r"is no|invalid literal"):
            addresses(wrong)
