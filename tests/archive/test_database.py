"""Opening archives: migrations, versions, locks, full disks, damage; each a sentence of its own."""

from __future__ import annotations

import errno
import os
import sqlite3
import subprocess
import sys
from collections.abc import Callable
from contextlib import closing
from pathlib import Path

import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import Engine, create_engine, text

from gezeiten.archive.database import Archive, known_revisions, make_new, upgrade
from gezeiten.archive.store.faults import translated
from gezeiten.archive.store.tables import Base, Site
from gezeiten.errors import (
    ArchiveDamagedError,
    ArchiveLockedError,
    ArchiveNewerError,
    BugError,
    DiskFullError,
    GezeitenError,
    InputError,
    SurroundingsError,
)
from tests.databases import behind_its_back


def test_migrations_make_exactly_the_tables(tmp_path: Path) -> None:
    engines = [create_engine(f"sqlite:///{tmp_path / name}") for name in ("migrated", "new")]
    for engine, make in zip(engines, (upgrade, make_new), strict=True):
        make(engine)
        with engine.connect() as connection:
            context = MigrationContext.configure(connection)
            assert compare_metadata(context, Base.metadata) == []
    migrated, new = (_schema(engine) for engine in engines)
    assert new == migrated
    for engine in engines:
        engine.dispose()


@pytest.mark.parametrize("closed_first", [False, True])
def test_what_reads_while_an_archive_is_closed_lets_go_of_it(
    tmp_path: Path, closed_first: bool
) -> None:
    """A thread may be in the middle of a look then, or begin one."""
    archive = Archive(tmp_path)
    if closed_first:
        archive.close()
    with archive.reading() as session:
        raw = session.connection().connection.driver_connection
        archive.close()
        assert session.execute(text("SELECT 1")).scalar() == 1
    with pytest.raises(sqlite3.ProgrammingError, match="closed"):
        raw.execute("SELECT 1")


def _schema(engine: Engine) -> dict[str, object]:
    """Columns (name, type, whether they may lack, key) and indexes of all tables; the version."""
    with engine.connect() as connection:
        tables = [
            row[0]
            for row in connection.execute(
                text("SELECT name FROM sqlite_master WHERE type = 'table' ORDER BY name")
            )
        ]
        made: dict[str, object] = {
            name: (
                sorted(
                    (row[1], row[2], row[3], row[5])
                    for row in connection.execute(text(f"PRAGMA table_info({name})"))
                ),
                sorted(row[1] for row in connection.execute(text(f"PRAGMA index_list({name})"))),
            )
            for name in tables
        }
        version = connection.execute(text("SELECT version_num FROM alembic_version")).scalar()
    return {**made, "version": version}


def test_opening_again_changes_nothing(tmp_path: Path) -> None:
    Archive(tmp_path).close()
    before = (tmp_path / "archive.db").read_bytes()
    Archive(tmp_path).close()
    assert (tmp_path / "archive.db").read_bytes() == before


def test_a_cache_under_its_name_of_before_is_taken_over_as_it_is(tmp_path: Path) -> None:
    Archive(tmp_path).close()
    (tmp_path / "local.db").rename(tmp_path / "here.db")
    with behind_its_back(tmp_path / "here.db") as raw:
        raw.execute("CREATE TABLE not_rebuilt (id INTEGER)")
    Archive(tmp_path).close()
    assert not (tmp_path / "here.db").exists()
    with closing(sqlite3.connect(tmp_path / "local.db")) as local:
        assert local.execute("SELECT count(*) FROM not_rebuilt").fetchone() == (0,)


def test_an_archive_from_a_newer_version_is_refused_untouched(tmp_path: Path) -> None:
    Archive(tmp_path).close()
    with behind_its_back(tmp_path / "archive.db") as raw:
        raw.execute("UPDATE alembic_version SET version_num = '9999'")
    with pytest.raises(ArchiveNewerError, match=r"newer Gezeiten; update this one, nothing was"):
        Archive(tmp_path)
    assert "9999" not in known_revisions()


