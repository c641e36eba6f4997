"""Summaries of blocks are those of their values."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.archive.local_cache.blocks import summary

VALUES = st.lists(st.floats(-1e300, 1e300) | st.just(math.nan), max_size=200)


@given(VALUES)
def test_the_summary_is_that_of_the_known_values(values: list[float]) -> None:
    facts = summary(np.array(values, np.float64))
    known = [v for v in values if not math.isnan(v)]
    assert facts.valid == len(known)
    if known:
        assert (facts.low, facts.high) == (min(known), max(known))
        scale = max(map(abs, known))
        assert facts.total == pytest.approx(math.fsum(known), abs=max(scale, 1) * 1e-9)
