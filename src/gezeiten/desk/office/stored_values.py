"""Checking the values that the archive stores as JSON: each is what it should be, or its place is
named."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from typing import Any

from gezeiten.archive.database import ArchiveSession
from gezeiten.archive.queries.stored_texts import stored_texts
from gezeiten.domain.base.untrusted import json_of
from gezeiten.domain.limits.assessments import AssessedExcursion
from gezeiten.domain.limits.limits import limit_rule
from gezeiten.domain.plan.plan import plan_from_dict
from gezeiten.domain.series.clocks.clock_map import clock_map
from gezeiten.errors import GezeitenError
from gezeiten.exchange.text.form import template_from_dict

Check = Callable[[Any], object]


def faulty_values(session: ArchiveSession) -> Iterator[str]:
    """Yield a sentence for each stored value that is not what it should be."""
    for text in stored_texts(session):
        try:
            value = None if text.text is None else json_of(text.text)
            if value is None and not text.may_be_empty:
                raise ValueError("nothing")
            if value is not None:
                _CHECKS.get(f"{text.table}.{text.column}", _dict)(value)
        except (GezeitenError, ValueError, TypeError, KeyError, AttributeError) as exc:
            shown = json.dumps(str(text.text)[:40], ensure_ascii=False)
            yield (
                f"“{text.column}” of {text.table} {text.key} is not what it should be "
                f"({shown}: {exc}); restore the archive's last copy."
            )


def _dict(value: Any) -> None:
    if not isinstance(value, dict):
        raise TypeError("no set of named values")


def _texts(value: Any) -> None:
    if not isinstance(value, list) or not all(isinstance(one, str) for one in value):
        raise TypeError("no list of words")


def _numbers(value: Any) -> None:
    if not isinstance(value, list) or not all(isinstance(one, int) for one in value):
        raise TypeError("no list of whole numbers")


def _ranges(value: Any) -> None:
    if not isinstance(value, list):
        raise TypeError("no list of readings")
    for first, end in value:
        if type(first) is not int or type(end) is not int or not 0 <= first <= end:
            raise ValueError("no stretch of readings")


def _events(value: Any) -> None:
    if not isinstance(value, list):
        raise TypeError("no list of events")
    for at_ms, words in value:
        if type(at_ms) is not int or not isinstance(words, str):
            raise TypeError("no event")


_CHECKS: dict[str, Check] = {
    "point.duty_channels": _texts,
    "mission.plan": plan_from_dict,
    "mission.damaged": _ranges,
    "clock.pairs": clock_map,
    "clock.us_ms": _numbers,
    "offload.received": _ranges,
    "offload.added": _ranges,
    "offload.damaged": _ranges,
    "offload.events": _events,
    "offload.reading": template_from_dict,
    "overview.came": _ranges,
    "excursion.rule": limit_rule,
    "assessment.rule": limit_rule,
    "assessment.seen": lambda seen: AssessedExcursion(**seen),
    "launch_intent.plan": plan_from_dict,
    "kept_plan.plan": plan_from_dict,
    "kept_tie.tie": template_from_dict,
    "round_task.plan": plan_from_dict,
}
"""What a column must hold; all others hold a set of named values."""
