"""Gaps estimated by companions and cycles in a real archive: looked at, filled, undone."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
import pytest

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.estimates import FillMethod, estimates, fill_by_method, line_error
from gezeiten.desk.field.gap_filling import fill_by_line, line_offer, undo
from gezeiten.desk.field.gaps import BookedGap, gaps
from gezeiten.desk.intake.texts.import_templates import proposed_template, recognise_text
from gezeiten.desk.intake.texts.text_files import import_text
from gezeiten.desk.office.verification import rebuild, verify
from gezeiten.desk.record.excursion_book import excursions, faulty_excursions
from gezeiten.desk.record.statements.corrections import chain
from gezeiten.desk.record.uncertainty import reading_uncertainty
from gezeiten.desk.record.views.records import record
from gezeiten.domain.series.timeline import DAY_MS
from gezeiten.errors import InputError
from tests.conftest import ANCHOR_MS, Lab

PRESSURE, TEMPERATURE = "water_pressure", "water_temperature"


def gap_at(desk: Workspace, name: str) -> BookedGap:
    return next(gap for gap in gaps(desk) if gap.point.name == name)


@pytest.fixture
def creek(demo_desk: Workspace) -> BookedGap:
    return gap_at(demo_desk, "Creek gauge")


def bits(desk: Workspace, booked: BookedGap) -> list[bytes]:
    return [record(desk, booked.point.id, key).values.tobytes() for key in booked.channels]


def test_the_tide_and_a_neighbour_fill_what_a_line_never_could(
    demo_desk: Workspace, creek: BookedGap
) -> None:
    heard: list[int] = []
    [best, own] = estimates(demo_desk, creek, lambda ways: heard.append(len(ways)))
    assert len(heard) > 5  # the best so far comes first
    assert own.name == "by its own cycles"
    assert "; Water temperature by " in best.name  # by what else follows from the day
    assert best.beats_line
    assert best.of[TEMPERATURE].rmse < own.of[TEMPERATURE].rmse
    before, found = bits(demo_desk, creek), len(excursions(demo_desk, creek.point.id))
    fill_by_method(demo_desk, creek, best)
    for key, one in best.of.items():
        series = record(demo_desk, creek.point.id, key)
        its = series.subset(series.estimated)
        assert its.times_utc_ms.tolist() == one.fill.times_utc_ms.tolist()
        assert its.values.tolist() == one.fill.values.tolist()
        measured = series.subset(~series.estimated)
        assert measured.values.tobytes() == before[creek.channels.index(key)]
    assert len(excursions(demo_desk, creek.point.id)) == found  # estimates raise none
    filled = gap_at(demo_desk, "Creek gauge")
    assert filled.state == "estimated"
    [link] = chain(demo_desk, creek.point, TEMPERATURE).fills
    assert link.facts["companion"] in best.name
    assert link.facts["low"] < 0 < link.facts["high"]
    assert verify(demo_desk).faults == []
    rebuild(demo_desk)
    assert gap_at(demo_desk, "Creek gauge").state == "estimated"
    undo(demo_desk, gap_at(demo_desk, "Creek gauge"))
    assert bits(demo_desk, creek) == before
    assert faulty_excursions(demo_desk) == []


def test_what_was_there_by_tide_is_near_what_is_estimated(
    demo_desk: Workspace, creek: BookedGap
) -> None:
    """The tide of the day before, 24 h 50 min earlier, within a metre of water (10 kPa)."""
    [best, _] = estimates(demo_desk, creek)
    fill = best.of[PRESSURE].fill
    series = record(demo_desk, creek.point.id, PRESSURE)
    before = np.interp(fill.times_utc_ms - 89_428_000, series.times_utc_ms, series.values)
    assert np.abs(fill.values - before).max() < 10


def test_a_gap_that_ends_while_a_door_is_open_is_filled_by_the_room_beside(
    demo_desk: Workspace,
) -> None:
    """Where the reading after it is 1 K above all usual ones the room's own cycle cannot tell that
    from a step, and says so; on which days of the made-up record it is follows from the day."""
    booked = gap_at(demo_desk, "Cold room B")
    methods = estimates(demo_desk, booked)
    assert "Cold room A" in methods[0].name
    for refused in (way for way in methods if way.refusal):
        assert methods[0].caution == "Store temperature beside it is among the highest known"
        assert "the level differs before and after the gap" in refused.refusal
        with pytest.raises(InputError, match=r"This gap cannot be filled that way \("):
            fill_by_method(demo_desk, booked, refused)


def test_too_little_record_and_a_wish_to_stop_find_nothing(
    demo_desk: Workspace, creek: BookedGap
) -> None:
    [none] = estimates(demo_desk, gap_at(demo_desk, "Piezometer K2"))
    assert "too few readings around it to measure the error" in none.refusal
    assert estimates(demo_desk, creek, cancelled=lambda: True) == []
    with pytest.raises(
        InputError, match=r"This gap cannot be filled that way \(nothing was found\)"
    ):
        fill_by_method(demo_desk, creek, FillMethod("by luck", {}))


def gauge(lab: Lab, folder: Path, site: str, amounts: list[float], left_out: range) -> None:
    """Take a rain gauge's text of ten minutes for a point."""
    lines = ["Date;Time;Rain (mm)"]
    for i, amount in enumerate(amounts):
        if i not in left_out:
            when = datetime.fromtimestamp((ANCHOR_MS - 40 * DAY_MS) / 1000 + 600 * i, UTC)
            lines.append(f"{when:%Y-%m-%d;%H:%M:%S};{amount:.1f}")
    path = folder / f"{site}.txt"
    path.write_text("\n".join(lines) + "\n", encoding="utf-8")
    template = proposed_template(recognise_text(lab.desk, path), f"Gauge {site}")
    form = replace(template.form, time=replace(template.form.time, zone="UTC"))
    columns = tuple(replace(column, quantity="precipitation") for column in template.columns)
    import_text(
        lab.desk, path, replace(template, point=f"{site} · Roof", form=form, columns=columns)
    )


