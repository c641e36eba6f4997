"""What a program that was killed left of a document goes, in time; what is being written stays."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from pathlib import Path

from gezeiten.archive.files.unfinished_files import temporary_file
from gezeiten.desk.base.workspace import TrustedClock
from gezeiten.desk.intake.recovery import recover
from gezeiten.desk.open_workspace import open_workspace

_KILLED = """
import os, signal, sys
from pathlib import Path
from gezeiten.archive.files.unfinished_files import temporary_file
with temporary_file(Path(sys.argv[1])) as fresh:
    fresh.write_bytes(b"half a report")
    os.kill(os.getpid(), signal.SIGKILL)
"""


def left_in(folder: Path, ago_s: float) -> Path:
    """A file that a killed program left in a folder, so long ago."""
    before = set(folder.iterdir())
    killed = subprocess.run([sys.executable, "-c", _KILLED, str(folder)], check=False)
    assert killed.returncode == -9
    [left] = set(folder.iterdir()) - before
    at = time.time() - ago_s
    os.utime(left, (at, at))
    return left


def test_opening_an_archive_clears_what_killed_exports_left(tmp_path: Path) -> None:
    open_workspace(tmp_path / "a", computer=TrustedClock()).close()
    folder = tmp_path / "a" / "handovers"
    kept = folder / "report.pdf"
    kept.write_bytes(b"a report")
    os.utime(kept, (0, 0))
    old, young = left_in(folder, 3_700), left_in(folder, 3_500)
    desk = open_workspace(tmp_path / "a", computer=TrustedClock())
    recover(desk)
    desk.close()
    assert set(folder.iterdir()) == {kept, young}
    assert not old.exists()


def test_so_does_the_next_export_into_the_folder(tmp_path: Path) -> None:
    left_in(tmp_path, 7_200)
    with temporary_file(tmp_path) as fresh:
        assert list(tmp_path.iterdir()) == [fresh]
    assert list(tmp_path.iterdir()) == []
