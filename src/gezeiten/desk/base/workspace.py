"""What every use case needs: the archive, the clock, who is acting, where to look.

Opening an archive needs nearly everything, so nothing of that is imported before it is opened.
"""

from __future__ import annotations

import getpass
import threading
import time
from collections.abc import Callable, Sequence
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING, Any, Protocol

from gezeiten.desk.base.computer_zone import computer_zone
from gezeiten.desk.base.drafts import Drafts
from gezeiten.desk.base.memory_cache import MemoryCache
from gezeiten.desk.base.settings import Settings, load_settings, save_settings
from gezeiten.desk.base.transfer_rates import TransferRates
from gezeiten.errors import (
    ArchiveLockedError,
    DiskFullError,
    GezeitenError,
    InputError,
    SurroundingsError,
)
from gezeiten.link.lines.address import USUAL_LIMITS, Address, TimeLimits, addresses

if TYPE_CHECKING:
    from gezeiten.archive.database import Archive, ArchiveSession
    from gezeiten.archive.projection import Authorship
    from gezeiten.desk.base.pin_store import PinStore
    from gezeiten.domain.actions import Action
    from gezeiten.domain.actions.contacts import Attempt
    from gezeiten.domain.plan.plan import Plan
    from gezeiten.domain.series.series import Series
    from gezeiten.link.files.overview import Overview


_VIEWS_BYTES, _CHUNKS_BYTES, _COMPUTED_BYTES = 60_000_000, 120_000_000, 30_000_000
"""Of what is in memory of records: a view of ten years at one minute takes 8 MB, the last number
is some seven million readings."""


def model_texts(folder: Path) -> list[tuple[str, str]]:
    """Return the files of logger models in an archive's folder, by name, with what they hold."""
    found = []
    for path in sorted((folder / "models").glob("*.toml")):
        with suppress(OSError):
            found.append((path.name, path.read_text(encoding="utf-8", errors="replace")))
    return found


class ClockWatch(Protocol):
    """Whoever knows whether the computer's clock is right."""

    def doubts(self) -> list[str]:
        """Return what speaks against the computer's clock, a sentence each; empty: nothing."""

    def restart_watch(self) -> None:
        """Take the clock as it stands from now on."""


class TrustedClock:
    """A clock that is right by definition: a made-up one, in demonstrations and tests."""

    def doubts(self) -> list[str]:
        """Return what speaks against the computer's clock, a sentence each; empty: nothing."""
        return []

    def restart_watch(self) -> None:
        """Take the clock as it stands from now on."""
        return


def computer_now_ms() -> float:
    """Return the computer's clock, UTC ms."""
    return time.time() * 1000


