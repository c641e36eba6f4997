"""A change is made whatever was there before; what was otherwise is said in words."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import pytest
from sqlalchemy import Connection, select, text

from gezeiten.archive.actions.verification.replay import scratch
from gezeiten.archive.projection.rows import add, change
from gezeiten.archive.store.tables import Site
from gezeiten.domain.actions import Change

SITES = Site.__table__


@pytest.fixture
def connection() -> Iterator[Connection]:
    with scratch() as made:
        add(made, SITES, uid="s", name="Shore", kind="", zone="UTC", height_m=3.2)
        yield made


@pytest.mark.parametrize(
    ("changed", "conflicts"),
    [
        (Change("height_m", 3.2, 3.08), []),
        (Change("height_m", 3.1, 3.08), ["height was 3.20 m, not 3.10 m"]),
        (Change("kind", None, "marsh"), []),
        (Change("visit_every_days", 7, 14), ["visits every was none, not 7 days"]),
        (Change("retired_ms", 5, None), ["the retired ms was another one"]),
    ],
)
def test_what_was_otherwise_is_said(
    connection: Connection, changed: Change, conflicts: list[str]
) -> None:
    assert change(connection, SITES, "s", [changed]) == conflicts
    assert _kept(connection, changed.field) == changed.after


def test_a_value_without_words_hinders_no_act(connection: Connection) -> None:
    connection.execute(text("UPDATE site SET height_m = 'high'"))
    assert change(connection, SITES, "s", [Change("height_m", 3.2, 3.08)]) == [
        "the height m was another one"
    ]
    assert _kept(connection, "height_m") == 3.08


def _kept(connection: Connection, field: str) -> Any:
    return connection.execute(select(SITES.c[field])).scalar()
