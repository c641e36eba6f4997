"""One object that owns an open archive: folder, database with its migrations, vault.

Layout of the folder: logbook/ (the chain files), archive.db, local.db and FOLDERS.
Before a migration the database is copied aside as archive-before-<version>.db.
"""

from __future__ import annotations

import os
import shutil
import sqlite3
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import partial
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import TypeAlias

from sqlalchemy import (
    Column,
    Engine,
    MetaData,
    String,
    Table,
    create_engine,
    event,
    inspect,
    select,
    text,
)
from sqlalchemy.engine import URL, make_url
from sqlalchemy.engine.interfaces import DBAPICursor
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session
from sqlalchemy.pool import ConnectionPoolEntry

from gezeiten.archive.actions.catching_up import catch_up, lengths_applied
from gezeiten.archive.actions.entry_writing import Author
from gezeiten.archive.actions.own_chain import OwnChain
from gezeiten.archive.files.chains import Body, ChainFiles
from gezeiten.archive.files.free_space import require_free_space
from gezeiten.archive.files.head_hashes import Heads
from gezeiten.archive.files.rights import make_folder, set_rights
from gezeiten.archive.files.vault import Vault
from gezeiten.archive.local_cache.changes import matches_archive
from gezeiten.archive.local_cache.database_state import LOCAL_CACHE
from gezeiten.archive.local_cache.layout import Layout
from gezeiten.archive.local_cache.tables import (
    NAME_BEFORE,
    SCHEMA,
    delete_if_outdated,
    make_tables,
    take_over,
)
from gezeiten.archive.store.faults import translated
from gezeiten.archive.store.prepared import make_all
from gezeiten.archive.store.stored import stored_value
from gezeiten.archive.store.tables import Base, ChainRow
from gezeiten.archive.whereabouts import DATABASE
from gezeiten.domain.facts.stored import KnownMission
from gezeiten.errors import (
    ArchiveDamagedError,
    ArchiveNewerError,
    DoneUnshownError,
    InputError,
    ReadOnlyError,
)

ArchiveSession: TypeAlias = Session
"""What `Archive.reading` and `writing` give; whoever is handed one hands it on to `archive`."""
MIGRATIONS = Path(__file__).parent / "migrations"
BUSY_S = 5.0
WORD_AFTER_S = 1.0
"""Whoever waits for another program's write hears of it after so long."""
_LONGEST_PATH = 480
"""SQLite takes 512 bytes, with what it puts behind the name of a database."""
FOLDERS = (
    "vault",
    "overviews",
    "certificates",
    "reports",
    "foundings",
    "documents",
    "rescued",
    "incoming",
    "handovers",
    "sheets",
)


