"""Coverage as a file: whole, or as it was before."""

from __future__ import annotations

import resource
from datetime import date
from pathlib import Path

import pytest

from gezeiten.desk.record.views.coverage import write_coverage
from gezeiten.domain.series.statistics.calendar import CoveredTime
from gezeiten.domain.series.timeline import DAY_MS
from gezeiten.errors import SurroundingsError


def test_a_full_disk_leaves_the_file_before_and_no_half_one(tmp_path: Path) -> None:
    days = [(date(2026, 3, day), CoveredTime(DAY_MS, DAY_MS // 2, 0, 0)) for day in range(1, 32)]
    target = tmp_path / "coverage.csv"
    write_coverage(days[:1], target)
    before = target.read_bytes()
    limits = resource.getrlimit(resource.RLIMIT_FSIZE)
    resource.setrlimit(resource.RLIMIT_FSIZE, (len(before), limits[1]))
    try:
        with pytest.raises(SurroundingsError):
            write_coverage(days, target)
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, limits)
    assert target.read_bytes() == before
    assert [one.name for one in tmp_path.iterdir()] == [target.name]
    assert before.splitlines()[1] == b"2026-03-01,50.00,0.00,0.00"
