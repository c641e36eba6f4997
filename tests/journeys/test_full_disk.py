"""A disk that is full in the middle of the work: one sentence, nothing lost, nothing half done."""

from __future__ import annotations

import resource
import subprocess
import sys
from pathlib import Path

import pytest

from gezeiten.desk.intake.recovery import recover
from gezeiten.desk.logger.launch.launching import launch
from gezeiten.desk.logger.offloading import offload_logger
from gezeiten.desk.office.verification import verify
from gezeiten.desk.open_workspace import open_workspace
from tests.conftest import STORE_PLAN, Lab


def offload_with_room_for(lab: Lab, folder: Path, size: int) -> subprocess.CompletedProcess[str]:
    """Offload in a process whose files may not grow beyond a size."""

    def limit() -> None:
        resource.setrlimit(resource.RLIMIT_FSIZE, (size, size))

    return subprocess.run(
        [
            sys.executable,
            "-m",
            "gezeiten",
            "offload",
            lab.serial,
            "--archive",
            str(folder),
            "--at",
            str(lab.standin.address),
        ],
        capture_output=True,
        text=True,
        preexec_fn=limit,
        check=False,
    )


@pytest.mark.parametrize("room", [2_000, 60_000])
def test_a_disk_that_fills_up_while_offloading(lab: Lab, tmp_path: Path, room: int) -> None:
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    lab.later(60 * 24 * 60)
    folder = tmp_path / "small"
    open_workspace(folder).close()
    done = offload_with_room_for(lab, folder, room)
    assert done.returncode == 5, done.stdout + done.stderr
    said = (
        "is full; free some space and try again. Nothing on the logger was erased.",
        (
            "Done and recorded in the logbook. It will be shown when the disk has "
            "space again; free some, and do not repeat this."
        ),
    )
    assert any(one in done.stderr for one in said)
    assert "Traceback" not in done.stderr
    assert lab.standin.order("state")["readings"] > 8_000  # the logger still has it all

    desk = open_workspace(folder, now_ms=lab.clock.now_ms)
    recover(desk)  # as every opening does: what came before the disk was full
    assert verify(desk).is_intact
    offload_logger(desk, lab.standin.address, lab.serial)
    verdict = verify(desk)
    assert verdict.is_intact
    assert verdict.values > 16_000
    desk.close()