def test_a_locked_archive_says_who_to_wait_for(tmp_path: Path) -> None:
    archive = Archive(tmp_path, busy_s=0.1)
    other = sqlite3.connect(tmp_path / "archive.db", isolation_level=None)
    other.execute("BEGIN EXCLUSIVE")
    with (
        pytest.raises(ArchiveLockedError, match="Another program is writing to the archive"),
        archive.writing() as session,
    ):
        session.add(Site(name="x", kind="", zone="UTC"))
    other.execute("ROLLBACK")
    other.close()
    with archive.writing() as session:  # and afterwards it goes on
        session.add(Site(name="x", kind="", zone="UTC"))
    archive.close()


def test_an_archive_that_cannot_be_opened_lets_go_of_its_file(tmp_path: Path) -> None:
    Archive(tmp_path).close()
    with behind_its_back(tmp_path / "archive.db") as raw:
        raw.execute("UPDATE alembic_version SET version_num = '9999'")
    with pytest.raises(ArchiveNewerError):
        Archive(tmp_path)
    open_files = {path.resolve() for path in Path("/proc/self/fd").iterdir() if path.exists()}
    assert tmp_path / "archive.db" not in open_files


def test_a_file_that_is_no_database_is_called_damaged(tmp_path: Path) -> None:
    (tmp_path / "archive.db").write_bytes(b"this is no database, but long enough " * 40)
    with pytest.raises(ArchiveDamagedError, match="damaged; restore the archive's last copy"):
        Archive(tmp_path)