class Archive:
    """One archive on disk. Sessions may be used from several threads; writers wait in line."""

    def __init__(
        self,
        folder: Path,
        url: str | None = None,
        busy_s: float = BUSY_S,
        heads_file: Path | None = None,
        *,
        look: bool = False,
    ) -> None:
        """Open or create an archive.

        Args:
            folder: holds vault, incoming files and (by default) the SQLite database.
            url: SQLAlchemy URL of another database, for teams.
            busy_s: how long to wait for another process's write.
            heads_file: where this computer's user remembers how archives ended, outside of them;
                default: nothing is remembered.
            look: only look: nothing in the folder is changed, no action can be done. The database
                is a copy in a temporary folder, or made there from the chain files.

        Raises:
            ArchiveNewerError, ArchiveLockedError, DiskFullError, SurroundingsError.
        """
        self.folder = folder
        self.is_looked_at = look
        self._scratch = TemporaryDirectory(prefix="gezeiten-look-") if look else None
        self.work = Path(self._scratch.name) if self._scratch else folder
        """Where this computer writes what is no part of the archive's truth."""
        file = self.work / DATABASE
        if url is None and len(os.fsencode(file.absolute())) > _LONGEST_PATH:
            raise InputError(
                f"The path of the archive's folder has over {_LONGEST_PATH} bytes, more "
                "than its database allows; choose a folder with a shorter path."
            )
        # not as a text: a folder's name may hold what an address takes for its own
        self.url = make_url(url) if url else URL.create("sqlite", database=str(file))
        self._write_lock = threading.Lock()
        self._busy_s = busy_s
        self.noticed: list[str] = []
        """What was found when it was opened, for whoever listens only afterwards."""
        self.on_wait: Callable[[str], None] = self.noticed.append
        """Hears what everybody should, in any thread: that another program is waited for, or that a
        site was made whose zone nobody has said."""
        self.new_site_zone = "UTC"
        """The zone of sites that an action adds on its own, until somebody sets another one."""
        self.layout: tuple[object, Layout] | None = None
        """Which mission feeds which series, with what it was made of
        (`archive/local_cache/layout.py`)."""
        self.latest: tuple[Layout, dict[int, tuple[KnownMission, bool]]] | None = None
        """The mission that began last at each point, by the layout of then (`missions.py`)."""
        self.on_caught_up: Callable[[], object] = lambda: None
        """Called when readings are to be made: acts of elsewhere were applied, or bytes differ."""
        self.on_changed: Callable[[tuple[str, ...]], object] = lambda _points: None
        """Called once a transaction when actions were done: with the points (ids) whose records
        they changed, where there are any."""
        self.chains = ChainFiles(folder, may_write=not look)
        self.chain = OwnChain(Heads(heads_file), folder, self.chains)
        with translated(folder):
            is_fresh = not look and make_folder(folder)
            for name in FOLDERS:
                (self.work / name).mkdir(parents=True, exist_ok=True)
            if look:
                copy_database(folder, self.work)
            self.engine = create_engine(
                self.url,
                connect_args={"timeout": busy_s} if self._is_sqlite else {},
                json_deserializer=stored_value,
            )
            if self._is_sqlite:
                take_over(self.work / LOCAL_CACHE)
                delete_if_outdated(self.work / LOCAL_CACHE)
                event.listen(
                    self.engine, "connect", partial(_prepare_sqlite, self.work / LOCAL_CACHE)
                )
            is_new = self._is_sqlite and not (self.work / DATABASE).exists()
            try:
                self._migrate()
                make_tables(self.engine)
                if is_fresh:
                    set_rights(folder, (folder / DATABASE, folder / LOCAL_CACHE))
                if not is_new:
                    self._refuse_another_archives_database()
            except BaseException:
                self.close()  # nobody else can: there is no archive to close
                raise
        self.vault = Vault(folder / "vault", remedy="import a vault copy that has it")
        self.overviews = Vault(folder / "overviews", ".overview", "overview")
        self.certificates = Vault(folder / "certificates", ".certificate", "certificate")
        self.reports = Vault(folder / "reports", ".report", "logger's report")
        self.foundings = Vault(folder / "foundings", ".json", "beginning")
        self.documents = Vault(folder / "documents", ".document", "document")
        self.rescued = Vault(folder / "rescued", ".json", "rescued readings")
        self.sheets = self.work / "sheets"
        self.incoming = self.work / "incoming"
        self.handovers = self.work / "handovers"

    @property
    def _is_sqlite(self) -> bool:
        return self.url.get_backend_name() == "sqlite"

    def close(self) -> None:
        """Close the database; work that still runs in a thread closes its own when it ends."""
        event.listen(self.engine, "checkin", _close_returned_connection)
        self.engine.dispose()
        if self._scratch is not None:
            self._scratch.cleanup()

    @contextmanager
    def reading(self) -> Iterator[Session]:
        """A session that only reads."""
        with translated(self.folder), Session(self.engine, info={"archive": self}) as session:
            yield session

    @contextmanager
    def writing(self) -> Iterator[Session]:
        """A session that commits as a whole at the end, or leaves nothing behind."""
        with (
            self._write_lock,
            translated(self.folder),
            Session(self.engine, expire_on_commit=False, info={"archive": self}) as session,
        ):
            if self._is_sqlite:
                # take the write lock now: an upgrade from reading could not wait in line
                self._acquire_write_lock(session)
            has_caught_up = catch_up(session, self.chains, self.foundings.get, self.on_wait)
            try:
                yield session
                entered = session.info.pop("lines", {})
                end = self.chain.end(session) if entered else None
                if entered:
                    require_free_space(
                        self.work, sum(len(b"".join(one)) for one in entered.values())
                    )
                for chain, lines in entered.items():
                    self.chains.append(chain, b"".join(lines))  # from here on they are done
                self.chain.remember(end)  # else the next action would begin another chain
                self._commit(session, is_done=bool(entered))
            except BaseException:
                self.chain.forget()
                raise
        if has_caught_up or session.info.get("readings missing"):
            self.on_caught_up()
        if session.info.get("changed points"):
            self.on_changed(tuple(session.info["changed points"]))

    def _commit(self, session: Session, *, is_done: bool) -> None:
        """Commit; is_done: what was entered stands in the chain file already.

        Raises:
            DoneUnshownError: the database does not take what is done; it is applied as soon as it
                does, and must not be done again.
        """
        try:
            session.commit()
        except (SQLAlchemyError, OSError) as exc:
            if not is_done:
                raise
            session.rollback()
            raise DoneUnshownError(
                "Done and recorded in the logbook. It will be shown when the disk has "
                "space again; free some, and do not repeat this."
            ) from exc

    def listen(self, hear: Callable[[str], None]) -> None:
        """Set who is told what everybody should hear, what was noticed so far included."""
        self.on_wait = hear
        while self.noticed:
            hear(self.noticed.pop(0))

    def catch_up(self) -> None:
        """Apply what the chain files hold beyond what was applied: what a program that was killed
        had done, or everything, where the database is gone."""
        with self.reading() as session:
            connection = session.connection()
            is_up = lengths_applied(connection) == self.chains.sizes() and matches_archive(
                connection
            )
        if not is_up:
            with self.writing():
                pass

    def enter(self, session: Session, body: Body, who: Author) -> None:
        """Enter an action that was applied, in this computer's own chain.

        Raises:
            LookingOnlyError: the archive is only looked at.
        """
        if self.is_looked_at:
            raise ReadOnlyError(
                f"The archive in {self.folder} is open read-only; open it without --read-only, "
                "or a copy of it, to change it."
            )
        self.chain.enter(session, body, who)

    def _acquire_write_lock(self, session: Session) -> None:
        """Take the write lock; another program is waited for, with a word, `busy_s` long."""
        first_s = min(WORD_AFTER_S, self._busy_s)
        cursor = session.connection().connection.cursor()  # the driver's own, for speed
        try:
            _set_busy(cursor, first_s)
            cursor.execute("BEGIN IMMEDIATE")
        except sqlite3.OperationalError:
            if self._busy_s <= first_s:
                raise
            self.on_wait(f"Waiting for another program that is writing to {self.folder} …")
            _set_busy(cursor, self._busy_s - first_s)
            cursor.execute("BEGIN IMMEDIATE")
        finally:
            _set_busy(cursor, self._busy_s)

    def _migrate(self) -> None:
        present = _revision(self.engine)
        known = known_revisions()
        if present == known[-1]:
            return
        if present is not None and present not in known:
            raise ArchiveNewerError(
                f"The archive in {self.folder} was written by a newer Gezeiten; "
                "update this one, nothing was changed."
            )
        if present is None:
            make_new(self.engine)
            return
        self.copy_aside(present)
        upgrade(self.engine)

    def _refuse_another_archives_database(self) -> None:
        """A database that knows no chain of this folder was put here by mistake."""
        with Session(self.engine) as session:
            known = set(session.scalars(select(ChainRow.uid)))
        there = self.chains.sizes().keys()
        if known and there and not known & there:
            raise ArchiveDamagedError(
                f"The database in {self.folder} belongs to another archive; move {DATABASE} "
                "elsewhere and it is rebuilt from the logbook."
            )

    def copy_aside(self, before: str) -> None:
        """Keep the database as it was before its schema changes, or before it is rebuilt."""
        if not self._is_sqlite:
            return  # teams' databases have backups of their own
        copy = self.work / f"archive-before-{before}.db"
        copy.unlink(missing_ok=True)
        with translated(self.folder), self.engine.connect() as connection:
            connection.exec_driver_sql("VACUUM INTO ?", (str(copy),))


