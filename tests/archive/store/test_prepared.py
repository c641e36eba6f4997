"""Statements run by the driver itself do what SQLAlchemy's own execution does."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from sqlalchemy import Connection, bindparam, insert, select, update
from sqlalchemy.exc import IntegrityError

from gezeiten.archive.actions.verification.replay import scratch
from gezeiten.archive.database import Archive
from gezeiten.archive.projection.rows import add, change, key_of
from gezeiten.archive.store.prepared import PreparedStatement, insertion
from gezeiten.archive.store.tables import Person, Point, Site, VisitRound
from gezeiten.domain.actions import Change
from gezeiten.errors import ArchiveDamagedError

_POINT = {"uid": "p", "site_id": 1, "name": "P1", "fill_limit_s": 0}


@pytest.fixture
def connection() -> Iterator[Connection]:
    with scratch() as made:
        made.execute(insert(Site), {"uid": "s", "name": "Deich", "kind": "", "zone": "UTC"})
        yield made


def test_values_go_in_and_come_out_as_sqlalchemy_has_them(connection: Connection) -> None:
    names = (*_POINT, "duty_channels")
    insertion(Point.__table__, names).run(connection, **_POINT, duty_channels=["humidity", "ä"])
    theirs = connection.execute(select(Point.name, Point.duty_channels)).one()
    ours = PreparedStatement(select(Point.name, Point.duty_channels)).first_row(connection)
    assert tuple(theirs) == ours == ("P1", ["humidity", "ä"])


def test_a_change_says_how_many_rows_it_met(connection: Connection) -> None:
    rename = PreparedStatement(
        update(Site).where(Site.uid == bindparam("u")).values(name=bindparam("n"))
    )
    assert rename.run(connection, u="s", n="Koog") == 1
    assert rename.run(connection, u="other", n="Koog") == 0
    assert connection.execute(select(Site.name)).scalar() == "Koog"


def test_a_value_in_the_statement_itself_stays(connection: Connection) -> None:
    statement = PreparedStatement(
        select(Site.id).where(Site.name == "Deich", Site.uid == bindparam("u"))
    )
    assert statement.value(connection, u="s") == 1
    assert statement.value(connection, u="other") is None


def test_the_drivers_errors_are_sqlalchemys(connection: Connection) -> None:
    add(connection, Person.__table__, uid="ja", name="JA")
    with pytest.raises(IntegrityError):
        add(connection, Person.__table__, uid="ja", name="JB")


def test_a_missing_thing_is_named(connection: Connection) -> None:
    with pytest.raises(ArchiveDamagedError):
        change(connection, VisitRound.__table__, "none", [Change("closed_ms", None, 1)])


def test_a_transaction_that_ends_takes_all_back(tmp_path: Path) -> None:
    archive = Archive(tmp_path)

    def half_done() -> None:
        with archive.writing() as session:
            add(session.connection(), Person.__table__, uid="ja", name="JA")
            key_of(session.connection(), Person.__table__, "nobody")

    with pytest.raises(ArchiveDamagedError):
        half_done()
    with archive.reading() as session:
        assert session.scalars(select(Person.name)).all() == []
    archive.close()