def test_rain_comes_from_the_gauge_beside_and_its_error_is_that_of_the_sum(
    lab: Lab, tmp_path: Path
) -> None:
    """A shower of two hours every ten, in Ost half as much again as in West: of the 72 readings
    missing there 2 x 12 were wet."""
    fell = [2.0 if i % 60 < 12 else 0.0 for i in range(30 * 144)]
    missing = range(1_800, 1_872)
    gauge(lab, tmp_path, "Ost", [1.5 * one for one in fell], missing)
    desk = lab.desk
    booked = gap_at(desk, "Roof")
    [way] = estimates(desk, booked)
    assert "no other series of this quantity has readings then" in way.refusal
    gauge(lab, tmp_path, "West", fell, range(0))
    [way] = estimates(desk, booked)
    assert way.name == "by Precipitation of West · Roof"
    assert line_error(desk, booked, "precipitation")[1] == "sums are never interpolated"
    fill_by_method(desk, booked, way)
    series = record(desk, booked.point.id, "precipitation")
    inside = series.subset(series.estimated)
    assert inside.values.tolist() == [1.5 * fell[i] for i in missing]
    assert (
        reading_uncertainty(desk, booked.point, "precipitation", int(inside.times_utc_ms[0]))
        is None
    )
    [link] = chain(desk, booked.point, "precipitation").fills
    assert (link.facts["of_sum"], link.facts["ratio"]) == (True, pytest.approx(1.5))
    assert verify(desk).faults == []


def test_the_band_of_each_reading_is_kept_and_how_sure_it_is_follows(
    demo_desk: Workspace, creek: BookedGap
) -> None:
    """± U of an estimate is never that of the widest place of the gap, but there."""
    [best, *_] = estimates(demo_desk, creek)
    fill_by_method(demo_desk, creek, best)
    one = best.of[PRESSURE]
    halves = (one.high - one.low) / 2
    [link] = chain(demo_desk, creek.point, PRESSURE).fills
    assert len(link.facts["lows"]) == len(link.facts["highs"]) == link.facts["readings"]
    widest, narrowest = int(np.argmax(halves)), int(np.argmin(halves))
    assert halves[narrowest] < halves[widest]
    for place in (narrowest, widest):
        sure = reading_uncertainty(
            demo_desk, creek.point, PRESSURE, int(one.fill.times_utc_ms[place])
        )
        assert sure is not None
        [share] = [part for part in sure.shares if part.kind == "fill"]
        assert 2 * share.u == pytest.approx(halves[place], abs=1e-5)


def test_the_band_of_a_line_is_kept_as_well(demo_desk: Workspace) -> None:
    booked = gap_at(demo_desk, "Paint hall")
    fill_by_line(demo_desk, booked)
    for key in booked.channels:
        [link] = chain(demo_desk, booked.point, key).fills
        assert len(link.facts["lows"]) == link.facts["readings"]
        bands = zip(link.facts["lows"], link.facts["highs"], strict=True)
        assert all(low < 0 < high for low, high in bands)


def test_one_series_of_a_gap_does_not_block_another(lab: Lab, tmp_path: Path) -> None:
    """Temperature is known for weeks, humidity for an hour before the gap: the temperature is
    filled, by a line or an estimate, the humidity stays open and says why."""
    lines = ["Date;Time;Temperature (°C);Relative humidity (%)"]
    begin_s, rng = (ANCHOR_MS - 40 * DAY_MS) // 1000, np.random.default_rng(2)
    for i in range(30 * 144):
        if 2_000 <= i < 2_006:
            continue
        when = datetime.fromtimestamp(begin_s + 600 * i, UTC)
        humidity = f"{60 + rng.normal(0, 1):.1f}" if 1_994 <= i < 2_012 else ""
        warm = 15 + 5 * np.cos(2 * np.pi * i / 144) + rng.normal(0, 0.1)
        lines.append(f"{when:%Y-%m-%d;%H:%M:%S};{warm:.2f};{humidity}")
    path = tmp_path / "attic.txt"
    path.write_text("\n".join(lines) + "\n", encoding="utf-8")
    desk = lab.desk
    template = proposed_template(recognise_text(desk, path), "Station")
    form = replace(template.form, time=replace(template.form.time, zone="UTC"))
    import_text(desk, path, replace(template, point="Ost · Attic", form=form))
    booked = next(gap for gap in gaps(desk) if len(gap.channels) == 2)
    [way, *_] = estimates(desk, booked)
    assert not way.refusal
    assert list(way.of) == ["air_temperature"]
    assert "too few readings around it to measure the error" in way.left["relative_humidity"]
    offer = line_offer(desk, booked)
    assert (list(offer.errors), offer.refusal) == (["air_temperature"], "")
    fill_by_method(desk, booked, way)
    states = {
        gap.channels: gap.state
        for gap in gaps(desk, booked.point.id)
        if gap.gap.start_ms == booked.gap.start_ms
    }
    assert states == {("air_temperature",): "estimated", ("relative_humidity",): "open"}
