"""Nothing of an excursion can be changed in this computer's database unseen: every column that the
schema has is changed once, found, and put right."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from gezeiten.archive.local_cache.tables import ExcursionRow
from gezeiten.desk.record.excursion_book import (
    detect_all_excursions,
    excursions,
    faulty_excursions,
    refresh_excursions,
    settle,
)
from gezeiten.domain.limits.limits import LimitRule
from tests.databases import behind_its_back
from tests.small_blocks import KEY, PLAN, Kept, kept_in

COLUMNS = [one.name for one in ExcursionRow.__table__.columns if one.name != "id"]


@pytest.fixture
def kept(tmp_path: Path) -> Iterator[Kept]:
    hot = LimitRule(KEY, "above", 9.9, delay_s=60)
    with kept_in(tmp_path, replace(PLAN, limits=(hot,))) as made:
        made.take(0, 200)
        refresh_excursions(made.desk, made.point)
        settle(made.desk, excursions(made.desk)[0].id, "Power", "Fuse.")
        yield made


def changed(value: Any) -> Any:
    if isinstance(value, dict):
        return {**value, "value": value["value"] + 1}
    return f"{value}x" if isinstance(value, str) or value is None else value + 1


@pytest.mark.parametrize("column", COLUMNS)
def test_a_changed_column_is_found_and_put_right(column: str, kept: Kept) -> None:
    assert faulty_excursions(kept.desk) == []
    with behind_its_back(kept.desk.archive.folder / "local.db") as raw:
        [[before]] = raw.execute(f"SELECT {column} FROM excursion ORDER BY id LIMIT 1")
        is_json = column == "rule"
        value = changed(json.loads(before) if is_json else before)
        its = "id = (SELECT min(id) FROM excursion)"
        raw.execute(
            f"UPDATE excursion SET {column} = ? WHERE {its}",
            (json.dumps(value) if is_json else value,),
        )
    [sentence] = faulty_excursions(kept.desk)
    assert "are not those of its record; gezeiten verify --rebuild updates them." in sentence
    detect_all_excursions(kept.desk)
    assert faulty_excursions(kept.desk) == []
