"""Keeping the computer awake during long work, by the system's power service where there is one."""

from __future__ import annotations

import contextlib
import shutil
import subprocess
from collections.abc import Iterator


@contextlib.contextmanager
def prevent_sleep(reason: str, *, wanted: bool = True) -> Iterator[bool]:
    """Keep the computer from sleeping as long as the block runs; yields whether that works.

    The inhibitor is a process of its own, so it ends with us however we end.
    """
    tool = shutil.which("systemd-inhibit") if wanted else None
    if tool is None:
        yield False
        return
    command = [tool, "--what=sleep:idle", "--who=Gezeiten", f"--why={reason}", "cat"]
    process = subprocess.Popen(
        command, stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    )
    try:
        yield process.poll() is None
    finally:
        if process.stdin is not None:
            process.stdin.close()  # cat ends when its input does, also when we are killed
        with contextlib.suppress(subprocess.TimeoutExpired):
            process.wait(5)
        if process.poll() is None:
            process.kill()
            process.wait(5)
