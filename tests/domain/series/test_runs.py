"""Runs tell the same gaps as the readings do, in one piece or in several."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.domain.series.gaps import covered_spans, find_gaps
from gezeiten.domain.series.runs import cut_runs, joined_runs, runs_of, runs_of_series
from gezeiten.domain.series.series import make_series

MINUTES = st.sets(st.integers(0, 300), max_size=80).map(sorted)


@given(MINUTES, st.lists(st.integers(0, 80), max_size=4))
def test_runs_of_pieces_are_those_of_the_whole(minutes: list[int], cuts: list[int]) -> None:
    times = np.array(minutes, np.int64) * 60_000
    intervals = np.where(times < 9_000_000, 60_000, 300_000)
    series = make_series(times, np.ones(len(times)), intervals)
    ends = sorted({0, len(times), *(cut for cut in cuts if cut < len(times))})
    pieces = [runs_of(times[a:b], intervals[a:b]).as_table() for a, b in pairwise(ends)]
    runs = joined_runs(np.concatenate([np.empty((0, 3), np.int64), *reversed(pieces)]))
    assert runs.gaps() == find_gaps(series)
    assert runs.spans == covered_spans(series)
    assert runs.as_table().tolist() == runs_of_series(series).as_table().tolist()


def test_a_fill_within_what_was_measured_later_opens_no_gap() -> None:
    table = np.array([[0, 600, 60], [120, 240, 60], [660, 900, 60]])
    assert joined_runs(table).as_table().tolist() == [[0, 900, 60]]
    assert joined_runs(np.array([[0, 600, 60], [691, 900, 60]])).gaps()[0].start_ms == 660


def test_runs_are_cut_between_them_and_never_within_one() -> None:
    table = np.array([[0, 600, 60], [900, 1200, 60]])
    kept = cut_runs(table, 700, 5000)
    assert kept is not None
    assert kept.tolist() == [[900, 1200, 60]]
    assert cut_runs(table, 300, 5000) is None
    assert cut_runs(table, 0, 1200) is None  # the reading at the end is not in [start, end)
