"""Limit rules in words."""

from __future__ import annotations

from gezeiten.domain.base.intervals import interval_text
from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.limits.windows import window_choice
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.ui.format.i18n import tr
from gezeiten.ui.format.units import Units
from gezeiten.ui.parts.rule_signs import side_text


def mean_text(channel: str, mean_s: int) -> str:
    """Return what a limit compares: "mean of 24 h", the sum of what is summed."""
    if not mean_s:
        return tr("each reading")
    is_sum = quantity(channel).averages == "sum"
    return (tr("sum of %1") if is_sum else tr("mean of %1")).replace("%1", length_text(mean_s))


def length_text(length_s: int) -> str:
    """Return how long a mean reaches back, in hours up to three days."""
    if length_s % 3600 == 0 and length_s <= 72 * 3600:
        return f"{length_s // 3600} h"
    return interval_text(length_s)


def rule_text(rule: LimitRule, units: Units, own: str = "") -> str:
    """Return a rule in words: "above 60 % for 2 h, accumulated, working hours". own: the unit of
    its series, where it has one."""
    said = side_text(rule.side)
    if rule.mean_s:
        said = f"{mean_text(rule.channel, rule.mean_s)} {said}"
    if rule.has_value:
        said += f" {units.value(rule.channel, rule.value, own)}"
    if rule.delay_s:
        said += " " + tr("for %1").replace("%1", interval_text(rule.delay_s))
    if rule.counting == "accumulated":
        said += ", " + (tr("accumulated daily") if rule.daily else tr("accumulated"))
    if rule.window:
        said += f", {tr(window_choice(rule.window))}"
    return f"{tr('warning')}: {said}" if rule.level == "warning" else said