def test_a_folder_that_cannot_be_made_is_said(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("x")
    with pytest.raises(SurroundingsError, match="check the folder's rights"):
        Archive(tmp_path / "file" / "archive")


def test_a_failed_write_leaves_nothing(tmp_path: Path) -> None:
    archive = Archive(tmp_path)

    def fail() -> None:
        with archive.writing() as session:
            session.add(Site(uid="a", name="a", kind="", zone="UTC"))
            session.flush()
            session.add(Site(uid="a", name="b", kind="", zone="UTC"))

    with pytest.raises(BugError):
        fail()
    with archive.reading() as session:
        assert session.execute(text("SELECT count(*) FROM site")).scalar() == 0
    archive.close()


_FILL = """
import resource, signal, sys
from pathlib import Path
from gezeiten.archive.database import Archive
from gezeiten.archive.store.tables import Site
from gezeiten.errors import DiskFullError
signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
archive = Archive(Path(sys.argv[1]))
size = (Path(sys.argv[1]) / "archive.db-wal").stat().st_size + 60_000
resource.setrlimit(resource.RLIMIT_FSIZE, (size, size))
try:
    with archive.writing() as session:
        session.add_all(Site(name=str(i) * 400, kind="x" * 900, zone="UTC") for i in range(400))
except DiskFullError as exc:
    print("full:", exc)
"""


def test_a_full_disk_says_so_and_leaves_a_whole_database(tmp_path: Path) -> None:
    """A file-size limit stands for the full disk, in a process of its own."""
    archive = Archive(tmp_path)
    with archive.writing() as session:
        session.add(Site(name="before", kind="", zone="UTC"))
    done = subprocess.run(
        [sys.executable, "-c", _FILL, str(tmp_path)], capture_output=True, text=True, check=True
    )
    assert done.stdout.startswith("full: The disk that holds"), done.stdout + done.stderr
    with archive.reading() as session:
        assert session.execute(text("SELECT name FROM site")).scalars().all() == ["before"]
        assert session.execute(text("PRAGMA integrity_check")).scalar() == "ok"
    archive.close()


def _locked(folder: Path) -> None:
    with closing(sqlite3.connect(folder / "a.db", timeout=0)) as one:
        one.execute("BEGIN IMMEDIATE")
        with closing(sqlite3.connect(folder / "a.db", timeout=0)) as other:
            other.execute("BEGIN IMMEDIATE")


def _full(folder: Path) -> None:
    with closing(sqlite3.connect(folder / "a.db")) as one:
        one.execute("CREATE TABLE t (x)")
        one.execute("PRAGMA max_page_count = 2")
        one.execute("INSERT INTO t VALUES (zeroblob(100000))")


def _no_database(folder: Path) -> None:
    (folder / "a.db").write_bytes(b"no database at all, but long enough to be read" * 20)
    with closing(sqlite3.connect(folder / "a.db")) as one:
        one.execute("SELECT * FROM sqlite_master")


def _damaged(folder: Path) -> None:
    with closing(sqlite3.connect(folder / "a.db")) as one:
        one.execute("CREATE TABLE t (x)")
        one.executemany("INSERT INTO t VALUES (?)", [("x" * 900,)] * 50)
        one.commit()
    with (folder / "a.db").open("r+b") as file:
        file.seek(4096)
        file.write(b"\xff" * 8192)
    with closing(sqlite3.connect(folder / "a.db")) as one:
        one.execute("SELECT count(x) FROM t").fetchall()


def _elsewhere(folder: Path) -> None:
    sqlite3.connect(folder / "nowhere" / "a.db").execute("SELECT 1")


def _read_only(folder: Path) -> None:
    sqlite3.connect(folder / "a.db").execute("CREATE TABLE t (x)").connection.close()
    with closing(sqlite3.connect(f"file:{folder / 'a.db'}?mode=ro", uri=True)) as one:
        one.execute("INSERT INTO t VALUES (1)")


def _lacking(folder: Path) -> None:
    with closing(sqlite3.connect(folder / "a.db")) as one:
        one.execute("SELECT * FROM mission")


def _constraint(folder: Path) -> None:
    """A mistake of ours, about a plan whose words sound like something else."""
    with closing(sqlite3.connect(folder / "a.db")) as one:
        one.execute("CREATE TABLE t (x CHECK (x <> 'disk is full, database is locked'))")
        one.execute("INSERT INTO t VALUES ('disk is full, database is locked')")


def _no_sql(folder: Path) -> None:
    with closing(sqlite3.connect(folder / "a.db")) as one:
        one.execute("SELEKT malformed FROM disk")


def _from_system(number: int) -> Callable[[Path], None]:
    def act(folder: Path) -> None:
        raise OSError(number, os.strerror(number), str(folder))

    return act


@pytest.mark.parametrize(
    ("run", "kind"),
    [
        (_locked, ArchiveLockedError),
        (_full, DiskFullError),
        (_no_database, ArchiveDamagedError),
        (_damaged, ArchiveDamagedError),
        (_elsewhere, SurroundingsError),
        (_read_only, SurroundingsError),
        (_lacking, ArchiveDamagedError),
        (_constraint, BugError),
        (_no_sql, BugError),
        (_from_system(errno.ENOSPC), DiskFullError),
        (_from_system(errno.EACCES), SurroundingsError),
    ],
)
def test_library_errors_are_told_apart_by_their_code(
    tmp_path: Path, run: Callable[[Path], None], kind: type[Exception]
) -> None:
    """Each error is a real one of SQLite or the system, none is made up."""
    with pytest.raises(GezeitenError) as caught, translated(tmp_path):
        run(tmp_path)
    assert type(caught.value) is kind
    assert caught.value.__cause__ is not None
    sentence = str(caught.value)
    assert sentence.endswith(".")
    assert "; " in sentence


def test_a_row_that_is_gone_is_said_as_such(tmp_path: Path) -> None:
    archive = Archive(tmp_path)
    with pytest.raises(InputError, match="no longer in the archive"), archive.reading() as session:
        session.get_one(Site, 77)
    archive.close()