class Workspace:
    """One open archive and the person at it. Use cases take it as their first argument."""

    def __init__(
        self,
        folder: Path,
        *,
        now_ms: Callable[[], float] = computer_now_ms,
        limits: TimeLimits = USUAL_LIMITS,
        archive_url: str | None = None,
        settings_file: Path | None = None,
        computer: ClockWatch | None = None,
        pins: PinStore | None = None,
        zone: str = "",
        heads_file: Path | None = None,
        read_only: bool = False,
        origin: str = "",
        lazy: bool = False,
    ) -> None:
        """Open an archive.

        Args:
            settings_file: the user's settings; default: in the archive's folder.
            computer: watches the computer's clock; default: the real one.
            zone: of sites that an action adds on its own; default: the computer's.
            read_only: nothing in the archive's folder is changed.
            heads_file: where the user's computer remembers how archives ended; default: nowhere.
            pins: keeps PINs; default: the system keyring, asked for when it is first needed.
            origin: by what program actions come, as it stands in the chain; default: the command
                line.
            lazy: open it when it is first needed, or by `open`.
        """
        self.folder, self.is_read_only = folder, read_only
        self._url, self._heads_file, self._origin = archive_url, heads_file, origin
        self._archive: Archive | None = None
        self._opening = threading.Lock()
        self._listener: Callable[[str], None] | None = None
        self.zone = zone or computer_zone()
        """Time zone of sites that an action adds on its own."""
        self.clock = now_ms
        self.limits = limits
        self._settings_file = settings_file or folder / "settings.json"
        self._computer, self._pins = computer, pins
        self.settings = load_settings(self._settings_file)
        self._settings_lock = threading.Lock()
        self._drafts: Drafts | None = None
        self._rates: TransferRates | None = None
        self.practice_addresses: list[str] = []
        """Where practice loggers answer, for this run only; never among the settings."""
        self.practice_ports: list[str] = []
        """Serial ports of practice loggers, likewise."""
        self.more_folders: list[str] = []
        """Folders chosen by hand to be looked at as drives, for this run only."""
        self.views: MemoryCache[Any] = MemoryCache(_VIEWS_BYTES)
        """Views of series in memory, by point id and series."""
        self.chunks: MemoryCache[Series] = MemoryCache(_CHUNKS_BYTES)
        """Readings that were read, block by block."""
        self.computed: MemoryCache[Any] = MemoryCache(_COMPUTED_BYTES)
        """What is known of pieces of calculated series, by what they follow from."""
        self.heal: Callable[[int], bool] = lambda _point_id: False
        """Makes damaged readings of a point anew; says whether there were any."""
        self.follow: Callable[[Sequence[str]], object] = lambda _points: None
        """Refreshes what rests on the records of points (ids) that actions changed."""
        self.overviews: dict[str, Overview] = {}
        """Overviews in memory by their fingerprint."""
        if not lazy:
            self.open()

    @property
    def is_open(self) -> bool:
        """Whether the archive is open already."""
        return self._archive is not None

    def open(self) -> Archive:
        """Open the archive, whoever needs it first; the others wait for that.

        Raises:
            ArchiveNewerError, ArchiveDamagedError, ArchiveLockedError, DiskFullError,
            SurroundingsError: it cannot be opened.
        """
        with self._opening:
            if self._archive is None:
                from gezeiten.desk.base.opening import opened

                made = opened(
                    self.folder,
                    self._url,
                    self._heads_file,
                    look=self.is_read_only,
                    zone=self.zone,
                    now_ms=self.now_ms(),
                    models=model_texts(self.folder),
                )
                if self._origin:
                    made.chain.way = self._origin
                made.on_changed = lambda points: self.follow(points)
                if self._listener:
                    made.on_wait = self._listener
                self._drafts = Drafts(made.work / "drafts.json")
                self._rates = TransferRates(made.work / "transfer-rates.json")
                self._archive = made
            return self._archive

    @property
    def archive(self) -> Archive:
        """The archive, opened now where nobody needed it before."""
        return self._archive or self.open()

    @property
    def drafts(self) -> Drafts:
        """What was typed and not kept yet."""
        self.open()
        assert self._drafts is not None
        return self._drafts

    @property
    def rates(self) -> TransferRates:
        """How quickly loggers were read."""
        self.open()
        assert self._rates is not None
        return self._rates

    def set_listener(self, hear: Callable[[str], None]) -> None:
        """Set who is told, in any thread, what everybody should hear of the archive."""
        self._listener = hear
        if self._archive is not None:
            self._archive.on_wait = hear

    def now_ms(self) -> int:
        """Return the present instant in whole milliseconds."""
        return round(self.clock())

    @property
    def person(self) -> str:
        """Who goes into the logbook: the setting, or the account's name."""
        return self.settings.person or getpass.getuser()

    def addresses(self) -> list[Address]:
        """Return where to look for loggers on the network.

        Raises:
            InputError: the addresses of the settings cannot be read.
        """
        return self.addresses_of(
            ", ".join([self.settings.addresses, self.settings.followed, *self.practice_addresses])
        )

    def addresses_of(self, listed: str) -> list[Address]:
        """Return the addresses of a text like "127.0.0.1:15020-15039, logger.lan:502".

        Raises:
            InputError: it cannot be read.
        """
        try:
            return [Address(host, port) for host, port in dict.fromkeys(addresses(listed))]
        except ValueError as exc:
            raise InputError(
                f"The network addresses cannot be read ({exc}); type them like "
                "127.0.0.1:15020-15039, logger.lan:502."
            ) from exc

    @property
    def computer(self) -> ClockWatch:
        """Who watches the computer's clock."""
        if self._computer is None:
            from gezeiten.desk.base.clock_watch import ComputerClock

            self._computer = ComputerClock(self.archive.work / "clock.json")
        return self._computer

    @property
    def pins(self) -> PinStore:
        """Where PINs are kept."""
        if self._pins is None:
            from gezeiten.desk.base.pin_store import usual_pins

            self._pins = usual_pins()
        return self._pins

    def use_pins(self, pins: PinStore) -> None:
        """Take PINs from somewhere else from now on."""
        self._pins = pins

    def change_settings(self, settings: Settings) -> None:
        """Take new settings and keep them; not taken when they could not be kept."""
        before, self.settings = self.settings, settings
        try:
            self.save_settings()
        except GezeitenError:
            self.settings = before
            raise

    def save_settings(self) -> None:
        """Write the settings as they are by now: of several at once the last writes the newest.
        Those that lie in an archive which is only looked at stay as they are."""
        if self.is_read_only and self._settings_file.parent == self.folder:
            return
        from gezeiten.archive.store.faults import translated

        with self._settings_lock, translated(self.folder):
            save_settings(self._settings_file, self.settings)

    def save_drafts(self) -> None:
        """Write what was typed and not kept yet."""
        from gezeiten.archive.store.faults import translated

        with translated(self.folder):
            self.drafts.save()

    @property
    def authorship(self) -> Authorship:
        """Who acts, and when: now."""
        from gezeiten.archive.projection import Authorship

        return Authorship(self.now_ms(), self.person)

    def do_within(self, session: ArchiveSession, action: Action) -> None:
        """Do an action inside the caller's transaction.

        Raises:
            InputError: it cannot be done on the archive as it is now.
        """
        from gezeiten.archive.actions.execution import do

        do(session, action, self.authorship)

    def do(self, action: Action) -> None:
        """Do an action.

        Raises:
            InputError: it cannot be done on the archive as it is now.
        """
        with self.archive.writing() as session:
            self.do_within(session, action)

    def attempt_failed(
        self, attempt: Attempt, serial: str, error: GezeitenError, plan: Plan | None = None
    ) -> None:
        """Enter what failed at a logger. Where the database is locked or the disk is full that
        could not be written either, and nobody is made to wait twice."""
        if isinstance(error, ArchiveLockedError | DiskFullError):
            return
        from gezeiten.domain.actions.contacts import AttemptFailed

        with suppress(SurroundingsError):
            self.do(AttemptFailed(serial, attempt, str(error), plan.as_dict() if plan else None))

    def close(self) -> None:
        """Close the archive."""
        if self._archive is not None:
            self._archive.close()
