"""Our client against servers that are not ours: another Modbus library, the disk service."""

from __future__ import annotations

import os
import socket
import subprocess
import threading
from collections.abc import Iterator
from pathlib import Path

import pytest
from jeepney import MessageType, new_error, new_method_return
from jeepney.bus_messages import message_bus
from jeepney.io.blocking import open_dbus_connection
from pymodbus.pdu.register_message import ReadHoldingRegistersRequest, ReadInputRegistersRequest
from pyModbusTCP.server import ModbusServer

from gezeiten.errors import DeviceError, SurroundingsError
from gezeiten.link.files import unmount as unmounting
from gezeiten.link.instruments.instrument import network_place, open_instrument
from gezeiten.link.instruments.profile import profile_of
from gezeiten.link.lines.address import Address, TimeLimits
from gezeiten.link.lines.line import refusal
from gezeiten.link.lines.modbus import WINDOW, ModbusTcp
from gezeiten.link.session import LoggerSession


@pytest.fixture
def other_server() -> Iterator[Address]:
    """A Modbus server of another library, with numbers in its registers."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    server = ModbusServer("127.0.0.1", port, no_block=True)
    server.start()
    server.data_bank.set_input_registers(0, [(7 * i) % 65_536 for i in range(1_000)])
    server.data_bank.set_holding_registers(0, list(range(200)))
    yield Address("127.0.0.1", port)
    server.stop()


def test_an_instrument_with_registers_on_the_network(other_server: Address) -> None:
    value = {"source": "3", "quantity": "co2", "unit": "ppm", "type": "uint16"}
    profile = profile_of(
        {"name": "Gas", "kind": "registers", "every_s": 1, "function": 4, "value": [value]},
        "here",
    )
    instrument = open_instrument(str(other_server), profile, lambda: 5.0)
    sample = instrument.sample(0.0)
    instrument.close()
    assert sample is not None
    assert (sample.at_ms, sample.values) == (5.0, {"co2": 21.0})
    with pytest.raises(DeviceError):
        open_instrument("127.0.0.1:1", profile, lambda: 0.0)


@pytest.mark.parametrize(
    ("text", "place"),
    [
        ("10.0.0.5:502", Address("10.0.0.5", 502)),
        ("gas.lan:1502", Address("gas.lan", 1502)),
        ("/dev/ttyUSB0", None),
        ("/dev/serial/by-path/pci-0:1", None),
        ("COM3", None),
        ("x:0", None),
    ],
)
def test_a_port_or_a_place_on_the_network(text: str, place: Address | None) -> None:
    assert network_place(text) == place


def test_many_questions_in_flight_are_answered_rightly(other_server: Address) -> None:
    asked = [ReadInputRegistersRequest(address=10 * i, count=10, dev_id=1) for i in range(90)]
    assert len(asked) > 3 * WINDOW
    with ModbusTcp(other_server) as line:
        answers = line.exchange(asked)
        told = [value for answer in answers for value in answer.registers]
        assert told == [7 * i for i in range(900)]
        [held] = line.exchange([ReadHoldingRegistersRequest(address=5, count=3, dev_id=1)])
        assert held.registers == [5, 6, 7]


def test_stopping_in_the_middle_leaves_the_line_fit(other_server: Address) -> None:
    asked = [ReadInputRegistersRequest(address=i, count=1, dev_id=1) for i in range(60)]
    with ModbusTcp(other_server) as line:
        for i, answer in enumerate(line.answers(asked)):
            assert answer.registers == [7 * i]
            if i == 4:
                break
        [after] = line.exchange([ReadInputRegistersRequest(address=99, count=1, dev_id=1)])
        assert after.registers == [693]


def test_its_exceptions_are_read_and_it_is_no_logger(other_server: Address) -> None:
    with ModbusTcp(other_server, TimeLimits(answer_s=5)) as line:
        [answer] = line.exchange([ReadInputRegistersRequest(address=65_530, count=20, dev_id=1)])
        assert refusal(answer) == "it has nothing at this address"
        with pytest.raises(DeviceError, match=r"refused|does not say"):
            LoggerSession(line).identify()


# -- the system's disk service, played by us on a bus of our own
class DiskService:
    """Answers Unmount for one device; refuses while `busy`."""

    def __init__(self, address: str) -> None:
        self.busy = False
        self._ended = threading.Event()
        self.asked: list[str] = []
        self._connection = open_dbus_connection(address)
        self._connection.send_and_get_reply(message_bus.RequestName("org.freedesktop.UDisks2"))
        self._thread = threading.Thread(target=self._serve, daemon=True)
        self._thread.start()

    def _serve(self) -> None:
        while not self._ended.is_set():
            try:
                message = self._connection.receive(timeout=0.05)
            except TimeoutError:
                continue
            if message.header.message_type is not MessageType.method_call:
                continue
            self.asked.append(str(message.header.fields[1]))
            error = "org.freedesktop.UDisks2.Error.DeviceBusy"
            answer = new_error(message, error) if self.busy else new_method_return(message)
            self._connection.send(answer)

    def end(self) -> None:
        self._ended.set()
        self._thread.join()
        self._connection.close()


@pytest.fixture
def bus(tmp_path: Path) -> Iterator[str]:
    address = f"--address=unix:path={tmp_path}/bus"
    command = ["dbus-daemon", "--session", "--nofork", "--print-address", address]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    yield process.stdout.readline().strip()
    process.terminate()
    process.communicate()


def test_a_drive_is_unmounted_by_the_disk_service(bus: str) -> None:
    assert unmounting.unmount("/dev/sdz1", bus) is False  # the bus is there, the service is not
    service = DiskService(bus)
    assert unmounting.unmount("/dev/disk-1", bus) is True
    assert service.asked == ["/org/freedesktop/UDisks2/block_devices/disk_2d1"]
    service.busy = True
    with pytest.raises(SurroundingsError, match="DeviceBusy"):
        unmounting.unmount("/dev/sdb1", bus)
    service.end()


def test_without_a_bus_nothing_is_called_safe(tmp_path: Path) -> None:
    assert unmounting.unmount("/dev/sdb1", f"unix:path={tmp_path}/none") is False
    unmounting.sync_file_system(tmp_path)
    with pytest.raises(
        SurroundingsError, match=r"cannot be written to; it may be gone already, connect it again\."
    ):
        unmounting.sync_file_system(tmp_path / "none")
    assert os.path.isdir(tmp_path)
