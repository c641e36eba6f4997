"""In which state an archive lies on the disk, without opening it: what was made of the same state
is still true. It asks the two files of the database by themselves, since the window wants to know
before it has what opening an archive needs (SQLAlchemy, the tables, the actions)."""

from __future__ import annotations

import sqlite3
from contextlib import closing
from pathlib import Path

from gezeiten.archive.files.chains import ChainFiles
from gezeiten.archive.whereabouts import DATABASE

LOCAL_CACHE = "local.db"
_APPLIED = "SELECT uid, bytes FROM chain ORDER BY uid"
_NEWEST = "SELECT hash FROM logbook ORDER BY seq DESC LIMIT 1"
_FORM = "SELECT version_num FROM alembic_version"
_KNOWN = "PRAGMA user_version"
_RECORDS = (
    "SELECT (SELECT hash FROM applied), count(*), total(changes), total(found_in) FROM record"
)


def state_of(folder: Path) -> str | None:
    """Return what tells the states of an archive apart, as far as any record of it is concerned.
    None: it is not to be read so, or not all of its actions have been applied yet."""
    try:
        with (
            closing(_opened(folder / DATABASE)) as archive,
            closing(_opened(folder / LOCAL_CACHE)) as local,
        ):
            applied = dict(archive.execute(_APPLIED).fetchall())
            form, newest = archive.execute(_FORM).fetchall(), archive.execute(_NEWEST).fetchone()
            records = local.execute(_RECORDS).fetchone()
            known = local.execute(_KNOWN).fetchone()
    except sqlite3.Error:
        return None
    if newest is None or newest[0] != records[0] or applied != ChainFiles(folder).sizes():
        return None
    return f"{form} {known} {newest} {records}"


def _opened(path: Path) -> sqlite3.Connection:
    return sqlite3.connect(f"{path.absolute().as_uri()}?mode=ro", uri=True, timeout=0.2)
