"""Deeds of the field for tests of the archive: contacts, launches and bytes that come, without a
logger at hand."""

from __future__ import annotations

from dataclasses import asdict, replace

import numpy as np

from gezeiten.archive.intake.missions import Circumstances
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.intake.texts.text_files import TEXT_MODEL, import_with_template
from gezeiten.desk.logger.launch.intents import (
    Owner,
    enter_launch_begin,
    launch_happened,
    launch_refused,
)
from gezeiten.desk.logger.offloading import import_file
from gezeiten.domain.actions.contacts import LoggerContacted
from gezeiten.domain.plan.models import logger_model
from gezeiten.exchange.text.form import ColumnMapping, ImportTemplate, TextForm, TimeForm
from gezeiten.link.files import mission_blocks as mb
from gezeiten.link.files import mission_file as mf
from gezeiten.link.registers import LoggerState
from gezeiten.link.session import DirectoryEntry
from tests.conftest import STORE_PLAN

CHANNELS = mb.file_channels(
    logger_model("Düne T2"),
    ("air_temperature", "relative_humidity"),
    {"air_temperature": "°C", "relative_humidity": "%"},
)
TIE = ImportTemplate(
    "Weather",
    "Shore · Mast",
    TextForm("utf-8", ",", ".", 1, 2, TimeForm((0,), "%Y-%m-%d %H:%M", "UTC")),
    (ColumnMapping(1, "air_temperature", "°C"),),
)
SAP_TIE = replace(
    TIE, name="Sap", point="Shore · Oak", columns=(ColumnMapping(1, "sap_flow", "kg"),)
)


def be_contacted(desk: Workspace, serial: str, mission: int, readings: int) -> None:
    state = LoggerState(1, 2, 0, 0, 1, 800, 3_000, mission, readings, 0, 5, 60, 0, 1, 0, 0, 0)
    desk.do(LoggerContacted(serial, "Düne T2", "1.4", "logging", asdict(state), 200.0, 3.0))


def be_launched(desk: Workspace, serial: str, mission: int, how: str) -> None:
    """Launch as far as a refusal, the end, or a kill on the way."""
    owner = Owner("here", "token")
    be_contacted(desk, serial, mission - 1, 0)
    enter_launch_begin(desk, owner, serial, STORE_PLAN, mission - 1, {"begun": "wanted"})
    if how == "refused":
        launch_refused(desk, owner, serial, mission - 1, {}, "It is locked.")
    elif how == "happened":
        entry = DirectoryEntry(mission, "", "", mission * 1_000, 60_000, 600_000, 0, 0, 0, 0, 0, 0)
        launch_happened(desk, owner, serial, entry, STORE_PLAN, {})


def mission_bytes(serial: str, mission: int, first: int, end: int) -> bytes:
    header = mf.Header(
        serial,
        "Düne T2",
        "1.4",
        mission,
        mission * 1_000,
        60_000,
        600_000,
        CHANNELS,
        STORE_PLAN.as_dict(),
    )
    numbers = np.arange(first, end)
    block = mb.encode_block(CHANNELS, first, [2_000 + numbers % 50, 500 + numbers % 90])
    return mf.encode_header(header) + block


def bring(desk: Workspace, serial: str, mission: int, first: int, count: int) -> None:
    """Take in readings of a mission that a logger, or a copy of a vault, brought."""
    path = desk.archive.incoming / "brought.part"
    path.write_bytes(mission_bytes(serial, mission, first, first + count))
    how = Circumstances(desk.now_ms(), desk.person, "network", 12.0, 3.0)
    if first % 2:
        how = replace(
            how, at_ms=5, person="MB", imported_by=desk.authorship, clock_difference_ms=None
        )
    damaged = None if first % 2 else [(first, first + 1)]
    import_file(desk, path, how, damaged)
    path.unlink()


def bring_sap(desk: Workspace, lines: int) -> None:
    """Take in a text of a quantity of one's own."""
    path = desk.archive.folder / "sap.csv"
    rows = [f"2026-11-20 {i // 6:02d}:{i % 6}0,{i / 4}" for i in range(lines)]
    path.write_text("time,sap\n" + "\n".join(rows) + "\n")
    import_with_template(desk, path, SAP_TIE, TEXT_MODEL, "text file")


def bring_text(desk: Workspace, day: int, lines: int, more: float = 0.0) -> None:
    """Take in a text; more: by so much its values are higher than those of others."""
    path = desk.archive.folder / "air.csv"
    rows = [f"2026-11-{day + 1:02d} 00:{i:02d},{i / 4 + more}" for i in range(lines)]
    path.write_text("time,air\n" + "\n".join(rows) + "\n")
    import_with_template(desk, path, TIE, TEXT_MODEL, "text file")
