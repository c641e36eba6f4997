"""Online loggers: followed, noticed when away, and exactly the missing fetched when back."""

from __future__ import annotations

import errno
import json
import subprocess
import sys
import threading
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import TypeAlias

import pytest
from sqlalchemy import select

from gezeiten.archive.store.tables import Offload
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.intake import follower as following
from gezeiten.desk.intake.follower import Follower, FollowingNews, PollingPace, followed_addresses
from gezeiten.desk.logger.contact import LoggerCard
from gezeiten.desk.logger.launch.launching import launch
from gezeiten.desk.logger.offloading import Offloaded
from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.office.verification import verify
from gezeiten.desk.record.excursion_book import excursions
from gezeiten.errors import InputError
from gezeiten.link.lines.address import Address
from gezeiten.link.session import LoggerSession
from gezeiten.link.transfer import Watch
from tests.conftest import COLD_PLAN, Lab

Follow: TypeAlias = "Callable[..., Steps]"


class Steps:
    """A follower that is stepped by hand: its own clock, one look at a time."""

    def __init__(self, lab: Lab, *addresses: Address, fetch_s: float = 900.0) -> None:
        self.lab, self.news = lab, list[FollowingNews]()
        self.now_s = 0.0
        self.follower = Follower(
            lab.desk,
            addresses or (lab.standin.address,),
            self.news.append,
            PollingPace(poll_s=10.0, fetch_s=fetch_s),
            seconds=lambda: self.now_s,
        )
        self._pool = ThreadPoolExecutor(4)

    def look(self, minutes_later: float = 0.0) -> list[str]:
        """Let time pass, look once; returns what was told."""
        self.now_s += minutes_later * 60
        before = len(self.news)
        self.follower.poll_due(self._pool, self._pool)
        self.follower.settle()
        return [news.kind for news in self.news[before:]]


@pytest.fixture
def follow() -> Iterator[Follow]:
    """Start followers that let go of their lines with the test."""
    made: list[Steps] = []

    def start(*args: object) -> Steps:
        made.append(Steps(*args))  # type: ignore[arg-type]
        return made[-1]

    yield start
    for steps in made:
        steps.follower.close()


@pytest.fixture
def online(cold_lab: Lab) -> Lab:
    lab = cold_lab
    launch(lab.desk, lab.standin.address, lab.serial, COLD_PLAN, {})
    lab.later(60)
    return lab


def kept(lab: Lab) -> list[list[list[int]]]:
    with lab.desk.archive.reading() as session:
        return list(session.scalars(select(Offload.added).order_by(Offload.id)))


def test_new_readings_are_fetched_but_not_at_every_look(online: Lab, follow: Follow) -> None:
    steps = follow(online)
    assert steps.look() == ["following", "fetched"]
    online.later(10)
    assert steps.look(5) == []  # not yet fifteen minutes
    assert steps.look(11) == ["fetched"]
    assert kept(online) == [[[0, 12]], [[12, 14]]]
    assert steps.look(30) == []  # nothing new


def test_one_that_was_away_brings_exactly_what_is_missing(online: Lab, follow: Follow) -> None:
    """It is away while its cold room gets warm; the excursion is found when it is back."""
    steps = follow(online)
    steps.look()
    online.standin.order("fault", away_connections=2, vanish_after_bytes=1)
    online.later(15)
    assert steps.look(20) == ["away"]
    assert steps.look(5) == []  # said once
    online.later(3 * 24 * 60)
    assert steps.look(5) == []
    assert steps.look(5) == ["back", "fetched"]
    assert "is back after 3 d" in steps.news[-2].sentence
    away = next(news for news in steps.news if news.kind == "away")
    assert away.sentence.startswith("R-1107 is away since ")
    assert away.sentence.endswith(" (Europe/Berlin); it is asked on.")
    first, rest = kept(online)
    assert first[-1][1] == rest[0][0]
    assert rest[-1][1] >= 12 + 3 * 288
    acts = [entry.act for entry in logbook_entries(online.desk)]
    assert acts.count("followed logger away") == acts.count("followed logger back") == 1
    [event] = excursions(online.desk)
    assert event.found_ms - event.alarm_ms > 24 * 3_600_000
    assert verify(online.desk).is_intact


def test_a_cut_in_the_middle_goes_on_at_the_next_look(online: Lab, follow: Follow) -> None:
    steps = follow(online)
    online.later(2 * 24 * 60)
    online.standin.order("fault", vanish_after_bytes=3_500)
    told = steps.look()
    while kept(online) == [] or kept(online)[-1][-1][1] < 570:
        told += steps.look(2)
        assert len(told) < 12
    flat = [part for row in kept(online) for part in row]
    assert [first for first, _ in flat[1:]] == [end for _, end in flat[:-1]]


