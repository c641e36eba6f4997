"""What is proposed as an input of a calculation, and one value typed for a period in its place."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.office.documents import csv_table, point_report
from gezeiten.desk.office.verification import rebuild, verify
from gezeiten.desk.record.statements.calculated_series import (
    Calculation,
    by_nearness,
    calculate,
    calculations,
    formula_texts,
)
from gezeiten.desk.record.statements.site_editor import save_site, site_facts
from gezeiten.desk.record.uncertainty import reading_uncertainty
from gezeiten.desk.record.views.records import extent, record
from gezeiten.desk.sites.places import point_named, points
from gezeiten.domain.series.timeline import DAY_MS
from gezeiten.domain.steps.formulas import FORMULAS
from gezeiten.errors import InputError
from gezeiten.report.pdf import write_pdf
from tests.report.test_pdf import text_of


def test_the_same_point_comes_first_then_its_site_then_the_nearest(demo_desk: Workspace) -> None:
    """Distances by hand: a degree of latitude is 111.2 km."""
    tank = point_named(demo_desk, "Tank 2")
    north = point_named(demo_desk, "Cold room A")
    own = site_facts(demo_desk, tank.site_id)
    for site_id, latitude in ((tank.site_id, 54.0), (north.site_id, 54.09)):
        facts = replace(site_facts(demo_desk, site_id), latitude=latitude, longitude=own.longitude)
        save_site(demo_desk, facts, site_id)
    near_places = by_nearness(demo_desk, tank)
    assert (near_places[0].point.id, near_places[0].where) == (tank.id, "same point")
    sites = [near_place.point.site_id for near_place in near_places]
    many = sites.count(tank.site_id)
    assert sites[:many] == [tank.site_id] * many
    assert {one.where for one in near_places[1:many]} <= {"same site"}
    assert (near_places[many].point.site_id, near_places[many].where) == (
        north.site_id,
        "10 km away",
    )
    assert len(near_places) == len(points(demo_desk))
    unknown = replace(site_facts(demo_desk, north.site_id), latitude=None, longitude=None)
    save_site(demo_desk, unknown, north.site_id)
    assert by_nearness(demo_desk, tank)[-1].where == ""


def test_one_value_stands_for_a_period_and_is_named_in_what_is_handed_over(
    demo_desk: Workspace, tmp_path: Path
) -> None:
    """Of the mast's humidity nobody knows: 60 % are typed, a dew point follows."""
    desk, mast = demo_desk, point_named(demo_desk, "Outdoor mast")
    temps = "air_temperature"
    whole = extent(desk, mast.id, [temps])
    assert whole is not None
    begin, end = whole[1] - 8 * DAY_MS, whole[1] - 3 * DAY_MS
    typed = {"value": 60.0, "from_ms": float(begin), "until_ms": float(end)}
    wanted = Calculation(
        FORMULAS["typed_value", 1], ((mast, temps),), typed, "typed", result="relative_humidity"
    )
    backwards = replace(wanted, parameters={**typed, "until_ms": float(begin)})
    with pytest.raises(InputError, match="ends before it begins"):
        calculate(desk, backwards)
    key = calculate(desk, wanted, "no sensor on the mast")
    humid = record(desk, mast.id, key)
    its = record(desk, mast.id, temps, (begin, end)).times_utc_ms
    assert humid.times_utc_ms.tolist() == its.tolist()
    assert set(humid.values.tolist()) == {60.0}
    assert reading_uncertainty(desk, mast, key, int(its[5])) is not None
    mast = point_named(desk, "Outdoor mast")
    inputs = ((mast, "air_temperature"), (mast, key))
    dew = calculate(desk, Calculation(FORMULAS["dew_point", 1], inputs, {}))
    series = record(desk, mast.id, dew)
    assert np.isin(series.times_utc_ms, its).all()
    assert len(series) > 100
    words = formula_texts(desk, point_named(desk, "Outdoor mast"))
    assert "Typed value for a period, as typed, value 60 %, from 20" in words[key]
    assert "no sensor on the mast" in words[key]
    assert {calculation.series.formula for calculation in calculations(desk, mast.id)} >= {
        "typed_value"
    }
    mast = point_named(desk, "Outdoor mast")
    table = csv_table(desk, mast, (begin, end))
    assert any("Typed value for a period" in channel.formula_text for channel in table.channels)
    write_pdf(point_report(desk, mast, (begin, end)), tmp_path / "r.pdf")
    assert "Typed value for a period" in text_of(tmp_path / "r.pdf")
    assert verify(desk).faults == []
    rebuild(desk)
    assert record(desk, mast.id, dew).values.tobytes() == series.values.tobytes()
