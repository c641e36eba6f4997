"""The built demonstration, kept on disk by the hash of what it is built from: building it takes a
minute, and most test runs change nothing of that."""

from __future__ import annotations

import fcntl
import hashlib
import os
import shutil
import sys
from pathlib import Path

from gezeiten.cli.demo import Demo, open_demo
from gezeiten.standin.simclock import SimClock
from tests.nursery import ForkedStandin

_ROOT = Path(__file__).parents[1]
_CACHE = Path(os.environ.get("GEZEITEN_TEST_CACHE", _ROOT / ".cache" / "tests"))
_MOST = 3
"""So many are kept, the newest: one of this branch, one of the other, one spare."""


def cached_demo(folder: Path, clock: SimClock, at_ms: int) -> Demo:
    """Start the demonstration in a folder, from the copy on disk where there is one.

    Args:
        at_ms: the instant for which it is built, UTC ms.
    """
    _CACHE.mkdir(parents=True, exist_ok=True)
    stored = _CACHE / f"demo-{_fingerprint(at_ms)}"
    with (_CACHE / "lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)  # the other worker waits: two builds at once take longer
        if not stored.exists():
            _build(stored, at_ms)
        os.utime(stored)
    shutil.copytree(stored, folder, symlinks=True)
    return open_demo(folder, lambda _: None, clock.now_ms, ForkedStandin)


def _build(stored: Path, at_ms: int) -> None:
    making = _CACHE / "building"
    shutil.rmtree(making, ignore_errors=True)
    open_demo(making, lambda _: None, SimClock(at_ms).now_ms, ForkedStandin).close()
    shutil.rmtree(making / "ports", ignore_errors=True)
    making.rename(stored)
    kept = sorted(_CACHE.glob("demo-*"), key=lambda one: one.stat().st_mtime, reverse=True)
    for old in kept[_MOST:]:
        shutil.rmtree(old, ignore_errors=True)


def _fingerprint(at_ms: int) -> str:
    """Return a hash of the code, the packages and the instant that a demonstration is built by."""
    digest = hashlib.sha256(f"{sys.version_info[:2]} {at_ms}".encode())
    source = _ROOT / "src" / "gezeiten"
    files = [
        path
        for path in sorted(source.rglob("*"))
        if path.is_file() and path.suffix != ".pyc" and path.relative_to(source).parts[0] != "ui"
    ]
    for path in [*files, *sorted((_ROOT / "requirements").glob("*.lock"))]:
        digest.update(f"{path.relative_to(_ROOT)} {path.stat().st_size}\n".encode())
        digest.update(path.read_bytes())
    return digest.hexdigest()[:24]
