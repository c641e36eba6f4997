"""Errors of database and disk turned into our own, once, by their code and not by their words."""

from __future__ import annotations

import errno
import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from sqlalchemy.exc import DBAPIError, NoResultFound, SQLAlchemyError

from gezeiten.errors import (
    ArchiveDamagedError,
    ArchiveLockedError,
    DiskFullError,
    GezeitenError,
    InputError,
    SurroundingsError,
    bug,
)

# Primary result codes of SQLite, <https://www.sqlite.org/rescode.html>, and the classes of
# SQLSTATE, PostgreSQL's Appendix A. The extended code's low byte is the primary one.
_LOCKED = {sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED, sqlite3.SQLITE_PROTOCOL}
_FULL = {sqlite3.SQLITE_FULL}
_DAMAGED = {sqlite3.SQLITE_CORRUPT, sqlite3.SQLITE_NOTADB}
_RIGHTS = {
    sqlite3.SQLITE_CANTOPEN,
    sqlite3.SQLITE_READONLY,
    sqlite3.SQLITE_PERM,
    sqlite3.SQLITE_AUTH,
}
_WRITE_FAILED = {
    sqlite3.SQLITE_IOERR_WRITE,
    sqlite3.SQLITE_IOERR_TRUNCATE,
    sqlite3.SQLITE_IOERR_SHMSIZE,
    sqlite3.SQLITE_IOERR_SHMMAP,
}
_STATE_LOCKED = ("55P03", "40001", "40P01")
_STATE_FULL = ("53100",)
_STATE_AWAY = ("08", "57")
_STATE_RIGHTS = ("42501", "25006")
_STATE_DAMAGED = ("XX001", "XX002")


@contextmanager
def translated(folder: Path) -> Iterator[None]:
    """Turn errors of database and disk into our own, with the cause kept."""
    try:
        yield
    except NoResultFound as exc:
        raise InputError(
            "The selection is no longer in the archive; reload and select again."
        ) from exc
    except DBAPIError as exc:
        raise _from_database(exc.orig or exc, folder) from exc
    except sqlite3.Error as exc:
        raise _from_database(exc, folder) from exc
    except SQLAlchemyError as exc:
        raise bug(exc) from exc
    except OSError as exc:
        raise from_os_error(exc, folder) from exc


def _from_database(exc: BaseException, folder: Path) -> GezeitenError:
    state = getattr(exc, "sqlstate", None) or getattr(exc, "pgcode", None)
    if isinstance(exc, sqlite3.Error):
        return _from_sqlite(exc, folder)
    return _from_state(exc, str(state or ""), folder)


def _from_sqlite(exc: sqlite3.Error, folder: Path) -> GezeitenError:
    code: int = getattr(exc, "sqlite_errorcode", sqlite3.SQLITE_MISUSE)
    primary = code & 0xFF
    if primary in _LOCKED:
        return _locked(folder)
    if primary in _FULL or code in _WRITE_FAILED:
        return disk_full(folder)
    if primary in _DAMAGED:
        return _damaged(folder)
    if primary in _RIGHTS:
        return _no_rights(folder)
    if primary == sqlite3.SQLITE_IOERR:
        return SurroundingsError(
            f"The disk that holds {folder} failed ({exc}); save a copy of the folder elsewhere."
        )
    if primary == sqlite3.SQLITE_ERROR and str(exc).startswith(("no such table", "no such column")):
        return ArchiveDamagedError(
            f"The database in {folder} lacks a part ({exc}); run gezeiten verify."
        )
    return bug(exc)


def _from_state(exc: BaseException, state: str, folder: Path) -> GezeitenError:
    if state in _STATE_LOCKED:
        return _locked(folder)
    if state in _STATE_FULL:
        return disk_full(folder)
    if state in _STATE_DAMAGED:
        return _damaged(folder)
    if state in _STATE_RIGHTS:
        return _no_rights(folder)
    if not state or state.startswith(_STATE_AWAY):
        return SurroundingsError(
            f"The database of {folder} cannot be reached ({exc}); check its server "
            "and the connection."
        )
    return bug(exc)


def _locked(folder: Path) -> ArchiveLockedError:
    return ArchiveLockedError(
        f"Another program is writing to the archive in {folder}; wait for it "
        "or close it, then try again."
    )


def _damaged(folder: Path) -> ArchiveDamagedError:
    return ArchiveDamagedError(
        f"The database in {folder} is damaged; restore the archive's last copy."
    )


def _no_rights(folder: Path) -> SurroundingsError:
    return SurroundingsError(
        f"The archive in {folder} cannot be written; check the folder's rights."
    )


def from_os_error(exc: OSError, folder: Path) -> SurroundingsError:
    """Return our error for one of the operating system's."""
    if exc.errno in (errno.ENOSPC, errno.EFBIG, errno.EDQUOT):
        return disk_full(folder)
    return SurroundingsError(
        f"{exc.filename or folder} cannot be used ({exc.strerror}); check the folder's rights."
    )


def disk_full(folder: Path) -> DiskFullError:
    """Return the error for a full disk."""
    return DiskFullError(
        f"The disk that holds {folder} is full; free some space and try again. "
        "Nothing on the logger was erased."
    )