def _set_busy(cursor: DBAPICursor, seconds: float) -> None:
    cursor.execute(f"PRAGMA busy_timeout = {round(seconds * 1000)}")


def copy_database(folder: Path, work: Path) -> None:
    """Copy a database as it is, with what was not merged into it yet."""
    for name in (DATABASE, LOCAL_CACHE, NAME_BEFORE):
        for end in ("", "-wal"):
            if (folder / f"{name}{end}").exists():
                shutil.copyfile(folder / f"{name}{end}", work / f"{name}{end}")


def known_revisions() -> list[str]:
    """Return the migrations of this version, oldest first."""
    return sorted(path.stem.split("_")[0] for path in (MIGRATIONS / "versions").glob("0*.py"))


def _revision(engine: Engine) -> str | None:
    with engine.connect() as connection:
        if not inspect(connection).has_table("alembic_version"):
            return None
        return connection.execute(text("SELECT version_num FROM alembic_version")).scalar()


def make_new(engine: Engine) -> None:
    """Make the tables of this version in an empty database, whole or not at all: the same that all
    migrations make, in a tenth of their time."""
    with engine.begin() as connection:
        if engine.dialect.name == "sqlite":
            connection.exec_driver_sql("BEGIN IMMEDIATE")
        if inspect(connection).has_table(_VERSION.name):
            return  # another program was quicker
        make_all(connection, Base.metadata)
        _VERSION.create(connection)
        version = {"version": known_revisions()[-1]}
        connection.execute(text("INSERT INTO alembic_version VALUES (:version)"), version)


