"""Stretches by name, on days worked out by hand."""

from __future__ import annotations

from datetime import UTC, datetime
from zoneinfo import ZoneInfo

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.office.issuing import export_csv
from gezeiten.desk.record.named_periods import named_periods, previous_month
from gezeiten.desk.sites.places import point_named
from gezeiten.domain.series.timeline import DAY_MS, HOUR_MS, to_ms

BERLIN = ZoneInfo("Europe/Berlin")


def test_last_month_is_that_of_the_sites_calendar() -> None:
    # half past midnight of 1 November in Berlin is still October in UTC
    now = to_ms(datetime(2026, 10, 31, 23, 30, tzinfo=UTC))
    start, end = previous_month(now, "Europe/Berlin")
    assert datetime.fromtimestamp(start / 1000, BERLIN) == datetime(2026, 10, 1, tzinfo=BERLIN)
    assert datetime.fromtimestamp(end / 1000, BERLIN) == datetime(2026, 11, 1, tzinfo=BERLIN)
    assert (end - start) / HOUR_MS == 31 * 24 + 1  # the clocks went back in it


def test_each_name_means_what_it_says(demo_desk: Workspace) -> None:
    point, now = point_named(demo_desk, "Tank 2"), demo_desk.now_ms()
    done = export_csv(demo_desk, point, (now - 40 * DAY_MS, now - 30 * DAY_MS))
    named = named_periods(demo_desk, point)
    spans = {stretch.kind: stretch.span for stretch in named}
    assert done.readings
    assert spans["document"][0] == now - 30 * DAY_MS
    assert 8 * DAY_MS < now - spans["visit"][0] < 12 * DAY_MS  # ten days lie on its logger
    assert spans["mission"][1] >= now
    days = [stretch for stretch in named if stretch.kind == "excursion"]
    assert days
    for day in days:
        begin = datetime.fromtimestamp(day.span[0] / 1000, BERLIN)
        assert (begin.hour, begin.minute) == (0, 0)
        assert day.span[0] <= day.at_ms < day.span[1]
