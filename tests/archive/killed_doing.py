"""Does one act again and again, killed before its n-th system call, n by n until it lives; prints
for each what the archive says afterwards, as JSON. It stops and kills its children (ptrace).

    python -m tests.archive.killed_doing FOLDER EVERY_SO_MANY_CALLS save|restore
"""

from __future__ import annotations

import ctypes
import json
import os
import shutil
import signal
import sys
from collections.abc import Callable
from pathlib import Path

from gezeiten.desk.base.pin_store import MemoryPins
from gezeiten.desk.base.workspace import TrustedClock, Workspace
from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.office.verification import rebuild, restore_lost_entries, verify
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.record.statements.site_editor import save_site
from gezeiten.desk.sites.places import sites
from gezeiten.domain.actions.archives import EntriesRestored
from gezeiten.domain.facts.sites import SiteFacts

_TRACEME, _SYSCALL = 0, 24
_LIBC = ctypes.CDLL(None, use_errno=True)


def opened(folder: Path) -> Workspace:
    return open_workspace(folder, computer=TrustedClock(), pins=MemoryPins(), zone="UTC")


def killed_at(folder: Path, n: int, do: Callable[[Workspace], object]) -> bool:
    """Do an act in a child that is killed before its n-th system call; whether it lived to end."""
    child = os.fork()
    if child == 0:
        _LIBC.ptrace(_TRACEME, 0, 0, 0)
        desk = opened(folder)
        os.kill(os.getpid(), signal.SIGSTOP)
        do(desk)
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


def save_shore(desk: Workspace) -> None:
    save_site(desk, SiteFacts("Shore"))


def after_saving(folder: Path) -> dict[str, object]:
    """Return what there is, and whether it goes on from there."""
    desk = opened(folder)
    done = [site.name for site in sites(desk)]
    faults = verify(desk).faults
    save_site(desk, SiteFacts("Dock"))
    again = [site.name for site in sites(desk)] == [*done, "Dock"]
    desk.close()
    return {"done": done, "faults": faults, "goes on": again}


def cut_off(folder: Path) -> None:
    """Take the last two entries off the chain file; the tables still know them."""
    desk = opened(folder)
    for name in ("Quay", "Weir", "Bank"):
        save_site(desk, SiteFacts(name))
    desk.close()
    [path] = (folder / "logbook").glob("*.jsonl")
    path.write_bytes(b"".join(path.read_bytes().splitlines(keepends=True)[:-2]))


def after_restoring(folder: Path) -> dict[str, object]:
    """Return what there is once it was done again where it was not, or the tables are made anew
    where that is said to put it right."""
    desk = opened(folder)
    verdict = verify(desk)
    if verdict.lost:
        restore_lost_entries(desk)
    elif any("gezeiten verify --rebuild repairs it." in fault for fault in verdict.faults):
        rebuild(desk)
    done = [site.name for site in sites(desk)]
    faults = verify(desk).faults
    said = sum(entry.act == EntriesRestored.WORD for entry in logbook_entries(desk))
    save_site(desk, SiteFacts("Dock"))
    again = [site.name for site in sites(desk)] == [*done, "Dock"]
    desk.close()
    left = len(verdict.lost)
    return {"left": left, "done": done, "faults": faults, "goes on": again, "said": said}


_ACTS = {"save": (save_shore, after_saving), "restore": (restore_lost_entries, after_restoring)}


def main(work: Path, every: int, act: str) -> None:
    do, after = _ACTS[act]
    opened(work / "whole").close()
    if act == "restore":
        cut_off(work / "whole")
    n, lived = 1, False
    while not lived:
        folder = fresh(work)
        lived = killed_at(folder, n, do)
        print(json.dumps({"call": n, "lived": lived, **after(folder)}), flush=True)
        n += every


def fresh(work: Path) -> Path:
    shutil.rmtree(work / "one", ignore_errors=True)
    shutil.copytree(work / "whole", work / "one")
    return work / "one"


if __name__ == "__main__":
    main(Path(sys.argv[1]), int(sys.argv[2]), sys.argv[3])
