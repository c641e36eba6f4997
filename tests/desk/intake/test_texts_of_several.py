"""Texts that hold several series of one quantity, several stations, names in a column: each goes
where it belongs, in one act or not at all."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from gezeiten.archive.files.vault import fingerprint
from gezeiten.desk.intake.texts.import_templates import proposed_template, recognise_text
from gezeiten.desk.intake.texts.text_files import (
    checked_template,
    import_text,
    import_with_template,
)
from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.office.verification import verify
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import point_named
from gezeiten.domain.actions.offloads import LIVE_MODEL
from gezeiten.errors import InputError
from gezeiten.exchange.text.form import ImportTemplate
from tests.conftest import Lab

SIEL, MOLE = "Krabbenkoog · Siel", "Krabbenkoog · Mole"
LONG = """station,time,what,value,unit
Siel,2024-05-01 00:00,Water level,1.25,m
Siel,2024-05-01 00:00,Water temperature,4.5,°C
Mole,2024-05-01 00:00,Water level,2.25,m
Mole,2024-05-01 00:00,Water temperature,5.5,°C
Siel,2024-05-01 01:00,Water level,1.26,m
Siel,2024-05-01 01:00,Water temperature,out,°C
Mole,2024-05-01 01:00,Water level,2.26,m
Mole,2024-05-01 01:00,Water temperature,5.6,°C
"""


def tied(lab: Lab, path: Path, text: str, point: str = SIEL) -> ImportTemplate:
    path.write_text(text)
    template = proposed_template(recognise_text(lab.desk, path), "Gauges")
    zoned = replace(template.form, time=replace(template.form.time, zone="UTC"))
    return replace(template, point=point, form=zoned)


def values(lab: Lab, point: str, channel: str) -> list[float]:
    series = record(lab.desk, point_named(lab.desk, point).id, channel)
    return series.values[~np.isnan(series.values)].tolist()


def test_stations_and_names_go_to_their_points(lab: Lab, tmp_path: Path) -> None:
    path = tmp_path / "long.csv"
    tie = tied(lab, path, LONG)
    at = {"Siel": SIEL, "Mole": MOLE}
    columns = tuple(replace(column, point=at[column.label], label="") for column in tie.columns)
    imported = import_text(lab.desk, path, replace(tie, columns=columns))
    assert (imported.readings, imported.rejected_in_all, imported.spoilt_in_all) == (4, 1, 0)
    assert values(lab, SIEL, "water_level") == [1.25, 1.26]
    assert values(lab, SIEL, "water_temperature") == [4.5]
    assert values(lab, MOLE, "water_level") == [2.25, 2.26]
    assert values(lab, MOLE, "water_temperature") == [5.5, 5.6]
    assert verify(lab.desk).is_intact
    acts = [e for e in logbook_entries(lab.desk) if e.details["kind"] == "text taken in"]
    assert len(acts) == 2
    assert import_text(lab.desk, path, replace(tie, columns=columns)).readings == 0


def test_two_columns_of_one_quantity_are_two_series(lab: Lab, tmp_path: Path) -> None:
    path = tmp_path / "two.csv"
    text = "time,T top (°C),T bottom (°C)\n2024-05-01 00:00,4,3\n2024-05-01 01:00,5,3\n"
    tie = tied(lab, path, text)
    same = tuple(replace(column, label="") for column in tie.columns)
    with pytest.raises(InputError, match="different labels"):
        checked_template(replace(tie, columns=same))
    named = tuple(
        replace(one, label=label) for one, label in zip(tie.columns, ("top", "bottom"), strict=True)
    )
    import_text(lab.desk, path, replace(tie, columns=named))
    point = point_named(lab.desk, SIEL)
    keys = [channel.channel for channel in point.channels]
    assert len(keys) == 2
    held = sorted(tuple(record(lab.desk, point.id, key).values.tolist()) for key in keys)
    assert held == [(3.0, 3.0), (4.0, 5.0)]


def test_a_column_that_was_left_out_comes_when_it_is_tied(lab: Lab, tmp_path: Path) -> None:
    path = tmp_path / "a.csv"
    text = "time,temp (°C),hum (%)\n2024-05-01 00:00,4,80\n2024-05-01 01:00,5,81\n"
    tie = tied(lab, path, text)
    without = (tie.columns[0], replace(tie.columns[1], quantity="", unit=""))
    assert import_text(lab.desk, path, replace(tie, columns=without)).readings == 2
    again = recognise_text(lab.desk, path).template
    assert again is not None
    assert again.columns == without  # what was left out is offered
    more = import_text(lab.desk, path, replace(again, columns=tie.columns))
    assert more.readings == 2
    assert values(lab, SIEL, "relative_humidity") == [80, 81]
    assert values(lab, SIEL, "air_temperature") == [4, 5]
    assert verify(lab.desk).is_intact


def test_where_one_part_cannot_be_kept_none_is(lab: Lab, tmp_path: Path) -> None:
    """The name that one part would have is that of a live line."""
    path, other = tmp_path / "long.csv", tmp_path / "line.csv"
    line = checked_template(
        replace(tied(lab, other, LONG.replace("Siel", "Mole")), name="Gauges · Mole")
    )
    one = replace(line, columns=line.columns[:1])
    import_with_template(lab.desk, other, one, LIVE_MODEL, "live line")
    tie = tied(lab, path, LONG)
    columns = tuple(
        replace(column, label="Mole" if column.label == "Mole" else "") for column in tie.columns
    )
    before = len(logbook_entries(lab.desk))
    with pytest.raises(InputError, match="name of another source"):
        import_text(lab.desk, path, replace(tie, columns=columns))
    assert len(logbook_entries(lab.desk)) == before
    vault = lab.desk.archive.vault
    assert not vault.path(fingerprint(path.read_bytes())).exists()
    assert not list(vault.path("00").parent.parent.glob("*.new"))