@pytest.mark.parametrize(
    ("error", "said"),
    [
        (OSError(errno.ENOSPC, "No space left"), "is full"),
        (ZeroDivisionError("x"), "Internal error"),
    ],
)
def test_what_goes_wrong_here_is_said_once_and_ends_no_following(
    online: Lab, follow: Follow, monkeypatch: pytest.MonkeyPatch, error: Exception, said: str
) -> None:
    def fail(_descriptor: int) -> None:
        raise error

    steps = follow(online)
    online.later(60)
    with monkeypatch.context() as patched:
        patched.setattr("gezeiten.link.offload.os.fsync", fail)
        assert steps.look() == ["following", "failed"]
        assert said in steps.news[-1].sentence
        assert steps.look(2) == []  # the same again is not said again
    assert "fetched" in steps.look(2)
    assert verify(online.desk).is_intact


def test_another_logger_at_the_address_is_not_taken_for_it(online: Lab, follow: Follow) -> None:
    steps = follow(online)
    steps.look()
    online.standin.order("fault", serial="R-9999", vanish_after_bytes=1)
    online.later(30)
    steps.look(20)
    assert steps.look(20) == []
    assert "away" in [news.kind for news in steps.news]
    assert len(kept(online)) == 1


def test_a_silent_address_does_not_hold_up_the_others(online: Lab, follow: Follow) -> None:
    steps = follow(online, Address("127.0.0.1", 1), online.standin.address)
    assert sorted(steps.look()) == ["away", "fetched", "following"]


def test_one_slow_logger_holds_up_no_look_and_no_fetch_of_others(
    online: Lab, follow: Follow, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Its fetch goes on and on; meanwhile another one is looked at and fetched."""
    hold, entered = threading.Event(), threading.Event()
    quick = Address("localhost", online.standin.address.port)
    plain = following.offload_connected

    def take(desk: Workspace, session: LoggerSession, card: LoggerCard, watch: Watch) -> Offloaded:
        if card.address != quick:
            entered.set()
            assert hold.wait(60)
        return plain(desk, session, card, watch)

    monkeypatch.setattr(following, "offload_connected", take)
    steps = follow(online, online.standin.address, quick)
    with ThreadPoolExecutor(2) as looks, ThreadPoolExecutor(2) as fetches:
        steps.follower.poll_due(looks, fetches)
        assert entered.wait(60)
        while [news.kind for news in steps.news].count("fetched") < 1:
            steps.now_s += 20
            assert steps.follower.poll_due(looks, fetches) <= 1.0
        hold.set()
        steps.follower.settle()
    assert verify(online.desk).is_intact


def test_a_long_fetch_makes_room_and_goes_on(online: Lab, follow: Follow) -> None:
    steps = follow(online)
    online.later(2 * 24 * 60)
    steps.follower.seconds = lambda: next(ticks)
    ticks = iter(range(0, 10**6, 120))  # every look at the clock is two minutes later
    steps.look()
    assert "The rest follows." in steps.news[-1].sentence
    steps.follower.seconds = lambda: 10.0**7
    assert steps.look()[-1] == "fetched"
    assert kept(online)[-1][-1][1] >= 12 + 2 * 288


def test_addresses_to_follow_are_those_of_the_settings_or_given(lab: Lab) -> None:
    assert followed_addresses(lab.desk) == []
    assert followed_addresses(lab.desk, "a:1-2") == [Address("a", 1), Address("a", 2)]
    with pytest.raises(InputError, match="cannot be read"):
        followed_addresses(lab.desk, "nonsense")


def test_watch_without_a_window(online: Lab) -> None:
    command = [
        sys.executable,
        "-m",
        "gezeiten",
        "watch",
        "--archive",
        str(online.desk.archive.folder),
        "--at",
        str(online.standin.address),
        "--json",
        "--search-every",
        "0.2",
        "--for",
        "2",
    ]
    done = subprocess.run(command, capture_output=True, text=True, timeout=60, check=True)
    told = [json.loads(line) for line in done.stdout.splitlines()]
    assert [news["kind"] for news in told] == ["following", "fetched"]
    assert kept(online)[0][0][0] == 0
    refused = subprocess.run([*command[:6], "--json"], capture_output=True, text=True, check=False)
    assert refused.returncode == 2
    assert "No logger to follow" in refused.stderr
