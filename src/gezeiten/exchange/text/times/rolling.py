"""Times whose day, or whose year, is said once: the clock, or the calendar, goes on past its end.

What is said holds for the first line; where the newest line comes first, days and years go back.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import polars as pl

from gezeiten.domain.series.timeline import DAY_MS

_BACK_MS = DAY_MS // 4
"""A clock that goes back by more shows another day."""
_HALF_A_YEAR_MS = 180 * DAY_MS


class Rolling:
    """Follows one text, piece by piece in the order of its lines. kind: "day", "year" or ""."""

    def __init__(self, kind: str) -> None:
        self._least_ms = _BACK_MS if kind == "day" else _HALF_A_YEAR_MS
        self._last_ms: int | None = None
        self._passed = 0
        self._is_backward: bool | None = None

    def days(self, local: pl.Series) -> pl.Series:
        """Return what a calendar and clock show, of a day that is said and a clock: one day more
        each time that the clock begins anew, until another day is said."""
        shown = local.dt.epoch("ms").to_numpy()
        known = ~np.isnan(shown) if shown.dtype.kind == "f" else np.ones(len(shown), np.bool_)
        passed = np.zeros(len(shown), np.int64)
        passed[known] = self._turns(shown[known].astype(np.int64), by_day=True)
        frame = pl.DataFrame({"at": local, "days": passed})
        return frame.select(pl.col("at") + pl.duration(days=pl.col("days")))["at"]

    def years(self, text: pl.Series, read: Callable[[pl.Series], pl.Series]) -> pl.Series:
        """Return times, each with its year in front in place of the one that is said there.

        Args:
            read: makes what a clock shows of such times.
        """
        in_one = text.str.replace(r"^\d{4}", "2000")  # which has a 29 February
        shown = read(in_one).dt.epoch("ms")
        known = shown.is_not_null().to_numpy()
        passed = np.zeros(len(text), np.int64)
        passed[known] = self._turns(shown.drop_nulls().to_numpy().astype(np.int64), by_day=False)
        frame = pl.DataFrame({"text": text, "more": passed})
        said = pl.col("text").str.extract(r"^(\d{4})", 1).cast(pl.Int64, strict=False)
        year = (said + pl.col("more")).cast(pl.String).str.zfill(4)
        return frame.select(pl.concat_str([year, pl.col("text").str.replace(r"^\d{4}", "")]))[
            "text"
        ]

    def _turns(self, shown: np.ndarray, *, by_day: bool) -> np.ndarray:
        """Return how many days or years have begun again before each line, int64 (n,)."""
        if not len(shown):
            return np.zeros(0, np.int64)
        first = shown[0] if self._last_ms is None else self._last_ms
        steps = np.diff(shown, prepend=first)
        if self._is_backward is None and len(shown) > 2:
            self._is_backward = bool((steps < 0).sum() > (steps > 0).sum())
        sign = -1 if self._is_backward else 1
        turned = np.where(sign * steps < -self._least_ms, sign, 0)
        passed = self._passed + np.cumsum(turned)
        if by_day:  # another day that is said begins anew
            days = np.concatenate([[first], shown]) // DAY_MS
            is_said = np.diff(days) != 0
            turned[is_said] = 0
            passed = self._passed + np.cumsum(turned)
            at = np.maximum.accumulate(np.where(is_said, np.arange(len(shown)), -1))
            passed = np.where(at >= 0, passed - passed[np.maximum(at, 0)], passed)
        self._last_ms, self._passed = int(shown[-1]), int(passed[-1])
        return passed.astype(np.int64)
