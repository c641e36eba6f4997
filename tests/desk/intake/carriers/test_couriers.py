"""Couriers: listed, taken once, cut at any byte, killed, hostile, made ready."""

from __future__ import annotations

import json
import signal
import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import select

from gezeiten.archive.store.tables import Offload
from gezeiten.desk.intake.carriers.carried_records import KEPT, NEW
from gezeiten.desk.intake.carriers.couriers import (
    CourierCard,
    clear_courier,
    clock_refusal,
    contact_courier,
    offload_courier,
    room_left,
    set_at_loggers,
    set_courier_clock,
)
from gezeiten.desk.logger.contact import contact
from gezeiten.desk.logger.offloading import offload_logger, recover_incoming
from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.office.verification import verify
from gezeiten.errors import (
    InputError,
    LoggerAnswerError,
    LoggerAwayError,
    LoggerRefusedError,
    WrongLoggerError,
)
from gezeiten.link.courier import CourierSession, courier_record
from gezeiten.link.find import CourierAnswersError, FoundCourier, ask
from gezeiten.link.lines.modbus import ModbusTcp
from gezeiten.link.registers import CourierMode
from gezeiten.standin.process import StandinProcess
from tests.conftest import HASTY, Lab, StartStandin
from tests.desk.intake.carriers.test_carried_records import series


class Round:
    """A courier that has been to the lab's logger."""

    def __init__(self, lab: Lab, courier: StandinProcess) -> None:
        self.lab, self.courier = lab, courier

    def collect(self, **how: object) -> str:
        self.courier.order("time", ms=self.lab.clock.now_ms())
        at = str(self.lab.standin.address)
        return str(self.courier.order("collect", at=at, **how)["trouble"])

    def card(self) -> CourierCard:
        return contact_courier(self.lab.desk, FoundCourier(self.courier.address, "L-0042"))


@pytest.fixture
def outing(running: Lab, start_standin: StartStandin, tmp_path: Path) -> Round:
    state = tmp_path / "courier.json"
    courier = start_standin("L-0042", base_ms=running.clock.now_ms(), state_file=state)
    return Round(running, courier)


def test_a_couriers_clock_is_set_where_nothing_depends_on_it(outing: Round) -> None:
    desk = outing.lab.desk
    outing.collect()
    card = outing.card()
    assert clock_refusal(card) == "1 record on it is dated by its clock; import them first."
    with pytest.raises(InputError, match="stays: 1 record on it is dated by its clock"):
        set_courier_clock(desk, card)
    offload_courier(desk, card)
    assert abs(outing.card().clock.difference_ms) > 3_000
    set_courier_clock(desk, outing.card())
    after = outing.card()
    assert abs(after.clock.difference_ms) < 300
    assert [record.state for record in after.records] == [KEPT]  # nothing was cleared


def test_what_a_courier_does_at_loggers_is_set_here(outing: Round) -> None:
    assert outing.card().state.at_loggers == CourierMode.LEAVES_RUNNING
    set_at_loggers(outing.lab.desk, outing.card(), launch_again=True)
    outing.collect()
    [seen] = outing.card().records
    assert seen.left == "relaunched"


def test_the_room_on_a_courier_is_told_in_full_loggers(outing: Round) -> None:
    # 2,000,000 bytes: 30 times the 65,536 of a Düne T2, 15 times the 131,072 of a Brise A4
    room = dict(room_left(outing.card()))
    assert (room["Düne T2"], room["Brise A4"]) == (30, 15)


