"""What keeps a plan from its logger, sentence by sentence."""

from __future__ import annotations

from dataclasses import replace

import pytest

from gezeiten.domain.limits import LimitRule
from gezeiten.domain.models import DUENE_T2, PRIEL_W3, REIF_C2, LoggerModel
from gezeiten.domain.plan import ChannelSetting, Manners, Plan
from gezeiten.domain.plan_check import check_plan, fits
from gezeiten.domain.windows import NIGHTS
from gezeiten.errors import InputError

NOW = 1_795_417_200_000
COLD = Plan(("probe_temperature",), 300, limits=(LimitRule("probe_temperature", "above", 7.0),))


@pytest.mark.parametrize(
    ("model", "change", "words"),
    [
        (PRIEL_W3, {"start": "button", "channels": ("water_pressure",), "limits": ()},
         "has no button to start it"),
        (REIF_C2, {"start": "button", "start_delay_s": 90_000}, "over a day"),
        (REIF_C2, {"end": "count", "end_count": 1}, "at least two readings"),
        (REIF_C2, {"end": "count", "end_count": 10**6}, "readings fit; give a smaller"),
        (REIF_C2, {"outside_interval_s": 300}, "not shorter than the usual one"),
        (REIF_C2, {"outside_interval_s": 70}, "1 min 10 s does not divide 5 min"),
        (REIF_C2, {"outside_interval_s": 60, "limits": ()}, "needs an alarm limit"),
        (DUENE_T2, {"outside_interval_s": 60, "channels": ("air_temperature",), "limits": ()},
         "knows no shorter interval"),
        (REIF_C2, {"settings": (ChannelSetting("probe_temperature", "nose"),)}, "knows no sensor"),
        (REIF_C2, {"settings": (ChannelSetting("probe_temperature", color="red"),)},
         "is no colour"),
        (REIF_C2, {"manners": Manners("press", 90)}, "1 to 60 minutes"),
        (REIF_C2, {"manners": Manners(event_bytes=77)}, "cannot keep that much memory"),
        (PRIEL_W3, {"manners": Manners("on"), "channels": ("water_pressure",), "limits": ()},
         "Priel W3 has no display"),
        (REIF_C2, {"mission_name": "a/b"}, "cannot stand in a file name"),
        (REIF_C2, {"mission_name": "nul"}, "keep for themselves"),
        (REIF_C2, {"remark": "x" * 401}, "longer than 400 bytes"),
        (REIF_C2, {"limits": (replace(COLD.limits[0], hysteresis=-1.0),)}, "hysteresis"),
        (REIF_C2, {"limits": (COLD.limits[0], replace(COLD.limits[0], value=8.0, level="warning"))},
         "would warn above the alarm"),
        (REIF_C2, {"limits": (replace(COLD.limits[0], hysteresis=4.0),
                              LimitRule("probe_temperature", "below", 4.0))}, "overlap"),
        (REIF_C2, {"limits": tuple(replace(COLD.limits[0], value=float(i), delay_s=i, side=side,
                                           level=level, window=window)
                                   for i, (side, level, window) in enumerate((
                                       ("below", "alarm", None), ("below", "alarm", NIGHTS),
                                       ("above", "alarm", None), ("above", "alarm", NIGHTS),
                                       ("above", "alarm", NIGHTS.other()))))},
         "watches 4 limits a channel"),
    ],
)  # fmt: skip
def test_each_of_these_is_one_blocking_sentence(
    model: LoggerModel, change: dict[str, object], words: str
) -> None:
    plan = replace(COLD, **change)  # type: ignore[arg-type]
    said = [f.sentence for f in check_plan(plan, model, NOW) if f.blocking]
    assert any(words in sentence for sentence in said), said
    assert not fits(plan, model, NOW)


def test_an_interval_below_the_settling_time_is_worth_a_look_only() -> None:
    plan = Plan(("water_temperature",), 60)
    [fault] = check_plan(plan, PRIEL_W3, NOW)
    assert not fault.blocking
    assert "Water temperature needs 2 min to settle" in fault.sentence
    assert fits(plan, PRIEL_W3, NOW)


def test_the_sensor_decides_the_range_of_limits() -> None:
    hot = replace(COLD, limits=(LimitRule("probe_temperature", "above", 150.0),))
    assert not fits(hot, REIF_C2, NOW)
    wired = replace(hot, settings=(ChannelSetting("probe_temperature", "thermocouple_k"),))
    assert fits(wired, REIF_C2, NOW)


def test_an_unknown_sensor_is_said() -> None:
    with pytest.raises(InputError, match="knows no sensor"):
        DUENE_T2.channel("air_temperature").sensor("nose")
