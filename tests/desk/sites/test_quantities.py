"""A quantity of one's own: known everywhere, told in the logbook, back with a lost database."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.intake.texts.import_templates import proposed_template, recognise_text
from gezeiten.desk.intake.texts.text_files import import_text
from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.office.verification import verify
from gezeiten.desk.record.excursion_book import excursions
from gezeiten.desk.record.statements.limits import set_limit
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import PointPlace, points
from gezeiten.desk.sites.quantities import drop_quantity, key_of_name, save_quantity
from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.quantities.quantities import QUANTITIES, Quantity, quantity
from gezeiten.errors import InputError
from tests.conftest import Lab
from tests.golden import opened

SAP = Quantity("sap_flow", "Sap flow", "F", "kg", 1, low=0, high=90)


@pytest.mark.parametrize(
    ("name", "key"),
    [("Sap flow", "sap_flow"), ("Größe µ", "grosse"), ("3 phases", "q_3_phases"), ("°", "q")],
)
def test_keys_are_made_of_names(name: str, key: str) -> None:
    assert key_of_name(name) == key
    assert key.isidentifier()


def take_sap(desk: Workspace, path: Path) -> PointPlace:
    """Take in sixty readings of a quantity of one's own, 0 to 5.9 kg in ten hours."""
    save_quantity(desk, SAP)
    lines = [f"2026-11-01 {i // 6:02}:{i % 6}0:00,{i / 10:.1f}" for i in range(60)]
    path.write_text("\n".join(["time,Sap flow [kg]", *lines]) + "\n")
    template = proposed_template(recognise_text(desk, path), "Grove")
    assert [column.quantity for column in template.columns] == ["sap_flow"]
    form = replace(template.form, time=replace(template.form.time, zone="UTC"))
    import_text(desk, path, replace(template, point="Grove · Oak 3", form=form))
    [point] = [one for one in points(desk) if one.name == "Oak 3"]
    return point


def test_limits_of_means_follow_how_a_quantity_is_averaged(lab: Lab, tmp_path: Path) -> None:
    point = take_sap(lab.desk, tmp_path / "sap.csv")
    rule = LimitRule("sap_flow", "above", 10.0, mean_s=3600)
    set_limit(lab.desk, point.id, "sap_flow", rule, 0, None, "sums of an hour")
    assert excursions(lab.desk) == []  # no mean of values up to 5.9 is above 10
    save_quantity(lab.desk, replace(SAP, averages="sum"))
    [event] = excursions(lab.desk)  # six readings each: 1.5 + 1.6 + ... + 2.0 = 10.5 is the first
    assert (event.extreme, event.end_ms > event.start_ms) == (pytest.approx(33.9), True)
    assert verify(lab.desk).is_intact
    save_quantity(lab.desk, SAP)
    assert [excursion for excursion in excursions(lab.desk) if not excursion.is_gone] == []


def test_readings_of_a_quantity_of_ones_own(lab: Lab, tmp_path: Path) -> None:
    point = take_sap(lab.desk, tmp_path / "sap.csv")
    assert len(record(lab.desk, point.id, "sap_flow")) == 60
    assert quantity(point.channels[0].channel).name == "Sap flow"
    with pytest.raises(InputError, match="readings of Sap flow in kg"):
        save_quantity(lab.desk, replace(SAP, unit="mg"))
    with pytest.raises(InputError, match="stays in the list"):
        drop_quantity(lab.desk, "sap_flow")
    save_quantity(lab.desk, replace(SAP, name="Sap"))
    assert quantity("sap_flow").name == "Sap"
    told = [entry.sentence for entry in logbook_entries(lab.desk) if entry.act == "quantity"]
    assert sorted(told) == ["Quantity Sap flow, kg, added.", "Quantity Sap, kg, changed."]
    folder = lab.desk.archive.folder
    lab.desk.close()
    for name in ("archive.db", "archive.db-wal", "archive.db-shm"):
        (folder / name).unlink(missing_ok=True)
    opened(folder).close()
    assert quantity("sap_flow").name == "Sap"


def test_an_archive_knows_its_own_alone(lab: Lab, tmp_path: Path) -> None:
    save_quantity(lab.desk, SAP)
    opened(tmp_path / "another").close()
    assert "sap_flow" not in QUANTITIES


def test_what_cannot_be_added(lab: Lab) -> None:
    for wanted, said in (
        (replace(SAP, unit="x"), "is not known"),
        (replace(SAP, name="Air temperature"), "already"),
        (replace(SAP, key="co2"), "already"),
        (replace(SAP, key="Sap Flow"), "its key"),
    ):
        with pytest.raises(InputError, match=said):
            save_quantity(lab.desk, wanted)
    with pytest.raises(InputError, match=r"is built in and stays in the list\."):
        drop_quantity(lab.desk, "co2")
    save_quantity(lab.desk, SAP)
    drop_quantity(lab.desk, "sap_flow")
    assert "sap_flow" not in QUANTITIES
