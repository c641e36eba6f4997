"""Does one act again and again, killed before its n-th system call, n by n until it lives; prints
for each what the archive says afterwards, as JSON. It stops and kills its children (ptrace).

    python -m tests.archive.killed_doing FOLDER EVERY_SO_MANY_CALLS
"""

from __future__ import annotations

import ctypes
import json
import os
import shutil
import signal
import sys
from pathlib import Path

from gezeiten.desk.context import Desk, TrustedClock
from gezeiten.desk.office.verifying import verify
from gezeiten.desk.pin_store import MemoryPins
from gezeiten.desk.places import sites
from gezeiten.desk.record.place_editor import save_site
from gezeiten.domain.sites import SiteFacts

_TRACEME, _SYSCALL = 0, 24
_LIBC = ctypes.CDLL(None, use_errno=True)


def opened(folder: Path) -> Desk:
    return Desk(folder, computer=TrustedClock(), pins=MemoryPins(), zone="UTC")


def killed_at(folder: Path, n: int) -> bool:
    """Do the act in a child that is killed before its n-th system call; whether it lived to end."""
    child = os.fork()
    if child == 0:
        _LIBC.ptrace(_TRACEME, 0, 0, 0)
        desk = opened(folder)
        os.kill(os.getpid(), signal.SIGSTOP)
        save_site(desk, SiteFacts("Shore"))
        os._exit(0)
    os.waitpid(child, 0)  # it stopped itself
    for _ in range(2 * n):  # each call stops it twice: before and after
        if _LIBC.ptrace(_SYSCALL, child, 0, 0) != 0:
            raise OSError(ctypes.get_errno(), "no tracing here")
        _, status = os.waitpid(child, 0)
        if os.WIFEXITED(status):
            return True
    os.kill(child, signal.SIGKILL)
    os.waitpid(child, 0)
    return False


def main(work: Path, every: int) -> None:
    opened(work / "whole").close()
    n, lived = 1, False
    while not lived:
        folder = fresh(work)
        lived = killed_at(folder, n)
        desk = opened(folder)
        done = [site.name for site in sites(desk)]
        faults = verify(desk).faults
        save_site(desk, SiteFacts("Dock"))
        again = [site.name for site in sites(desk)] == [*done, "Dock"]
        desk.close()
        told = {"call": n, "lived": lived, "done": done, "faults": faults, "goes on": again}
        print(json.dumps(told), flush=True)
        n += every


def fresh(work: Path) -> Path:
    shutil.rmtree(work / "one", ignore_errors=True)
    shutil.copytree(work / "whole", work / "one")
    return work / "one"


if __name__ == "__main__":
    main(Path(sys.argv[1]), int(sys.argv[2]))