def test_a_courier_brings_records_home_and_is_made_ready(outing: Round) -> None:
    lab = outing.lab
    address = lab.standin.address
    direct_ms = contact(lab.desk, address, lab.serial).clock.difference_ms
    assert outing.collect(relaunch=True) == ""
    lab.later(60)
    outing.courier.order("time", ms=lab.clock.now_ms())
    card = outing.card()
    assert card.clock.difference_ms == pytest.approx(-4_000, abs=300)
    assert card.state.main_permille == 870
    assert card.state.clock_battery_mv == 3010
    [seen] = card.records
    assert (seen.serial, seen.model, seen.left) == ("D-2041", "Düne T2", "relaunched")
    assert seen.is_new
    stay = clear_courier(lab.desk, card)  # too early: nothing of it is kept
    assert stay == ["D-2041, mission 12: not saved yet."]
    [result] = offload_courier(lab.desk, outing.card())
    assert result.readings == seen.readings
    with lab.desk.archive.reading() as session:
        offload = session.scalars(select(Offload)).one()
        assert offload.route == "courier"
        assert offload.carried is not None
        assert offload.carried["left"] == "relaunched"
        assert offload.carried["by"] == "L-0042"
        # the courier measured against its own clock, which is wrong; this computer knows by how
        # much, so it comes out as if the logger had been measured here
        assert offload.clock_difference_ms == pytest.approx(direct_ms, abs=400)
    assert outing.card().records[0].state == KEPT
    assert clear_courier(lab.desk, outing.card()) == []
    ready = outing.card()
    assert ready.is_empty
    assert abs(ready.clock.difference_ms) < 300
    assert lab.standin.order("state")["readings"] < 20  # it was relaunched out there
    assert verify(lab.desk).is_intact
    assert logbook_entries(lab.desk)[0].act == "courier made ready"


def test_a_courier_cut_at_any_byte_goes_on_there(outing: Round) -> None:
    outing.collect()
    lab, size = outing.lab, outing.card().records[0].size
    lengths = [0]
    for cut in (100, 1_500, 1_901, 2_600, 2_613):
        card = outing.card()
        outing.courier.order("fault", vanish_after_bytes=cut)
        try:
            [result] = offload_courier(lab.desk, card)
        except LoggerAwayError:
            continue  # cut before the record was asked for
        begun = next(lab.desk.archive.incoming.glob("*.begun"))
        assert "connect it again to continue" in result.error
        assert lengths[-1] <= begun.stat().st_size < size
        lengths.append(begun.stat().st_size)
    outing.courier.order("fault", vanish_after_bytes=None)
    assert lengths[-1] > 1_000
    seen = outing.card().records[0]
    [last] = offload_courier(lab.desk, outing.card(), {seen.key})
    assert last.error == ""
    assert list(lab.desk.archive.incoming.iterdir()) == []
    assert len(series(lab)) == outing.card().records[0].readings
    assert outing.card().records[0].sha256 in set(lab.desk.archive.vault.fingerprints())
    assert verify(lab.desk).is_intact


_KILLED = """
import os, signal, sys
from pathlib import Path
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.logger.contact import contact
from gezeiten.desk.intake.carriers.couriers import contact_courier, offload_courier
from gezeiten.link.find import FoundCourier
from gezeiten.link.lines.address import Address
from gezeiten.link.transfer import Watch
import gezeiten.link.transfer as transfer
transfer._TELL_EVERY_S = -1.0
def tell(progress):
    if progress.readings >= int(sys.argv[3]):
        os.kill(os.getpid(), signal.SIGKILL)
desk = open_workspace(Path(sys.argv[1]))
card = contact_courier(desk, FoundCourier(Address("127.0.0.1", int(sys.argv[2])), "L-0042"))
offload_courier(desk, card, watch=Watch(tell))
"""


def test_killed_while_taking_from_a_courier(outing: Round) -> None:
    outing.collect()
    lab, seen = outing.lab, outing.card().records[0]
    for at in ("200", "900"):
        command = [
            sys.executable,
            "-c",
            _KILLED,
            str(lab.desk.archive.folder),
            str(outing.courier.address.port),
            at,
        ]
        assert subprocess.run(command, check=False).returncode == -signal.SIGKILL
        recover_incoming(lab.desk)
    [result] = offload_courier(lab.desk, outing.card())
    assert result.error == ""
    assert len(series(lab)) == seen.readings
    assert seen.sha256 in set(lab.desk.archive.vault.fingerprints())