_VERSION = Table("alembic_version", MetaData(), Column("version_num", String(32), primary_key=True))
"""As Alembic makes it."""


def upgrade(engine: Engine) -> None:
    """Bring the schema up to this version, whole or not at all."""
    # imported here: a window on an archive that is up to date starts without it
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with engine.begin() as connection:
        if engine.dialect.name == "sqlite":
            # tables that others refer to are rebuilt; a transaction cannot switch it
            connection.exec_driver_sql("PRAGMA foreign_keys=OFF")
            connection.exec_driver_sql("BEGIN IMMEDIATE")
        config.attributes["connection"] = connection
        command.upgrade(config, "head")
    engine.dispose()  # later connections watch foreign keys again


def _close_returned_connection(_connection: object, record: ConnectionPoolEntry) -> None:
    """Close a connection that comes back after its archive was closed: nobody else would."""
    record.invalidate()


def _prepare_sqlite(here: Path, connection: sqlite3.Connection, _record: object) -> None:
    # pysqlite begins transactions late and implicitly; we begin them ourselves. What a power cut
    # takes of the database comes back from the chain files, which are synced (synchronous=NORMAL)
    connection.isolation_level = None
    cursor = connection.cursor()
    cursor.execute(f"ATTACH DATABASE ? AS {SCHEMA}", (str(here),))
    # an erased name leaves no trace in the free places of the file
    for pragma in (
        "journal_mode=WAL",
        f"{SCHEMA}.journal_mode=WAL",
        "synchronous=NORMAL",
        "main.secure_delete=ON",
        f"{SCHEMA}.synchronous=NORMAL",
        "foreign_keys=ON",
    ):
        cursor.execute(f"PRAGMA {pragma}")
    cursor.close()
