"""Following loggers that stay online: noticed when away, fetched exactly what is missing when back.

A look is one question for the state registers; readings are fetched when there are new ones and
the last fetch is long enough ago, so a logger is not asked for its newest block all the time. Looks
and fetches have threads of their own, and a fetch ends after a while and goes on later: one slow
logger keeps no other one waiting.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from concurrent.futures import Executor, Future, ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass, field

from gezeiten.archive.store.faults import translated
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.logger.contact import read_card
from gezeiten.desk.logger.offloading import Offloaded, offload_connected
from gezeiten.desk.sites.places import zone_of_logger
from gezeiten.domain.actions import Subject
from gezeiten.domain.actions.contacts import FollowedBack
from gezeiten.domain.base.wording import counted, readings_text
from gezeiten.domain.facts.contacts import FOLLOWED_MS
from gezeiten.domain.series.timeline import from_ms
from gezeiten.errors import CancelledError, GezeitenError, LoggerBusyError
from gezeiten.link.lines.address import Endpoint
from gezeiten.link.lines.line import BaseLine
from gezeiten.link.lines.waiting import open_line
from gezeiten.link.session import LoggerSession
from gezeiten.link.transfer import Watch

_LOOKS_AT_ONCE = 8
_FETCHES_AT_ONCE = 4
_LONGEST_PAUSE_S = 60.0
_WHILE_BUSY_S = 1.0


@dataclass(frozen=True, slots=True)
class PollingPace:
    """How often a logger is looked at, how long after a fetch the next may come, and after how long
    a fetch makes room for others, seconds."""

    poll_s: float = 10.0
    fetch_s: float = 900.0
    longest_fetch_s: float = 300.0


@dataclass(frozen=True, slots=True)
class FollowingNews:
    """Something worth telling. kind: "following", "away", "back", "fetched" or "failed"."""

    at_ms: int
    who: str
    kind: str
    sentence: str
    readings: int = 0
    point_id: int | None = None


@dataclass(slots=True)
class _Followed:
    address: Endpoint
    serial: str = ""
    line: BaseLine | None = None
    session: LoggerSession | None = None
    due_s: float = 0.0
    stored: tuple[int, int] = (-1, -1)  # mission and readings at the last fetch
    fetched_s: float | None = None
    away_since_ms: int | None = None
    failures: int = 0
    last_failure: str = ""
    is_busy: bool = False  # a look or a fetch is under way

    @property
    def logger_name(self) -> str:
        return self.serial or str(self.address)

    def close(self) -> None:
        if self.line is not None:
            with suppress(OSError):
                self.line.close()
        self.line = self.session = None


@dataclass(slots=True)
class Follower:
    """Follows loggers at fixed addresses; `run` until cancelled, or `poll_due` once at all due
    ones.

    seconds: a clock that only goes forward.
    """

    desk: Workspace
    addresses: Sequence[Endpoint]
    report: Callable[[FollowingNews], None]
    pace: PollingPace = PollingPace()
    seconds: Callable[[], float] = time.monotonic
    cancelled: Callable[[], bool] = lambda: False
    _followed: list[_Followed] = field(init=False)
    _running: list[Future[None]] = field(init=False, default_factory=list)

    def __post_init__(self) -> None:
        self._followed = [_Followed(address) for address in self.addresses]

    def run(self, wait: Callable[[float], object]) -> None:
        """Follow until cancelled; `wait` sleeps for so many seconds and may end early."""
        try:
            with (
                ThreadPoolExecutor(_FETCHES_AT_ONCE) as fetches,
                ThreadPoolExecutor(_LOOKS_AT_ONCE) as looks,
            ):
                while not self.cancelled():
                    wait(self.poll_due(looks, fetches))
        finally:
            self.close()

    def close(self) -> None:
        """Close all lines."""
        for one in self._followed:
            one.close()

    def poll_due(self, looks: Executor, fetches: Executor) -> float:
        """Begin to look at every logger that is due; returns the seconds until the next one is."""
        now_s = self.seconds()
        self._running = [one for one in self._running if not one.done()]
        for one in self._followed:
            if one.due_s <= now_s and not one.is_busy:
                one.is_busy = True
                self._running.append(looks.submit(self._poll, one, fetches))
        free = [one.due_s for one in self._followed if not one.is_busy]
        wait_s = min(free, default=now_s + _WHILE_BUSY_S) - now_s
        return max(min(wait_s, _WHILE_BUSY_S) if self._running else wait_s, 0.0)

    def settle(self) -> None:
        """Wait until everything that was begun is over."""
        while self._running:
            self._running.pop(0).result()

    def _poll(self, one: _Followed, fetches: Executor) -> None:
        """One look at one logger; what there is to fetch is fetched apart."""
        wants_fetch = False

        def look() -> None:
            nonlocal wants_fetch
            wants_fetch = self._visit(one)

        is_good = self._guarded(one, look)
        if wants_fetch and not self.cancelled():
            self._running.append(fetches.submit(self._fetch_at, one))
        else:
            self._ended(one, is_good)

    def _fetch_at(self, one: _Followed) -> None:
        self._ended(one, self._guarded(one, lambda: self._fetch(one)))

    def _ended(self, one: _Followed, is_good: bool) -> None:
        if is_good:
            one.failures, one.last_failure = 0, ""
            one.due_s = self.seconds() + self.pace.poll_s
        one.is_busy = False

    def _guarded(self, one: _Followed, run: Callable[[], None]) -> bool:
        """Act at one logger; whatever happens there may not end the following of others."""
        if self.cancelled():
            return False
        try:
            run()
        except CancelledError:
            return False
        except LoggerBusyError:
            one.due_s = self.seconds() + self.pace.poll_s  # a window offloads it: good as well
        except GezeitenError as exc:
            self._failed(one, exc)
        except Exception as exc:  # noqa: BLE001 - the others are followed on
            kind = type(exc).__name__
            self._failed(
                one,
                GezeitenError(
                    f"Internal error at {one.logger_name} ({kind}: {exc}); please report it."
                ),
            )
        else:
            return True
        return False

    def _visit(self, one: _Followed) -> bool:
        """Look at one logger; returns whether there is something to fetch, and it is time."""
        if one.session is None:
            one.line = open_line(one.address, self.desk.limits)
            one.session = LoggerSession(one.line)
            is_new = not one.serial
            one.serial = one.session.identify(one.serial or None).serial
            self._report_present(one, is_new)
        state = one.session.state()
        holds = (state.mission_number, state.readings)
        is_time = one.fetched_s is None or self.seconds() - one.fetched_s >= self.pace.fetch_s
        return holds != one.stored and (is_time or holds[0] != one.stored[0])

    def _fetch(self, one: _Followed) -> None:
        """Take exactly what the archive lacks, for so long at most."""
        session = one.session
        assert session is not None
        identity = session.identify(one.serial)
        card = read_card(self.desk, session, identity, one.address, FOLLOWED_MS)
        ends_s = self.seconds() + self.pace.longest_fetch_s
        watch = Watch(cancelled=lambda: self.cancelled() or self.seconds() > ends_s)
        with translated(self.desk.archive.folder):
            done = offload_connected(self.desk, session, card, watch) if card.unstored else None
        one.fetched_s = self.seconds()
        if done is None:
            one.stored = (card.state.mission_number, card.state.readings)
            return
        is_over_time = bool(done.error) and self.seconds() > ends_s
        if done.error:
            one.fetched_s = None  # the rest comes with the next look
            if not is_over_time:
                one.close()
        else:
            one.stored = (card.state.mission_number, card.state.readings)
        self._report(
            one, "fetched", _fetch_summary(done, is_over_time), done.readings, done.point_id
        )

    def _report_present(self, one: _Followed, is_new: bool) -> None:
        if one.away_since_ms is not None:
            back = FollowedBack(one.serial, self.desk.now_ms() - one.away_since_ms)
            one.away_since_ms, one.fetched_s = None, None
            self.desk.do(back)
            self._report(one, "back", back.describe(Subject(one.serial)))
        elif is_new:
            self._report(one, "following", f"{one.serial} is followed at {one.address}.")

    def _failed(self, one: _Followed, error: GezeitenError) -> None:
        """Remember a failure: said once, tried again after a pause that grows."""
        one.close()
        one.failures += 1
        pause_s = min(self.pace.poll_s * 2 ** min(one.failures - 1, 6), _LONGEST_PAUSE_S)
        one.due_s = self.seconds() + max(pause_s, self.pace.poll_s)
        if error.exit_code == 4 and one.away_since_ms is None:
            one.away_since_ms = self.desk.now_ms()
            self.desk.attempt_failed("follow", one.logger_name, error)
            self._report(one, "away", self._away_text(one))
        elif error.exit_code != 4 and str(error) != one.last_failure:
            one.last_failure = str(error)
            self._report(one, "failed", str(error))

    def _away_text(self, one: _Followed) -> str:
        """Nobody stands at the logger: when it went, at its site, and nothing to do."""
        if not one.serial:
            return f"No logger has answered at {one.address} so far; the search goes on."
        assert one.away_since_ms is not None
        with suppress(GezeitenError):
            zone = zone_of_logger(self.desk, one.serial)
            since = from_ms(one.away_since_ms, zone)
            return f"{one.serial} is away since {since:%H:%M} ({zone}); it is asked on."
        return f"{one.serial} does not answer; the search goes on."

    def _report(
        self,
        one: _Followed,
        kind: str,
        sentence: str,
        readings: int = 0,
        point_id: int | None = None,
    ) -> None:
        self.report(
            FollowingNews(self.desk.now_ms(), one.logger_name, kind, sentence, readings, point_id)
        )


def _fetch_summary(done: Offloaded, is_over_time: bool) -> str:
    words = f"{done.serial}: {readings_text(done.readings)} saved."
    if done.excursions_new:
        new = counted(done.excursions_new, "new excursion", "new excursions")
        words += f" {new} to assess at its point."
    if is_over_time:
        return f"{words} The rest follows."
    return f"{words} {done.error}".rstrip()


def followed_addresses(desk: Workspace, text: str | None = None) -> list[Endpoint]:
    """Return the addresses to follow: of a text, else of the settings.

    Raises:
        InputError: they cannot be read.
    """
    return list(desk.addresses_of(desk.settings.followed if text is None else text))