def test_what_a_courier_could_not_carry_is_said(outing: Round, start_standin: StartStandin) -> None:
    assert outing.collect(stop_after=2_000) == "half"
    brise = start_standin("B-0508", base_ms=outing.lab.clock.now_ms())
    assert outing.courier.order("collect", at=str(brise.address))["trouble"] == "no mission"
    [half] = outing.card().records
    assert half.state == NEW
    assert (
        "The courier was disconnected while collecting; the readings collected can be imported."
    ) in half.note
    [result] = offload_courier(outing.lab.desk, outing.card())
    assert 0 < result.readings < half.readings
    [stays] = clear_courier(outing.lab.desk, outing.card()) or [""]
    assert stays == ""  # its very bytes are kept, so it may be cleared


def test_a_half_record_whose_readings_came_otherwise_is_not_new_for_ever(outing: Round) -> None:
    assert outing.collect(stop_after=2_000) == "half"
    lab, standin = outing.lab, outing.lab.standin
    offload_logger(lab.desk, standin.address, lab.serial, only={12: [(0, 240)]})
    [half] = outing.card().records
    assert half.state == NEW  # it claims more than came by the network
    [result] = offload_courier(lab.desk, outing.card())
    assert (result.readings, result.error) == (0, "")
    [half] = outing.card().records
    assert half.state == KEPT
    assert verify(lab.desk).is_intact
    assert clear_courier(lab.desk, outing.card()) == []
    assert outing.card().is_empty


def test_a_courier_is_not_taken_for_a_logger(outing: Round) -> None:
    with pytest.raises(CourierAnswersError, match="L-0042 answers"):
        ask(outing.courier.address, outing.lab.clock.now_ms, HASTY)
    outing.courier.order("fault", serial="L-0043")
    with pytest.raises(WrongLoggerError, match="L-0043 answers"):
        outing.card()


def test_a_courier_clears_nothing_by_another_fingerprint(outing: Round) -> None:
    from dataclasses import replace

    outing.collect()
    with ModbusTcp(outing.courier.address) as line:
        session = CourierSession(line, "L-0042")
        [entry] = session.records()
        with pytest.raises(LoggerRefusedError, match="the record there is a different one"):
            session.clear(replace(entry, sha256="ab" * 32))
    assert len(outing.card().records) == 1


def test_a_vault_that_lost_the_bytes_keeps_the_courier_full(outing: Round) -> None:
    outing.collect()
    desk = outing.lab.desk
    offload_courier(desk, outing.card())
    path = desk.archive.vault.path(outing.card().records[0].sha256)
    path.chmod(0o644)
    path.write_bytes(b"damaged")
    [stays] = clear_courier(desk, outing.card())
    assert "was changed since it was saved" in stays
    assert len(outing.card().records) == 1


ENTRY = {
    "number": 1,
    "serial": "D-2041",
    "model": "DUENE-T2",
    "mission": 12,
    "name": "Store",
    "point": "A · B",
    "launched_ms": 0,
    "first_held": 0,
    "readings": 100,
    "bytes": 5_000,
    "sha256": "ab" * 32,
    "collected_ms": 5,
    "logger_clock_ms": 1.5,
    "left": "running",
    "trouble": "",
    "file": 1_000,
}


@given(
    st.dictionaries(
        st.sampled_from(sorted(ENTRY)), st.none() | st.integers() | st.text() | st.floats()
    )
)
def test_any_entry_of_a_courier_is_read_or_refused(change: dict[str, object]) -> None:
    assert courier_record(dict(ENTRY)).serial == "D-2041"
    try:
        made = courier_record({**ENTRY, **change})
    except (TypeError, ValueError):
        return
    assert 0 <= made.bytes <= 1 << 30
    assert "/" not in made.serial


def test_a_nonsense_directory_is_one_sentence(outing: Round, tmp_path: Path) -> None:
    outing.collect()
    file = tmp_path / "courier" / "courier.json"
    memory = json.loads(file.read_text())
    memory["records"][0]["left"] = "eaten by a sheep"
    outing.courier.end()
    file.write_text(json.dumps(memory))
    again = StandinProcess("L-0042", state_file=tmp_path / "courier.json").wait_until_ready()
    try:
        with pytest.raises(LoggerAnswerError, match="read it again"):
            contact_courier(outing.lab.desk, FoundCourier(again.address, "L-0042"))
    finally:
        again.end()
