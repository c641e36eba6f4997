"""Erasing a logger's memory: only what was read back from the vault may go."""

from __future__ import annotations

import pytest

from gezeiten.desk.logger.contact import LoggerCard, contact
from gezeiten.desk.logger.erasing import erase_memory, erase_refusal
from gezeiten.desk.logger.launch.launching import launch, stop
from gezeiten.desk.logger.offloading import offload_logger
from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.office.verification import verify
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import point_named
from gezeiten.errors import (
    ArchiveDamagedError,
    GezeitenError,
    LoggerRefusedError,
    NotKeptError,
    WrongLoggerError,
)
from gezeiten.link import registers as reg
from gezeiten.link.lines.modbus import ModbusTcp
from gezeiten.link.session import LoggerSession
from tests.conftest import STORE_PLAN, Lab


@pytest.fixture
def stopped(lab: Lab) -> Lab:
    """The textile store's logger with two days recorded, stopped, not offloaded."""
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN, {})
    lab.later(2 * 24 * 60)
    stop(lab.desk, lab.standin.address, lab.serial)
    return lab


def seen(lab: Lab) -> LoggerCard:
    return contact(lab.desk, lab.standin.address, lab.serial)


def erase(lab: Lab, label: str = "2041") -> int:
    return erase_memory(lab.desk, lab.standin.address, lab.serial, label)


def test_what_is_kept_may_go_and_stays_in_the_archive(stopped: Lab) -> None:
    offload_logger(stopped.desk, stopped.standin.address, stopped.serial)
    count = erase(stopped)
    assert count in (288, 289)
    card = seen(stopped)
    assert (card.directory, card.state.state, card.state.readings) == ((), reg.State.IDLE, 0)
    assert "no mission" in erase_refusal(card)
    point = point_named(stopped.desk, "Textile store")
    assert len(record(stopped.desk, point.id, "air_temperature")) == count
    assert verify(stopped.desk).is_intact
    [entry] = logbook_entries(stopped.desk, action="erase")
    assert str(count) in entry.sentence


def test_what_nobody_has_stays(stopped: Lab) -> None:
    with pytest.raises(NotKeptError, match="to offload"):
        erase(stopped)
    assert seen(stopped).readings_to_offload in (288, 289)
    assert logbook_entries(stopped.desk, action="erase refused")


def test_a_vault_that_cannot_be_read_back_protects_the_logger(stopped: Lab) -> None:
    offload_logger(stopped.desk, stopped.standin.address, stopped.serial)
    [sha256] = stopped.desk.archive.vault.fingerprints()
    path = stopped.desk.archive.vault.path(sha256)
    path.chmod(0o644)
    path.write_bytes(path.read_bytes()[:-1] + b"?")
    with pytest.raises(ArchiveDamagedError):
        erase(stopped)
    assert seen(stopped).state.readings in (288, 289)


@pytest.mark.parametrize("label", ["", "41", "2044"])
def test_the_label_is_compared_first(stopped: Lab, label: str) -> None:
    offload_logger(stopped.desk, stopped.standin.address, stopped.serial)
    with pytest.raises(WrongLoggerError, match="Nothing was erased"):
        erase(stopped, label)
    assert seen(stopped).state.readings in (288, 289)


def test_a_running_mission_is_not_erased(stopped: Lab) -> None:
    offload_logger(stopped.desk, stopped.standin.address, stopped.serial)
    launch(stopped.desk, stopped.standin.address, stopped.serial, STORE_PLAN, {})
    with pytest.raises(LoggerRefusedError, match="still recording"):
        erase(stopped)
    with ModbusTcp(stopped.standin.address) as line:  # the logger itself refuses as well
        session = LoggerSession(line)
        with pytest.raises(LoggerRefusedError, match="still logging"):
            session.command(reg.LoggerCommand.ERASE, expected=session.state().readings)


def test_the_logger_refuses_another_number_of_readings(stopped: Lab) -> None:
    with ModbusTcp(stopped.standin.address) as line:
        session = LoggerSession(line)
        with pytest.raises(LoggerRefusedError, match="it has readings that were not offloaded"):
            session.command(reg.LoggerCommand.ERASE, expected=5)
        assert session.state().readings in (288, 289)


def test_an_answer_that_is_lost_is_cleared_up_by_the_next_contact(stopped: Lab) -> None:
    offload_logger(stopped.desk, stopped.standin.address, stopped.serial)
    stopped.standin.order("fault", vanish_after_commit=True)
    with pytest.raises(GezeitenError):
        erase(stopped)
    stopped.standin.order("fault", vanish_after_commit=False, away_connections=0)
    assert seen(stopped).directory == ()
    assert verify(stopped.desk).is_intact
